"""Measured frequencies held against each other where no netlist predicts them: what divides what, what it proves."""

from collections.abc import Iterator
from dataclasses import dataclass

from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.assess.parts import outdated
from loyal_trace.core.diagnosis.evidence import Evidence, EvidenceTable
from loyal_trace.core.vocabulary.identity import PointRef
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.quantities import Quantity
from loyal_trace.core.vocabulary.units import format_quantity

_EXACT = 0.002
_LARGEST_DIVISOR = 1024
# Line and frame rates of the television standards and of what was built after them (ITU-R BT.470), with some slack.
_LINE, _FRAME = (15_200.0, 16_200.0), (47.0, 63.0)
_LINES_A_FRAME = (240.0, 330.0)


@dataclass(frozen=True)
class Rate:
    """A frequency at a point, and what it shows."""

    point: str
    hertz: float
    words: str
    proves: bool = False


def rates_of(moment: Moment, board_id: str) -> tuple[Rate, ...]:
    """Every measured frequency of a board without a clock tree, highest first, with what follows from the others."""
    found: dict[str, float] = {}
    for key, taken in moment.snapshot.readings.measured.items():
        newest = taken[-1]
        if key.board != board_id or key.quantity != Quantity.FREQUENCY or newest.value is None:
            continue
        if not outdated(moment, key.part, newest.time):
            found[key.point] = newest.value
    running = {point: hertz for point, hertz in found.items() if hertz > 0}
    ordered = sorted(found, key=lambda point: -found[point])
    return tuple(_rate(point, found[point], running) for point in ordered)


def _rate(point: str, hertz: float, running: dict[str, float]) -> Rate:
    if hertz <= 0:
        return Rate(point, hertz, say("stands still"))
    line = _LINE[0] <= hertz <= _LINE[1]
    frames = [other for other in running.values() if _FRAME[0] <= other <= _FRAME[1]]
    if line and frames and _LINES_A_FRAME[0] <= hertz / frames[0] <= _LINES_A_FRAME[1]:
        return Rate(point, hertz, say("a line rate, and the frame rate fits it: the chain before it runs right"), True)
    if _FRAME[0] <= hertz <= _FRAME[1] and any(_LINE[0] <= other <= _LINE[1] for other in running.values()):
        return Rate(point, hertz, say("a frame rate beside a line rate: the chain before it runs right"), True)
    for other, faster in sorted(running.items(), key=lambda item: item[1]):
        ratio = faster / hertz
        whole = round(ratio)
        if other != point and 2 <= whole <= _LARGEST_DIVISOR and abs(ratio - whole) <= _EXACT * whole:
            words = say("{other} divided by {whole}", other=other, whole=whole)
            return Rate(point, hertz, words, whole & (whole - 1) == 0)
    return Rate(point, hertz, say("in no whole ratio to another frequency") if len(running) > 1 else "")


def rate_evidence(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    """Parts at points whose rate proves what comes before it, on boards whose clock tree nothing predicts."""
    for board_id, board in moment.boards.items():
        if board.clocks:
            continue
        for rate in rates_of(moment, board_id):
            place = PointRef(board_id, rate.point).part
            if rate.proves and moment.has(place):
                shown = format_quantity(rate.hertz, "Hz")
                text = say("{point} {hertz}: {words}", point=rate.point, hertz=shown, words=rate.words)
                yield table.line(place, "clock-right", text)
