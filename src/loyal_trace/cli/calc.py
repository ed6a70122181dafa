"""`calc`: the sums of the bench. Engineering notation in; SI numbers out under --json, else a sentence with units."""

import argparse
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from loyal_trace.app.cautions import caution_words
from loyal_trace.cli.output import print_json, tell
from loyal_trace.core.power.clocks import cell_life, crystal_load, divided
from loyal_trace.core.power.diodes import judge_bridge
from loyal_trace.core.power.formulas import regulator, reservoir, ripple_frequency, ripple_voltage
from loyal_trace.core.proving.starts import WORTH_TELLING, failure_rate_upper, starts_needed
from loyal_trace.core.roms.programming import erase_minutes
from loyal_trace.core.vocabulary.cautions import Caution
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import joined, say, term
from loyal_trace.core.vocabulary.units import count_of, format_percent, format_quantity, parse_quantity, parse_reading

_HOT = 125.0


@dataclass(frozen=True)
class Answer:
    """What a sum gives: the document for scripts, the sentence for people, and whether it is a finding."""

    document: dict[str, Any]
    sentence: str
    finding: bool = False


def parse_share(text: str) -> float:
    """`95%` or `0.95` as a fraction; RequestError outside 0 to 1 (exclusive)."""
    value = _fraction(text)
    if not 0 < value < 1:
        raise RequestError(say("“{text}” does not lie between 0 and 100 %", text=text))
    return value


def _fraction(text: str) -> float:
    try:
        return float(text.rstrip("% ")) / (100 if text.strip().endswith("%") else 1)
    except ValueError:
        raise RequestError(say("“{text}” is not a probability; write 95% or 0.95", text=text)) from None


def _listed(text: str, unit: str) -> list[float]:
    return [parse_reading(piece, unit) for piece in text.split(",")]


def starts(options: argparse.Namespace) -> Answer:
    """What n clean starts prove."""
    confidence, target = parse_share(options.confidence), parse_share(options.target)
    upper = failure_rate_upper(options.clean, options.failed, confidence)
    needed = starts_needed(target, options.failed, confidence)
    still = max(0, needed - options.clean)
    document = {
        "clean": options.clean,
        "failed": options.failed,
        "confidence": confidence,
        "failure_rate_upper": upper,
        "target": target,
        "clean_starts_needed": needed,
        "still_needed": still,
    }
    tried = count_of(options.clean + options.failed, "start")
    bound = (
        say(
            "at most {upper} of starts fail ({confidence} confidence)",
            upper=format_percent(upper),
            confidence=format_percent(confidence),
        )
        if upper <= WORTH_TELLING
        else say("too few to bound the failure rate")
    )
    more = say(
        "{more_clean_starts} would show at most {target}",
        more_clean_starts=count_of(still, "more clean start"),
        target=format_percent(target),
    )
    return Answer(
        document,
        say("{clean} clean of {tried}: {bound}; {more}.", clean=options.clean, tried=tried, bound=bound, more=more),
    )


def ripple(options: argparse.Namespace) -> Answer:
    """Ripple on a reservoir."""
    current, capacitance = parse_quantity(options.current, "A"), parse_quantity(options.capacitance, "F")
    frequency = ripple_frequency(parse_quantity(options.mains, "Hz"), options.rectifier)
    voltage = ripple_voltage(current, capacitance, frequency)
    sentence = say(
        "{voltage} peak to peak at {frequency}.",
        voltage=format_quantity(voltage, "V"),
        frequency=format_quantity(frequency, "Hz"),
    )
    return Answer({"ripple_voltage": voltage, "ripple_frequency": frequency}, sentence)


def reservoir_(options: argparse.Namespace) -> Answer:
    """Peak and trough behind a rectifier."""
    winding = (parse_quantity(options.ac, "V"), parse_quantity(options.drop, "V"), options.rectifier)
    load = (parse_quantity(options.current, "A"), parse_quantity(options.capacitance, "F"))
    found = reservoir(*winding, *load, parse_quantity(options.mains, "Hz"))
    document = {
        "peak_voltage": found.peak_voltage,
        "trough_voltage": found.trough_voltage,
        "mean_voltage": found.mean_voltage,
        "ripple_voltage": found.ripple_voltage,
        "ripple_frequency": found.ripple_frequency,
    }
    peak, trough = format_quantity(found.peak_voltage, "V"), format_quantity(found.trough_voltage, "V")
    moves = say(
        "{ripple_voltage} at {ripple_frequency}",
        ripple_voltage=format_quantity(found.ripple_voltage, "V"),
        ripple_frequency=format_quantity(found.ripple_frequency, "Hz"),
    )
    return Answer(document, say("Peak {peak}, trough {trough}, ripple {moves}.", peak=peak, trough=trough, moves=moves))


