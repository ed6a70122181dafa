"""Rails: are the supplies right, and where do they stop being right? Clocks and shorts as well."""

from loyal_trace.core.assess.capacitors import judged_capacitors
from loyal_trace.core.assess.moment import Moment, once
from loyal_trace.core.assess.parts import absent, last_change
from loyal_trace.core.job.entries import Measured
from loyal_trace.core.job.snapshot import ReadingKey
from loyal_trace.core.power.consumption import Draw
from loyal_trace.core.power.expected import NO_SHORT
from loyal_trace.core.power.rails import RailReport, judge_rails
from loyal_trace.core.power.shorts import ShortSearch, find_short, parts_on
from loyal_trace.core.power.under_load import SupplyContext
from loyal_trace.core.simulation.clock_tree import ClockNode, judge_tree, predict
from loyal_trace.core.vocabulary.findings import Finding
from loyal_trace.core.vocabulary.identity import PartRef, PointRef
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.quantities import GROUND, Quantity
from loyal_trace.core.vocabulary.units import format_quantity

_OF_RAILS = (*GROUND, Quantity.VOLTAGE)
SUPPLY_LIMITS_DECISION = "supply limits"


def limits_by(moment: Moment) -> str:
    """The supply limits chosen for this job: maker, strict or clean."""
    return moment.snapshot.decision(SUPPLY_LIMITS_DECISION, "maker")


@once
def judged_rails(moment: Moment) -> dict[str, RailReport]:
    """The supply chain of each board under the chosen supply limits."""
    return {board_id: rails_by(moment, board_id, limits_by(moment)) for board_id in moment.boards}


def rails_by(moment: Moment, board_id: str, limits: str) -> RailReport:
    """The supply chain of one board under any of the supply limits."""

    def good_board(point: str, quantity: str) -> Measured | None:
        return moment.snapshot.readings.good_board.get(ReadingKey(board_id, point, quantity))

    board = moment.boards[board_id]
    called = {rail.far: rail.name for rail in board.rails if rail.far}

    def latest(point: str, quantity: str) -> Measured | None:
        """The newest reading: of a rail, also one from before its far end was known."""
        names = (point, called[point]) if point in called and quantity in _OF_RAILS else (point,)
        taken = [m for name in names if (m := moment.snapshot.latest(board_id, name, quantity)) is not None]
        return max(taken, key=lambda m: m.time, default=None)

    return judge_rails(board_id, board, latest, limits, draw(moment, board_id), good_board)


@once
def draw(moment: Moment, board_id: str) -> Draw | None:
    """What the chips on a board should take together from its logic supply; missing parts take nothing."""
    if moment.currents is None:
        return None
    board = moment.boards[board_id]
    return moment.currents.draw(p for p in board.chips if not absent(moment, PartRef(board_id, p.refdes)))


def around(moment: Moment, board_id: str) -> SupplyContext:
    """What the rules of the supplies may know besides the readings of their path."""
    verdicts = {place.refdes: v for place, v in judged_capacitors(moment).items() if place.board == board_id}
    dry = {
        place.refdes
        for place, seen in moment.snapshot.seen.findings.items()
        if place.board == board_id and seen[-1].finding is Finding.COMPOUND_MISSING
    }
    return SupplyContext(verdicts, draw(moment, board_id), frozenset(dry))


def predicted_clocks(moment: Moment, board_id: str) -> tuple[ClockNode, ...]:
    """The clock tree as the netlist predicts it; long work on a large board, kept as long as the board is the same."""
    board = moment.boards[board_id]
    key = ("clock tree", board.clocks, board.nets, board.parts)
    return moment.memo.of(key, lambda: predict(board, moment.library)) if board.clocks else ()


@once
def clock_tree(moment: Moment, board_id: str) -> tuple[ClockNode, ...]:
    """The board's clocks as predicted, held against the frequencies that were measured or probed."""
    return judge_tree(predicted_clocks(moment, board_id), frequencies(moment, board_id))


@once
def frequencies(moment: Moment, board_id: str) -> dict[str, float]:
    """Net → hertz, from the counter and from the probe; the counter's reading counts where both were taken."""
    board, readings = moment.boards[board_id], moment.snapshot.readings
    found: dict[str, float] = {}
    for place, pins in readings.pins.items():
        for number, pin in pins.items() if place.board == board_id else ():
            if pin.frequency is not None:
                found[board.line_of(place.refdes, number)] = pin.frequency
    for key, taken in readings.measured.items():
        part, _, pin_text = key.point.partition(".")
        if key.board == board_id and key.quantity == Quantity.FREQUENCY and pin_text.isdecimal():
            found[board.net_of(part, int(pin_text)) or key.point] = taken[-1].value or 0.0
    return found


def short_on(moment: Moment, board_id: str, net: str) -> ShortSearch | None:
    """Where the short on a net is, once its resistance to ground was measured; None before that.

    A part on it that was changed since makes the readings history: it is measured again first.
    """
    board, snapshot = moment.boards[board_id], moment.snapshot
    at = {f"{refdes}.{pin}" for refdes, pin in dict(board.nets).get(net, ())}
    at |= {rail.name for rail in board.rails if rail.net == net}
    read = [snapshot.latest(board_id, point, Quantity.TO_GROUND) for point in at]
    taken = [m for m in read if m is not None and m.value is not None]
    if not taken:
        return None
    baseline = max(taken, key=lambda m: m.time)
    changes = {part.refdes: last_change(moment, PartRef(board_id, part.refdes)) for part in parts_on(board, net)}
    since = max((when for when in changes.values() if when is not None), default=None)
    lifts = [
        one for one in snapshot.readings.lifts.get(PointRef(board_id, net), ()) if since is None or one.time > since
    ]
    if since is not None and baseline.time <= since:
        changed = next(refdes for refdes, when in changes.items() if when == since)
        why = say("{part} was changed since {point} was measured to ground", part=changed, point=baseline.place)
        again = say("measure {point} to ground again, power off", point=baseline.place)
        return ShortSearch((), (), why, instead=again)
    points = judged_rails(moment)[board_id].points
    low = any(p.verdict == "bad" and p.point.quantity in GROUND and p.point.point in at for p in points)
    if baseline.value is not None and baseline.value >= NO_SHORT and not (low or lifts):
        why = say(
            "{ohms} to ground at {point} is not a short",
            ohms=format_quantity(baseline.value, "Ω"),
            point=baseline.place,
        )
        return ShortSearch((), (), why, instead=say("measure the voltage"))
    track: dict[str, float] = {}
    for point in sorted(at):
        entry = snapshot.latest(board_id, point, Quantity.TRACK)
        if entry is not None and entry.value is not None:
            track[point.partition(".")[0]] = entry.value
    return find_short(board, net, baseline.value or 0.0, lifts, track)
