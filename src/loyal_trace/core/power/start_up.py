"""Reset, watchdog and back-up cell: what their readings say."""

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.boards.supplies import Cell, Reset
from loyal_trace.core.power.clocks import cell_life
from loyal_trace.core.power.expected import reset_time
from loyal_trace.core.power.findings import Explanation, value_of
from loyal_trace.core.power.rails import PathReport
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import format_quantity

_WATCHDOG = 0.25


def start_up(board: BoardDefinition, report: PathReport) -> list[Explanation]:
    """Resets and cells that have points on this path."""
    points = {p.point.point for p in report.points}
    parts = {p.point.part for p in report.points}
    found: list[Explanation] = []
    for reset in board.resets:
        if reset.point in points:
            found += _reset(board, report, reset)
    for cell in board.cells:
        if cell.part in parts:
            found += _cell(board, report, cell)
    return found


def _reset(board: BoardDefinition, report: PathReport, reset: Reset) -> list[Explanation]:
    found = []
    at = [p for p in report.points if p.point.point == reset.point]
    pulses = value_of(next((p for p in at if p.point.quantity == "reset pulses"), None))
    level = value_of(next((p for p in at if p.point.quantity == "voltage"), None))
    lasts = value_of(next((p for p in at if p.point.quantity == "reset time"), None))
    # The program runs and crashes at the watchdog's pace: the reset circuit does its work.
    if pulses and reset.watchdog and abs(pulses * reset.watchdog - 1) <= _WATCHDOG:
        comes = say(
            "reset comes again every {pulses}, the period of the watchdog ({watchdog:g} s)",
            pulses=format_quantity(1 / pulses, "s"),
            watchdog=reset.watchdog,
        )
        text = say(
            "{comes}: the processor starts, but does not run its program; check ROMs and bus before the reset circuit",
            comes=comes,
        )
        found.append(Explanation(reset.part, "doubtful", text))
    elif pulses:
        text = say(
            "reset pulses at {pulses}: not the period of the watchdog; measure whether the supply drops",
            pulses=format_quantity(pulses, "Hz"),
        )
        found.append(Explanation(reset.part, "bad", text))
    held = level is not None and (level < 0.8 if reset.active == "low" else level > 2.0)
    if held and not pulses:
        text = say(
            "reset is held {active} ({level}): the processor cannot run until it is released",
            active=reset.active,
            level=format_quantity(level or 0.0, "V"),
        )
        found.append(Explanation(reset.part, "bad", text))
    wanted = reset_time(board, reset)
    if lasts is not None and wanted:
        has = say(
            "reset lasts {lasts}, {wanted} by its parts",
            lasts=format_quantity(lasts, "s"),
            wanted=format_quantity(wanted, "s"),
        )
        # The same ±40 % as in the limits of the point.
        if lasts < 0.6 * wanted:
            value = format_quantity((board.part(reset.capacitor).value or 0.0) * lasts / wanted, "F")
            text = say(
                "{has}: too short, {capacitor} acts like {value} and has dried out, or {resistor} is low",
                has=has,
                capacitor=reset.capacitor,
                value=value,
                resistor=reset.resistor,
            )
            found.append(Explanation(reset.capacitor, "bad", text))
        elif lasts > 1.4 * wanted:
            text = say(
                "{has}: too long, {capacitor} leaks or {resistor} has risen",
                has=has,
                capacitor=reset.capacitor,
                resistor=reset.resistor,
            )
            found.append(Explanation(reset.capacitor, "bad", text))
    return found


def cell_years(cell: Cell, current: float | None = None) -> float | None:
    """How long (year) a fresh cell lasts at a current (ampere), its own back-up current unless another is given."""
    try:
        return cell_life(3600 * cell.capacity_ah, cell.current if current is None else current, cell.self_discharge)
    except RequestError:
        return None


def _cell(board: BoardDefinition, report: PathReport, cell: Cell) -> list[Explanation]:
    """Volts, drain and life of a back-up cell; holder and decoupling beside it."""
    found = []
    level = value_of(report.latest("voltage", cell.part))
    drain = value_of(report.latest("current", cell.part))
    beside = [say("the holder {holder}", holder=cell.holder)] * bool(cell.holder) + [
        say("{decoupling} beside it", decoupling=cell.decoupling)
    ] * bool(cell.decoupling)
    look = say("; inspect {beside} as well", beside=joined(say(" and "), beside)) if beside else ""
    if level is not None and level < cell.low:
        flat = say("{part} is flat: {level}", part=cell.part, level=format_quantity(level, "V"))
        text = say("{flat}, below {low:g} V what it feeds loses its contents{look}", flat=flat, low=cell.low, look=look)
        found.append(Explanation(cell.part, "bad", text))
    years = cell_years(cell, drain)
    if drain is not None and years is not None:
        usual = cell_years(cell)
        life = say(
            "{drain} drain: a new {part} lasts {years:.1f} years",
            drain=format_quantity(drain, "A"),
            part=cell.part,
            years=years,
        )
        if drain > 2 * cell.current:
            fed = (
                say("{usual:.1f} at the expected {current}", usual=usual, current=format_quantity(cell.current, "A"))
                if usual
                else "longer"
            )
            text = say(
                "{life}, not {fed}: a leaking {decoupling} or a leaky blocking diode discharges it",
                life=life,
                fed=fed,
                decoupling=cell.decoupling or "capacitor",
            )
            found.append(Explanation(cell.decoupling or cell.part, "bad", text))
        else:
            found.append(Explanation(cell.part, "good", life))
    return found
