"""A chip against a captured trace: its model is run on the inputs as captured, its outputs held against those seen.

The state that it starts in is not known: a healthy chip agrees from some state on. An output may be late, and edges of
two channels may be sampled the wrong way round, so nothing is held against it for some samples around a change.
"""

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from itertools import product

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.chips.expressions import never_with
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.chips.model import ChipType
from loyal_trace.core.simulation.machine import Machine
from loyal_trace.core.simulation.netlist import build_netlist
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import joined, say

Levels = NDArray[np.uint8]
DEFAULT_SKEW = 1
# Start states of so many bits are tried one by one; bits that outputs show are taken from there.
_TRIED_BITS = 6
# So many changes are kept around the first disagreement.
_EXCERPT = 64


@dataclass(frozen=True)
class Trace:
    """Levels (0, 1) of channels by name, one value for each time (second), all of one length."""

    times: NDArray[np.float64]
    channels: Mapping[str, Levels]


@dataclass(frozen=True)
class Disagreement:
    """Where an output first is not what the model gives: time (second), pin, both levels, the inputs then."""

    time: float
    pin: int
    name: str
    expected: int
    seen: int
    inputs: tuple[tuple[str, int], ...]
    count: int

    @property
    def reason(self) -> str:
        """In words."""
        levels = joined(", ", (f"{name} = {level}" for name, level in self.inputs))
        word = (say("low"), say("high"))
        return say(
            "at {time} pin {pin} ({name}) is {seen} where the model gives {expected}; {levels}",
            time=time_words(self.time),
            pin=self.pin,
            name=self.name,
            seen=word[self.seen],
            expected=word[self.expected],
            levels=levels,
        )


@dataclass(frozen=True)
class Lane:
    """One pin of an excerpt: its levels as 0 and 1, and for an output what the model gives."""

    pin: int
    name: str
    levels: str
    expected: str = ""


@dataclass(frozen=True)
class TraceCheck:
    """A chip held against a trace: the first disagreement of every output, and the signals around the first of all.

    `times` (second) and `lanes` are the samples at which something changes; without a disagreement, the first ones.
    """

    disagreements: tuple[Disagreement, ...]
    times: tuple[float, ...]
    lanes: tuple[Lane, ...]
    samples: int


def time_words(seconds: float) -> str:
    """A moment of a trace."""
    for unit, size in (("s", 1.0), ("ms", 1e-3), ("µs", 1e-6)):
        if abs(seconds) >= size:
            return f"{seconds / size:.6g} {unit}"
    return f"{seconds * 1e9:.6g} ns"


def check_trace(
    chip: ChipType, trace: Trace, pins: Mapping[int, str], library: ChipLibrary, skew: int = DEFAULT_SKEW
) -> tuple[Disagreement, ...]:
    """The first disagreement of every output that was captured, earliest first; empty when all agree."""
    return compare_trace(chip, trace, pins, library, skew).disagreements


