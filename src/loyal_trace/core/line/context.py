"""What a line is read against, and what it comes to. Words for people are made from these elsewhere."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum
from typing import Any

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.job.entries import Entry
from loyal_trace.core.job.snapshot import JobSnapshot
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.stages import Stage


@dataclass(frozen=True)
class AskedPin:
    """Probe asks for a pin: bare states go there, a row of states to it and the pins after it."""

    place: PartRef
    pins: tuple[int, ...]


@dataclass(frozen=True)
class AskedPoint:
    """A point of a supply or clock is asked for, in one quantity."""

    board: str
    point: str
    quantity: str
    powered: bool = False
    good_board: bool = False
    part: str = ""


@dataclass(frozen=True)
class AskedCapacitor:
    """A capacitor is to be measured: capacitance, then ESR."""

    place: PartRef


@dataclass(frozen=True)
class AskedParts:
    """Parts are being inspected, mostly one: a finding alone belongs to each of them."""

    places: tuple[PartRef, ...]


@dataclass(frozen=True)
class AskedSocket:
    """A ROM socket is in hand: a signature or checksum without a place belongs to it."""

    place: PartRef


@dataclass(frozen=True)
class AskedPair:
    """Two pins are to be checked for continuity; the pair is kept under one name, either way round."""

    board: str
    pair: str


@dataclass(frozen=True)
class AskedLift:
    """A short is being located: the resistance of `far` to ground with these parts lifted off the net."""

    board: str
    net: str
    far: str
    parts: tuple[str, ...]


Asked = AskedPin | AskedPoint | AskedCapacitor | AskedParts | AskedSocket | AskedPair | AskedLift


@dataclass(frozen=True)
class Context:
    """Everything besides the text: the boards and the job, the stage, what is picked, and what is being asked for.

    `board` is said explicitly and alone decides; `in_view` only says where a new part would go.
    """

    boards: Mapping[str, BoardDefinition]
    snapshot: JobSnapshot
    library: ChipLibrary
    now: datetime
    stage: Stage | None = None
    board: str = ""
    in_view: str = ""
    picked: PartRef | None = None
    asked: Asked | None = None


class Status(StrEnum):
    """What becomes of a line."""

    RECORDED = "recorded"
    NOTE = "note"
    UNCLEAR = "unclear"
    REFUSED = "refused"


@dataclass(frozen=True)
class Message:
    """What is to be told about a line: an id, and the facts that its words are made with."""

    id: str
    facts: Mapping[str, str] = field(default_factory=dict)


class Refusal(Exception):
    """A form matched the whole line, but what it says cannot be recorded."""

    def __init__(self, message: str, **facts: str) -> None:
        self.message = Message(message, facts)
        super().__init__(message)


@dataclass(frozen=True)
class Planned:
    """An entry to be: its class and fields, without id, time and author. `owner` names the one it belongs to."""

    kind: type[Entry]
    fields: Mapping[str, Any]


@dataclass(frozen=True)
class Said:
    """One reading of a line: the entries, the same said in the grammar's own words, and parts that it makes new."""

    entries: tuple[Planned, ...]
    canonical: str
    new: tuple[PartRef, ...] = ()
    count: int = 0
    caution: str = ""


@dataclass(frozen=True)
class Parsed:
    """What a line comes to. `choices` where it is unclear; `message` why it is a note, unclear or refused."""

    text: str
    status: Status
    said: Said | None = None
    choices: tuple[Said, ...] = ()
    message: Message | None = None
