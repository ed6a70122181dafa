"""What a fault would do to the picture: the screen of a simulated board, and what differs in words.

The picture is drawn as a monitor would that runs with the healthy board: one pixel a clock, line after line.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.boards.model import BoardDefinition, Screen
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.simulation.machine import Machine
from loyal_trace.core.simulation.netlist import PinFault
from loyal_trace.core.simulation.packed import Words, rising, unpack
from loyal_trace.core.vocabulary.identity import natural_key
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import count_of, format_percent

Pixels = NDArray[np.uint8]
_COLOURS = ("red", "green", "blue")
# A repeat is one when nearly all of the picture shows it; the rest is where the repeated part begins.
_NEARLY_ALL = 0.98
_LEAST_LIT = 0.02


@dataclass(frozen=True, eq=False)
class ScreenChange:
    """The picture with and without a fault (lines × pixels × 3, uint8), and what differs in sentences."""

    healthy: Pixels
    faulty: Pixels
    words: tuple[str, ...]
    reached: tuple[str, ...]


def clocks_of(screen: Screen) -> int:
    """Clocks of one whole picture."""
    return screen.pixels * screen.lines


def picture(screen: Screen, machine: Machine) -> Pixels:
    """The picture of a machine that ran for at least one of them."""
    return _drawn(screen, machine.levels)


def change_of(board: BoardDefinition, machine: Machine, fault: PinFault) -> ScreenChange:
    """What one fault does to the picture of the board's first screen, and which blocks of the board it reaches."""
    screen = board.screens[0]
    changed = machine.changed(fault)

    def levels(net: str) -> Pixels:
        return unpack(changed[net], machine.steps) if net in changed else machine.levels(net)

    healthy = picture(screen, machine)
    faulty = _drawn(screen, levels)
    lost = [net for net in screen.sync if net in changed and not rising(changed[net], machine.steps)]
    told = (*_sync_words(screen, lost, changed), *_plane_words(screen, changed, machine.steps))
    words = told if told and (healthy == faulty).all() else (*told, *differences(healthy, faulty))
    return ScreenChange(healthy, faulty, words, _reached(board, changed, fault))


