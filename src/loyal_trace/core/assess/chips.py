"""Chips: can each output do what it does?"""

from loyal_trace.core.assess.moment import Moment, once
from loyal_trace.core.probing.check import ChipVerdict, check_chip
from loyal_trace.core.probing.states import PinReading
from loyal_trace.core.vocabulary.identity import PartRef


def pin_readings(moment: Moment, place: PartRef) -> dict[int, PinReading]:
    """All pin readings of a chip."""
    pins = moment.snapshot.readings.pins.get(place, {})
    return {n: PinReading(p.state, p.voltage, p.frequency) for n, p in pins.items()}


def judged_chip(moment: Moment, place: PartRef) -> ChipVerdict | None:
    """The verdict on one chip, or None when the library does not know its type."""
    chip = moment.chip_type(place)
    if chip is None:
        return None
    readings = {n: r for n, r in pin_readings(moment, place).items() if n <= len(chip.pins)}
    key = ("chip", chip.name, tuple(sorted(readings.items(), key=lambda item: item[0])))
    return moment.memo.of(key, lambda: check_chip(chip, readings))


@once
def judged_chips(moment: Moment) -> dict[PartRef, ChipVerdict]:
    """Every chip with at least one probed pin, judged."""
    probed = [place for place in moment.snapshot.readings.pins if moment.has(place)]
    verdicts = ((place, judged_chip(moment, place)) for place in probed)
    return {place: verdict for place, verdict in verdicts if verdict is not None}
