"""What has to be proved before a job goes home: the boards' own checklist, and every symptom seen."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.logbook.state import JobState
from loyal_trace.core.proving.bench import BenchProfile, Shortfall, profile_of
from loyal_trace.core.proving.starts import StartTally


@dataclass(frozen=True)
class ProofItem:
    """One thing to prove. `status`: passed, failed, not testable, open."""

    board: str
    name: str
    how: str
    status: str
    note: str = ""
    needs: tuple[str, ...] = ()


@dataclass(frozen=True)
class Proof:
    """The whole checklist, the start tally, and what was not tested with its reason."""

    items: tuple[ProofItem, ...]
    starts: StartTally

    @property
    def done(self) -> int:
        return sum(1 for item in self.items if item.status in ("passed", "not testable"))

    @property
    def not_tested(self) -> tuple[tuple[str, str], ...]:
        """(item, reason) for everything without a result."""
        found = [(i.name, i.note) for i in self.items if i.status == "not testable"]
        found += [(i.name, "not done yet") for i in self.items if i.status == "open"]
        if self.starts.clean + self.starts.failed == 0:
            found.append(("starts", "no start was counted since the last change"))
        return tuple(found)


def build_proof(
    boards: Mapping[str, BoardDefinition],
    state: JobState,
    profile: BenchProfile | None = None,
    short: Sequence[Shortfall] = (),
) -> Proof:
    """The checklist of all boards with the results so far, then the symptoms to be seen gone.

    `profile` is the bench; `short` what it cannot do for this job: those are not tested from the start.
    """
    bench = profile or profile_of(state)
    items = [
        _item(board_id, check.name, check.how, check.needs, state, bench)
        for board_id, board in boards.items()
        for check in board.checklist
    ]
    items += [ProofItem(s.board, s.item, "", "not testable", s.reason) for s in short]
    for symptom in state.symptoms.values():
        gone = not symptom.present
        name = f"symptom gone: {symptom.text}"
        tested = state.tests.get((symptom.board, name))
        status = "passed" if gone or (tested and tested.passed) else "failed" if tested else "open"
        items.append(ProofItem(symptom.board, name, "try to see it again", status, tested.note if tested else ""))
    clean = sum(1 for s in state.starts if s.clean)
    before = sum(1 for s in state.starts_before if s.clean)
    target = float(state.decision("failure rate target", "0.05"))
    tally = StartTally(clean, len(state.starts) - clean, before, len(state.starts_before) - before, target)
    return Proof(tuple(items), tally)


def _item(board: str, name: str, how: str, needs: tuple[str, ...], state: JobState, bench: BenchProfile) -> ProofItem:
    tested = state.tests.get((board, name))
    if tested:
        return ProofItem(board, name, how, "passed" if tested.passed else "failed", tested.note, needs)
    untestable = state.not_testable.get((board, name))
    if untestable:
        return ProofItem(board, name, how, "not testable", untestable.reason, needs)
    missing = sorted(set(needs) & bench.lacks)
    if missing:
        return ProofItem(board, name, how, "not testable", f"this bench has no {' or '.join(missing)}", needs)
    return ProofItem(board, name, how, "open", "", needs)
