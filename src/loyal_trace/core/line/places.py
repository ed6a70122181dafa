"""Places as they are typed: `5D`, `5D.13`, `5D-13`, `TW-VID 6E`, `C1-C4`, `1A-5F`, `C1, C2 and C4`.

A place must be on a board of the job. One that two boards have gives both; one that only looks like a place is refused
where nothing but a place can stand there.
"""

import re
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

from loyal_trace.core.boards.names import board_prefix, names_of
from loyal_trace.core.boards.outline import pin_count
from loyal_trace.core.job.entries import OWN_BOARD, NamedPart
from loyal_trace.core.line.context import Context, Refusal
from loyal_trace.core.vocabulary.identity import PartRef, in_order

_GENERIC = r"(?:[A-Za-z]{1,4}\d{1,4}[A-Za-z]?|\d{1,2}[A-Za-z]\d?)"
_PIN = r"(?:\.(?:\d{1,3}|/?[A-Za-z][A-Za-z0-9/]*)|-\d{1,3}(?![\w-]))"
_LOOKS = re.compile(_GENERIC)
_SIMPLE = re.compile(rf"(?:{_GENERIC}){_PIN}?")
_NO_PLACE = re.compile(r"\d+(?:V|A|k|K|M|u|n|p|R|W|s|h|m|x|X)\d?|\d*(?:1st|2nd|3rd|\dth)", re.ASCII)
_DESIGNATOR = re.compile(r"([A-Za-z]+)(\d+)")
_GRID = re.compile(r"(\d{1,2})([A-Za-z])")
_MOST = 200
_JOINED = re.compile(r"\s*,\s*(?:and\s+)?|\s+and\s+|\s+")


@dataclass(frozen=True)
class Patterns:
    """Pieces of regular expressions for the boards of a job: one part, one pin, several parts."""

    board: str
    part: str
    pin: str
    parts: str
    point: str

    @property
    def pieces(self) -> dict[str, str]:
        """The pieces under the names by which forms use them."""
        return {"part": self.part, "pin": self.pin, "parts": self.parts, "board": self.board, "point": self.point}


def patterns_of(context: Context) -> Patterns:
    """The pieces for a context, made once for the boards as they are."""
    names = tuple(name for names in names_of(context.boards).values() for name in names)
    odd = tuple(
        part.refdes for board in context.boards.values() for part in board.parts if not _LOOKS.fullmatch(part.refdes)
    )
    points = tuple(dict.fromkeys(p.point for board in context.boards.values() for p in board.chain))
    return _patterns(names, odd, tuple(point for point in points if not _SIMPLE.fullmatch(point)))


@lru_cache(maxsize=16)
def _patterns(names: tuple[str, ...], odd: tuple[str, ...], points: tuple[str, ...]) -> Patterns:
    by_length = sorted(names, key=len, reverse=True)
    board = "|".join(re.escape(name).replace(r"\ ", r"\s+") for name in by_length) or "(?!)"
    refdes = "|".join([*(re.escape(name) for name in sorted(odd, key=len, reverse=True)), _GENERIC])
    part = rf"(?:(?:(?:{board})\s+)?(?:{refdes}))"
    pin = rf"(?:{part}{_PIN})"
    stretch = rf"(?:{part}(?:\s*-\s*(?:{refdes}))?)"
    parts = rf"(?:{stretch}(?:(?:\s*,\s*(?:and\s+)?|\s+and\s+|\s+){stretch})*)"
    named = "|".join(re.escape(point) for point in sorted(points, key=len, reverse=True)) or "(?!)"
    # Points of a supply chain have names of their own beside parts and pins: J1.41-42, between two pins.
    point = rf"(?:(?:(?:{board})\s+)?(?:{named})|{pin}|{part})"
    return Patterns(board, part, pin, parts, point)


@dataclass(frozen=True)
class Alternative:
    """One way to understand the places of a line: the parts (with pins), and which of them are new."""

    parts: tuple[NamedPart, ...]
    new: tuple[PartRef, ...] = ()

    @property
    def one(self) -> NamedPart:
        return self.parts[0]

    @property
    def board(self) -> str:
        """The board of the first."""
        return self.parts[0].board


