"""Collects the lines of evidence that a case holds: ROM verdicts, chip checks, rails, capacitors, findings, swaps."""

import math
from collections.abc import Iterator, Mapping, Sequence

from loyal_trace.core.assess.alike import common_evidence, odd_readings
from loyal_trace.core.assess.bits import bit_evidence
from loyal_trace.core.assess.capacitors import judged_capacitors
from loyal_trace.core.assess.chips import broken_nets, judged_chips, odds_of_chip, steady_bit, unlike_good
from loyal_trace.core.assess.free_runs import free_run_evidence
from loyal_trace.core.assess.moment import Moment, once, tables_of
from loyal_trace.core.assess.own_chips import own_chip_evidence
from loyal_trace.core.assess.parts import last_change, outdated, replaced
from loyal_trace.core.assess.paths import path_evidence, weighed_paths
from loyal_trace.core.assess.rails import clock_tree, frequencies, judged_rails, short_on
from loyal_trace.core.assess.rates import rate_evidence
from loyal_trace.core.assess.roms import judged_slots, line_of_several
from loyal_trace.core.assess.self_test_codes import accused_by_code, code_evidence, persisting_evidence
from loyal_trace.core.assess.swaps import swap_evidence
from loyal_trace.core.assess.values import value_evidence
from loyal_trace.core.diagnosis.evidence import Evidence, EvidenceTable
from loyal_trace.core.diagnosis.paths import PathOdds
from loyal_trace.core.job.entries import reading_words
from loyal_trace.core.power.blocks import dead_blocks
from loyal_trace.core.probing.states import STATE_WORDS
from loyal_trace.core.probing.verdicts import ChipVerdict, OutputVerdict
from loyal_trace.core.vocabulary.findings import NEUTRAL, Finding
from loyal_trace.core.vocabulary.identity import PartRef, PointRef
from loyal_trace.core.vocabulary.phrases import joined, say, term
from loyal_trace.core.vocabulary.units import count_of
from loyal_trace.core.vocabulary.verdicts import OutputWord

SHORTED_BELOW = 50.0
# An output that is held is held by one of the inputs on its line about once in fifteen times.
_HELD_BY_OTHER = 1 / 15
_READ_TWICE = 2
_LAMP = (Finding.LIT, Finding.DARK)
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
        _broken,
        _unlike_good,
        _traces,
        _steady_bits,
        _rails,
        _clocks,
        _shorts,
        _capacitors,
        _findings,
        _lamps,
        _swaps,
        _bits,
        odd_readings,
        own_chip_evidence,
        rate_evidence,
        free_run_evidence,
        value_evidence,
        _common,
        code_evidence,
        persisting_evidence,
        _symptoms,
    ):
        for line in source(moment, table):
            found.setdefault(line.place, []).append(line)
    return found


