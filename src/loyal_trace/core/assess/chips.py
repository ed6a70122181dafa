"""Chips: can each output do what it does?"""

from collections import Counter
from collections.abc import Iterable

from loyal_trace.core.assess.moment import Moment, once
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.chips.model import ChipType
from loyal_trace.core.job.entries import PinState
from loyal_trace.core.probing.check import check_chip
from loyal_trace.core.probing.drives import DRIVE_OF_STATE
from loyal_trace.core.probing.frequency import same_frequency
from loyal_trace.core.probing.odds import ChipOdds, chip_odds
from loyal_trace.core.probing.states import PinReading
from loyal_trace.core.probing.verdicts import ChipVerdict
from loyal_trace.core.vocabulary.identity import BoardPin, PartRef

GROUNDS, SUPPLIES, LOGIC_SUPPLY = ("GND", "VSS", "0V"), ("VCC", "+5V"), 5.0


def pin_readings(moment: Moment, place: PartRef) -> dict[int, PinReading]:
    """All pin readings of a chip."""
    pins = moment.snapshot.readings.pins.get(place, {})
    return {n: _as_reading(pin) for n, pin in pins.items()}


def _as_reading(pin: PinState) -> PinReading:
    return PinReading(pin.state, pin.voltage, pin.frequency)


def _in_order(readings: dict[int, PinReading]) -> tuple[tuple[int, PinReading], ...]:
    return tuple(sorted(readings.items(), key=lambda item: item[0]))


def judged_chip(moment: Moment, place: PartRef) -> ChipVerdict | None:
    """The verdict on one chip, or None when the library does not know its type."""
    chip = moment.chip_type(place)
    if chip is None:
        return None
    readings = _with_nets(moment, place, chip)
    key = ("chip", chip.name, _in_order(readings))
    return moment.memo.of(key, lambda: check_chip(chip, readings))


def _with_nets(moment: Moment, place: PartRef, chip: ChipType) -> dict[int, PinReading]:
    """The readings of a chip's pins, and of the nets that they are on where the pin itself was not read."""
    own = {n: r for n, r in pin_readings(moment, place).items() if n <= len(chip.pins)}
    board = moment.boards[place.board]
    for pin in chip.pins if own and board.nets else ():
        if pin.number not in own and pin.role in ("input", "bidirectional"):
            found = _reading_of_net(moment, board, place.refdes, pin.number)
            if found is not None:
                own[pin.number] = found
    return own


def _reading_of_net(moment: Moment, board: BoardDefinition, refdes: str, number: int) -> PinReading | None:
    """What the net of a pin does: a supply line by its name, else as its other pins were read; None if they differ."""
    net = board.net_of(refdes, number)
    if not net:
        return None
    if net in GROUNDS:
        return PinReading("L")
    if net in SUPPLIES or any(rail.net == net and rail.nominal == LOGIC_SUPPLY for rail in board.rails):
        return PinReading("H")
    read = _read_at(moment, board.id, board.others_on_net(refdes, number))
    states = {reading.state for reading in read.values()}
    return PinReading(states.pop()) if len(states) == 1 else None


def _read_at(moment: Moment, board_id: str, pins: Iterable[tuple[str, int]]) -> dict[BoardPin, PinReading]:
    """Those of some pins that were read at a level or pulsing."""
    found = {}
    for refdes, number in pins:
        state = moment.snapshot.readings.pins.get(PartRef(board_id, refdes), {}).get(number)
        if state is not None and state.state in DRIVE_OF_STATE:
            found[BoardPin(refdes, number)] = _as_reading(state)
    return found


@once
def _read_on_nets(moment: Moment) -> dict[tuple[str, str], dict[BoardPin, PinReading]]:
    """(board, net) → those of its pins that were read at a level or pulsing."""
    found: dict[tuple[str, str], dict[BoardPin, PinReading]] = {}
    for place, pins in moment.snapshot.readings.pins.items():
        board = moment.boards.get(place.board)
        if board is None:
            continue
        for number, state in pins.items():
            net = board.net_of(place.refdes, number) if state.state in DRIVE_OF_STATE else None
            if net:
                read_here = PinReading(state.state, frequency=state.frequency)
                found.setdefault((place.board, net), {})[BoardPin(place.refdes, number)] = read_here
    return found


@once
def broken_nets(moment: Moment) -> tuple[tuple[str, str, BoardPin, BoardPin], ...]:
    """(board, net, one pin, another) where two pins of a net were read differently: the track or a joint is open."""
    found = []
    for (board_id, net), read in _read_on_nets(moment).items():
        first = next(iter(read.values()))
        other = [pin for pin, reading in read.items() if _differ(first, reading)]
        if other:
            found.append((board_id, net, next(iter(read)), other[0]))
    in_order = list(moment.boards)
    return tuple(sorted(found, key=lambda one: in_order.index(one[0])))


