"""Why a supply is wrong: the readings of one path held against each other, in sentences that name the part.

Each rule is a sum of `formulas`; none looks at anything but the board definition and the readings.
"""

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.boards.supplies import Supply
from loyal_trace.core.power.diodes import NEAR_ZERO, SILICON_HIGH, SILICON_LOW, judge_bridge, judge_transistor
from loyal_trace.core.power.expected import nominal_reservoir
from loyal_trace.core.power.findings import Explanation, value_of
from loyal_trace.core.power.formulas import capacitance_from_ripple, ripple_frequency
from loyal_trace.core.power.rails import PathReport, PointVerdict
from loyal_trace.core.power.start_up import start_up
from loyal_trace.core.power.under_load import SupplyContext, under_load
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.quantities import Quantity
from loyal_trace.core.vocabulary.units import format_quantity

# As for a single reading to ground.
_SHORT_OHMS = 10.0
# The ripple formula errs by the conduction time, so less than −20 % is not held against the part.
_CAPACITOR_LOW = 0.7
# Meter leads and settling give a few in a hundred; junctions give far more.
_ONE_WAY = 1.3


def explain(board: BoardDefinition, report: PathReport, around: SupplyContext | None = None) -> tuple[Explanation, ...]:
    """What the readings of a path say together, most upstream first; empty when nothing is wrong or known.

    `around` is what else is known: capacitors measured elsewhere, the chips' own current, what was seen.
    """
    supply = board.supply(report.path)
    found = [*_fuses(report), *_junctions(board, report), *start_up(board, report)]
    if supply is not None:
        found += _ripple(board, report, supply)
        found += _regulator(board, report, supply)
        found += under_load(board, report, supply, around or SupplyContext())
    return (*found, *_both_ways(report), *_series_or_shunt(report, found))


def _both_ways(report: PathReport) -> list[Explanation]:
    """Resistance to ground in both polarities: alike and low is a short, different is the chips' own junctions."""
    one, other = report.latest("resistance to ground"), report.latest("resistance to ground, reversed")
    here, there = value_of(one), value_of(other)
    if one is None or here is None or there is None or min(here, there) <= 0:
        return []
    shown = say(
        "{here} one way and {there} the other at {point}",
        here=format_quantity(here, "Ω"),
        there=format_quantity(there, "Ω"),
        point=one.point.point,
    )
    if max(here, there) < _SHORT_OHMS:
        return [
            Explanation(
                one.point.part, "bad", say("{shown}: low in both directions, which indicates a short", shown=shown)
            )
        ]
    if max(here, there) / min(here, there) > _ONE_WAY:
        return [
            Explanation(
                one.point.part, "good", say("{shown}: different in both directions, as chips conduct", shown=shown)
            )
        ]
    return []


def _volts(value: float) -> str:
    return format_quantity(value, "V")


def _fuses(report: PathReport) -> list[Explanation]:
    found = []
    for point in report.points:
        part = point.point.part
        if point.point.quantity == "resistance" and point.overload:
            text = say("{part} is blown or missing: everything after it on this path has no supply", part=part)
            found.append(Explanation(part, "bad", text))
        elif point.point.quantity == "rating" and point.verdict == "bad" and not point.overload:
            text = say(
                "{part} is a {shown} fuse where the board needs {expected}",
                part=part,
                shown=point.shown,
                expected=point.expected,
            )
            found.append(Explanation(part, "bad", text))
    return found


def _junctions(board: BoardDefinition, report: PathReport) -> list[Explanation]:
    """Diode readings of one part held together: the four of a bridge, or the like junctions of an array."""
    legs: dict[str, list[PointVerdict]] = {}
    for point in report.points:
        if point.point.quantity == "diode" and point.reading is not None:
            legs.setdefault(point.point.part, []).append(point)
    found = []
    for part, points in legs.items():
        bad = [p.point.point for p in points if p.verdict == "bad"]
        if board.part(part).kind == "bridge":
            verdict = judge_bridge(_four_pins(points))
            if verdict.verdict != "good":
                found.append(Explanation(part, "bad", say("{part}: {reason}", part=part, reason=verdict.reason)))
        elif {p.point.point.rpartition(".")[2] for p in points} >= {"be", "bc", "ce"}:
            found += _transistor(part, points)
        elif bad and len(bad) < len(points):
            told = say(
                "{bad} of {part} read differently from the other {count}",
                bad=joined(say(" and "), bad),
                part=part,
                count=len(points) - len(bad),
            )
            found.append(
                Explanation(part, "bad", say("{told}: that section of {part} is faulty", told=told, part=part))
            )
    return found


