"""Resistors and fuses measured against what is marked on them, outside any supply chain."""

from collections.abc import Iterator

from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.assess.parts import outdated
from loyal_trace.core.diagnosis.evidence import Evidence, EvidenceTable
from loyal_trace.core.job.entries import Measured, reading_words
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.quantities import Quantity
from loyal_trace.core.vocabulary.units import marked_quantity

# In circuit other parts lie beside a resistor: it can read lower than it is, hardly higher.
_HIGHER, _NEAR = 1.25, 0.10
_FUSE_OHMS = 2.0


def value_evidence(moment: Moment, table: EvidenceTable) -> Iterator[Evidence]:
    """A line for each resistor or fuse whose resistance was measured since it was last changed."""
    for key, taken in moment.snapshot.readings.measured.items():
        place = PartRef(key.board, key.point)
        if key.quantity != Quantity.RESISTANCE or not moment.has(place):
            continue
        if outdated(moment, place, taken[-1].time):
            continue
        kind = _judged(moment, place, taken[-1])
        if kind:
            words = {"reading": reading_words(taken[-1]), "marked": _marked(moment, place)}
            yield table.line(place, kind, say("measures {reading}; {marked}", **words))


def _judged(moment: Moment, place: PartRef, reading: Measured) -> str:
    """The kind of evidence that a reading is; empty when it says nothing, or the supply chain judges it."""
    part, board = moment.part(place), moment.boards[place.board]
    if any(point.part == place.refdes for point in board.chain):
        return ""
    if part.kind == "fuse":
        return "value-wrong" if reading.value is None or reading.value > _FUSE_OHMS else "value-right"
    if part.kind != "resistor" or part.value is None:
        return ""
    if reading.value is None or reading.value > _HIGHER * part.value:
        return "value-wrong"
    return "value-right" if abs(reading.value - part.value) <= _NEAR * part.value else ""


def _marked(moment: Moment, place: PartRef) -> str:
    part = moment.part(place)
    if part.kind == "fuse":
        return say("a fuse is good below {ohms} Ω", ohms=_FUSE_OHMS)
    return say("marked {value}", value=marked_quantity(part.value or 0.0, "Ω"))
