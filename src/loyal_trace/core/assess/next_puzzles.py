"""Next things that several parts share: functions to try, signals to look at, exchanges, shorted lines, codes."""

from collections.abc import Iterator
from datetime import datetime
from itertools import islice

from loyal_trace.core.assess.alike import common_causes
from loyal_trace.core.assess.assumptions import place_of_pair
from loyal_trace.core.assess.bits import bit_verdicts, members
from loyal_trace.core.assess.chips import broken_nets, steady_bit
from loyal_trace.core.assess.free_runs import free_run_things
from loyal_trace.core.assess.gather import SHORTED_BELOW, path_odds_of
from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.assess.next_thing import (
    LIFT_MINUTES,
    ON_TOP_MINUTES,
    SIGNAL_MINUTES,
    SWAP_MINUTES,
    TOUCH_MINUTES,
    TRY_MINUTES,
    NextThing,
    is_rom,
    risk_of,
    was_swapped,
)
from loyal_trace.core.assess.paths import looked_since_change, paths_of, states_now, tried_since_change, without_path
from loyal_trace.core.assess.rails import judged_rails, short_on
from loyal_trace.core.assess.suspects import suspects_of
from loyal_trace.core.assess.swaps import solved_swaps, spare_of
from loyal_trace.core.assess.trials import parts_tried, trials_that_count
from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.diagnosis.evidence import entropy_bits
from loyal_trace.core.diagnosis.paths import PathOdds
from loyal_trace.core.diagnosis.swaps import Exchange, Solved
from loyal_trace.core.diagnosis.tried import Tried
from loyal_trace.core.vocabulary.identity import PartRef, in_order
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.quantities import GROUND, Quantity
from loyal_trace.core.vocabulary.stages import Stage

# Between these an exchange can still settle something; how much one supply reading tells of eight chips at once.
_UNSETTLED = (0.1, 0.95)
_COMMON_BITS = 0.5
_NET_BITS, _READ_TWICE = 0.3, 2
_TO_GROUND = (Quantity.RESISTANCE, Quantity.TO_GROUND)
# A failing function whose path nobody told leaves about one bit open, as long as no part is clear.
_UNTOLD_BITS, _CLEAR, _EXAMPLES = 1.0, 0.9, 3
# Below one in seven an exchange costs more than it tells; above one in four a gap is asked for.
_EXCHANGE_FROM, _GAP_FROM = 0.15, 0.25


def path_things(moment: Moment) -> Iterator[NextThing]:
    """Functions to try, bodies to exchange, stages that may not have been told."""
    tried = parts_tried(moment)
    for board, odds in path_odds_of(moment).items():
        for name, path in paths_of(moment, board).items():
            if not tried_since_change(moment, board, name, path):
                text = say("try {function}, then type works: {function}, or fails: {function}", function=name)
                bits = odds.worlds.bits_of_function(name)
                yield NextThing(Stage.VERIFY, path[-1], text, TRY_MINUTES, bits)
        for place, probability in odds.probability.items():
            if probability > _EXCHANGE_FROM and not was_swapped(moment, place) and _exchangeable(moment, place):
                minutes, risk = SWAP_MINUTES[moment.part(place).socketed], risk_of(moment.part(place).socketed)
                bits = odds.worlds.bits_of_exchange(place)
                yield NextThing(Stage.REPAIR, place, _exchange_words(moment, place), minutes, bits, risk)
            if probability > _EXCHANGE_FROM and place not in tried:
                for sort, words, minutes in _trial_words(moment.part(place)):
                    bits = odds.worlds.bits_of_trial(place, sort)
                    yield NextThing(Stage.SUSPECTS, place, words, minutes, bits)
        yield from _signal_things(moment, board, odds)
        gap = odds.gap
        if gap is not None and gap.probability > _GAP_FROM:
            text = say(
                "look what lies between {first} and {second}, and type the path of {function} again with it",
                first=gap.first.refdes,
                second=gap.second.refdes,
                function=gap.function,
            )
            yield NextThing(Stage.SUSPECTS, gap.first, text, TRY_MINUTES, entropy_bits(gap.probability))


