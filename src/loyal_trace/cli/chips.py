"""`chip find`, `chip add`: printed names, and types of one's own. `swap solve`: arrangements from a file."""

import argparse
from pathlib import Path
from typing import Any

from loyal_trace.app.own_types import add_types, library_with_own
from loyal_trace.cli.output import print_json, print_table, tell
from loyal_trace.cli.parsing import default_store, store_of
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.chips.model import ChipType
from loyal_trace.core.diagnosis.arrangements import solve_arrangements
from loyal_trace.core.parts.equivalents import equivalents_of, words_of
from loyal_trace.core.parts.fitting import FIT_WORDS, Fits
from loyal_trace.core.simulation.traces import Disagreement, check_trace
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import count_of, format_percent, parse_quantity
from loyal_trace.formats.arrangements import read_arrangements
from loyal_trace.formats.traces import read_trace
from loyal_trace.resources import chip_library, families, memory_types

_SHOWN, _MOVES = 12, 5


def own_library(store: Path | None) -> ChipLibrary:
    """The library with the workshop's own types; a file of them that cannot be read is named."""
    library, warnings = library_with_own(store or default_store(), chip_library)
    for warning in warnings:
        tell(warning, error=True)
    return library


def chip_find(options: argparse.Namespace) -> int:
    """What a printed name means; 1 when the library does not know it."""
    printed, library = " ".join(options.marking), own_library(options.store)
    found = library.read_as(printed)
    if found is None:
        if options.json:
            print_json({"marking": printed, "type": None})
        else:
            tell(say("The library does not know {printed}. Describe it: chip add FILE.", printed=printed))
        return 1
    key, read = found
    chip = library.find(printed)
    document = {
        "marking": printed,
        "type": key,
        "title": chip.title,
        "family": chip.family.name,
        "pins": len(chip.pins),
        "speed": read.speed,
        "model": _model(chip),
    }
    if options.json:
        print_json(document)
        return 0
    tell(say("{printed}: {key}, {title}", printed=printed, key=key, title=chip.title))
    told = say("family {family}, {count} pins", family=chip.family.name, count=len(chip.pins))
    speed = say(", speed grade {speed}", speed=read.speed) if read.speed else ""
    tell(f"  {told}{speed}, {_MODEL_WORDS[_model(chip)]}")
    return 0


def pin_number(chip: ChipType, text: str) -> int:
    """The number of a pin by number or name; RequestError when there is none."""
    return chip.pin_number(int(text)).number if text.isdecimal() else chip.pin(text.upper()).number


def check_captured(chip: ChipType, options: argparse.Namespace) -> int:
    """`chip check TYPE --trace FILE --map PIN=CHANNEL`: 1 when an output is not what the model gives."""
    pins: dict[int, str] = {}
    for text in options.map:
        pin, sign, channel = text.partition("=")
        if not sign or not channel:
            raise RequestError(say("“{text}” should look like PIN=CHANNEL, for instance 3=D0", text=text))
        pins[pin_number(chip, pin.strip())] = channel.strip()
    if options.skew < 0:
        raise RequestError(say("skew is a number of samples, 0 or more"))
    found = check_trace(chip, read_trace(options.trace), pins, own_library(options.store), options.skew)
    if options.json:
        print_json({"type": chip.name, "disagreements": [_disagreement(one) for one in found]})
    elif not found:
        tell(say("{chip}: every captured output is what the model gives", chip=chip.name))
    for one in found if not options.json else ():
        tell(say("{reason} ({count} in all)", reason=one.reason, count=count_of(one.count, "time")))
    return 1 if found else 0


def _disagreement(one: Disagreement) -> dict[str, Any]:
    return {
        "time": one.time,
        "pin": one.pin,
        "name": one.name,
        "expected": one.expected,
        "seen": one.seen,
        "inputs": dict(one.inputs),
        "count": one.count,
        "reason": one.reason,
    }


_MODEL_WORDS = {
    "logic": say("outputs are judged by its logic"),
    "memory": say("outputs are judged by its select and address"),
    "none": say("no model: its outputs are not judged from its pins alone"),
}


def _model(chip: ChipType) -> str:
    return "logic" if chip.outputs else "memory" if chip.memory is not None else "none"


def chip_equivalents(options: argparse.Namespace) -> int:
    """What can stand in for a chip; 1 when nothing is known to."""
    clock = parse_quantity(options.clock, "Hz") if options.clock else None
    found = equivalents_of(options.type, own_library(options.store), families(), memory_types(), clock)
    useful = [one for one in found.found if one.fits is not Fits.NO]
    if options.json:
        print_json(
            {
                "type": found.chip.name,
                "title": found.chip.title,
                "equivalents": [
                    {
                        "type": one.number,
                        "relation": one.relation,
                        "verdict": one.fits,
                        "gives_up": list(one.gives_up),
                        "wiring": [{"from": wire.start, "to": wire.end} for wire in one.wiring],
                    }
                    for one in found.found
                ],
                "sections": [{"name": s.name, "inputs": s.inputs, "output": s.output} for s in found.sections],
            }
        )
        return 0 if useful else 1
    tell(say("{chip}, {title}", chip=found.chip.name, title=found.chip.title))
    for one in found.found:
        tell(
            say(
                "  {verdict}: {number}, {relation}",
                verdict=FIT_WORDS[one.fits],
                number=one.number,
                relation=one.relation,
            )
        )
        for cost in one.gives_up:
            tell(say("      {cost}", cost=cost))
        if one.wiring:
            tell(say("      wiring: {wiring}", wiring=words_of(one.wiring)))
    if not found.found:
        tell(say("  nothing is known to stand in for it: a donor board, or the exact type"))
    if found.sections:
        names = joined(", ", (section.name for section in found.sections))
        tell(
            say(
                "  {count} like sections: {names}; an unused one can replace a dead one",
                count=len(found.sections),
                names=names,
            )
        )
    return 0 if useful else 1


def chip_add(options: argparse.Namespace) -> int:
    """Keeps types of one's own in the workshop."""
    names = add_types(store_of(options), options.file, chip_library)
    if options.json:
        print_json({"types": list(names)})
    else:
        tell(say("Added: {names}.", names=joined(", ", names)))
    return 0


def swap_solve(options: argparse.Namespace) -> int:
    """Which part, place or spare is bad, and the move that tells most."""
    doubts, moves = solve_arrangements(read_arrangements(options.file))
    suspects = [{"name": d.name, "kind": d.kind, "probability": round(d.probability, 4)} for d in doubts]
    following = [{"part": m.part, "place": m.place, "bits": round(m.bits, 4)} for m in moves[:_MOVES]]
    if options.json:
        print_json({"suspects": suspects, "next": following})
        return 0
    print_table([(d.name, d.kind, format_percent(d.probability)) for d in doubts[:_SHOWN]])
    for move in moves[:_MOVES]:
        tell(say("next: put {part} in {place} ({bits:.2f} bit)", part=move.part, place=move.place, bits=move.bits))
    return 0
