"""All entry kinds by name, and entries as lines of JSON.

Versions older than this one are upgraded on reading, step by step, by what each kind registered; the line on disk
stays as it was written.
"""

import hashlib
import json
from datetime import UTC, datetime, timedelta
from functools import cache, reduce
from operator import or_
from typing import Annotated, Any

from pydantic import Field, TypeAdapter, ValidationError
from pydantic_core import from_json

from loyal_trace.core.job.base import (
    ENTRY_VERSION,
    KINDS,
    OWN_BOARD,
    Entry,
    NamedPart,
    PlacedEntry,
    Raw,
    describe,
    stage_of,
)
from loyal_trace.core.job.kinds.facts import (
    Assumed,
    ChainDescribed,
    CheckTold,
    ClockTold,
    CodeTold,
    Connected,
    LampTold,
    LineTold,
    Net,
    NetsTold,
    OutlineTold,
    PartTold,
    PathTold,
    PinTold,
    RailTold,
    RomTold,
    ServiceTold,
    SettingTold,
    TwinsTold,
)
from loyal_trace.core.job.kinds.looking import (
    Observed,
    PhotoAligned,
    Photographed,
    PhotoOf,
    PhotoPoint,
    Refitted,
    TakenApart,
)
from loyal_trace.core.job.kinds.measuring import (
    GOOD_BOARD,
    OLD_PART,
    ControlMeasured,
    ControlPoint,
    Lifted,
    Measured,
    PairSeen,
    PinSigned,
    PinsProbed,
    PinState,
    SignatureTaken,
    TraceCompared,
    TraceDifference,
    TraceLane,
    conditions_words,
    number_or_overload,
    pin_state,
    reading_words,
)
from loyal_trace.core.job.kinds.paper import (
    CautionSeen,
    Decided,
    HandedBack,
    Imported,
    Note,
    Opened,
    Retracted,
    Unread,
)
from loyal_trace.core.job.kinds.parts import (
    CONTACT_REPAIRED,
    KEEPS_PART,
    KEPT_WORDS,
    NEW_SOCKET,
    OWN_PART,
    RE_PROGRAMMED,
    ActionTaken,
    ExtraTicked,
    Fitted,
    GaveBack,
    Offered,
    PlannedUse,
    Removed,
    StepDone,
    Stocked,
    Swapped,
    TimerStarted,
    Trial,
    Worked,
)
from loyal_trace.core.job.kinds.proving import (
    CheckResult,
    FunctionSeen,
    NotTestable,
    StageSeen,
    Started,
    SymptomSeen,
)
from loyal_trace.core.job.kinds.roms import ChecksumsKnown, ImageKnown, RomRead, SumLine
from loyal_trace.core.job.lean import without_names
from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.core.vocabulary.phrases import joined, say

_OLD_OWN_BOARD = "files"
_CURRENT = f'"v":{ENTRY_VERSION}'.encode()


@cache
def _adapter() -> TypeAdapter[Entry]:
    """One validator for all kinds of the registry."""
    union: Any = reduce(or_, (row.model for row in KINDS.values()))
    return TypeAdapter(Annotated[union, Field(discriminator="kind")])


def read_entry(line: str | bytes, place: str = "entry") -> Entry:
    """One entry from its JSON line. UserFileError names `place` and the first thing wrong with it."""
    data = line.encode() if isinstance(line, str) else line
    try:
        return _adapter().validate_json(data if _CURRENT in data else _upgraded(data, place))
    except ValidationError as error:
        first = error.errors()[0]
        where = joined(".", (str(p) for p in first["loc"]))
        raise UserFileError(
            place, say("not a logbook entry ({where}: {first})", where=where, first=first["msg"])
        ) from None


def _read(line: str) -> Entry:
    """The usual line, quickly: of this version, and good."""
    data = line.encode()
    return without_names(_adapter().validate_json(data if _CURRENT in data else _upgraded(data, "")))


def read_or_mark(line: str, place: str, number: int, before: Entry | None = None) -> Entry:
    """One entry from its line; what cannot be read becomes an `Unread` in its place, so that it takes nothing down.

    `place` is where the lines come from; `before` is the entry before it: a line that carries no time of its own stands
    where that one stands.
    """
    try:
        return _read(line)
    except (ValidationError, UserFileError):
        pass
    try:
        return read_entry(line, say("{place}, entry {number}", place=place, number=number))
    except UserFileError as error:
        raw = _raw(line)
        told = raw.get("v")
        newer = isinstance(told, int) and told > ENTRY_VERSION
        why = say("from a newer version ({version})", version=told) if newer else str(error)
        return marked_unread(raw, why, number, before, newer)


