"""Collects the lines of evidence that a case holds: ROM verdicts, chip checks, rails, capacitors, findings, swaps."""

from collections.abc import Iterator
from datetime import datetime

from loyal_trace.core.boards.model import SelfTestCode
from loyal_trace.core.case import Case
from loyal_trace.core.diagnosis.evidence import Evidence, EvidenceTable
from loyal_trace.core.logbook.describe import measured_words
from loyal_trace.core.logbook.state import Place
from loyal_trace.core.power.blocks import dead_blocks

SHORTED_BELOW = 50.0
GOOD_FINDINGS = ("looks good", "clean", "cleaned", "reseated", "straightened", "present")
_NOT_ACCUSING = ("other-slot", "other-revision", "wrong-size")


def gather(case: Case, table: EvidenceTable) -> dict[Place, list[Evidence]]:
    """All evidence by place. A part renewed since is only accused by what was seen after it was fitted."""
    found: dict[Place, list[Evidence]] = {}
    for source in (
        _roms,
        _chips,
        _odd_ones,
        _rails,
        _clocks,
        _shorts,
        _capacitors,
        _findings,
        _swaps,
        _codes,
        _symptoms,
    ):
        for line in source(case, table):
            found.setdefault(line.place, []).append(line)
    return found


def _since(case: Case, place: Place) -> datetime | None:
    """When the part now in a place was fitted, or its fault last put right there."""
    fitted = case.state.fitted.get(place)
    return fitted.time if fitted else None


def _roms(case: Case, table: EvidenceTable) -> Iterator[Evidence]:
    accused = _accused_by_code(case)
    for place, slot in case.roms().items():
        if slot.verdict is None or slot.verdict.verdict in _NOT_ACCUSING:
            continue
        kind = {"matches": "rom-right", "unstable": "rom-unstable"}.get(slot.verdict.verdict, "rom-wrong")
        if kind == "rom-right" and place in accused:
            kind = "rom-right-but-accused"
        yield table.line(place, kind, f"read out of circuit: {slot.verdict.reason}")


def _chips(case: Case, table: EvidenceTable) -> Iterator[Evidence]:
    for place, verdict in case.chips().items():
        outputs = verdict.outputs
        for output in verdict.impossible:
            yield table.line(place, "output-impossible", output.reason)
            yield from _held_lines(case, table, place, output.pin)
        for output in outputs:
            if output.verdict == "unusual":
                yield table.line(place, "output-unusual", output.reason)
        if outputs and all(output.verdict == "possible" for output in outputs):
            yield table.line(place, "outputs-possible", f"all {len(outputs)} outputs were probed; each could be right")


def _held_lines(case: Case, table: EvidenceTable, place: Place, pin: int) -> Iterator[Evidence]:
    """Whatever else is on the line of an impossible output may be holding it."""
    board = case.boards[place[0]]
    net = board.net_of(place[1], pin)
    seen = {place[1]}
    for refdes, other_pin in board.others_on_net(place[1], pin):
        if refdes not in seen and board.part(refdes).is_chip:
            seen.add(refdes)
            text = f"its pin {other_pin} is on net {net} with {place[1]}.{pin}, which is impossible: it may hold it"
            yield table.line((place[0], refdes), "line-held", text)
            yield from _line_resistance(case, table, place, pin, (place[0], refdes), "neighbour")
    yield from _line_resistance(case, table, place, pin, place, "owner")


def _line_resistance(
    case: Case, table: EvidenceTable, place: Place, pin: int, about: Place, role: str
) -> Iterator[Evidence]:
    """What the unpowered resistance of the line to ground says of its owner and its neighbours."""
    taken = case.state.latest(place[0], f"{place[1]}.{pin}", "resistance")
    if taken is None:
        return
    shorted = taken.value is not None and taken.value < SHORTED_BELOW
    words = f"{place[1]}.{pin} to ground, power off: {measured_words(taken)}"
    words += ", the line is shorted" if shorted else ", nothing pulls the line down"
    yield table.line(about, f"line-{'shorted' if shorted else 'free'}-{role}", words)


def _odd_ones(case: Case, table: EvidenceTable) -> Iterator[Evidence]:
    """One of several alike parts is wrong while the others, checked the same way, are right."""
    chips, roms = case.chips(), case.roms()
    for board_id, board in case.boards.items():
        for group in board.siblings:
            wrong, right = [], []
            for refdes in group:
                place = (board_id, refdes)
                chip, rom = chips.get(place), roms.get(place)
                if chip and chip.word == "impossible":
                    wrong.append(refdes)
                elif chip and chip.word == "possible" and rom is None:
                    right.append(refdes)
            if len(wrong) == 1 and right:
                text = f"odd one out: {' and '.join(right)}, probed the same way, can do what they do"
                yield table.line((board_id, wrong[0]), "odd-one-out", text)


def _rails(case: Case, table: EvidenceTable) -> Iterator[Evidence]:
    for board_id, report in case.rails().items():
        bad_parts = {p.point.part for p in report.points if p.verdict == "bad"}
        for point in report.points:
            place = (board_id, point.point.part)
            since = _since(case, place)
            if not point.point.part or point.reading is None or (since and point.reading.time <= since):
                continue
            if point in report.accusing:
                good = report.path_of(point).last_good
                after = f"; {good.point.point} before it is good" if good else ""
                yield table.line(place, "rail-bad", f"{point.why} ({point.shown}){after}")
            elif point.verdict == "good" and case.part(place).kind != "chip" and place[1] not in bad_parts:
                yield table.line(place, "rail-good", f"{point.point.quantity} {point.shown}: {point.why}")