class Places:
    """Finds places in a context."""

    def __init__(self, context: Context) -> None:
        self.context = context
        self._names = [(name.casefold(), b) for b, names in names_of(context.boards).items() for name in names]
        self._names.sort(key=lambda item: -len(item[0]))
        self.refdes = {
            b: {part.refdes.casefold(): part.refdes for part in (*board.parts, *board.vias)}
            for b, board in context.boards.items()
        }

    def board_named(self, text: str) -> tuple[str, str]:
        """(board id, rest) of a text that begins with the name of a board; an empty id for none."""
        folded = " ".join(text.split())
        for name, board in self._names:
            if folded.casefold().startswith(f"{name} "):
                return board, folded[len(name) + 1 :].strip()
        return "", folded

    def boards_for(self, said: str) -> list[str]:
        """The boards to look on: the one named in the line, else the explicit one, else all."""
        wanted = said or self.context.board
        return [wanted] if wanted else list(self.context.boards)

    def split(self, text: str) -> tuple[str, str, str]:
        """(board said, designator as typed, pin as typed) of one place."""
        board, rest = self.board_named(text)
        match = re.fullmatch(rf"(.+?)({_PIN})?", rest)
        known = any(rest.casefold() in names for names in self.refdes.values())
        if known or match is None:
            return board, rest, ""
        return board, match[1], (match[2] or "")[1:]

    def find(self, text: str, new_ok: bool = False) -> list[Alternative]:
        """Every part (with its pin) that one typed place can mean; Refusal when there is none."""
        said, refdes, pin = self.split(text)
        here = [
            (b, self.refdes[b][refdes.casefold()])
            for b in self.boards_for(said)
            if refdes.casefold() in self.refdes.get(b, {})
        ]
        here = self._as_picked(here, said)
        if not here and new_ok:
            return self._new(said, refdes, pin)
        if not here:
            raise self._unknown(said, refdes)
        return [Alternative((NamedPart(board=b, refdes=r, pin=self.pin(b, r, pin)),)) for b, r in here]

    def points(self, text: str) -> list[tuple[str, str]]:
        """(board, point) of everything that a typed point can mean: of a supply chain, else a part or pin."""
        said, rest = self.board_named(text)
        chains = {b: {p.point.casefold(): p.point for p in self.context.boards[b].chain} for b in self.boards_for(said)}
        own = [(b, points[rest.casefold()]) for b, points in chains.items() if rest.casefold() in points]
        if own and not _SIMPLE.fullmatch(rest):
            return own
        return [(one.board, one.one.name) for one in self.find(text)]

    def _as_picked(self, here: list[tuple[str, str]], said: str) -> list[tuple[str, str]]:
        """Between two boards, the picked part decides when it is the one named."""
        picked = self.context.picked
        if len(here) > 1 and not said and picked is not None and tuple(picked) in here:
            return [(picked.board, picked.refdes)]
        return here

    def _unknown(self, said: str, refdes: str) -> Refusal:
        elsewhere = [b for b, names in self.refdes.items() if refdes.casefold() in names]
        board = said or self.context.board
        if elsewhere:
            names = ", ".join(self.context.boards[b].name for b in elsewhere)
            return Refusal("place-elsewhere", place=refdes, board=self._name(board), others=names)
        return Refusal("unknown-place", place=refdes.upper(), board=self._name(board))

    def _name(self, board: str) -> str:
        return self.context.boards[board].name if board in self.context.boards else ""

    def _new(self, said: str, refdes: str, pin: str) -> list[Alternative]:
        """A part that a fact makes new: on the board said, the only one, the one in view; else it has to be asked."""
        name = refdes.upper() if _LOOKS.fullmatch(refdes) else refdes
        found = []
        for board in self.boards_for_new(said):
            named = NamedPart(board=board, refdes=name, pin=int(pin) if pin.isdecimal() else None)
            if pin and named.pin is None:
                raise Refusal("unknown-pin", place=name, pin=pin, has="")
            found.append(Alternative((named,), (named.part,)))
        return found

    def boards_for_new(self, said: str = "") -> list[str]:
        """Where something new belongs: the board said, else the only one, else the one in view, else any (to ask)."""
        context = self.context
        if said or context.board:
            return [said or context.board]
        if not context.boards:
            return [OWN_BOARD]
        if len(context.boards) == 1 or context.in_view not in context.boards:
            return list(context.boards)
        return [context.in_view]

    def pin(self, board: str, refdes: str, typed: str) -> int | None:
        """The number of a typed pin, by number or by its name; Refusal when the part has no such pin."""
        if not typed:
            return None
        part, library = self.context.boards[board].part(refdes), self.context.library
        chip = library.find(part.number) if library.knows(part.number) else None
        if typed.isdecimal():
            # A type that nobody knows has as many pins as its package says, as long as that is known.
            number, last = int(typed), len(chip.pins) if chip else pin_count(part)
            if number < 1 or (last and number > last):
                raise Refusal("unknown-pin", place=refdes, pin=typed, has=str(last or ""))
            return number
        told = self.context.snapshot.facts.pins.get(PartRef(board, refdes), ())
        named = {pin.name.upper(): pin.number for pin in chip.pins} if chip else {}
        named |= {own.name.upper(): own.pin for own in self.context.boards[board].own_pins if own.part == refdes}
        named |= {entry.name.upper(): entry.pin for entry in told}
        if typed.upper() not in named:
            raise Refusal("unknown-pin", place=refdes, pin=typed, has="")
        return named[typed.upper()]

    def several(self, text: str, new_ok: bool = False, fill: bool = False) -> list[Alternative]:
        """Every way to understand a list of places: all of one board when none is named. Ranges are written out.

        With `fill`, a range also makes the parts new that the job's own board does not have yet.
        """
        pieces = self.pieces(text)
        found = [self._piece(piece, new_ok, fill) for piece in pieces]
        boards = dict.fromkeys(one.board for one in found[0])
        whole = []
        for board in boards:
            chosen = [next((one for one in options if one.board == board), options[0]) for options in found]
            parts = tuple(dict.fromkeys(part for one in chosen for part in one.parts))
            whole.append(Alternative(parts, tuple(dict.fromkeys(new for one in chosen for new in one.new))))
        return self._agreeing(whole, found)

    def _agreeing(self, whole: list[Alternative], found: list[list[Alternative]]) -> list[Alternative]:
        """Of several boards, those that have every part of the list."""
        full = [one for one in whole if all(any(o.board == one.board for o in options) for options in found)]
        return full or whole[:1]

    def pieces(self, text: str) -> list[str]:
        """A list taken apart; a board's name stays with the place after it, the two ends of a range together."""
        body = re.sub(r"\s*-\s*", "-", " ".join(text.split()))
        pieces: list[str] = []
        while body:
            board, rest = self.board_named(body)
            words = _JOINED.split(rest, maxsplit=1)
            prefix = body[: len(body) - len(rest)] if board else ""
            pieces.append(prefix + words[0])
            body = words[1] if len(words) > 1 else ""
        return pieces

    def _piece(self, piece: str, new_ok: bool, fill: bool) -> list[Alternative]:
        said, rest = self.board_named(piece)
        first, dash, last = rest.partition("-")
        if dash and not last.isdecimal():
            counted = _counted(first, last) if fill else ()
            if counted and self.boards_for_new(said) == [OWN_BOARD]:
                every = [self.find(name, new_ok=True)[0] for name in counted]
                return [Alternative(tuple(one.one for one in every), tuple(new for one in every for new in one.new))]
            return self._range(said, first, last)
        return self.find(piece, new_ok)

    def _range(self, said: str, first: str, last: str) -> list[Alternative]:
        """`C1-C20` counts designators; `1A-5F` is a rectangle of the grid. Only places that exist are in it."""
        found = []
        for board in self.boards_for(said):
            names = [refdes for refdes in in_order(self.refdes.get(board, {}).values()) if within(refdes, first, last)]
            if names:
                found.append(Alternative(tuple(NamedPart(board=board, refdes=name) for name in names)))
        if not found:
            raise Refusal("unknown-place", place=f"{first.upper()}-{last.upper()}", board=self._name(said))
        return found


