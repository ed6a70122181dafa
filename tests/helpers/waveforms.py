"""A search for waveforms: a healthy chip is driven by signals of many kinds, and read like at the bench.

What such a chip shows is possible by construction, whatever the check says. Signals may be synchronous with a clock or
not, sampled at one phase only, gated, single, derived from each other; some pins are not read.
"""

import numpy as np

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.probing.states import PinReading
from loyal_trace.core.simulation.engine import StreamEngine
from loyal_trace.core.simulation.netlist import build_netlist
from loyal_trace.core.vocabulary.errors import RequestError

PERIOD = 48
PERIODS = 40


def signals(chip, rng):
    """A periodic stream for every input, related in ways that happen on boards."""
    clock = (np.arange(PERIOD) // int(rng.choice([1, 2, 3, 4])) & 1).astype(np.uint8)
    base = [clock, np.roll(clock, 1), _divided(clock), np.roll(_divided(clock), int(rng.integers(PERIOD)))]
    found = {}
    for pin in chip.pins:
        if pin.role not in ("input", "bidirectional"):
            continue
        kind = rng.integers(8)
        if kind < 3:
            stream = np.full(PERIOD, rng.integers(2), dtype=np.uint8)
        elif kind == 3:
            stream = base[rng.integers(len(base))]
        elif kind == 4:  # moves on falling edges of the clock only
            stream = _held(rng, np.flatnonzero(np.diff(np.append(clock[-1], clock).astype(int)) < 0))
        elif kind == 5:  # one short pulse, at a place of its own
            stream = np.roll(np.eye(1, PERIOD, dtype=np.uint8)[0], int(rng.integers(PERIOD))) ^ rng.integers(2)
        elif kind == 6:
            stream = base[rng.integers(len(base))] & base[rng.integers(len(base))]
        else:
            stream = rng.integers(0, 2, PERIOD).astype(np.uint8)
        found[pin.name] = np.asarray(stream, dtype=np.uint8)
    return found


def _divided(clock):
    edges = np.cumsum(np.diff(np.append(clock[-1], clock).astype(int)) > 0)
    return (edges & 1).astype(np.uint8)


def _held(rng, edges):
    levels = rng.integers(0, 2, PERIOD)
    which = np.searchsorted(edges, np.arange(PERIOD), side="right")
    return levels[which].astype(np.uint8)


def read_healthy(chip, rng, hidden=0.15):
    """The pins of a healthy chip under such signals, read once everything comes back; None if it never does so."""
    streams = {name: np.tile(stream, PERIODS) for name, stream in signals(chip, rng).items()}
    board = BoardDefinition("b", "b", parts=(Part("U1", chip.name),))
    driven = {f"U1.{chip.pin(name).number}": stream for name, stream in streams.items()}
    kept = {net: s for net, s in driven.items() if chip.pin_number(int(net.split(".")[1])).role == "input"}
    try:
        found = StreamEngine().run(build_netlist(board, _OneType(chip)), kept, PERIOD * PERIODS)
    except RequestError:  # both ways of a transceiver at once: it oscillates
        return None
    rows = {pin.number: found[f"U1.{pin.number}"].reshape(PERIODS, PERIOD) for pin in chip.pins}
    window = _recurrent(np.concatenate([rows[n] for n in sorted(rows)], axis=1))
    if window is None:
        return None
    readings = {}
    for pin in chip.pins:
        if pin.role in ("input", "output", "bidirectional") and rng.random() >= hidden:
            readings[pin.number] = PinReading(_state(rows[pin.number][window:].reshape(-1)))
    return readings


class _OneType:
    """A library of one chip type."""

    def __init__(self, chip):
        self.chip = chip

    def knows(self, _):
        return True

    def find(self, _):
        return self.chip


def _recurrent(rows):
    """The first period from which on the whole rest repeats with the last ones; None when nothing repeats."""
    last = rows[-1]
    same = [n for n in range(PERIODS // 2, PERIODS - 1) if (rows[n] == last).all()]
    # From just after one period like the last to the last: what was seen there comes again and again.
    return same[0] + 1 if same else None


def _state(stream):
    if (stream == 2).all():
        return "Z"
    if (stream > 1).any():
        return "?"
    return "L" if not stream.any() else "H" if stream.all() else "P"