def _drawn(screen: Screen, levels: Callable[[str], Pixels]) -> Pixels:
    """Each colour is the weighted sum of its nets, sampled in the second step of every clock."""
    found = np.zeros((screen.lines, screen.pixels, 3), dtype=np.uint8)
    for place, nets in enumerate((screen.red, screen.green, screen.blue)):
        whole = (1 << len(nets)) - 1
        total = np.zeros(clocks_of(screen), dtype=np.uint32)
        for weight, net in enumerate(nets):
            total += levels(net)[1::2][: len(total)].astype(np.uint32) << np.uint32(weight)
        if whole:
            found[:, :, place] = (total * 255 // whole).reshape(screen.lines, screen.pixels)
    return found


def _sync_words(screen: Screen, lost: Sequence[str], changed: Mapping[str, Words]) -> Iterator[str]:
    if lost:
        yield say("no sync: the monitor shows no steady picture, or none")
    elif any(net in changed for net in screen.sync):
        yield say("the sync comes at other times: the picture rolls, tears or is shifted")


def _plane_words(screen: Screen, changed: Mapping[str, Words], steps: int) -> Iterator[str]:
    """Which planes are wrong, when it is not all of them."""
    wrong = [(number, rising(changed[net], steps)) for number, net in enumerate(screen.planes) if net in changed]
    if not wrong or len(wrong) == len(screen.planes):
        return
    for number, edges in wrong:
        yield say("plane {n} is wrong", n=number) if edges else say("plane {n} stays at a level", n=number)


def differences(healthy: Pixels, faulty: Pixels) -> tuple[str, ...]:
    """What is wrong with a picture beside the right one, in sentences, the most telling first."""
    wrong = np.asarray((healthy != faulty).any(axis=2))
    if not wrong.any():
        return (say("the picture is as it should be"),)
    if (faulty == faulty[0, 0]).all():
        black = not faulty[0, 0].any()
        return (say("the screen stays black") if black else say("the whole screen has one colour"),)
    share = say("{share} of the pixels are wrong", share=format_percent(float(wrong.mean())))
    return (*_repeats(healthy, faulty), *_colours(healthy, faulty), *_where(wrong), share)


def _repeats(healthy: Pixels, faulty: Pixels) -> Iterator[str]:
    """Parts of the picture that come twice, as with a line of a counter or of an address that stays at a level."""
    across = _period(healthy, faulty, 1)
    down = _period(healthy, faulty, 0)
    if across:
        yield say("the picture repeats every {pixels} pixels across", pixels=across)
    if down:
        yield say("the picture repeats every {lines} lines down", lines=down)


def _period(healthy: Pixels, faulty: Pixels, axis: int) -> int:
    """Pixels after which the wrong picture repeats in pairs of stripes, and the right one does not; 0 for none."""
    width = int(faulty.shape[axis]) // 2
    while width >= 2:
        if _twice(faulty, width, axis) >= _NEARLY_ALL > _twice(healthy, width, axis):
            return width
        width //= 2
    return 0


def _twice(pixels: Pixels, width: int, axis: int) -> float:
    """How much of what is lit comes again in the next stripe of that width, over pairs that begin anywhere."""
    stripes = np.moveaxis(pixels, axis, 0)
    first, second = stripes[:-width], stripes[width:]
    lit = (first != 0).any(axis=-1) | (second != 0).any(axis=-1)
    same = (first == second).all(axis=-1) & lit
    # A pair begins somewhere within its period: what comes before the picture delays it by some pixels.
    place = np.arange(len(first)) % (2 * width)
    found, whole = (np.bincount(place, weights=one.sum(axis=1), minlength=2 * width) for one in (same, lit))
    sums = [np.convolve(np.concatenate((one, one)), np.ones(width), "valid")[: 2 * width] for one in (found, whole)]
    enough = sums[1] > _LEAST_LIT * lit.size
    return float((sums[0][enough] / sums[1][enough]).max(initial=0.0))


def _colours(healthy: Pixels, faulty: Pixels) -> Iterator[str]:
    """Which of the three colours are wrong, and whether one is missing or always there."""
    wrong = [(healthy[:, :, n] != faulty[:, :, n]).any() for n in range(3)]
    names = [say(name) for name, bad in zip(_COLOURS, wrong, strict=True) if bad]
    if len(names) == 1:
        yield say("only {colour} is wrong", colour=names[0])
    elif len(names) == 2:
        yield say("only {colours} are wrong", colours=joined(", ", names))
    for place, name in enumerate(_COLOURS):
        if wrong[place] and not faulty[:, :, place].any():
            yield say("{colour} is missing", colour=say(name))


def _where(wrong: NDArray[np.bool_]) -> Iterator[str]:
    """Whether what is wrong lies in stripes, or in one half."""
    columns, lines = np.asarray(wrong.any(axis=0)), np.asarray(wrong.any(axis=1))
    for hit, halves in ((columns, (say("left"), say("right"))), (lines, (say("upper"), say("lower")))):
        first, second = bool(hit[: len(hit) // 2].any()), bool(hit[len(hit) // 2 :].any())
        if first != second:
            yield say("only the {half} half is wrong", half=halves[0] if first else halves[1])
    upright, level = _stripes(columns), _stripes(lines)
    if upright:
        width = count_of(upright[0], "pixel")
        yield say("wrong in upright stripes: {width} of every {period}", width=width, period=upright[1])
    if level:
        yield say(
            "wrong in level stripes: {width} of every {period}", width=count_of(level[0], "line"), period=level[1]
        )


def _stripes(hit: NDArray[np.bool_]) -> tuple[int, int] | None:
    """(width, period) when all that is wrong lies in one part of a period that is a power of two."""
    at, best, period = np.flatnonzero(hit), None, 2
    while period <= len(hit) // 4:
        # A stripe may go over the end of its period.
        places = np.sort(np.unique(at % period))
        gaps = np.diff(np.append(places, places[0] + period))
        width = period - int(gaps.max()) + 1
        if width <= period // 2 and (best is None or width * best[1] < best[0] * period):
            best = width, period
        period *= 2
    return best


def _reached(board: BoardDefinition, changed: Mapping[str, Words], fault: PinFault) -> tuple[str, ...]:
    """The blocks of the board whose parts read or drive a net that differs, with what is seen when they fail."""
    parts = {fault.refdes}
    for net, pins in board.nets:
        if net in changed:
            parts |= {refdes for refdes, _ in pins}
    return tuple(block.name for block in board.blocks if parts & set(block.parts))


def with_test_pattern(board: BoardDefinition, library: ChipLibrary, contents: Mapping[str, bytes]) -> dict[str, bytes]:
    """The contents with memories that nobody knows: the first counts, so that every tile is seen; others hold zeros."""
    found = dict(contents)
    for part in sorted(board.chips, key=lambda part: natural_key(part.refdes)):
        chip = library.find(part.number) if library.knows(part.number) else None
        if chip is not None and chip.memory is not None and part.refdes not in found and not chip.is_rom:
            size = 1 << len(chip.memory.address)
            counts = not set(found) - set(contents)
            found[part.refdes] = np.arange(size, dtype=np.uint32).astype(np.uint8).tobytes() if counts else bytes(size)
    return found