def short_things(moment: Moment) -> Iterator[NextThing]:
    """A line that measures as a short to ground: which of its pins to lift next, sockets before solder."""
    lifted = parts_tried(moment)
    for board, point, chips in _shorted_lines(moment):
        for refdes in chips:
            place, part = PartRef(board.id, refdes), board.part(refdes)
            if place in lifted:
                continue
            out = say("take {refdes} out", refdes=refdes)
            how = out if part.socketed else say("lift the pin of {refdes}", refdes=refdes)
            text = say("{how} on the line of {point}, and measure it to ground again", how=how, point=point)
            minutes = SWAP_MINUTES[True] if part.socketed else LIFT_MINUTES
            yield NextThing(Stage.RAILS, place, text, minutes, entropy_bits(1 / len(chips)), risk_of(part.socketed))


def rail_things(moment: Moment) -> Iterator[NextThing]:
    """A rail that is shorted to ground: which parts to lift off it, or what it feeds, while nobody said."""
    for board_id, report in judged_rails(moment).items():
        board = moment.boards[board_id]
        for point in report.points:
            rail = next((one for one in board.rails if point.point.point in (one.far, one.name)), None)
            if rail is None or point.verdict != "bad":
                continue
            if point.point.quantity == Quantity.VOLTAGE and not point.point.part:
                text = say(
                    "measure {rail} at its source: {shown} at {point}",
                    rail=rail.name,
                    shown=point.shown,
                    point=point.point.point,
                )
                yield NextThing(Stage.RAILS, PartRef(board_id, ""), text, TRY_MINUTES, _UNTOLD_BITS)
            if point.point.quantity not in GROUND:
                continue
            hunt = short_on(moment, board_id, rail.net)
            if hunt is not None and hunt.instead:
                text = say("{again}: {why}", again=hunt.instead, why=hunt.why)
                yield NextThing(Stage.RAILS, PartRef(board_id, ""), text, TRY_MINUTES, _UNTOLD_BITS)
            elif hunt is None or not hunt.candidates:
                chips = joined(", ", [part.refdes for part in board.chips][:_EXAMPLES]) or "U1, U2"
                name = rail.name.removesuffix(" V")
                text = say(
                    "enter what {rail} feeds, such as rail {name} feeds {chips}", rail=rail.name, name=name, chips=chips
                )
                yield NextThing(Stage.RAILS, PartRef(board_id, ""), text, TRY_MINUTES, _UNTOLD_BITS)
            elif not hunt.culprit:
                parts = [board.part(refdes) for refdes in hunt.lift]
                text = say(
                    "lift {parts} off {rail} and measure it to ground again, power off",
                    parts=joined(", ", hunt.lift),
                    rail=rail.name,
                )
                minutes = sum(SWAP_MINUTES[True] if part.socketed else LIFT_MINUTES for part in parts)
                bits = entropy_bits(min(0.5, sum(share for refdes, share in hunt.candidates if refdes in hunt.lift)))
                yield NextThing(Stage.RAILS, PartRef(board_id, hunt.lift[0]), text, minutes, bits)
            break


def steady_things(moment: Moment) -> Iterator[NextThing]:
    """A data line of a RAM that alone stays at a level: read it again before anything is made of it."""
    for place in moment.snapshot.readings.pins:
        pin = steady_bit(moment, place)
        if pin and moment.snapshot.readings.repeats.get(place, {}).get(pin, 1) < _READ_TWICE:
            text = say(
                "read {pin} again: it alone stays at a level while the other data lines move",
                pin=f"{place.refdes}.{pin}",
            )
            yield NextThing(Stage.PROBE, place, text, 0.3, _NET_BITS)


def net_things(moment: Moment) -> Iterator[NextThing]:
    """Two pins of a net that were read differently: read both again, then check the continuity between them."""
    for board_id, _, first, second in broken_nets(moment):
        often = moment.snapshot.readings.repeats
        counts = [often.get(PartRef(board_id, pin.refdes), {}).get(pin.pin, 1) for pin in (first, second)]
        if min(counts) < _READ_TWICE:
            text = say(
                "read {one} and {other} again: they are on one net and differ",
                one=f"{first.refdes}.{first.pin}",
                other=f"{second.refdes}.{second.pin}",
            )
            yield NextThing(Stage.PROBE, PartRef(board_id, second.refdes), text, 0.5, _NET_BITS)
            continue
        one, other = f"{first.refdes}.{first.pin}", f"{second.refdes}.{second.pin}"
        if moment.snapshot.latest(board_id, place_of_pair((one, other)), "continuity"):
            continue
        text = say(
            "check continuity from {one} to {other}, power off, then type {one} to {other} 0.2 ohm",
            one=one,
            other=other,
        )
        yield NextThing(Stage.PROBE, PartRef(board_id, second.refdes), text, 1.0, _NET_BITS)


