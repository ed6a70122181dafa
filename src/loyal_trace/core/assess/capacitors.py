"""Capacitors of the job: the verdict on each, on what came out, and on those that nobody measured."""

from collections.abc import Callable
from dataclasses import replace
from datetime import datetime

from loyal_trace.core.assess.moment import Moment, once
from loyal_trace.core.boards.model import Part
from loyal_trace.core.job.entries import Measured
from loyal_trace.core.job.snapshot import ReadingKey
from loyal_trace.core.parts.ageing import Age, Years, age_of
from loyal_trace.core.parts.judging import CapacitorReading, CapacitorVerdict, Changed, judge, old_against_new
from loyal_trace.core.parts.limits import CapacitorLimits
from loyal_trace.core.parts.places import beside
from loyal_trace.core.parts.spec import spec_of_part
from loyal_trace.core.parts.survival import GroupEstimate, estimate_rest
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.quantities import Quantity
from loyal_trace.core.vocabulary.verdicts import Verdict

_OF_ONE = (
    Quantity.CAPACITANCE,
    Quantity.ESR,
    Quantity.LOSS,
    Quantity.LEAKAGE,
    Quantity.TAN_DELTA,
    Quantity.RESISTANCE,
)
Newest = Callable[[Quantity], Measured | None]


def limits_of(moment: Moment) -> CapacitorLimits | None:
    """The limits on capacitors that the moment carries."""
    return moment.tables.capacitors if moment.tables is not None else None


@once
def judged_capacitors(moment: Moment) -> dict[PartRef, CapacitorVerdict]:
    """Every capacitor of the job with its verdict."""
    limits = limits_of(moment)
    if limits is None:
        return {}
    return {
        PartRef(board_id, part.refdes): _judged(moment, board_id, part, limits)
        for board_id, board in moment.boards.items()
        for part in board.capacitors
    }


def _judged(moment: Moment, board_id: str, part: Part, limits: CapacitorLimits) -> CapacitorVerdict:
    """The verdict on one capacitor from the newest measurements in the logbook."""

    def newest(quantity: Quantity) -> Measured | None:
        return moment.snapshot.latest(board_id, part.refdes, quantity)

    fitted = moment.snapshot.parts.fitted.get(PartRef(board_id, part.refdes))
    taken = [entry for entry in map(newest, _OF_ONE) if entry is not None]
    if fitted and all(entry.time <= fitted.time for entry in taken):
        told = say("replaced with {fitted_number}; earlier readings are of the old part", fitted_number=fitted.number)
        return CapacitorVerdict(Verdict.NOT_MEASURED, told)
    read = _reading(newest)
    if read.in_circuit:
        farad, names = beside(moment.boards[board_id], part)
        read = replace(read, parallel=farad, beside=names)
    spec = spec_of_part(part)
    return moment.memo.of(("judged capacitor", spec, read, limits), lambda: judge(spec, read, limits))


def _reading(newest: Newest) -> CapacitorReading:
    """What was last taken of each quantity. A meter that shows OL for a resistance shows no leak."""
    taken = {quantity: newest(quantity) for quantity in _OF_ONE}
    number = {quantity: entry.value if entry is not None else None for quantity, entry in taken.items()}
    at = next((taken[q] for q in (Quantity.ESR, Quantity.TAN_DELTA) if taken[q] is not None), None)
    entries = [entry for entry in taken.values() if entry is not None]
    return CapacitorReading(
        capacitance=number[Quantity.CAPACITANCE],
        esr=number[Quantity.ESR],
        frequency=at.frequency if at is not None else None,
        in_circuit=any(entry.in_circuit for entry in entries),
        loss=number[Quantity.LOSS],
        leakage=number[Quantity.LEAKAGE],
        tan_delta=number[Quantity.TAN_DELTA],
        resistance=number[Quantity.RESISTANCE],
        celsius=next((entry.celsius for entry in entries if entry.celsius is not None), None),
    )


def judged_old(moment: Moment, place: PartRef) -> CapacitorVerdict | None:
    """The verdict on the capacitor that was taken out of a place."""
    limits, readings = limits_of(moment), moment.snapshot.readings.old_parts
    if limits is None:
        return None
    read = _reading(lambda quantity: readings.get(ReadingKey(place.board, place.refdes, quantity)))
    return judge(spec_of_part(moment.part(place)), replace(read, in_circuit=False), limits)


@once
def estimated_rest(moment: Moment) -> tuple[GroupEstimate, ...]:
    """For each group of electrolytics with unmeasured ones: how many of them are probably bad, and what to do."""
    measured, open_ones = [], []
    for place, verdict in judged_capacitors(moment).items():
        spec = spec_of_part(moment.part(place))
        if not spec.is_electrolytic or place in moment.snapshot.parts.fitted:
            continue
        group = (spec.value, spec.voltage)
        if verdict.verdict in (Verdict.GOOD, Verdict.BAD):
            measured.append((group, verdict.verdict == Verdict.BAD))
        elif verdict.verdict == Verdict.NOT_MEASURED:
            open_ones.append(group)
    return estimate_rest(measured, open_ones) if measured else ()


def old_beside_new(moment: Moment, place: PartRef) -> Changed | None:
    """What the old part of a place had lost against the new one; None where not both were measured."""
    fitted = moment.snapshot.parts.fitted.get(place)
    if fitted is None:
        return None
    readings = moment.snapshot.readings
    old = _reading(lambda quantity: readings.old_parts.get(ReadingKey(place.board, place.refdes, quantity)))
    new = _reading(lambda q: _since(moment.snapshot.latest(place.board, place.refdes, q), fitted.time))
    return old_against_new(old, new)


def _since(entry: Measured | None, when: datetime) -> Measured | None:
    return entry if entry is not None and entry.time > when else None


def life_of(moment: Moment, place: PartRef) -> Age | None:
    """How much of its rated life an original electrolytic has behind it by the years of its board alone."""
    limits, board, opened = limits_of(moment), moment.boards.get(place.board), moment.snapshot.opened
    if limits is None or board is None or board.year is None or opened is None or not moment.has(place):
        return None
    spec = spec_of_part(moment.part(place))
    if not spec.is_electrolytic or place in moment.snapshot.parts.fitted:
        return None
    years = max(0, opened.time.year - board.year)
    return age_of(limits.life, Years(shelf_years=years), spec.hours, spec.temperature)
