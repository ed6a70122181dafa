"""`caps check`, `caps fit`, `caps age`: the verdict on a measured capacitor, on a substitute, and on its years."""

import argparse
import math
from typing import Any

from loyal_trace.cli.output import print_json, tell
from loyal_trace.core.parts.ageing import Years, age_of
from loyal_trace.core.parts.fitting import FIT_WORDS, Fits, Place, judge_fit, plain_place
from loyal_trace.core.parts.judging import CapacitorReading, judge
from loyal_trace.core.parts.limits import CapacitorLimits
from loyal_trace.core.parts.roles import Role, role_said
from loyal_trace.core.parts.spec import CapacitorSpec, parse_spec
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import joined, say, term
from loyal_trace.core.vocabulary.units import format_percent, parse_quantity, two_meanings
from loyal_trace.core.vocabulary.verdicts import Verdict
from loyal_trace.resources import default_tables

_MOST = {"F": 10.0, "Ω": 1e12, "A": 10.0, "Hz": 1e9, "": 10.0}


def _limits() -> CapacitorLimits:
    return default_tables().capacitors


def _number(text: str | None, unit: str, name: str, least: float = 0.0) -> float | None:
    """A reading as typed; RequestError where it cannot be."""
    if text is None:
        return None
    if text.strip().upper() == "OL" and unit == "Ω":
        return math.inf
    if two_meanings(text):
        raise RequestError(
            say("{name} {text} can be read in two ways; write it without the comma", name=name, text=text)
        )
    found = parse_quantity(text, unit)
    if not least <= found <= _MOST.get(unit, math.inf):
        raise RequestError(say("{name} cannot be {text}", name=name, text=text))
    return found


def _share(text: str | None, name: str) -> float | None:
    if text is None:
        return None
    body = text.strip()
    try:
        found = float(body.rstrip("% ").replace(",", ".")) / (100 if body.endswith("%") else 1)
    except ValueError:
        raise RequestError(say("{name} “{text}” is not a share; write 12% or 0.12", name=name, text=text)) from None
    if not 0 <= found <= 1:
        raise RequestError(say("{name} cannot be {text}", name=name, text=text))
    return found


def _celsius(text: str | None) -> float | None:
    if text is None:
        return None
    found = parse_quantity(text.strip().removesuffix("C").removesuffix("°"), "")
    if not -60 <= found <= 200:
        raise RequestError(say("a part cannot be at {text}", text=text))
    return found


def caps_check(options: argparse.Namespace) -> int:
    """Judges what was measured; 1 when the part is not good."""
    read = CapacitorReading(
        capacitance=_number(options.measured, "F", "--measured"),
        esr=_number(options.esr, "Ω", "--esr"),
        frequency=_number(options.frequency, "Hz", "--frequency", 1.0),
        in_circuit=options.in_circuit,
        loss=_share(options.loss, "--loss"),
        leakage=_number(options.leakage, "A", "--leakage"),
        tan_delta=_number(options.tan_delta, "", "--tan-delta"),
        resistance=_number(options.resistance, "Ω", "--resistance"),
        celsius=_celsius(options.temperature),
        parallel=_number(options.parallel, "F", "--parallel") or 0.0,
        beside=(say("what is in parallel"),) if options.parallel else (),
    )
    if read.empty:
        raise RequestError(say("caps check needs a reading, for example --measured 51u or --esr 5"))
    found = judge(parse_spec(options.marked), read, _limits())
    if options.json:
        reasons = [reason.text for reason in found.reasons] or [found.reason]
        faults = sorted(fault.value for fault in found.faults)
        print_json({"verdict": found.verdict, "reasons": reasons, "faults": faults})
    else:
        tell(say("{verdict}: {reason}", verdict=term(found.verdict), reason=found.reason))
        for reason in found.reasons:
            if reason.verdict != found.verdict:
                tell(f"  {term(reason.verdict)}: {reason.text}")
    return 0 if found.verdict == Verdict.GOOD else 1


def caps_fit(options: argparse.Namespace) -> int:
    """Judges a substitute; 1 when it does not fit."""
    place, new = _place(options), parse_spec(options.candidate)
    found = judge_fit(place, new, _limits())
    if options.json:
        checks = [{"aspect": c.aspect, "verdict": c.verdict, "reason": c.reason} for c in found.checks]
        role = {"role": place.role.role, "guessed": place.role.guessed, "why": place.role.why}
        print_json({"verdict": found.fits, "reasons": list(found.reasons), "checks": checks, "role": role})
    else:
        tell(say("{verdict}: {reasons}", verdict=FIT_WORDS[found.fits], reasons=joined("; ", found.reasons)))
    return 1 if found.fits is Fits.NO else 0


def _place(options: argparse.Namespace) -> Place:
    old = parse_spec(options.marked)
    role = None
    if options.role:
        role = role_said(options.role)
        if role is None:
            roles = joined(", ", (one.value for one in Role if one is not Role.UNKNOWN))
            raise RequestError(say("“{role}” is not a role; known: {roles}", role=options.role, roles=roles))
    plain = plain_place(old, role)
    volts = _number(options.volts, "V", "--volts")
    return Place(
        old,
        plain.role,
        _millimetres(options.room_diameter) or old.diameter,
        _millimetres(options.room_height) or None,
        "",
        volts,
        _number(options.current, "A", "--current"),
        15.0 if options.hot else 0.0,
    )


def _millimetres(text: str | None) -> float | None:
    if text is None:
        return None
    found = parse_quantity(text.strip().removesuffix("mm").strip())
    if not 0 < found <= 500:
        raise RequestError(say("a room of {text} cannot be", text=text))
    return found


def caps_age(options: argparse.Namespace) -> int:
    """How much of its life is behind a part; 1 when that is all of it."""
    marked = parse_spec(options.marked) if options.marked else CapacitorSpec()
    hours = _plain(options.rated_hours, "--rated-hours") if options.rated_hours else marked.hours
    rated = _celsius(options.rated_temperature) or marked.temperature
    years = Years(
        _plain(options.hours, "--hours"),
        _celsius(options.temperature) or 0.0,
        _plain(options.years, "--years"),
        _celsius(options.shelf) or 0.0,
    )
    age = age_of(_limits().life, years, hours, rated)
    if options.json:
        document: dict[str, Any] = {"likely": age.likely, "range": [age.low, age.high], "word": age.word}
        print_json({**document, "rated_hours": age.hours, "rated_celsius": age.celsius, "assumed": age.assumed})
    else:
        tell(
            say(
                "{word}: {likely} of its life is behind it ({low} to {high})",
                word=age.word,
                likely=format_percent(age.likely),
                low=format_percent(age.low),
                high=format_percent(age.high),
            )
        )
        rating = say("rated {hours:g} h at {celsius:g} °C", hours=age.hours, celsius=age.celsius)
        tell("  " + (say("{rating}, assumed", rating=rating) if age.assumed else rating))
    return 1 if age.likely > 1 else 0


def _plain(text: str, name: str) -> float:
    found = parse_quantity(text.strip().removesuffix("h").strip())
    if not 0 <= found <= 1e7:
        raise RequestError(say("{name} cannot be {text}", name=name, text=text))
    return found