def compare_trace(
    chip: ChipType, trace: Trace, pins: Mapping[int, str], library: ChipLibrary, skew: int = DEFAULT_SKEW
) -> TraceCheck:
    """A chip's model run on captured inputs, its outputs held against those captured.

    `pins`: pin number → channel. Inputs that are not mapped are taken as inactive where they clear or preset, else as
    high, like open TTL inputs. RequestError for an unknown channel, or without an output that always drives.
    """
    missing = sorted(set(pins.values()) - set(trace.channels))
    if missing:
        raise RequestError(say("the trace has no channel {names}", names=joined(", ", missing)))
    outputs = [o.name for o in chip.outputs if o.enable is None and chip.pin(o.name).number in pins]
    if not outputs:
        raise RequestError(
            say("map at least one output that always drives: {names}", names=joined(", ", _always(chip)) or say("none"))
        )
    kept = _events(trace, pins)
    seen = {name: trace.channels[pins[chip.pin(name).number]][kept] for name in outputs}
    best: dict[str, NDArray[np.bool_]] | None = None
    expected: Mapping[str, Levels] = {}
    for shown, known in _runs(chip, trace, pins, kept, library, seen):
        wrong = {name: _differs(shown[name], seen[name], skew) & known[name] for name in outputs}
        if best is None or _total(wrong) < _total(best):
            best, expected = wrong, shown
        if _total(wrong) == 0:
            break
    found = [
        _first(chip, name, wrong, trace.times[kept], expected[name], seen[name], _inputs(chip, trace, pins, kept))
        for name, wrong in (best or {}).items()
        if wrong.any()
    ]
    found = sorted(found, key=lambda one: (one.time, one.pin))
    times = trace.times[kept]
    at = int(np.searchsorted(times, found[0].time)) if found else 0
    part = slice(max(0, at - _EXCERPT // 2), max(0, at - _EXCERPT // 2) + _EXCERPT)
    lanes = [
        Lane(
            number,
            name,
            _digits(trace.channels[channel][kept][part]),
            _digits(expected[name][part]) if name in expected else "",
        )
        for number, channel in sorted(pins.items())
        for name in (chip.pin_number(number).name,)
    ]
    return TraceCheck(tuple(found), tuple(times[part].tolist()), tuple(lanes), len(trace.times))


def _digits(levels: Levels) -> str:
    return "".join("1" if level else "0" for level in levels.tolist())


def guess_channels(chip: ChipType, refdes: str, nets: Mapping[int, str], channels: Iterable[str]) -> dict[int, str]:
    """Pin → channel where a channel is called like the pin, its number, its place or its net."""
    named = {channel.lower().lstrip("/").replace(" ", ""): channel for channel in channels}
    found: dict[int, str] = {}
    for pin in chip.pins:
        if pin.role in ("power", "ground", "unused"):
            continue
        places = (f"{refdes}.{pin.number}", f"{refdes}.{pin.name}", nets.get(pin.number, ""))
        words = (*places, pin.name, f"pin{pin.number}", str(pin.number))
        keys = (word.lower().lstrip("/").replace(" ", "") for word in words)
        channel = next((named[key] for key in keys if key in named), "")
        if channel:
            found[pin.number] = channel
    return found


def _always(chip: ChipType) -> list[str]:
    return [output.name for output in chip.outputs if output.enable is None]


def _total(wrong: Mapping[str, NDArray[np.bool_]]) -> int:
    return sum(int(one.sum()) for one in wrong.values())


def _events(trace: Trace, pins: Mapping[int, str]) -> NDArray[np.intp]:
    """The samples at which a mapped channel changes, the one before each, and both ends: the rest tells nothing new."""
    size = len(trace.times)
    changes = np.zeros(size, dtype=bool)
    for name in pins.values():
        changes[1:] |= trace.channels[name][1:] != trace.channels[name][:-1]
    kept = changes.copy()
    # Some steady samples after a change, so that a late output can be told from a wrong one.
    for late in range(1, 4):
        kept[late:] |= changes[:-late]
    kept[:-1] |= changes[1:]
    if size:
        kept[0] = kept[-1] = True
    return np.flatnonzero(kept)


def _inputs(chip: ChipType, trace: Trace, pins: Mapping[int, str], kept: NDArray[np.intp]) -> dict[str, Levels]:
    roles = {number: chip.pin_number(number) for number in pins}
    return {
        pin.name: trace.channels[pins[number]][kept]
        for number, pin in roles.items()
        if pin.role in ("input", "bidirectional") and pin.name not in chip.output_of
    }


def _runs(
    chip: ChipType,
    trace: Trace,
    pins: Mapping[int, str],
    kept: NDArray[np.intp],
    library: ChipLibrary,
    seen: Mapping[str, Levels],
) -> Iterator[tuple[dict[str, Levels], dict[str, NDArray[np.bool_]]]]:
    """(what the outputs of a healthy chip show, where that is known), from every state it may have started in."""
    board = BoardDefinition("trace", "trace", parts=(Part("U", chip.name),))
    netlist = build_netlist(board, library)
    stimuli = {f"U.{chip.pin(name).number}": levels for name, levels in _inputs(chip, trace, pins, kept).items()}
    for name, level in _inactive(chip).items():
        stimuli.setdefault(f"U.{chip.pin(name).number}", np.full(len(kept), level, dtype=np.uint8))
    placed = netlist.chips[0]

    def run(start: Mapping[str, int]) -> dict[str, Levels]:
        one = Machine(netlist, stimuli, len(kept), {("U", bit): level for bit, level in start.items()})
        return {name: one.levels(placed.net_of[name]) for name in seen}

    shown = _shown_at_first(chip, seen)
    left = [register.bit for register in chip.registers if register.bit not in shown]
    if len(left) > _TRIED_BITS:
        # Too many states to try: only what comes out from all-low and from all-high alike is held against the trace.
        low, high = (run({**dict.fromkeys(left, level), **shown}) for level in (0, 1))
        yield low, {name: low[name] == high[name] for name in seen}
        return
    everywhere = {name: np.ones(len(kept), dtype=bool) for name in seen}
    for fixed, tried in ((shown, left), ({}, [r.bit for r in chip.registers][:_TRIED_BITS])):
        for levels in product((0, 1), repeat=len(tried)):
            yield run({**fixed, **dict(zip(tried, levels, strict=True))}), everywhere


def _inactive(chip: ChipType) -> dict[str, int]:
    """Clears and presets at the level at which they do nothing, as far as one pin decides that."""
    found: dict[str, int] = {}
    for condition in {override[0] for register in chip.registers for override in register.overrides}:
        resting = never_with(condition, condition.names)
        if resting is not None:
            found.setdefault(*resting)
    return {name: level for name, level in found.items() if name in chip.input_names}


def _shown_at_first(chip: ChipType, seen: Mapping[str, Levels]) -> dict[str, int]:
    """The stored bits that outputs show as they are, at their first level."""
    bits = {register.bit for register in chip.registers}
    return {
        chip.output_of[name].value.text: int(levels[0])
        for name, levels in seen.items()
        if len(levels) and chip.output_of[name].value.text in bits
    }


def _differs(expected: Levels, seen: Levels, skew: int) -> NDArray[np.bool_]:
    """Where two streams differ, but for some samples around every change of either."""
    wrong = expected != seen
    changes = np.zeros(len(wrong), dtype=bool)
    changes[1:] = (expected[1:] != expected[:-1]) | (seen[1:] != seen[:-1])
    near = changes.copy()
    for late in range(1, skew + 1):
        near[late:] |= changes[:-late]
        near[:-late] |= changes[late:]
    return np.asarray(wrong & ~near, dtype=bool)


def _first(
    chip: ChipType,
    name: str,
    wrong: NDArray[np.bool_],
    times: NDArray[np.float64],
    expected: Levels,
    seen: Levels,
    inputs: Mapping[str, Levels],
) -> Disagreement:
    at = int(np.argmax(wrong))
    # A run of wrong samples is one disagreement.
    count = int(np.count_nonzero(wrong[1:] & ~wrong[:-1])) + int(wrong[0])
    levels = tuple((pin, int(stream[at])) for pin, stream in sorted(inputs.items()))
    return Disagreement(float(times[at]), chip.pin(name).number, name, int(expected[at]), int(seen[at]), levels, count)
