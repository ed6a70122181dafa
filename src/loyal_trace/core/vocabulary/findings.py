"""What can be seen at a part: one word each, good or bad."""

from enum import StrEnum


class Finding(StrEnum):
    """A finding as it stands in an entry."""

    LOOKS_GOOD = "looks good"
    CLEAN = "clean"
    CLEANED = "cleaned"
    RESEATED = "reseated"
    STRAIGHTENED = "straightened"
    PRESENT = "present"
    CORRODED = "corroded"
    PIN_BENT = "pin bent under or missing"
    JOINT = "joint cracked or dull"
    SOCKET_LOOSE = "socket loose"
    SOCKET_WORN = "socket worn"
    SINGLE_WIPE = "single-wipe socket"
    WRONG_PART = "wrong part"
    REVERSED = "fitted reversed"
    SCORCHED = "scorched"
    LEAKING = "leaking"
    BULGED = "bulged"
    RESIDUE = "residue"
    TRACK_DAMAGED = "track damaged"
    PREVIOUS_WORK = "previous work"
    COMPOUND_MISSING = "heat-sink compound missing"
    MISSING = "missing"
    CRACKED = "cracked"
    DIRTY = "dirty"
    LOOSE = "loose"
    HOT = "hot"
    LIT = "lit"
    DARK = "dark"
    NOTED = "noted"

    @property
    def good(self) -> bool:
        """Does it count as evidence for the part?"""
        return self in _GOOD

    @property
    def bad(self) -> bool:
        """Does it count as evidence against the part? A note counts neither way, and a lamp tells of others."""
        return self not in _GOOD and self not in NEUTRAL


_GOOD = frozenset(
    {
        Finding.LOOKS_GOOD,
        Finding.CLEAN,
        Finding.CLEANED,
        Finding.RESEATED,
        Finding.STRAIGHTENED,
        Finding.PRESENT,
    }
)
NEUTRAL = frozenset({Finding.NOTED, Finding.LIT, Finding.DARK})
LEAKS = (Finding.LEAKING, Finding.BULGED)
OF_SOCKETS = (Finding.SOCKET_LOOSE, Finding.SOCKET_WORN, Finding.SINGLE_WIPE)