def _shorted_lines(moment: Moment) -> Iterator[tuple[BoardDefinition, str, list[str]]]:
    """(board, point, chips on its line) of each line beside the rails that measures near nothing to ground."""
    for key, taken in moment.snapshot.readings.measured.items():
        refdes, _, pin = key.point.partition(".")
        board, value = moment.boards.get(key.board), taken[-1].value
        if board is None or not pin.isdecimal() or key.quantity not in _TO_GROUND or value is None:
            continue
        net = board.net_of(refdes, int(pin))
        if value >= SHORTED_BELOW or net is None or any(rail.net == net for rail in board.rails):
            continue
        on_line = {other for other, _ in board.others_on_net(refdes, int(pin))} | {refdes}
        chips = [r for r in in_order(on_line) if board.has(r) and board.part(r).is_chip]
        if len(chips) > 1:
            yield board, key.point, sorted(chips, key=lambda r: not board.part(r).socketed)


def untold_things(moment: Moment) -> Iterator[NextThing]:
    """Functions that fail and have no path: while nothing is clear, the path is worth more than any measurement."""
    clear = any(suspect.probability >= _CLEAR for suspect in suspects_of(moment))
    for board_id, board in moment.boards.items():
        states = states_now(moment, board_id)
        untold = [name for name in without_path(moment, board_id) if states[name] != "works"]
        if untold and board.parts and not clear:
            text = say(
                "enter the parts that {function} needs, in the order of the signal: {example}",
                function=untold[0],
                example=f"path {untold[0]}: …",
            )
            yield NextThing(Stage.SUSPECTS, PartRef(board_id, board.parts[0].refdes), text, TRY_MINUTES, _UNTOLD_BITS)


def _signal_things(moment: Moment, board: str, odds: PathOdds) -> Iterator[NextThing]:
    """The place on each failing path where looking at the signal halves what is still possible."""
    best: dict[str, tuple[float, PartRef]] = {}
    paths = paths_of(moment, board)
    for name, part in odds.worlds.stages:
        # Said once, it tells nothing new when it is said again with nothing changed between.
        if looked_since_change(moment, board, name, part, paths[name]):
            continue
        bits = odds.worlds.bits_of_signal(name, part)
        if bits > best.get(name, (0.0, part))[0]:
            best[name] = (bits, part)
    for name, (bits, part) in best.items():
        text = say(
            "look at the signal of {function} after {refdes}, then type works: {function} at {refdes}, or fails: …",
            function=name,
            refdes=part.refdes,
        )
        yield NextThing(Stage.PROBE, part, text, SIGNAL_MINUTES, bits)


def _exchange_words(moment: Moment, place: PartRef) -> str:
    """An exchange with a part of the same type on the board, which tells the part from its place; else with a spare."""
    part, board = moment.part(place), moment.boards[place.board]
    twin = next(_same_type(board, part), "")
    if twin and part.socketed:
        return say("exchange {refdes} and {twin}, then type swap {refdes} and {twin}: …", refdes=part.refdes, twin=twin)
    return say(
        "exchange {refdes} with a {number} that is known to be good, then type swap {refdes} with {spare}: …",
        refdes=part.refdes,
        number=part.number,
        spare=unused_spare(moment),
    )


def _same_type(board: BoardDefinition, part: Part) -> Iterator[str]:
    """The other parts of a type on a board; none for a part whose type is not known."""
    return (p.refdes for p in board.parts if p.number and p.number == part.number and p.refdes != part.refdes)


def unused_spare(moment: Moment) -> str:
    """A name for a spare that was not tried yet: one that changed nothing may be bad."""
    used = {spare_of(swap) for swap in moment.snapshot.parts.swaps}
    return next(f"spare {number}" for number in range(1, len(used) + 2) if f"spare {number}" not in used)


def puzzle_things(moment: Moment) -> Iterator[NextThing]:
    """After an exchange or a trial: the next move that settles most for its minutes, whichever it is."""
    for board_id, groups in solved_swaps(moment).items():
        for solved, name in ((one, name) for one in groups for name in one.places):
            if moment.boards[board_id].has(name) and _UNSETTLED[0] < solved.of_part(name) < _UNSETTLED[1]:
                yield from _moves_of(moment, solved, PartRef(board_id, name))


