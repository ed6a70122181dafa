"""The frozen moment: everything known of a job after its live entries, in groups. The fold makes it; nobody changes it.

What was read of a part that has been changed since is kept as `earlier`.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import TYPE_CHECKING, NamedTuple

from loyal_trace.core.job.draft import Group, listing, nested, series, single, table
from loyal_trace.core.job.settings import allowed
from loyal_trace.core.vocabulary.identity import PartRef, PointRef

if TYPE_CHECKING:
    from loyal_trace.core.job import entries as e


class ReadingKey(NamedTuple):
    """What was measured where."""

    board: str
    point: str
    quantity: str

    @property
    def part(self) -> PartRef:
        """The part that the point belongs to."""
        return PointRef(self.board, self.point).part


class SymptomKey(NamedTuple):
    """A symptom belongs to a board."""

    board: str
    text: str


class ImageKey(NamedTuple):
    """A reference image belongs to a socket and a firmware revision."""

    board: str
    refdes: str
    firmware: str


class CheckKey(NamedTuple):
    """An item of the checklist belongs to a board."""

    board: str
    item: str


class SupplyKey(NamedTuple):
    """A supply described by hand: its board and its name."""

    board: str
    path: str


@dataclass(frozen=True)
class Paper(Group):
    """What stands on the job's cover: opening, decisions, cautions read, notes, hand-over."""

    opened: e.Opened | None = single()
    decisions: Mapping[str, e.Decided] = table()
    cautions: Mapping[str, e.CautionSeen] = table()
    notes: Sequence[e.Note] = listing()
    handed_back: e.HandedBack | None = single()


@dataclass(frozen=True)
class Seen(Group):
    """What was seen, photographed and taken apart.

    `damaged`: of the findings, damage to pads and tracks of a part that was not found good since.
    """

    findings: Mapping[PartRef, Sequence[e.Observed]] = series()
    damaged: Mapping[PartRef, Sequence[e.Observed]] = series()
    photos: Mapping[str, e.Photographed] = table()
    alignments: Mapping[str, e.PhotoAligned] = table()
    photos_of: Mapping[PartRef, Sequence[str]] = series()
    taken_apart: Mapping[str, e.TakenApart] = table()
    put_back: Mapping[str, int] = table()


@dataclass(frozen=True)
class Readings(Group):
    """What was measured and probed."""

    measured: Mapping[ReadingKey, Sequence[e.Measured]] = series()
    good_board: Mapping[ReadingKey, e.Measured] = table()
    old_parts: Mapping[ReadingKey, e.Measured] = table()
    lifts: Mapping[PointRef, Sequence[e.Lifted]] = series()
    pins: Mapping[PartRef, Mapping[int, e.PinState]] = nested()
    good_pins: Mapping[PartRef, Mapping[int, e.PinState]] = nested()
    repeats: Mapping[PartRef, Mapping[int, int]] = nested()
    free_run_pins: Mapping[PartRef, Mapping[int, e.PinState]] = nested()
    pin_signatures: Mapping[PartRef, Mapping[int, e.PinSigned]] = nested()
    good_signatures: Mapping[PartRef, Mapping[int, e.PinSigned]] = nested()
    earlier_pins: Mapping[PartRef, Mapping[int, e.PinState]] = table()
    traces: Mapping[PartRef, e.TraceCompared] = table()
    pairs: Sequence[e.PairSeen] = listing()
    controls: Mapping[CheckKey, e.ControlMeasured] = table()


@dataclass(frozen=True)
class RomRecords(Group):
    """What was read of ROMs and is known of their contents."""

    reads: Mapping[PartRef, Sequence[e.RomRead]] = series()
    earlier_reads: Mapping[PartRef, Sequence[e.RomRead]] = series()
    images: Mapping[ImageKey, e.ImageKnown] = table()
    lists: Sequence[e.ChecksumsKnown] = listing()
    signatures: Mapping[PartRef, e.SignatureTaken] = table()


