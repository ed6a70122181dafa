"""Collects the lines of evidence that a case holds: ROM verdicts, chip checks, rails, capacitors, findings, swaps."""

from collections.abc import Iterator, Mapping

from loyal_trace.core.assess.chips import judged_chips
from loyal_trace.core.assess.moment import Moment, once, tables_of
from loyal_trace.core.assess.parts import judged_capacitors, last_change, replaced
from loyal_trace.core.assess.paths import path_evidence, weighed_paths
from loyal_trace.core.assess.rails import clock_tree, frequencies, judged_rails, short_on
from loyal_trace.core.assess.roms import complaint_of_code, judged_slots
from loyal_trace.core.boards.model import SelfTestCode
from loyal_trace.core.diagnosis.evidence import Evidence, EvidenceTable
from loyal_trace.core.diagnosis.paths import PathOdds
from loyal_trace.core.job.entries import reading_words
from loyal_trace.core.power.blocks import dead_blocks
from loyal_trace.core.vocabulary.findings import Finding
from loyal_trace.core.vocabulary.identity import PartRef, PointRef
from loyal_trace.core.vocabulary.phrases import joined, say, term
from loyal_trace.core.vocabulary.verdicts import OutputWord

SHORTED_BELOW = 50.0
# These say that the wrong image was put there or the list is of another board: nothing about the chip itself.
_NOT_ACCUSING = ("other-slot", "other-revision", "wrong-size")


def gather(moment: Moment) -> dict[PartRef, list[Evidence]]:
    """All evidence by place. A part renewed since is only accused by what was seen after it was fitted."""
    alone = each_alone(moment)
    found = {place: list(lines) for place, lines in alone.items()}
    for line in path_evidence(moment, alone, path_odds_of(moment)):
        found.setdefault(line.place, []).append(line)
    return found


@once
def path_odds_of(moment: Moment) -> Mapping[str, PathOdds]:
    """What the paths of functions say together, given everything that was found about each part by itself."""
    return weighed_paths(moment, each_alone(moment))


@once
def each_alone(moment: Moment) -> dict[PartRef, list[Evidence]]:
    """The evidence about each part by itself."""
    table = tables_of(moment).evidence
    found: dict[PartRef, list[Evidence]] = {}
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
        for line in source(moment, table):
            found.setdefault(line.place, []).append(line)
    return found