def _roms(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    culprit = accused_by_code(moment)
    for place, slot in judged_slots(moment).items():
        if slot.verdict is None or slot.verdict.verdict in _NOT_ACCUSING:
            continue
        kind = {"matches": "rom-right", "unstable": "rom-unstable"}.get(slot.verdict.verdict, "rom-wrong")
        # The self-test complains although the content is right: contact is likelier than cells, so it clears less.
        if kind == "rom-right" and place in culprit:
            kind = "rom-right-but-accused"
        yield table.line(place, kind, say("read out of circuit: {reason}", reason=slot.verdict.reason))
        shared = line_of_several(moment, place)
        if shared is not None:
            yield table.line(place, "rom-line-of-several", shared.words)


def _chips(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    for place, verdict in judged_chips(moment).items():
        outputs, weight = verdict.outputs, odds_of_chip(moment, place).log_ratio
        if verdict.impossible:
            yield Evidence(place, "output-impossible", _worst(verdict.impossible), weight)
        elif verdict.unusual:
            told = _worst(verdict.unusual) if weight > 0 else _mostly_usual(verdict)
            yield Evidence(place, "output-unusual", told, weight)
        # Part of the outputs says nothing for the rest: a chip is only cleared by all of them.
        elif outputs and all(output.verdict == OutputWord.POSSIBLE for output in outputs):
            text = say("all {count} outputs were probed; each is possible", count=len(outputs))
            yield Evidence(place, "outputs-possible", text, weight)
        held: set[str] = {place.refdes}
        for output in verdict.impossible:
            yield from _held_lines(moment, table, place, output.pin, weight, held)
        for output in verdict.unusual if not verdict.impossible else ():
            yield from _resistances(moment, table, place, output.pin)


def _resistances(moment: Moment, table: EvidenceTable, place: PartRef, pin: int) -> Iterator[Evidence]:
    """What a line measures to ground, about its owner and the chips on it."""
    board = moment.boards[place.board]
    yield from _line_resistance(moment, table, place, pin, place, "owner")
    for refdes in dict.fromkeys(other for other, _ in board.others_on_net(place.refdes, pin)):
        if refdes != place.refdes and board.part(refdes).is_chip:
            yield from _line_resistance(moment, table, place, pin, PartRef(place.board, refdes), "neighbour")


def _mostly_usual(verdict: ChipVerdict) -> str:
    """What speaks for a chip although some of its outputs do what is unusual."""
    usual = [output for output in verdict.outputs if output.verdict == OutputWord.POSSIBLE]
    if not usual:
        return say("what its outputs do is unusual, and happens in use: {reason}", reason=verdict.unusual[0].reason)
    return say(
        "{count} of its outputs do what is usual; unusual is that {reason}",
        count=len(usual),
        reason=verdict.unusual[0].reason,
    )


def _worst(outputs: Sequence[OutputVerdict]) -> str:
    """The reason of the first output, and how many others there are: one observation, not several."""
    if len(outputs) == 1:
        return outputs[0].reason
    return say("{reason}; {count} more like it", reason=outputs[0].reason, count=count_of(len(outputs) - 1, "output"))


def _held_lines(
    moment: Moment, table: EvidenceTable, place: PartRef, pin: int, weight: float, seen: set[str]
) -> Iterator[Evidence]:
    """Whatever else is on the line of an impossible output may be holding it; those `seen` have their line already.

    `weight`: what the readings are worth against the chip itself; the same misreading would explain both.
    """
    board = moment.boards[place[0]]
    net = board.net_of(place[1], pin)
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
            yield Evidence(other, "line-held", text, math.log1p(max(0.0, math.expm1(weight)) * _HELD_BY_OTHER))
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
    """One of several alike parts is wrong, or does what is unusual, while the others, probed alike, are right."""
    chips, roms = judged_chips(moment), judged_slots(moment)
    for board_id, board in moment.boards.items():
        for group in board.siblings:
            words: dict[OutputWord, list[str]] = {}
            for refdes in group:
                place = PartRef(board_id, refdes)
                # A ROM that drives plausible levels can still hold wrong data: it is no proof for its siblings.
                if place in chips and roms.get(place) is None:
                    words.setdefault(chips[place].word, []).append(refdes)
            right = words.get(OutputWord.POSSIBLE, [])
            wrong = words.get(OutputWord.IMPOSSIBLE, [])
            odd = wrong or words.get(OutputWord.UNUSUAL, [])
            if len(odd) == 1 and right:
                text = say(
                    "odd one out: {right}, probed the same way, show only what is usual",
                    right=joined(say(" and "), right),
                )
                kind = "odd-one-out" if wrong else "odd-one-unusual" if len(right) == 1 else "odd-among-several"
                yield table.line(PartRef(board_id, odd[0]), kind, text)


def _broken(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    """Pins of one net that were read differently: the track, a joint or a contact is open, or one was misread.

    One line a part, however many of its nets differ: a probe that slipped along a row does that.
    """
    told: dict[PartRef, list[str]] = {}
    for board_id, net, first, second in broken_nets(moment):
        text = say(
            "{first} and {second} are both on {net} and were read differently: the track, a joint or a contact is open",
            first=f"{first.refdes}.{first.pin}",
            second=f"{second.refdes}.{second.pin}",
            net=net,
        )
        for refdes in dict.fromkeys((first.refdes, second.refdes)):
            told.setdefault(PartRef(board_id, refdes), []).append(text)
    for place, lines in told.items():
        yield table.line(place, "net-differs", lines[0])


def _steady_bits(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    """A RAM of which one data line, read twice, stays at a level while the others move: it, or what is on the line."""
    beside: set[PartRef] = set()
    for place in moment.snapshot.readings.pins:
        pin = steady_bit(moment, place)
        # One misread pin among the many of a board looks just like this.
        if not pin or moment.snapshot.readings.repeats.get(place, {}).get(pin, 1) < _READ_TWICE:
            continue
        board = moment.boards[place.board]
        text = say("data pin {pin} stays at a level while the others move", pin=f"{place.refdes}.{pin}")
        yield table.line(place, "steady-bit", text)
        for refdes in dict.fromkeys(other for other, _ in board.others_on_net(place.refdes, pin)):
            other = PartRef(place.board, refdes)
            if other != place and other not in beside and board.part(refdes).is_chip:
                beside.add(other)
                yield table.line(other, "steady-bit-beside", text)


def _unlike_good(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    """A chip whose inputs do what they do on a good board, and whose output does not."""
    readings = moment.snapshot.readings
    for place in dict.fromkeys((*readings.good_pins, *readings.good_signatures)):
        pins = unlike_good(moment, place)
        if pins:
            here, good = readings.pins.get(place, {}), readings.good_pins.get(place, {})
            if pins[0] in here and pins[0] in good and here[pins[0]].state == good[pins[0]].state:
                text = say("pin {pin} has another frequency than on a good board, with inputs alike", pin=pins[0])
            elif pins[0] in here and pins[0] in good:
                text = say(
                    "pin {pin} is {here}, on a good board {good}, with inputs alike",
                    pin=pins[0],
                    here=STATE_WORDS[here[pins[0]].state],
                    good=STATE_WORDS[good[pins[0]].state],
                )
            else:
                text = say("pin {pin} has another signature than on a good board, with inputs alike", pin=pins[0])
            yield table.line(place, "unlike-good", text)


def _traces(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    """A captured trace against the model of the chip."""
    for place, entry in moment.snapshot.readings.traces.items():
        if not moment.has(place):
            continue
        if entry.differences:
            yield table.line(place, "trace-differs", say("in the trace {reason}", reason=entry.differences[0].reason))
        else:
            outputs = count_of(sum(bool(lane.expected) for lane in entry.lanes), "output")
            told = say(
                "in a trace of {samples:,} samples {outputs} did what the model gives",
                samples=entry.samples,
                outputs=outputs,
            )
            yield table.line(place, "trace-agrees", told)


def _rails(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    for board_id, report in judged_rails(moment).items():
        # A good reading at one leg must not clear a part that fails at another.
        bad_parts = {p.point.part for p in report.points if p.verdict == "bad"}
        for point in report.points:
            place = PartRef(board_id, point.point.part)
            if not point.point.part or point.reading is None or outdated(moment, place, point.reading.time):
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
        latest = findings[-1]
        if latest.finding in NEUTRAL or outdated(moment, place, latest.time):
            continue
        kind = "finding-good" if latest.finding.good else "finding-bad"
        yield table.line(
            place,
            kind,
            say("seen: {finding}", finding=term(latest.finding))
            + (say(" ({note})", note=latest.note) if latest.note else ""),
        )


def _lamps(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    """A lamp that shows a fuse or a supply: lit, it is there; dark, it may be missing, or the lamp is at fault."""
    for board_id, board in moment.boards.items():
        for lamp in board.lamps:
            seen = [
                o for o in moment.snapshot.seen.findings.get(PartRef(board_id, lamp.part), ()) if o.finding in _LAMP
            ]
            for refdes in lamp.shows if seen else ():
                place = PartRef(board_id, refdes)
                if moment.has(place) and not outdated(moment, place, seen[-1].time):
                    text = say("its lamp {lamp} is {finding}", lamp=lamp.part, finding=term(seen[-1].finding))
                    yield table.line(place, f"lamp-{seen[-1].finding.value}", text)


def _swaps(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    """What exchanging parts did, all exchanges together."""
    yield from swap_evidence(moment)


def _bits(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    """Lines of a bus that codes sent and shown are wrong on."""
    yield from bit_evidence(moment)


def _common(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    """Alike parts that self-test codes or their outputs accuse at once."""
    accused: dict[PartRef, object] = dict.fromkeys(accused_by_code(moment))
    accused |= {p: v for p, v in judged_chips(moment).items() if v.word == OutputWord.IMPOSSIBLE}
    yield from common_evidence(moment, table, accused)


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
