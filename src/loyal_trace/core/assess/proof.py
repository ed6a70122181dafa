"""What has to be proved before a job goes home: the boards' own checklist, and every symptom seen."""

from dataclasses import dataclass

from loyal_trace.core.assess.bench import bench_of, shortfalls_of
from loyal_trace.core.assess.moment import Moment, once
from loyal_trace.core.job.entries import SymptomSeen
from loyal_trace.core.job.snapshot import CheckKey, Proving
from loyal_trace.core.proving.bench import BenchProfile
from loyal_trace.core.proving.starts import StartTally
from loyal_trace.core.vocabulary.phrases import joined, say

SYMPTOM_GONE = say("symptom gone: ")


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
        found += [(i.name, say("not done yet")) for i in self.items if i.status == "open"]
        if self.starts.clean + self.starts.failed == 0:
            found.append(("starts", say("no start was counted since the last change")))
        return tuple(found)


@once
def proof_of(moment: Moment) -> Proof:
    """The checklist of all boards with the results so far, checks that were only said, the symptoms to be seen gone."""
    proving, bench = moment.snapshot.proving, bench_of(moment)
    items = [
        _item(board_id, check.name, check.how, check.needs, proving, bench)
        for board_id, board in moment.boards.items()
        for check in board.checklist
    ]
    listed = {CheckKey(item.board, item.name) for item in items}
    symptoms = [_symptom(symptom, proving) for symptom in proving.symptoms.values()]
    listed |= {CheckKey(item.board, item.name) for item in symptoms}
    said = [key for key in dict.fromkeys((*proving.tests, *proving.not_testable)) if key not in listed]
    items += [_item(key.board, key.item, "", (), proving, bench) for key in said]
    items += [ProofItem(s.board, s.item, "", say("not testable"), s.reason) for s in shortfalls_of(moment)]
    return Proof((*items, *symptoms), tally_of(moment))


def tally_of(moment: Moment) -> StartTally:
    """The starts since the last change, and those before it."""
    proving = moment.snapshot.proving
    clean = sum(1 for s in proving.starts if s.clean)
    before = sum(1 for s in proving.starts_before if s.clean)
    target = float(moment.snapshot.decision("failure rate target", "0.05"))
    failed_before = len(proving.starts_before) - before
    return StartTally(clean, len(proving.starts) - clean, before, failed_before, target)


def symptom_item(text: str) -> str:
    """The name of the item that a symptom adds to the checklist."""
    return say("{symptom_gone}{text}", symptom_gone=SYMPTOM_GONE, text=text)


def _symptom(symptom: SymptomSeen, proving: Proving) -> ProofItem:
    name = symptom_item(symptom.text)
    tested = proving.tests.get(CheckKey(symptom.board, name))
    gone = not symptom.present or bool(tested and tested.passed)
    status = "passed" if gone else "failed" if tested or symptom.partly else "open"
    note = tested.note if tested else symptom.note or (say("partly gone") if symptom.partly else "")
    return ProofItem(symptom.board, name, say("try to reproduce it"), status, note)


def _item(board: str, name: str, how: str, needs: tuple[str, ...], proving: Proving, bench: BenchProfile) -> ProofItem:
    key = CheckKey(board, name)
    tested, untestable = proving.tests.get(key), proving.not_testable.get(key)
    if tested:
        return ProofItem(board, name, how, "passed" if tested.passed else "failed", tested.note, needs)
    if untestable:
        return ProofItem(board, name, how, say("not testable"), untestable.reason, needs)
    missing = sorted(set(needs) & bench.lacks)
    if missing:
        return ProofItem(
            board,
            name,
            how,
            say("not testable"),
            say("this bench has no {missing}", missing=joined(say(" or "), missing)),
            needs,
        )
    return ProofItem(board, name, how, "open", "", needs)
