"""Reset, watchdog and back-up cell: what their readings say."""

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.boards.supplies import Cell, Reset
from loyal_trace.core.power.clocks import cell_life
from loyal_trace.core.power.expected import reset_time
from loyal_trace.core.power.findings import Explanation, value_of
from loyal_trace.core.power.rails import PathReport
from loyal_trace.core.vocabulary.errors import RequestError
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
        comes = (
            f"reset comes again every {format_quantity(1 / pulses, 's')}, the "
            f"period of the watchdog ({reset.watchdog:g} s)"
        )
        text = (
            f"{comes}: the processor starts, but does not run its program; check ROMs and bus before the reset circuit"
        )
        found.append(Explanation(reset.part, "doubtful", text))
    elif pulses:
        text = (
            f"reset pulses at {format_quantity(pulses, 'Hz')}: not the period of "
            "the watchdog; measure whether the supply drops"
        )
        found.append(Explanation(reset.part, "bad", text))
    held = level is not None and (level < 0.8 if reset.active == "low" else level > 2.0)
    if held and not pulses:
        text = (
            f"reset is held {reset.active} ({format_quantity(level or 0.0, 'V')}): "
            "the processor cannot run until it is released"
        )
        found.append(Explanation(reset.part, "bad", text))
    wanted = reset_time(board, reset)
    if lasts is not None and wanted:
        has = f"reset lasts {format_quantity(lasts, 's')}, {format_quantity(wanted, 's')} by its parts"
        # The same ±40 % as in the limits of the point.
        if lasts < 0.6 * wanted:
            value = format_quantity((board.part(reset.capacitor).value or 0.0) * lasts / wanted, "F")
            text = (
                f"{has}: too short, {reset.capacitor} acts like {value} and has dried out, or {reset.resistor} is low"
            )
            found.append(Explanation(reset.capacitor, "bad", text))
        elif lasts > 1.4 * wanted:
            text = f"{has}: too long, {reset.capacitor} leaks or {reset.resistor} has risen"
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
    beside = [f"the holder {cell.holder}"] * bool(cell.holder) + [f"{cell.decoupling} beside it"] * bool(
        cell.decoupling
    )
    look = f"; inspect {' and '.join(beside)} as well" if beside else ""
    if level is not None and level < cell.low:
        flat = f"{cell.part} is flat: {format_quantity(level, 'V')}"
        text = f"{flat}, below {cell.low:g} V what it feeds loses its contents{look}"
        found.append(Explanation(cell.part, "bad", text))
    years = cell_years(cell, drain)
    if drain is not None and years is not None:
        usual = cell_years(cell)
        life = f"{format_quantity(drain, 'A')} drain: a new {cell.part} lasts {years:.1f} years"
        if drain > 2 * cell.current:
            fed = f"{usual:.1f} at the expected {format_quantity(cell.current, 'A')}" if usual else "longer"
            text = (
                f"{life}, not {fed}: a leaking {cell.decoupling or 'capacitor'} or a leaky blocking diode discharges it"
            )
            found.append(Explanation(cell.decoupling or cell.part, "bad", text))
        else:
            found.append(Explanation(cell.part, "good", life))
    return found