def _roms(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    culprit = _accused_by_code(moment)
    for place, slot in judged_slots(moment).items():
        if slot.verdict is None or slot.verdict.verdict in _NOT_ACCUSING:
            continue
        kind = {"matches": "rom-right", "unstable": "rom-unstable"}.get(slot.verdict.verdict, "rom-wrong")
        # The self-test complains although the content is right: contact is likelier than cells, so it clears less.
        if kind == "rom-right" and place in culprit:
            kind = "rom-right-but-accused"
        yield table.line(place, kind, say("read out of circuit: {reason}", reason=slot.verdict.reason))


def _chips(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    for place, verdict in judged_chips(moment).items():
        outputs = verdict.outputs
        for output in verdict.impossible:
            yield table.line(place, "output-impossible", output.reason)
            yield from _held_lines(moment, table, place, output.pin)
        for output in outputs:
            if output.verdict == OutputWord.UNUSUAL:
                yield table.line(place, "output-unusual", output.reason)
        # Part of the outputs says nothing for the rest: a chip is only cleared by all of them.
        if outputs and all(output.verdict == OutputWord.POSSIBLE for output in outputs):
            yield table.line(
                place, "outputs-possible", say("all {count} outputs were probed; each is possible", count=len(outputs))
            )


def _held_lines(moment: Moment, table: EvidenceTable, place: PartRef, pin: int) -> Iterator[Evidence]:
    """Whatever else is on the line of an impossible output may be holding it."""
    board = moment.boards[place[0]]
    net = board.net_of(place[1], pin)
    # One line for each neighbour, however many of its pins are on the net.
    seen = {place[1]}
    for refdes, other_pin in board.others_on_net(place[1], pin):
        if refdes not in seen and board.part(refdes).is_chip:
            seen.add(refdes)
            text = say(
                "its pin {other_pin} is on net {net} with {place}.{pin}, which is impossible: this pin may "
                "hold the line",
                other_pin=other_pin,
                net=net,
                place=place[1],
                pin=pin,
            )
            other = PartRef(place.board, refdes)
            yield table.line(other, "line-held", text)
            yield from _line_resistance(moment, table, place, pin, other, "neighbour")
    yield from _line_resistance(moment, table, place, pin, place, "owner")


def _line_resistance(
    moment: Moment, table: EvidenceTable, place: PartRef, pin: int, about: PartRef, role: str
) -> Iterator[Evidence]:
    """What the unpowered resistance of the line to ground says of its owner and its neighbours."""
    taken = moment.snapshot.latest(place[0], f"{place[1]}.{pin}", "resistance")
    if taken is None:
        return
    # OL has no value: no short on the line.
    shorted = taken.value is not None and taken.value < SHORTED_BELOW
    words = say(
        "{place}.{pin} to ground, power off: {reading}, the line is shorted"
        if shorted
        else "{place}.{pin} to ground, power off: {reading}, no short on the line",
        place=place[1],
        pin=pin,
        reading=reading_words(taken),
    )
    yield table.line(about, f"line-{('shorted' if shorted else 'free')}-{role}", words)


def _odd_ones(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    """One of several alike parts is wrong while the others, checked the same way, are right."""
    chips, roms = judged_chips(moment), judged_slots(moment)
    for board_id, board in moment.boards.items():
        for group in board.siblings:
            wrong, right = [], []
            for refdes in group:
                place = PartRef(board_id, refdes)
                chip, rom = chips.get(place), roms.get(place)
                if chip and chip.word == OutputWord.IMPOSSIBLE:
                    wrong.append(refdes)
                # A ROM that drives plausible levels can still hold wrong data: it is no proof for its siblings.
                elif chip and chip.word == OutputWord.POSSIBLE and rom is None:
                    right.append(refdes)
            if len(wrong) == 1 and right:
                text = say(
                    "odd one out: {right}, probed the same way, show only possible outputs",
                    right=joined(say(" and "), right),
                )
                yield table.line(PartRef(board_id, wrong[0]), "odd-one-out", text)


def _rails(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    for board_id, report in judged_rails(moment).items():
        # A good reading at one leg must not clear a part that fails at another.
        bad_parts = {p.point.part for p in report.points if p.verdict == "bad"}
        for point in report.points:
            place = PartRef(board_id, point.point.part)
            since = last_change(moment, place)
            if not point.point.part or point.reading is None or (since and point.reading.time <= since):
                continue
            if point in report.against_own_part:
                good = report.path_of(point).last_good
                after = say("; {point} before it is good", point=good.point.point) if good else ""
                yield table.line(
                    place, "rail-bad", say("{why} ({shown}){after}", why=point.why, shown=point.shown, after=after)
                )
            # A good supply at a chip clears the supply, not the chip.
            elif point.verdict == "good" and moment.part(place).kind != "chip" and place[1] not in bad_parts:
                yield table.line(
                    place,
                    "rail-good",
                    say(
                        "{quantity} {shown}: {why}",
                        quantity=term(point.point.quantity),
                        shown=point.shown,
                        why=point.why,
                    ),
                )


def _clocks(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    """A divider whose output is wrong while what feeds it is right; those that run as predicted are cleared."""
    for board_id, board in moment.boards.items():
        if not board.clocks or not frequencies(moment, board_id):
            continue
        nodes = clock_tree(moment, board_id)
        # A divider with one wrong output is not cleared by its right ones.
        wrong = {node.pin.partition(".")[0] for node in nodes if node.verdict == "bad"}
        for node in nodes:
            place = PartRef(board_id, node.pin.partition(".")[0])
            if node.verdict == "bad":
                yield table.line(place, "clock-wrong", node.why)
            # Depth 0 is the crystal's own net: a right frequency there is the premise, not a finding.
            elif node.verdict == "good" and node.depth and place[1] not in wrong:
                yield table.line(
                    place, "clock-right", say("{pin} runs at the frequency predicted from the crystal", pin=node.pin)
                )


def _shorts(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    """The part with which a short came and went."""
    for board_id, net in moment.snapshot.readings.lifts:
        found = short_on(moment, board_id, net) if board_id in moment.boards else None
        if found is not None and found.culprit:
            since = last_change(moment, PartRef(board_id, found.culprit))
            if since is None or moment.snapshot.readings.lifts[PointRef(board_id, net)][-1].time > since:
                yield table.line(PartRef(board_id, found.culprit), "short-gone", found.why)


def _capacitors(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    for place, verdict in judged_capacitors(moment).items():
        if verdict.verdict == "bad":
            yield table.line(place, "capacitor-bad", verdict.reason)
        elif verdict.verdict == "good":
            yield table.line(place, "capacitor-good", verdict.reason)


def _findings(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    for place, findings in moment.snapshot.seen.findings.items():
        if place[0] not in moment.boards or not moment.boards[place[0]].has(place[1]):
            continue
        latest, since = findings[-1], last_change(moment, place)
        if latest.finding is Finding.NOTED or (since and latest.time <= since):
            continue
        kind = "finding-good" if latest.finding.good else "finding-bad"
        yield table.line(
            place,
            kind,
            say("seen: {finding}", finding=term(latest.finding))
            + (say(" ({note})", note=latest.note) if latest.note else ""),
        )


def _swaps(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    """What exchanging a part did. Without a result, or for a swap back, nothing follows."""
    for swap in moment.snapshot.parts.swaps:
        since = last_change(moment, swap.part)
        if not swap.result or swap.back or not moment.has(swap.part) or (since and swap.time <= since):
            continue
        told = say("exchanged with {other}", other=swap.other.name if swap.other else swap.spare)
        if swap.result == "stays":
            yield table.line(swap.part, "swap-no-change", say("{told}: the fault stayed", told=told))
        elif swap.result in ("gone", "moves"):
            words = "went" if swap.result == "gone" else say("moved with the part")
            yield table.line(swap.part, "swap-cured", say("{told}: the fault {words}", told=told, words=words))


def _seen_codes(moment: Moment) -> Iterator[tuple[str, SelfTestCode]]:
    """Codes seen since any part that they name was last put right; an older one has had its answer."""
    last_seen = {
        start.code: start.time
        for start in (*moment.snapshot.proving.starts_before, *moment.snapshot.proving.starts)
        if start.code
    }
    for board_id, board in moment.boards.items():
        for code in board.self_tests:
            # A code that was seen before the repair of a part it names has had its answer.
            changed = [since for refdes in code.parts if (since := last_change(moment, PartRef(board_id, refdes)))]
            if code.code in last_seen and all(last_seen[code.code] > since for since in changed):
                yield board_id, code


def _accused_by_code(moment: Moment) -> set[PartRef]:
    return {PartRef(board_id, refdes) for board_id, code in _seen_codes(moment) for refdes in code.parts}


def _codes(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
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


def _symptoms(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    """A symptom accuses the parts of its block, unless a rail that the block needs is bad: that explains it first."""
    for symptom in moment.snapshot.proving.symptoms.values():
        if not symptom.present or symptom.board not in moment.boards:
            continue
        board = moment.boards[symptom.board]
        dead = {item.block.name for item in dead_blocks(board, judged_rails(moment)[symptom.board])}
        for block in board.blocks:
            if symptom.text in block.symptoms and block.name not in dead:
                for refdes in block.parts:
                    place = PartRef(symptom.board, refdes)
                    if not replaced(moment, place):
                        yield table.line(
                            place,
                            "symptom",
                            say("belongs to “{block}”; symptom: {symptom}", block=block.name, symptom=symptom.text),
                        )