def _transistor(part: str, points: list[PointVerdict]) -> list[Explanation]:
    """The three readings of one transistor: base to emitter, base to collector, collector to emitter."""
    read = {p.point.point.rpartition(".")[2]: value_of(p) for p in points}
    values = [float("inf") if read[name] is None else float(read[name] or 0.0) for name in ("be", "bc", "ce")]
    verdict = judge_transistor(*values)
    return [
        Explanation(
            part,
            "good" if verdict.verdict == "good" else "bad",
            say("{part}: {reason}", part=part, reason=verdict.reason),
        )
    ]


def _four_pins(points: list[PointVerdict]) -> list[float]:
    """Readings of a bridge by leg (volt); a leg not read yet is taken to be like one that conducts."""
    read = {}
    for position, point in enumerate(points, start=1):
        leg = point.point.point.rpartition(".")[2]
        value = value_of(point)
        read[int(leg) if leg in ("1", "2", "3", "4") else position] = float("inf") if value is None else value
    # Unread legs must not turn the verdict: one that conducts like the others changes nothing.
    usual = next((value for value in read.values() if NEAR_ZERO < value <= SILICON_HIGH), SILICON_LOW + 0.15)
    return [read.get(leg, usual) for leg in (1, 2, 3, 4)]


def _ripple(board: BoardDefinition, report: PathReport, supply: Supply) -> list[Explanation]:
    """Ripple by its frequency and size: half a rectifier, or a reservoir that has dried."""
    ripple, frequency = value_of(report.latest("ripple")), value_of(report.latest("ripple frequency"))
    if not ripple or ripple <= 0:
        return []
    wanted = ripple_frequency(supply.mains, supply.rectifier)
    # The last comparison is false for a single diode, where the mains frequency is what is wanted.
    halved = frequency is not None and abs(frequency - supply.mains) < 0.1 * supply.mains < wanted - supply.mains
    found = []
    if halved:
        bridge = next((p.point.part for p in report.points if p.point.quantity == "diode"), say("the rectifier"))
        comes = say(
            "the ripple has {frequency}, the mains frequency instead of twice that",
            frequency=format_quantity(frequency or 0.0, "Hz"),
        )
        found.append(
            Explanation(bridge, "bad", say("{comes}: half of {bridge} does not conduct", comes=comes, bridge=bridge))
        )
    reservoir = supply.reservoir
    value = board.part(reservoir).value if reservoir else None
    if not value or supply.current <= 0:
        return found
    has = capacitance_from_ripple(supply.current, ripple, frequency or wanted)
    shown = say("{has} against {value} marked", has=format_quantity(has, "F"), value=format_quantity(value, "F"))
    if has < _CAPACITOR_LOW * value:
        speaks = say(
            "a ripple of {volts} at {current} indicates {shown}",
            volts=_volts(ripple),
            current=format_quantity(supply.current, "A"),
            shown=shown,
        )
        found.append(
            Explanation(
                reservoir,
                "bad",
                say("{speaks}: {reservoir} has dried out, or the load is higher", speaks=speaks, reservoir=reservoir),
            )
        )
    elif halved:
        found.append(
            Explanation(
                reservoir,
                "good",
                say(
                    "{reservoir} is in order: at that ripple frequency it has {shown}", reservoir=reservoir, shown=shown
                ),
            )
        )
    return found