def _counted(first: str, last: str) -> tuple[str, ...]:
    """`C1` to `C20` written out; empty for a rectangle of the grid, another letter or more than can be meant."""
    one, other = _DESIGNATOR.fullmatch(first), _DESIGNATOR.fullmatch(last)
    if one is None or other is None or one[1].upper() != other[1].upper():
        return ()
    low, high = sorted((int(one[2]), int(other[2])))
    return tuple(f"{one[1].upper()}{number}" for number in range(low, high + 1)) if high - low < _MOST else ()


def within(refdes: str, first: str, last: str) -> bool:
    """Does a designator lie in a range, by number or as a rectangle of the grid?"""
    grid = [_GRID.fullmatch(name) for name in (refdes, first, last)]
    if all(grid):
        rows = [int(match[1]) for match in grid if match]
        columns = [match[2].upper() for match in grid if match]
        low, high = sorted(rows[1:]), sorted(columns[1:])
        return low[0] <= rows[0] <= low[1] and high[0] <= columns[0] <= high[1]
    numbers = [_DESIGNATOR.fullmatch(name) for name in (refdes, first, last)]
    if not all(numbers):
        return False
    letters = {match[1].upper() for match in numbers if match}
    counts = [int(match[2]) for match in numbers if match]
    return len(letters) == 1 and min(counts[1:]) <= counts[0] <= max(counts[1:])


def looks_like_place(text: str, places: Places) -> bool:
    """Is a typed word a place, or written like one? Units and ordinals (5V, 2nd) only as names of parts."""
    if any(text.casefold() in names for names in places.refdes.values()):
        return True
    return bool(_LOOKS.fullmatch(text)) and not _NO_PLACE.fullmatch(text)


def listed(parts: Iterable[NamedPart], context: Context) -> str:
    """Places as they can be typed again: with their board where there are several."""
    return ", ".join(named(part, context) for part in parts)


def named(part: NamedPart, context: Context) -> str:
    """One place as it can be typed again."""
    return f"{board_prefix(context.boards, part.board)}{part.name}"
