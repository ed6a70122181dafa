"""What the readings of a supply under load say together: drop on the way, heat, current, crowbar, reservoir."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.boards.supplies import Supply
from loyal_trace.core.power.consumption import Draw
from loyal_trace.core.power.findings import Explanation, value_of
from loyal_trace.core.power.formulas import DIODES_IN_PATH, bridge_power, regulator
from loyal_trace.core.power.rails import PathReport
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import format_quantity
from loyal_trace.core.vocabulary.verdicts import PartVerdict

# A plug and some tracks lose this much on a good board.
_DROP_SHARE = 0.03
# Junction limits of common regulators are 125 to 150 °C; life halves with every ten degrees.
_HOT, _WARM = 125.0, 100.0
# Dry metal on metal against compound, kelvin per watt, TO-220.
_NO_COMPOUND = 1.5
# A fired thyristor holds about a volt; a short holds next to nothing.
_CROWBAR = (0.4, 1.7)


@dataclass(frozen=True)
class SupplyContext:
    """What else is known around a supply: capacitors measured, the chips' current, where compound is missing."""

    capacitors: Mapping[str, PartVerdict] = field(default_factory=dict)
    draw: Draw | None = None
    without_compound: frozenset[str] = frozenset()
    ambient: float = 25.0


def under_load(board: BoardDefinition, report: PathReport, supply: Supply, around: SupplyContext) -> list[Explanation]:
    """Everything of this module that the readings allow to be said."""
    return [
        *_reservoir(report, supply, around),
        *_crowbar(report, supply),
        *_drop(board, report, supply),
        *_heat(board, report, supply, around),
        *_current(report, supply, around),
    ]


def regulator_of(board: BoardDefinition, report: PathReport) -> str:
    """The regulator of a path; empty when it has none."""
    parts = [p.point.part for p in report.points if p.point.part and board.has(p.point.part)]
    return next((refdes for refdes in parts if board.part(refdes).kind == "regulator"), "")


def _reservoir(report: PathReport, supply: Supply, around: SupplyContext) -> list[Explanation]:
    """The reservoir as measured at Plan, brought to where its ripple is judged."""
    verdict = around.capacitors.get(supply.reservoir)
    if verdict is None or verdict.verdict == "not measured":
        return []
    kind = verdict.verdict if verdict.verdict in ("good", "bad") else "doubtful"
    return [
        Explanation(
            supply.reservoir,
            kind,
            say("{reservoir} was measured: {reason}", reservoir=supply.reservoir, reason=verdict.reason),
        )
    ]


def _crowbar(report: PathReport, supply: Supply) -> list[Explanation]:
    """A rail held near a volt with the fuse intact: the crowbar has fired, it is not a short."""
    if not supply.crowbar:
        return []
    rail = [p for p in report.points if p.point.quantity == "voltage" and p.reading and p.verdict == "bad"]
    level = value_of(rail[-1]) if rail else None
    ohms = value_of(report.latest("resistance to ground"))
    if level is not None and _CROWBAR[0] <= abs(level) <= _CROWBAR[1] and (ohms is None or ohms > _CROWBAR[1] * 10):
        fired = say(
            "{point} is held at {level}: the crowbar {crowbar} has fired",
            point=rail[-1].point.point,
            level=format_quantity(level, "V"),
            crowbar=supply.crowbar,
        )
        limit = (
            say("above {crowbar_voltage}", crowbar_voltage=format_quantity(supply.crowbar_voltage, "V"))
            if supply.crowbar_voltage
            else say("too high")
        )
        text = say(
            "{fired}. Find out what made the voltage rise {limit} (a shorted regulator?) before you apply power again",
            fired=fired,
            limit=limit,
        )
        return [Explanation(supply.crowbar, "doubtful", text)]
    return []


