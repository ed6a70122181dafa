"""A trace of the chip in hand: the signals around the first difference, as captured and as the model gives them."""

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from loyal_trace.app.presenters.model import Action, Meaning, Page, Question, Target
from loyal_trace.app.traces import OpenTrace, compared, open_trace
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.chips.model import ChipType
from loyal_trace.core.job.entries import TraceCompared
from loyal_trace.core.roms.candidates import Watch
from loyal_trace.core.simulation.traces import time_words
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import capital, say
from loyal_trace.core.vocabulary.units import count_of

WAVES = say("signals of the trace")
_A_FILE = Question(say("Trace of a logic analyser (CSV or VCD)"), load=True)


@dataclass(frozen=True)
class WaveLane:
    """One signal: its pin and name, its levels, and those of the model where there are any."""

    pin: int
    name: str
    levels: str
    expected: str


@dataclass(frozen=True)
class WaveView:
    """Signals over the same moments (in words at both ends); `marked` is the sample of the first difference, or −1."""

    lanes: tuple[WaveLane, ...]
    first: str
    last: str
    marked: int
    marked_at: str
    words: str

    @property
    def count(self) -> int:
        """How many moments."""
        return max((len(lane.levels) for lane in self.lanes), default=0)


def wave_view(entry: TraceCompared) -> WaveView | None:
    """What is drawn of a trace; None when nothing was kept of it."""
    if not entry.lanes or not entry.times:
        return None
    first = entry.differences[0] if entry.differences else None
    marked = min(range(len(entry.times)), key=lambda n: abs(entry.times[n] - first.time)) if first else -1
    return WaveView(
        tuple(WaveLane(lane.pin, lane.name, lane.levels, lane.expected) for lane in entry.lanes),
        time_words(entry.times[0]),
        time_words(entry.times[-1]),
        marked,
        time_words(first.time) if first else "",
        first.reason if first else say("no difference"),
    )


def trace_meaning(entry: TraceCompared) -> Meaning:
    """What the trace says of the chip."""
    told = say("{file}, {samples:,} samples", file=entry.file_name, samples=entry.samples)
    if not entry.differences:
        outputs = count_of(sum(bool(lane.expected) for lane in entry.lanes), "output")
        why = say("Every captured output ({outputs}) is what the model gives for the captured inputs.", outputs=outputs)
        return Meaning(why, say("Look at the next suspect (Ctrl+6), or capture its other outputs."), "good", told)
    first = entry.differences[0]
    why = say("{reason}.", reason=capital(first.reason))
    aside = say("{file}. It differs {count} in all.", file=told, count=count_of(first.count, "time"))
    return Meaning(why, say("Check the channels and the ground of the probe, then exchange the chip."), "bad", aside)


class TraceDesk:
    """The trace of the chip in hand: read, compared, and shown while `shown`."""

    def __init__(self, workspace: Workspace) -> None:
        self._workspace = workspace
        self.shown = False
        self._opened: OpenTrace | None = None

    def actions(self, place: PartRef) -> tuple[Action, ...]:
        """The button that shows the trace of a chip, or reads one."""
        if place in self._workspace.snapshot.readings.traces:
            return (Action("T", say("Show the trace"), self.show, say("The signals that were compared")),)
        return (self._reading(place),)

    def _reading(self, place: PartRef) -> Action:
        tip = say("Holds a captured trace (CSV or VCD) against the model of the chip")
        return Action("T", say("Read a trace"), lambda path: self._compare(place, Path(path), ""), tip, asks=_A_FILE)

    def page(self, place: PartRef, chip: ChipType, target: Target, back: Action) -> Page | None:
        """The signals around the first difference; None when they are not in view."""
        entry = self._workspace.snapshot.readings.traces.get(place)
        if not self.shown or entry is None:
            return None
        actions: tuple[Action, ...] = (back, self._reading(place))
        if self._opened is not None and self._opened.place == place:
            typed = " ".join(f"{pin}={channel}" for pin, channel in entry.channels)
            asked = Question(say("Which channel is at which pin?"), typed)
            again = Action("K", say("Change the channels"), self._again, say("Compares again"), asks=asked)
            actions = (*actions, again)
        return Page(
            say("Does {refdes} do what its model gives?", refdes=place.refdes),
            say("{chip}, trace {file}", chip=chip.name, file=entry.file_name),
            trace_meaning(entry),
            target,
            actions,
            figures={WAVES: wave_view(entry)},
        )

    def show(self) -> None:
        """The trace that was compared before."""
        self.shown = True
        self._workspace.show()

    def _again(self, typed: str) -> None:
        """The same file with other channels."""
        if self._opened is not None:
            self._compare(self._opened.place, self._opened.path, typed)

    def _compare(self, place: PartRef, path: Path, typed: str) -> None:
        """Reads a file beside the window, finds its channels by their names unless they are typed, and compares."""
        job = self._workspace.job

        def work(watch: Watch) -> tuple[OpenTrace, dict[str, Any]]:
            opened = open_trace(job, place, path, typed)
            return opened, compared(job, opened)

        self._workspace.tasks.run(say("comparing the trace"), work, self._keep)

    def _keep(self, found: tuple[OpenTrace, dict[str, Any]]) -> None:
        self._opened, self.shown = found[0], True
        self._workspace.record(TraceCompared, **found[1])