def _differ(one: PinReading, other: PinReading) -> bool:
    """Another state, or frequencies further apart than a counter errs."""
    if one.state != other.state:
        return True
    if one.frequency is None or other.frequency is None:
        return False
    return not same_frequency(one.frequency, other.frequency)


# So many data lines that move make one that does not the odd one.
_MOVING_LINES = 3


def steady_bit(moment: Moment, place: PartRef) -> int:
    """The one data pin of a RAM that stays at a level while the others move; 0 for none, and for several.

    A ROM is told by its dump, where a bit that is steady is seen without doubt.
    """
    chip = moment.chip_type(place) if moment.has(place) else None
    here = moment.snapshot.readings.pins.get(place, {})
    if chip is None or chip.memory is None:
        return 0
    if any(slot.refdes == place.refdes for slot in moment.boards[place.board].rom_slots):
        return 0
    states = {n: here[n].state for n in (chip.pin(name).number for name in chip.memory.data) if n in here}
    steady = [n for n, state in states.items() if state in "LH"]
    moving = sum(state == "P" for state in states.values())
    return steady[0] if len(steady) == 1 and moving >= _MOVING_LINES else 0


def unlike_good(moment: Moment, place: PartRef) -> tuple[int, ...]:
    """Outputs of a chip that do something else than on a good board, while all inputs read on both do the same."""
    readings = moment.snapshot.readings
    good, here = readings.good_pins.get(place, {}), readings.pins.get(place, {})
    signed, signed_here = readings.good_signatures.get(place, {}), readings.pin_signatures.get(place, {})
    chip = moment.chip_type(place) if moment.has(place) else None
    if chip is None:
        return ()
    both = {n for n in set(good) & set(here) if n <= len(chip.pins)}
    differ = {n for n in both if _differ(_as_reading(good[n]), _as_reading(here[n]))}
    # A signature tells more than a state: two pins that pulse may still do different things.
    differ |= {n for n in set(signed) & set(signed_here) if signed[n].value != signed_here[n].value}
    roles = {n: chip.pin_number(n).role for n in differ}
    if any(role != "output" for role in roles.values()):
        return ()
    return tuple(sorted(differ))


def odds_of_chip(moment: Moment, place: PartRef) -> ChipOdds:
    """How much the readings of a chip speak for a fault in it, all together."""
    verdict = judged_chip(moment, place)
    if verdict is None:
        return ChipOdds(0.0)
    readings = _with_nets(moment, place, verdict.chip)
    repeats = _votes(moment, place)
    key = ("chip odds", verdict.chip.name, _in_order(readings), tuple(sorted(repeats.items())))
    return moment.memo.of(key, lambda: chip_odds(verdict, readings, repeats))


# Another pin of the net read alike is a second reading of the net; one read otherwise makes either as likely wrong,
# until the pin was read again: then both are right, and the track between them is open.
_DISSENT = 2


@once
def _states_of_nets(moment: Moment) -> dict[tuple[str, str | None], Counter[str]]:
    """(board, net) → how many of its pins were read low, high and pulsing."""
    nets = _read_on_nets(moment).items()
    return {place: Counter(reading.state for reading in read.values()) for place, read in nets}


def _votes(moment: Moment, place: PartRef) -> dict[int, int]:
    """How often each pin was read alike, at other pins of its net too; less than 1 where those were read otherwise."""
    own, board = moment.snapshot.readings.repeats.get(place, {}), moment.boards[place.board]
    states_of, found = _states_of_nets(moment), {}
    for number, state in moment.snapshot.readings.pins.get(place, {}).items():
        read = states_of.get((place.board, board.net_of(place.refdes, number)), Counter())
        # The count has this pin in it.
        alike, otherwise = max(0, read[state.state] - 1), read.total() - read[state.state]
        times = own.get(number, 1)
        found[number] = times + min(alike, 1) - (_DISSENT * otherwise if times == 1 else 0)
    return {number: votes for number, votes in found.items() if votes != 1}


@once
def judged_chips(moment: Moment) -> dict[PartRef, ChipVerdict]:
    """Every chip with at least one probed pin, judged."""
    probed = [place for place in moment.snapshot.readings.pins if moment.has(place)]
    verdicts = ((place, judged_chip(moment, place)) for place in probed)
    return {place: verdict for place, verdict in verdicts if verdict is not None}