@dataclass(frozen=True)
class Parts(Group):
    """What came out, went in, was exchanged, tried or worked on, and where it is."""

    removed: Mapping[PartRef, e.Removed] = table()
    fitted: Mapping[PartRef, e.Fitted] = table()
    changes: Sequence[e.Fitted | e.Worked] = listing()
    loans: Mapping[PartRef, e.Fitted] = table()
    taken: Mapping[tuple[str, str], int] = table()
    swaps: Sequence[e.Swapped] = listing()
    trials: Sequence[e.Trial] = listing()
    work: Sequence[e.Worked] = listing()
    steps: Mapping[str, e.StepDone] = table()
    planned: Mapping[PartRef, e.PlannedUse] = table()
    extras: Mapping[tuple[PartRef, str, str], e.ExtraTicked] = table()
    actions: Mapping[tuple[str, str], e.ActionTaken] = table()
    timers: Mapping[str, e.TimerStarted] = table()
    stocked: Sequence[e.Stocked] = listing()
    offered: Sequence[e.Offered] = listing()


@dataclass(frozen=True)
class Proving(Group):
    """What fails, what works, what was tested, and the starts."""

    symptoms: Mapping[SymptomKey, e.SymptomSeen] = table()
    functions: Mapping[CheckKey, Sequence[e.FunctionSeen]] = series()
    stages: Mapping[CheckKey, Sequence[e.StageSeen]] = series()
    starts: Sequence[e.Started] = listing()
    starts_before: Sequence[e.Started] = listing()
    tests: Mapping[CheckKey, e.CheckResult] = table()
    not_testable: Mapping[CheckKey, e.NotTestable] = table()


@dataclass(frozen=True)
class Facts(Group):
    """What was said of the boards themselves; folded into their definitions."""

    parts: Mapping[PartRef, Sequence[e.PartTold]] = series()
    pins: Mapping[PartRef, Sequence[e.PinTold]] = series()
    outlines: Mapping[str, Sequence[e.OutlineTold]] = series()
    nets: Sequence[e.NetsTold] = listing()
    connections: Sequence[e.Connected] = listing()
    lines: Sequence[e.LineTold] = listing()
    rails: Sequence[e.RailTold] = listing()
    supplies: Mapping[SupplyKey, Mapping[str, str]] = table()
    sockets: Mapping[PartRef, e.RomTold] = table()
    clocks: Mapping[PartRef, e.ClockTold] = table()
    lamps: Mapping[PartRef, e.LampTold] = table()
    twins: Sequence[e.TwinsTold] = listing()
    codes: Mapping[CheckKey, e.CodeTold] = table()
    paths: Mapping[CheckKey, e.PathTold] = table()
    service: Sequence[e.ServiceTold] = listing()
    checks: Sequence[e.CheckTold] = listing()
    settings: Mapping[PartRef, e.SettingTold] = table()
    assumed: Mapping[str, e.Assumed] = table()


@dataclass(frozen=True)
class JobSnapshot:
    """One frozen moment of a job.

    `count` is the number of entries that count, `at_bench` the time between them without pauses, `newest` when the
    latest was made.
    """

    paper: Paper = field(default_factory=Paper)
    seen: Seen = field(default_factory=Seen)
    readings: Readings = field(default_factory=Readings)
    roms: RomRecords = field(default_factory=RomRecords)
    parts: Parts = field(default_factory=Parts)
    proving: Proving = field(default_factory=Proving)
    facts: Facts = field(default_factory=Facts)
    count: int = 0
    at_bench: timedelta = timedelta()
    newest: datetime | None = None

    def decision(self, what: str, default: str = "") -> str:
        """The choice last made about something; the default where none was made, or none that the setting has."""
        found = self.paper.decisions.get(what)
        return found.choice if found is not None and allowed(what, found.choice) else default

    @property
    def opened(self) -> e.Opened | None:
        """How the job was opened."""
        return self.paper.opened

    @property
    def complaint(self) -> str:
        """What is wrong in the owner's words: as said since, else as the job was opened."""
        return self.decision("complaint", self.opened.complaint if self.opened else "")

    @property
    def owner(self) -> str:
        """Whose it is: as said since, else as the job was opened."""
        return self.decision("owner", self.opened.owner if self.opened else "")

    def latest(self, board: str, point: str, quantity: str) -> e.Measured | None:
        """The newest measurement of one quantity at one point."""
        taken = self.readings.measured.get(ReadingKey(board, point, quantity))
        return taken[-1] if taken else None


EMPTY_SNAPSHOT = JobSnapshot()