def marked_unread(raw: Raw, why: str, number: int, before: Entry | None, newer: bool = False) -> Unread:
    """The stand-in for a line, with as much of its own id, time, author and place in an action as can be read."""
    texts: Raw = {key: raw[key] for key in ("author", "board", "part_of", "previous") if isinstance(raw.get(key), str)}
    own = raw.get("id")
    name = own if isinstance(own, str) and 0 < len(own) <= 64 else f"line-{number}"
    return Unread(id=name, time=_time_of(raw, before), why=why, newer=newer, **texts)


def _time_of(raw: Raw, before: Entry | None) -> datetime:
    try:
        found = datetime.fromisoformat(str(raw.get("time")))
    except ValueError:
        found = datetime.min
    if found.utcoffset() == timedelta(0):
        return found
    return before.time if before is not None else datetime(1970, 1, 1, tzinfo=UTC)


def _raw(line: str) -> Raw:
    try:
        found = from_json(line)
    except ValueError:
        return {}
    return found if isinstance(found, dict) else {}


def _upgraded(data: bytes, place: str) -> bytes:
    """A line of an older version as one of this version; lines of this version come back as they are."""
    try:
        raw = from_json(data)
    except ValueError:
        return data
    version = raw.get("v", 1) if isinstance(raw, dict) else ENTRY_VERSION
    if not isinstance(version, int) or version >= ENTRY_VERSION:
        if isinstance(version, int) and version > ENTRY_VERSION:
            remedy = say("update Loyal Trace to read it; nothing was changed")
            raise UserFileError(place, say("the entry is from a newer version ({version})", version=version), remedy)
        return data
    try:
        while version < ENTRY_VERSION:
            raw, version = _one_newer(raw, version), version + 1
    except (KeyError, TypeError):
        return data  # not an entry at all: the validator says what is wrong with it
    return json.dumps(raw, ensure_ascii=False).encode()


def _one_newer(raw: Raw, version: int) -> Raw:
    if raw.get("board") == _OLD_OWN_BOARD:
        raw = {**raw, "board": OWN_BOARD}
    row = KINDS.get(raw["kind"])
    upgrade = row.upgrades.get(version) if row is not None else None
    return {**(upgrade(raw) if upgrade else raw), "v": version + 1}


def write_entry(entry: Entry) -> str:
    """The entry as one line of JSON; `read_entry` gives an equal entry back."""
    return entry.model_dump_json()


def line_hash(line: str) -> str:
    """The hash by which the next entry names the one before it: SHA-256 of its line as stored."""
    return hashlib.sha256(line.encode()).hexdigest()


AnyEntry = Entry
__all__ = [
    "CONTACT_REPAIRED",
    "GOOD_BOARD",
    "KEEPS_PART",
    "KEPT_WORDS",
    "KINDS",
    "NEW_SOCKET",
    "OLD_PART",
    "OWN_BOARD",
    "OWN_PART",
    "RE_PROGRAMMED",
    "ActionTaken",
    "AnyEntry",
    "Assumed",
    "CautionSeen",
    "ChainDescribed",
    "CheckResult",
    "CheckTold",
    "ChecksumsKnown",
    "ClockTold",
    "CodeTold",
    "Connected",
    "ControlMeasured",
    "ControlPoint",
    "Decided",
    "Entry",
    "ExtraTicked",
    "Fitted",
    "FunctionSeen",
    "GaveBack",
    "HandedBack",
    "ImageKnown",
    "Imported",
    "LampTold",
    "Lifted",
    "LineTold",
    "Measured",
    "NamedPart",
    "Net",
    "NetsTold",
    "NotTestable",
    "Note",
    "Observed",
    "Offered",
    "Opened",
    "OutlineTold",
    "PairSeen",
    "PartTold",
    "PathTold",
    "PhotoAligned",
    "PhotoOf",
    "PhotoPoint",
    "Photographed",
    "PinSigned",
    "PinState",
    "PinTold",
    "PinsProbed",
    "PlacedEntry",
    "PlannedUse",
    "RailTold",
    "Refitted",
    "Removed",
    "Retracted",
    "RomRead",
    "RomTold",
    "ServiceTold",
    "SettingTold",
    "SignatureTaken",
    "StageSeen",
    "Started",
    "StepDone",
    "Stocked",
    "SumLine",
    "Swapped",
    "SymptomSeen",
    "TakenApart",
    "TimerStarted",
    "TraceCompared",
    "TraceDifference",
    "TraceLane",
    "Trial",
    "TwinsTold",
    "Unread",
    "Worked",
    "conditions_words",
    "describe",
    "line_hash",
    "number_or_overload",
    "pin_state",
    "read_entry",
    "reading_words",
    "stage_of",
    "write_entry",
]