def _clocks(case: Case, table: EvidenceTable) -> Iterator[Evidence]:
    """A divider whose output is wrong while what feeds it is right; those that run as predicted are cleared."""
    for board_id, board in case.boards.items():
        if not board.clocks or not case.frequencies(board_id):
            continue
        nodes = case.clock_tree(board_id)
        wrong = {node.pin.partition(".")[0] for node in nodes if node.verdict == "bad"}
        for node in nodes:
            place = (board_id, node.pin.partition(".")[0])
            if node.verdict == "bad":
                yield table.line(place, "clock-wrong", node.why)
            elif node.verdict == "good" and node.depth and place[1] not in wrong:
                yield table.line(place, "clock-right", f"{node.pin} runs at the frequency predicted from the crystal")


def _shorts(case: Case, table: EvidenceTable) -> Iterator[Evidence]:
    """The part with which a short came and went."""
    for board_id, net in case.state.lifts:
        found = case.hunt(board_id, net) if board_id in case.boards else None
        if found is not None and found.culprit:
            since = _since(case, (board_id, found.culprit))
            if since is None or case.state.lifts[(board_id, net)][-1].time > since:
                yield table.line((board_id, found.culprit), "short-gone", found.why)


def _capacitors(case: Case, table: EvidenceTable) -> Iterator[Evidence]:
    for place, verdict in case.capacitors().items():
        if verdict.verdict == "bad":
            yield table.line(place, "capacitor-bad", verdict.reason)
        elif verdict.verdict == "good":
            yield table.line(place, "capacitor-good", verdict.reason)


def _findings(case: Case, table: EvidenceTable) -> Iterator[Evidence]:
    for place, findings in case.state.findings.items():
        if place[0] not in case.boards or not case.boards[place[0]].has(place[1]):
            continue
        latest, since = findings[-1], _since(case, place)
        if since and latest.time <= since:
            continue
        kind = "finding-good" if latest.finding in GOOD_FINDINGS else "finding-bad"
        yield table.line(place, kind, f"seen: {latest.finding}" + (f" ({latest.note})" if latest.note else ""))


def _swaps(case: Case, table: EvidenceTable) -> Iterator[Evidence]:
    for swap in case.state.swaps:
        place = (swap.board, swap.place)
        since = _since(case, place)
        if since and swap.time <= since:
            continue
        if swap.result == "fault stays":
            yield table.line(place, "swap-no-change", f"exchanged with {swap.spare}: the fault stayed")
        else:
            yield table.line(place, "swap-cured", f"exchanged with {swap.spare}: the {swap.result}")


def _seen_codes(case: Case) -> Iterator[tuple[str, SelfTestCode]]:
    """Codes seen since any part that they name was last put right; an older one has had its answer."""
    last_seen = {start.code: start.time for start in (*case.state.starts_before, *case.state.starts) if start.code}
    for board_id, board in case.boards.items():
        for code in board.self_tests:
            changed = [since for refdes in code.parts if (since := _since(case, (board_id, refdes)))]
            if code.code in last_seen and all(last_seen[code.code] > since for since in changed):
                yield board_id, code


def _accused_by_code(case: Case) -> set[Place]:
    return {(board_id, refdes) for board_id, code in _seen_codes(case) for refdes in code.parts}


def _codes(case: Case, table: EvidenceTable) -> Iterator[Evidence]:
    """Self-test codes. A ROM whose content is wrong explains its code; one that reads right has bad contact first.

    A part that several codes name (a decoder) is accused less when only some of those codes were seen: what it shares
    with the silent ones works.
    """
    roms = case.roms()
    for board_id, code in _seen_codes(case):
        text = f"self-test said “{code.code}”: {code.meaning}"
        slots = {r: roms[(board_id, r)].verdict for r in code.parts if (board_id, r) in roms}
        if any(v and v.good and case.expected_complaint(code, (board_id, r)) for r, v in slots.items()):
            continue  # the test knows another firmware: it must complain of a content that is right
        explained = {r for r, verdict in slots.items() if verdict and not verdict.good}
        for refdes in explained or code.parts:
            place, verdict = (board_id, refdes), slots.get(refdes)
            if verdict and verdict.good:
                yield table.line(place, "fails-in-circuit", f"{text}, yet its content reads right: leg or socket")
            else:
                shared = sum(refdes in other.parts for other in case.boards[board_id].self_tests) > 1
                yield table.line(place, "self-test-shared" if shared else "self-test", text)


def _symptoms(case: Case, table: EvidenceTable) -> Iterator[Evidence]:
    """A symptom accuses the parts of its block, unless a rail that the block needs is bad: that explains it first."""
    for symptom in case.state.symptoms.values():
        if not symptom.present or symptom.board not in case.boards:
            continue
        board = case.boards[symptom.board]
        dead = {item.block.name for item in dead_blocks(board, case.rails()[symptom.board])}
        for block in board.blocks:
            if symptom.text in block.symptoms and block.name not in dead:
                for refdes in block.parts:
                    place = (symptom.board, refdes)
                    if not case.renewed(place):
                        yield table.line(place, "symptom", f"belongs to “{block.name}”; symptom: {symptom.text}")
