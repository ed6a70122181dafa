"""The fold: from entries to the state of the job. Pure; the same entries always give the same state."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Any

from loyal_trace.core.logbook.entries import (
    OWN_CHIP,
    OWN_PART,
    AnyEntry,
    Assumed,
    CautionSeen,
    ChainDescribed,
    CheckResult,
    Decided,
    Fitted,
    GaveBack,
    HandedBack,
    ImageKnown,
    Lifted,
    Measured,
    Note,
    NotTestable,
    Observed,
    Opened,
    PhotoAligned,
    Photographed,
    PhotoOf,
    PinsProbed,
    PinState,
    PutBack,
    Removed,
    Retracted,
    RomRead,
    SignatureTaken,
    Started,
    StepDone,
    SumsKnown,
    Swapped,
    SymptomSeen,
    TakenApart,
)

Place = tuple[str, str]  # (board id, refdes or point)
GOOD_BOARD = "good board"


@dataclass
class JobState:
    """What is known of a job after all its live entries. Readings of a part that was changed are kept as `earlier`."""

    opened: Opened | None = None
    decisions: dict[str, Decided] = field(default_factory=dict)
    findings: dict[Place, list[Observed]] = field(default_factory=dict)
    measured: dict[Place, dict[str, list[Measured]]] = field(default_factory=dict)
    good_board: dict[Place, dict[str, Measured]] = field(default_factory=dict)
    signatures: dict[Place, SignatureTaken] = field(default_factory=dict)
    lifts: dict[Place, list[Lifted]] = field(default_factory=dict)
    chains: dict[tuple[str, str], dict[str, str]] = field(default_factory=dict)
    rom_reads: dict[Place, list[RomRead]] = field(default_factory=dict)
    earlier_reads: dict[Place, list[RomRead]] = field(default_factory=dict)
    images: dict[tuple[str, str, str], ImageKnown] = field(default_factory=dict)
    sums: list[SumsKnown] = field(default_factory=list)
    pins: dict[Place, dict[int, PinState]] = field(default_factory=dict)
    earlier_pins: dict[Place, dict[int, PinState]] = field(default_factory=dict)
    swaps: list[Swapped] = field(default_factory=list)
    removed: dict[Place, Removed] = field(default_factory=dict)
    fitted: dict[Place, Fitted] = field(default_factory=dict)
    taken: dict[tuple[str, str], int] = field(default_factory=dict)
    steps: dict[str, StepDone] = field(default_factory=dict)
    starts: list[Started] = field(default_factory=list)
    starts_before: list[Started] = field(default_factory=list)
    symptoms: dict[str, SymptomSeen] = field(default_factory=dict)
    tests: dict[Place, CheckResult] = field(default_factory=dict)
    not_testable: dict[Place, NotTestable] = field(default_factory=dict)
    photos: dict[str, Photographed] = field(default_factory=dict)
    alignments: dict[str, PhotoAligned] = field(default_factory=dict)
    photos_of: dict[Place, list[str]] = field(default_factory=dict)
    taken_apart: dict[str, TakenApart] = field(default_factory=dict)
    put_back: dict[str, int] = field(default_factory=dict)
    assumed: dict[str, Assumed] = field(default_factory=dict)
    loans: dict[Place, Fitted] = field(default_factory=dict)
    cautions: dict[str, CautionSeen] = field(default_factory=dict)
    notes: list[Note] = field(default_factory=list)
    handed_back: HandedBack | None = None
    entries: int = 0

    def decision(self, what: str, default: str = "") -> str:
        """The choice last made about something, or the default."""
        return self.decisions[what].choice if what in self.decisions else default

    @property
    def complaint(self) -> str:
        """What is wrong in the owner's words: as told since, else as the job was opened."""
        return self.decision("complaint", self.opened.complaint if self.opened else "")

    @property
    def owner(self) -> str:
        """Whose it is: as told since, else as the job was opened."""
        return self.decision("owner", self.opened.owner if self.opened else "")

    def latest(self, board: str, place: str, quantity: str) -> Measured | None:
        """The newest measurement of one quantity at one place."""
        taken = self.measured.get((board, place), {}).get(quantity)
        return taken[-1] if taken else None


def _place(entry: Any) -> Place:
    return (entry.board, entry.place)


def _changed(state: JobState, place: Place) -> None:
    """A part left or entered a place: what was read of the old one no longer speaks of the new one."""
    if place in state.rom_reads:
        state.earlier_reads.setdefault(place, []).extend(state.rom_reads.pop(place))
    if place in state.pins:
        state.earlier_pins.setdefault(place, {}).update(state.pins.pop(place))
    if state.starts:
        state.starts_before.extend(state.starts)
        state.starts.clear()


def _opened(state: JobState, entry: Opened) -> None:
    state.opened = entry


def _decided(state: JobState, entry: Decided) -> None:
    state.decisions[entry.what] = entry


def _observed(state: JobState, entry: Observed) -> None:
    state.findings.setdefault(_place(entry), []).append(entry)


def _measured(state: JobState, entry: Measured) -> None:
    if entry.source == GOOD_BOARD:
        state.good_board.setdefault(_place(entry), {})[entry.quantity] = entry
        return
    state.measured.setdefault(_place(entry), {}).setdefault(entry.quantity, []).append(entry)


def _signature(state: JobState, entry: SignatureTaken) -> None:
    state.signatures[_place(entry)] = entry


def _lifted(state: JobState, entry: Lifted) -> None:
    state.lifts.setdefault(_place(entry), []).append(entry)


