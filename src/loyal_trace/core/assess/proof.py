"""What has to be proved before a job goes home: the boards' own checklist, and every symptom seen."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime

from loyal_trace.core.assess.bench import bench_of, shortfalls_of
from loyal_trace.core.assess.moment import Moment, once
from loyal_trace.core.assess.parts import last_change
from loyal_trace.core.assess.paths import paths_of, states_now, tried_since_change
from loyal_trace.core.assess.roms import judged_slots
from loyal_trace.core.job.entries import KEEPS_PART, Fitted, SymptomSeen
from loyal_trace.core.job.settings import FAILURE_TARGET, failure_target
from loyal_trace.core.job.snapshot import CheckKey, Proving
from loyal_trace.core.parts.other_type import given_up
from loyal_trace.core.proving.bench import BenchProfile
from loyal_trace.core.proving.starts import StartTally
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import count_of

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
            found.append((say("starts"), say("no start was counted since the last change")))
        return tuple(found)


@once
def proof_of(moment: Moment) -> Proof:
    """The checklist of all boards with the results so far, checks that were only said, the symptoms to be seen gone."""
    proving, bench = moment.snapshot.proving, bench_of(moment)
    functions = {CheckKey(item.board, item.name): item for b in moment.boards for item in _functions(moment, b)}
    items: list[ProofItem] = []
    for board_id, board in moment.boards.items():
        for check in board.checklist:
            known = functions.pop(CheckKey(board_id, check.name), None)
            items.append(known or _item(board_id, check.name, check.how, check.needs, proving, bench))
    listed = {CheckKey(item.board, item.name) for item in items}
    symptoms = [_symptom(symptom, proving) for symptom in proving.symptoms.values()]
    listed |= {CheckKey(item.board, item.name) for item in symptoms}
    listed |= {CheckKey(item.board, item.name) for item in functions.values()}
    renewed = list(_replaced_parts(moment))
    listed |= {CheckKey(item.board, item.name) for item in renewed}
    said = [key for key in dict.fromkeys((*proving.tests, *proving.not_testable)) if key not in listed]
    items += [_item(key.board, key.item, "", (), proving, bench) for key in said]
    items += [ProofItem(s.board, s.item, "", say("not testable"), s.reason) for s in shortfalls_of(moment)]
    return Proof((*items, *functions.values(), *renewed, *symptoms), tally_of(moment))


def _functions(moment: Moment, board_id: str) -> Iterator[ProofItem]:
    """Every function that was said: it works when it was tried after the last replacement on its path."""
    paths = paths_of(moment, board_id)
    for name, state in states_now(moment, board_id).items():
        tested = moment.snapshot.proving.tests.get(CheckKey(board_id, name))
        fresh = tried_since_change(moment, board_id, name, paths.get(name, ()))
        status = "failed" if state != "works" else "passed" if fresh else "open"
        stale = "" if fresh else say("not tried since a part on its path was replaced")
        note = say("partly") if state == "partly" else stale
        if tested is not None:
            status, note = ("passed" if tested.passed else "failed"), tested.note
        yield ProofItem(board_id, name, "" if status == "passed" else say("try it"), status, note)


def _replaced_parts(moment: Moment) -> Iterator[ProofItem]:
    """Every part that was replaced: what shows since then that it works, and what another type gives up."""
    for place in dict.fromkeys(
        entry.part
        for entry in moment.snapshot.parts.changes
        if isinstance(entry, Fitted) and entry.origin not in KEEPS_PART
    ):
        since = last_change(moment, place)
        if since is None or not moment.has(place):
            continue
        name, differs = replaced_item(place.refdes), other_type_words(moment, place)
        tested = moment.snapshot.proving.tests.get(CheckKey(place.board, name))
        if tested is not None:
            yield ProofItem(place.board, name, differs, "passed" if tested.passed else "failed", tested.note)
            continue
        seen = _seen_since(moment, place, since)
        how = say("try what needs it, or measure it; then type check: {name} ok", name=name)
        told = joined(". ", [words for words in (differs, "" if seen else how) if words])
        yield ProofItem(place.board, name, told, "passed" if seen else "open", seen)


def other_type_words(moment: Moment, place: PartRef) -> str:
    """`74HC374 in place of 74LS374: ...` when another type was fitted and gives something up; else empty."""
    fitted, part = moment.snapshot.parts.fitted.get(place), moment.part(place)
    found = given_up(part, fitted.number, moment.library) if fitted else ()
    if fitted is None or not found:
        return ""
    return say("{new} in place of {old}: {found}", new=fitted.number, old=part.number, found=joined("; ", found))


def replaced_item(refdes: str) -> str:
    """The name of the item that a replacement adds to the checklist."""
    return say("{refdes} replaced", refdes=refdes)


def _seen_since(moment: Moment, place: PartRef, since: datetime) -> str:
    """What shows that a replaced part does its work: in words, empty when nothing does."""
    paths = paths_of(moment, place.board)
    for name, state in states_now(moment, place.board).items():
        path = paths.get(name, ())
        if state == "works" and place in path and tried_since_change(moment, place.board, name, path):
            return say("{function} works", function=name)
    slot = judged_slots(moment).get(place)
    if slot is not None and slot.verdict is not None and slot.verdict.good:
        return say("its contents read right")
    for key, taken in moment.snapshot.readings.measured.items():
        if key.part == place and taken[-1].time > since:
            return say("measured since")
    symptoms = moment.snapshot.proving.symptoms.values()
    gone = [s.text for s in symptoms if not s.present and s.board == place.board and s.time > since]
    if gone:
        return say("since then gone: {symptom}", symptom=gone[-1])
    starts = [start.clean for start in moment.snapshot.proving.starts if start.time > since]
    named = any(place.refdes in code.parts for code in moment.boards[place.board].self_tests)
    if named and starts and all(starts):
        return say("{starts} since", starts=count_of(len(starts), "clean start"))
    passed = [key.item for key, test in moment.snapshot.proving.tests.items() if test.passed and test.time > since]
    return say("passed since: {item}", item=passed[-1]) if passed else ""


def tally_of(moment: Moment) -> StartTally:
    """The starts since the last change, and those before it."""
    proving = moment.snapshot.proving
    clean = sum(1 for s in proving.starts if s.clean)
    before = sum(1 for s in proving.starts_before if s.clean)
    target = failure_target(moment.snapshot.decision(FAILURE_TARGET))
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
