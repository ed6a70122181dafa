"""Self-test codes as evidence: seen since the last change, or staying after it, and what reads right all the same."""

import re
from collections.abc import Iterator, Mapping
from datetime import datetime

from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.assess.parts import last_change
from loyal_trace.core.assess.roms import complaint_of_code, judged_slots
from loyal_trace.core.boards.model import BoardDefinition, SelfTestCode
from loyal_trace.core.diagnosis.evidence import Evidence, EvidenceTable
from loyal_trace.core.job.entries import Started
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import joined, say

_SELECT = re.compile(r"CS|CE|OE|SEL|EN|RAS|CAS")


def _seen_codes(moment: Moment) -> Iterator[tuple[str, SelfTestCode]]:
    """Codes seen since any part that they name was last put right; an older one has had its answer.

    One that was seen before a replacement as well as after it persists: that is another finding.
    """
    last_seen = {start.code: start.time for start in _starts_with_code(moment)}
    for board_id, board in moment.boards.items():
        for code in board.self_tests:
            changed = _changed_parts(moment, board_id, code)
            seen = last_seen.get(code.code)
            answered = seen is None or any(seen <= since for since in changed.values())
            if not answered and not _persists(moment, code, changed):
                yield board_id, code


def _starts_with_code(moment: Moment) -> list[Started]:
    proving = moment.snapshot.proving
    return [start for start in (*proving.starts_before, *proving.starts) if start.code]


def _changed_parts(moment: Moment, board_id: str, code: SelfTestCode) -> dict[str, datetime]:
    """The parts that a code names and that were changed, with the time of it."""
    found = {refdes: last_change(moment, PartRef(board_id, refdes)) for refdes in code.parts}
    return {refdes: since for refdes, since in found.items() if since is not None}


def _persists(moment: Moment, code: SelfTestCode, changed: Mapping[str, datetime]) -> bool:
    """Was the code seen before one of its parts was changed, and again after that?"""
    times = [start.time for start in _starts_with_code(moment) if start.code == code.code]
    return any(min(times) <= since < max(times) for since in changed.values()) if times else False


def _persisting_codes(moment: Moment) -> Iterator[tuple[str, SelfTestCode, tuple[str, ...]]]:
    """(board, code, parts replaced) of each code that stayed although a part it names was replaced."""
    for board_id, board in moment.boards.items():
        for code in board.self_tests:
            changed = _changed_parts(moment, board_id, code)
            if changed and _persists(moment, code, changed):
                yield board_id, code, tuple(changed)


def persisting_evidence(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    """A code that stays after its chip was replaced: socket and pins of that place, what selects it, then the map."""
    for board_id, code, renewed in _persisting_codes(moment):
        board = moment.boards[board_id]
        names = joined(", ", renewed)
        text = say(
            "code “{code}” stays after {names} was replaced: socket and pins first, then select lines, then the map",
            code=code.code,
            names=names,
        )
        for refdes in renewed:
            yield table.line(PartRef(board_id, refdes), "code-persists", text)
        beside = {r for part in renewed for r in _selecting(board, part)} | set(code.parts) - set(renewed)
        words = say("it selects {names}, where code “{code}” stays after a replacement", code=code.code, names=names)
        for refdes in sorted(beside):
            yield table.line(PartRef(board_id, refdes), "code-persists-beside", words)


def _selecting(board: BoardDefinition, refdes: str) -> set[str]:
    """Chips on the enable and select lines of a part, as far as the netlist names them."""
    found: set[str] = set()
    for net, pins in board.nets:
        if any(part == refdes for part, _ in pins) and _SELECT.search(net.upper()):
            found |= {part for part, _ in pins if part != refdes and board.has(part) and board.part(part).is_chip}
    return found


def accused_by_code(moment: Moment) -> set[PartRef]:
    return {PartRef(board_id, refdes) for board_id, code in _seen_codes(moment) for refdes in code.parts}


def code_evidence(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    """Self-test codes. A ROM whose content is wrong explains its code; one that reads right has bad contact first.

    A part that several codes name (a decoder) is accused less when only some of those codes were seen: what it shares
    with the silent ones works.
    """
    roms = judged_slots(moment)
    for board_id, code in _seen_codes(moment):
        text = say("self-test reported “{code}”: {meaning}", code=code.code, meaning=code.meaning)
        slots = {r: roms[PartRef(board_id, r)].verdict for r in code.parts if PartRef(board_id, r) in roms}
        if any(v and v.good and complaint_of_code(moment, code, PartRef(board_id, r)) for r, v in slots.items()):
            continue  # the test knows another firmware: it must complain of a content that is right
        # Wrong content explains the code: the others that it names are not accused as well.
        explained = {r for r, verdict in slots.items() if verdict and not verdict.good}
        for refdes in explained or code.parts:
            place, verdict = PartRef(board_id, refdes), slots.get(refdes)
            if verdict and verdict.good:
                yield table.line(
                    place, "fails-in-circuit", say("{text}, but its contents read right: pin or socket", text=text)
                )
            else:
                shared = sum(refdes in other.parts for other in moment.boards[board_id].self_tests) > 1
                yield table.line(place, "self-test-shared" if shared else "self-test", text)