def regulator_(options: argparse.Namespace) -> Answer:
    """Headroom, heat and junction of a linear regulator."""
    thetas = [options.theta_jc, options.theta_cs, options.theta_sa]
    given = tuple(parse_quantity(text, "K/W") for text in thetas if text is not None)
    found = regulator(
        parse_quantity(options.input, "V"),
        parse_quantity(options.output, "V"),
        parse_quantity(options.dropout, "V"),
        parse_quantity(options.current, "A"),
        given,
        parse_quantity(options.ambient, "°C"),
    )
    document = {
        "headroom": found.headroom,
        "power": found.power,
        "junction_temperature": found.junction_temperature,
    }
    words = [
        say("Headroom {headroom}", headroom=format_quantity(found.headroom, "V"))
        + (say(" (it drops out)") if found.headroom < 0 else "")
    ]
    words.append(say("heat {power}", power=format_quantity(found.power, "W")))
    hot = found.junction_temperature is not None and found.junction_temperature > _HOT
    if found.junction_temperature is not None:
        words.append(
            say("junction {junction_temperature:.0f} °C", junction_temperature=found.junction_temperature)
            + (say(", above {hot:.0f} °C", hot=_HOT) if hot else "")
        )
    return Answer(document, say("{words}.", words=joined("; ", words)), found.headroom < 0 or hot)


def bridge(options: argparse.Namespace) -> Answer:
    """Four diode readings."""
    found = judge_bridge(_listed(options.readings, "V"))
    document = {"verdict": found.verdict, "diodes": list(found.diodes), "reason": found.reason}
    return Answer(
        document, say("{verdict}: {reason}.", verdict=term(found.verdict), reason=found.reason), found.verdict != "good"
    )


def crystal(options: argparse.Namespace) -> Answer:
    """The load a crystal sees."""
    pair = (parse_quantity(options.c1, "F"), parse_quantity(options.c2, "F"))
    found = crystal_load(*pair, parse_quantity(options.stray, "F"), parse_quantity(options.load, "F"))
    document = {"load_capacitance": found.load_capacitance, "verdict": found.verdict, "pull_ppm": found.pull_ppm}
    words = say(
        "{load_capacitance}, {verdict}: {reason}.",
        load_capacitance=format_quantity(found.load_capacitance, "F"),
        verdict=term(found.verdict),
        reason=found.reason,
    )
    return Answer(document, words, found.verdict != "good")


def cell(options: argparse.Namespace) -> Answer:
    """How long a back-up cell lasts."""
    charge = 3600 * parse_quantity(options.capacity, "Ah")
    years = cell_life(charge, parse_quantity(options.current, "A"), _fraction(options.self_discharge))
    return Answer({"life_years": years}, say("About {years:.1f} years.", years=years))


def erase(options: argparse.Namespace) -> Answer:
    """How long an EPROM lies under the lamp."""
    minutes = erase_minutes(parse_quantity(options.irradiance), parse_quantity(options.dose))
    return Answer(
        {"minutes": minutes},
        say("About {minutes:.0f} minutes. {caution_words}", minutes=minutes, caution_words=caution_words([Caution.UV])),
    )


def divider(options: argparse.Namespace) -> Answer:
    """Frequencies after each divider."""
    found = divided(parse_quantity(getattr(options, "from"), "Hz"), _listed(options.by, ""))
    shown = joined(", ", (format_quantity(f, "Hz", 6) for f in found))
    return Answer({"frequencies": list(found)}, say("{shown}.", shown=shown))


_ANSWERS: dict[str, Callable[[argparse.Namespace], Answer]] = {
    "starts": starts,
    "ripple": ripple,
    "reservoir": reservoir_,
    "regulator": regulator_,
    "bridge": bridge,
    "crystal": crystal,
    "cell": cell,
    "erase": erase,
    "divider": divider,
}


def run(options: argparse.Namespace) -> int:
    """One sum of the bench; 1 when what it finds is not right."""
    answer = _ANSWERS[options.action](options)
    if options.json:
        print_json(answer.document)
    else:
        tell(answer.sentence)
    return 1 if answer.finding else 0