def _drop(board: BoardDefinition, report: PathReport, supply: Supply) -> list[Explanation]:
    """Volts lost between the source and the far chip, and the resistance that they speak for."""
    source = report.latest("voltage", regulator_of(board, report))
    volts = [p for p in report.points if p.point.quantity == "voltage" and p.reading is not None]
    far = volts[-1] if volts else None
    here, there = value_of(source), value_of(far)
    if source is None or far is None or here is None or there is None or far is source or not supply.nominal:
        return []
    lost = abs(here) - abs(there)
    # The measured current where there is one: the definition's is that of full load.
    current = value_of(report.latest("current")) or supply.current
    shown = say(
        "{lost} are lost between {point} and {point2}",
        lost=format_quantity(lost, "V"),
        point=source.point.point,
        point2=far.point.point,
    )
    if lost <= _DROP_SHARE * abs(supply.nominal):
        return (
            [Explanation("", "good", say("{shown}: within what plug and tracks lose", shown=shown))] if lost > 0 else []
        )
    ohms = format_quantity(lost / current, "Ω")
    text = say(
        "{shown}, {ohms} at {current}: a plug, a joint or a track between them",
        shown=shown,
        ohms=ohms,
        current=format_quantity(current, "A"),
    )
    return [Explanation(far.point.part, "doubtful", text)]


def _heat(board: BoardDefinition, report: PathReport, supply: Supply, around: SupplyContext) -> list[Explanation]:
    """Heat of regulator and bridge from the readings, and the junction's temperature where the cooling is known."""
    found = []
    current = value_of(report.latest("current")) or supply.current
    part = regulator_of(board, report)
    entry = value_of(report.latest("voltage", supply.reservoir))
    output = value_of(report.latest("voltage", part)) if part else None
    if part and entry is not None and output is not None and abs(entry) > abs(output):
        missing = part in around.without_compound
        thermal = (supply.theta_jc, supply.theta_cs + (_NO_COMPOUND if missing else 0.0), supply.theta_sa)
        known = thermal if supply.theta_jc and supply.theta_sa else ()
        sums = regulator(abs(entry), abs(output), 0.0, current, known, around.ambient)
        words = [say("{part} turns {power} into heat", part=part, power=format_quantity(sums.power, "W"))]
        hot = sums.junction_temperature
        if hot is not None:
            words.append(say("junction about {hot:.0f} °C in air of {ambient:.0f} °C", hot=hot, ambient=around.ambient))
        if missing:
            words.append(say("its heat-sink compound is missing, which adds 1.5 K/W"))
        if supply.shares_sink_with:
            words.append(
                say(
                    "it shares its heat sink with {shares_sink_with}: fit the screws first, then solder",
                    shares_sink_with=supply.shares_sink_with,
                )
            )
        # Without known cooling nothing can be said against the heat itself.
        kind = "good" if hot is None or hot < _WARM else "bad" if hot > _HOT else "doubtful"
        found.append(Explanation(part, "doubtful" if missing and kind == "good" else kind, joined("; ", words)))
    bridge = next((p.point.part for p in report.points if p.point.quantity == "diode"), "")
    wrong = any(p.verdict == "bad" and p.point.part == bridge for p in report.points)
    if bridge and not wrong and entry is not None and board.part(bridge).kind == "bridge":
        watts = bridge_power(supply.diode_drop, current, DIODES_IN_PATH[supply.rectifier])
        text = say(
            "{bridge} turns {watts} into heat at {current}: it runs warm",
            bridge=bridge,
            watts=format_quantity(watts, "W"),
            current=format_quantity(current, "A"),
        )
        found.append(Explanation(bridge, "good", text))
    return found


def _current(report: PathReport, supply: Supply, around: SupplyContext) -> list[Explanation]:
    """The measured current against what the fitted chips should take together."""
    point = report.latest("current")
    taken, draw = value_of(point), around.draw
    if point is None or taken is None or draw is None or not draw.chips:
        return []
    usual = say(
        "{typical} typical, {largest} at most",
        typical=format_quantity(draw.typical, "A"),
        largest=format_quantity(draw.largest, "A"),
    )
    counted = say("{chips} chips together take {usual}", chips=draw.chips, usual=usual) + (
        say(", {guessed} of them guessed", guessed=draw.guessed) if draw.guessed else ""
    )
    shown = say("{taken} drawn; {counted}", taken=format_quantity(taken, "A"), counted=counted)
    if taken > draw.high:
        text = say(
            "{shown}: a part draws too much. Find the hot part with a thermometer or a thermal camera", shown=shown
        )
        return [Explanation(point.point.part, "bad", text, hot=True)]
    if taken < draw.low:
        return [
            Explanation(
                point.point.part,
                "doubtful",
                say("{shown}: a part of the board is not supplied or not running", shown=shown),
            )
        ]
    return [Explanation(point.point.part, "good", shown)]