def _chain_described(state: JobState, entry: ChainDescribed) -> None:
    state.chains.setdefault((entry.board, entry.path), {})[entry.line] = entry.text


def _image_known(state: JobState, entry: ImageKnown) -> None:
    state.images[(entry.board, entry.place, entry.firmware)] = entry


def _sums_known(state: JobState, entry: SumsKnown) -> None:
    state.sums.append(entry)


def _rom_read(state: JobState, entry: RomRead) -> None:
    state.rom_reads.setdefault(_place(entry), []).append(entry)


def _pins_probed(state: JobState, entry: PinsProbed) -> None:
    pins = state.pins.setdefault(_place(entry), {})
    for pin in entry.pins:
        pins[pin.pin] = pin


def _swapped(state: JobState, entry: Swapped) -> None:
    state.swaps.append(entry)


def _removed(state: JobState, entry: Removed) -> None:
    state.removed[_place(entry)] = entry
    if entry.shelf:  # it comes back as it is: what was read of it stays true
        return
    state.fitted.pop(_place(entry), None)
    _changed(state, _place(entry))


def _fitted(state: JobState, entry: Fitted) -> None:
    if entry.origin == OWN_PART:
        state.removed.pop(_place(entry), None)
        return
    state.fitted[_place(entry)] = entry
    if entry.origin == OWN_CHIP:
        return
    if entry.lender:
        state.loans[_place(entry)] = entry
    source = (entry.number, entry.origin)
    state.taken[source] = state.taken.get(source, 0) + 1
    _changed(state, _place(entry))


def _step_done(state: JobState, entry: StepDone) -> None:
    state.steps[entry.step] = entry


def _started(state: JobState, entry: Started) -> None:
    state.starts.append(entry)


def _symptom(state: JobState, entry: SymptomSeen) -> None:
    state.symptoms[entry.text] = entry


def _test_result(state: JobState, entry: CheckResult) -> None:
    state.tests[(entry.board, entry.item)] = entry
    state.not_testable.pop((entry.board, entry.item), None)


def _not_testable(state: JobState, entry: NotTestable) -> None:
    state.not_testable[(entry.board, entry.item)] = entry


def _caution_seen(state: JobState, entry: CautionSeen) -> None:
    state.cautions[entry.caution] = entry


def _photographed(state: JobState, entry: Photographed) -> None:
    state.photos[entry.attachment] = entry


def _photo_aligned(state: JobState, entry: PhotoAligned) -> None:
    state.alignments[entry.attachment] = entry


def _photo_of(state: JobState, entry: PhotoOf) -> None:
    shown = state.photos_of.setdefault(_place(entry), [])
    if entry.attachment not in shown:
        shown.append(entry.attachment)


def _taken_apart(state: JobState, entry: TakenApart) -> None:
    state.taken_apart[entry.id] = entry


def _put_back(state: JobState, entry: PutBack) -> None:
    state.put_back[entry.target] = state.put_back.get(entry.target, 0) + entry.count


def _assumed(state: JobState, entry: Assumed) -> None:
    state.assumed[entry.name] = entry


def _gave_back(state: JobState, entry: GaveBack) -> None:
    if state.loans.pop(_place(entry), None):
        state.fitted.pop(_place(entry), None)
        _changed(state, _place(entry))


def _note(state: JobState, entry: Note) -> None:
    state.notes.append(entry)


def _handed_back(state: JobState, entry: HandedBack) -> None:
    state.handed_back = entry


def _nothing(state: JobState, entry: Retracted) -> None:
    """A retraction has done its work before the fold begins."""


_APPLY: dict[str, Callable[[JobState, Any], None]] = {
    "opened": _opened,
    "observed": _observed,
    "measured": _measured,
    "lifted": _lifted,
    "signature": _signature,
    "chain_described": _chain_described,
    "image_known": _image_known,
    "sums_known": _sums_known,
    "rom_read": _rom_read,
    "pins_probed": _pins_probed,
    "swapped": _swapped,
    "removed": _removed,
    "fitted": _fitted,
    "step_done": _step_done,
    "started": _started,
    "symptom": _symptom,
    "test_result": _test_result,
    "not_testable": _not_testable,
    "decided": _decided,
    "caution_seen": _caution_seen,
    "photographed": _photographed,
    "photo_aligned": _photo_aligned,
    "photo_of": _photo_of,
    "taken_apart": _taken_apart,
    "put_back": _put_back,
    "assumed": _assumed,
    "gave_back": _gave_back,
    "note": _note,
    "retracted": _nothing,
    "handed_back": _handed_back,
}


def retracted_ids(entries: Iterable[AnyEntry]) -> set[str]:
    """Ids that do not count. A retraction can itself be retracted, so the newest are looked at first.

    What belongs to an entry (the part fitted in a step) goes with it.
    """
    listed = list(entries)
    dead: set[str] = set()
    for entry in reversed(listed):
        if entry.kind == "retracted" and entry.id not in dead:
            dead.add(entry.target)
    if dead:
        dead |= {entry.id for entry in listed if entry.part_of in dead}
    return dead


def apply_entry(state: JobState, entry: AnyEntry) -> None:
    """Adds one live entry to a state (in place)."""
    _APPLY[entry.kind](state, entry)
    state.entries += 1


def fold(entries: Iterable[AnyEntry]) -> JobState:
    """The state after all live entries, in their order."""
    listed = list(entries)
    dead = retracted_ids(listed)
    state = JobState()
    for entry in listed:
        if entry.id not in dead:
            _APPLY[entry.kind](state, entry)
            state.entries += 1
    return state