def _regulator(board: BoardDefinition, report: PathReport, supply: Supply) -> list[Explanation]:
    """Does the regulator get enough at the bottom of the ripple?"""
    parts = [p.point.part for p in report.points if p.point.part]
    part = next((refdes for refdes in parts if board.part(refdes).kind == "regulator"), "")
    mean, ripple = (
        value_of(report.latest("voltage", supply.reservoir)),
        value_of(report.latest("ripple", supply.reservoir)),
    )
    ripple = 0.0 if supply.dc else ripple
    if not part or not supply.nominal or mean is None or ripple is None:
        return []
    # A meter on DC shows the mean; what the regulator gets at worst is half the ripple below it.
    trough, needed = abs(mean) - ripple / 2, abs(supply.nominal) + supply.dropout
    where = say("its input is {volts}" if supply.dc else "its input falls to {volts}", volts=_volts(trough))
    where += "" if supply.dc else say(" at the bottom of the ripple")
    if trough < needed:
        text = say(
            "{part} drops out in every cycle because of its input: {where}, and it needs {volts}",
            part=part,
            where=where,
            volts=_volts(needed),
        )
        return [Explanation(part, "good", text)]
    output = report.latest("voltage", part)
    if output is not None and output.verdict == "bad":
        enough = say("{part} has enough ({where}, {volts} is needed)", part=part, where=where, volts=_volts(needed))
        return [
            Explanation(
                part,
                "bad",
                say("{enough}, but its output is wrong: {part} or its load is faulty", enough=enough, part=part),
            )
        ]
    healthy = nominal_reservoir(board, supply)
    more = say(" ({volts} with a healthy reservoir)", volts=_volts(healthy.trough_voltage - needed)) if healthy else ""
    text = say(
        "{part} regulates: {where}, {volts} headroom{more}",
        part=part,
        where=where,
        volts=_volts(trough - needed),
        more=more,
    )
    return [Explanation(part, "good", text)]


def _series_or_shunt(report: PathReport, found: list[Explanation]) -> list[Explanation]:
    """No volts after good volts: open on the way, or shorted behind? The unpowered resistance decides."""
    bad, good = report.first_bad, report.last_good
    if bad is None or bad.point.quantity != "voltage" or any(e.kind == "bad" for e in found):
        return []
    part = bad.point.part
    if not any(point.point.part for point in report.points):
        return [Explanation("", "bad", _of_plain_rail(report, bad))]
    between = (
        say("between {point} and {point2}", point=good.point.point, point2=bad.point.point)
        if good
        else say("before {point}", point=bad.point.point)
    )
    ohms = value_of(report.latest("resistance to ground"))
    if ohms is None:
        decides = say("the resistance to ground there, power off, distinguishes an open path from a short after it")
        return [
            Explanation(part, "doubtful", say("the fault lies {between}; {decides}", between=between, decides=decides))
        ]
    shown = say("{ohms} to ground", ohms=format_quantity(ohms, "Ω"))
    if ohms < _SHORT_OHMS:
        return [
            Explanation(
                part,
                "bad",
                say(
                    "{shown}: a part after {point} is shorted and pulls the voltage down",
                    shown=shown,
                    point=bad.point.point,
                ),
            )
        ]
    return [
        Explanation(
            part,
            "bad",
            say(
                "{shown} is not a short: the path is open or high in resistance {between}", shown=shown, between=between
            ),
        )
    ]


def _of_plain_rail(report: PathReport, bad: PointVerdict) -> str:
    """A rail of which only its far end is known: too little, too much, or nothing, and whether a short explains it."""
    volts, ohms = value_of(bad) or 0.0, value_of(report.latest(Quantity.TO_GROUND))
    shown = say(
        "{volts} at {point}, expected {expected}",
        volts=format_quantity(volts, "V"),
        point=bad.point.point,
        expected=bad.expected,
    )
    if abs(volts) > max(abs(bad.limits.low), abs(bad.limits.high)):
        return say("{rail} is too high ({shown}): its regulator or its supply is faulty", rail=report.path, shown=shown)
    low = say("{rail} is too low ({shown})", rail=report.path, shown=shown)
    if ohms is None:
        return say("{low}; its resistance to ground, power off, tells whether a part pulls it down", low=low)
    ground = say("{ohms} to ground", ohms=format_quantity(ohms, "Ω"))
    if ohms < _SHORT_OHMS:
        return say("{low}, and {ground} is a short: a part on it pulls it down", low=low, ground=ground)
    return say(
        "{low}, and {ground} is not a short: its supply is low, or the way from it to the chip is poor",
        low=low,
        ground=ground,
    )