def _moves_of(moment: Moment, solved: Solved, place: PartRef) -> Iterator[NextThing]:
    """What can be exchanged or tried with a part, and what each is expected to tell."""
    board, part, name = moment.boards[place.board], moment.part(place), place.refdes
    if _exchangeable(moment, place) or is_rom(moment, place):
        minutes, risk = SWAP_MINUTES[part.socketed], risk_of(part.socketed)
        spare = unused_spare(moment)
        words = say("exchange {refdes} with {spare}", refdes=name, spare=spare)
        bits = solved.bits_of(Exchange(name, spare, "", "stays", name))
        yield NextThing(Stage.REPAIR, place, words, minutes, bits, risk)
        for twin in islice(_same_type(board, part), 2):
            words = say("exchange {refdes} and {twin}", refdes=name, twin=twin)
            bits = solved.bits_of(Exchange(name, twin, twin, "stays", name))
            yield NextThing(Stage.REPAIR, place, words, minutes, bits, risk)
    done = {tried.sort for _, tried in trials_that_count(moment, place.board) if place in tried.parts}
    for sort, words, minutes in _trial_words(part):
        if sort not in done:
            bits = solved.bits_of(Tried((place,), sort, True, datetime.min))
            yield NextThing(Stage.SUSPECTS, place, words, minutes, bits)


def _trial_words(part: Part) -> Iterator[tuple[str, str, float]]:
    """Trials that need no exchange: how, in words, minutes."""
    name = part.refdes
    yield "touched", say("press and wobble {refdes}, then type pressed {refdes}: …", refdes=name), TOUCH_MINUTES
    yield "heat", say("cool {refdes}, then type cooled {refdes}: …", refdes=name), TOUCH_MINUTES
    if part.is_chip and not part.socketed and part.number:
        text = say(
            "hold a good {number} on top of {refdes}, then type piggyback {refdes}: …", number=part.number, refdes=name
        )
        yield "on top", text, ON_TOP_MINUTES


def code_things(moment: Moment) -> Iterator[NextThing]:
    """The code to send next, where those sent so far do not settle the line."""
    for board_id, verdict in bit_verdicts(moment).items():
        worst = max(range(verdict.width), key=lambda line: verdict.lines[line])
        on_line = members(moment, moment.boards.get(board_id), worst)
        if verdict.settled or verdict.likeliest.kind == "right" or not on_line:
            continue
        text = say("send the code {code} and type sent {code} shown …", code=f"{verdict.send:0{verdict.width // 4}X}")
        yield NextThing(Stage.SUSPECTS, PartRef(board_id, on_line[0]), text, TRY_MINUTES, verdict.bits)


def common_things(moment: Moment) -> Iterator[NextThing]:
    """Several alike parts accused at once: their supply is measured before any of them is replaced."""
    accused = {s.place: s for s in suspects_of(moment) if any(line.kind == "common-cause" for line in s.evidence)}
    for board_id, board in moment.boards.items():
        here = {place.refdes: suspect for place, suspect in accused.items() if place.board == board_id}
        for hit in common_causes(board, here):
            chip = moment.chip_type(PartRef(board_id, hit[0]))
            pin = next(iter(chip.supply_pins(5.0)), 0) if chip is not None else 0
            text = say(
                "measure the supply at {where}: {count} alike parts seem faulty at once",
                where=f"{hit[0]}.{pin}" if pin else hit[0],
                count=len(hit),
            )
            yield NextThing(Stage.RAILS, PartRef(board_id, hit[0]), text, 1.0, _COMMON_BITS)


def _exchangeable(moment: Moment, place: PartRef) -> bool:
    """Worth an exchange in one piece: a chip that is no ROM, an amplifier, a part of unknown kind."""
    part = moment.part(place)
    return (
        bool(part.number)
        and not is_rom(moment, place)
        and part.kind in ("chip", "amplifier", "transistor", "unknown", "other")
    )


SHARED = (
    net_things,
    free_run_things,
    steady_things,
    path_things,
    untold_things,
    short_things,
    rail_things,
    puzzle_things,
    code_things,
    common_things,
)
