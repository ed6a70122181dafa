"""A captured trace held against a chip of the job, and kept as an entry."""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from loyal_trace.app.job import OpenJob
from loyal_trace.core.chips.model import ChipType
from loyal_trace.core.job.entries import TraceDifference, TraceLane
from loyal_trace.core.simulation.traces import DEFAULT_SKEW, Trace, compare_trace, guess_channels
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.formats.traces import read_trace

_PAIR = re.compile(r"([^=]+)=(.+)")
_NAMED = 16


@dataclass(frozen=True)
class OpenTrace:
    """A trace that was read for a part, and which of its channels is which pin."""

    path: Path
    trace: Trace
    place: PartRef
    channels: Mapping[int, str]


def chip_of(job: OpenJob, place: PartRef) -> ChipType:
    """The chip type in a place; RequestError when the library does not know it."""
    chip = job.moment.chip_type(place)
    if chip is None:
        raise RequestError(say("the chip library does not know the type of {refdes}", refdes=place.refdes))
    return chip


def open_trace(job: OpenJob, place: PartRef, path: Path, typed: str = "") -> OpenTrace:
    """Reads a file and finds its channels: as typed, else by their names."""
    chip, trace = chip_of(job, place), read_trace(path)
    if typed:
        return OpenTrace(path, trace, place, channels_from(chip, typed))
    board = job.boards[place.board]
    nets = {pin.number: board.net_of(place.refdes, pin.number) or "" for pin in chip.pins}
    return OpenTrace(path, trace, place, guess_channels(chip, place.refdes, nets, trace.channels))


def channels_from(chip: ChipType, typed: str) -> dict[int, str]:
    """`2=CLK 13=QH` as pin → channel; RequestError for what is not of that form, and for a pin that is not there."""
    found: dict[int, str] = {}
    for word in re.sub(r"\s*=\s*", "=", typed).replace(",", " ").split():
        match = _PAIR.fullmatch(word)
        if match is None:
            raise RequestError(say("“{text}” should look like PIN=CHANNEL, for instance 3=D0", text=word))
        pin = match[1]
        number = chip.pin_number(int(pin)).number if pin.isdecimal() else chip.pin(pin.upper()).number
        found[number] = match[2]
    return found


def compared(job: OpenJob, opened: OpenTrace, skew: int = DEFAULT_SKEW) -> dict[str, Any]:
    """The fields of the entry that keeps the comparison; RequestError as `compare_trace`."""
    chip = chip_of(job, opened.place)
    if not any(chip.pin(output.name).number in opened.channels for output in chip.outputs):
        raise RequestError(
            say(
                "no channel of {file} is called like an output of {refdes}; it has {names}",
                file=opened.path.name,
                refdes=opened.place.refdes,
                names=joined(", ", sorted(opened.trace.channels)[:_NAMED]),
            )
        )
    found = compare_trace(chip, opened.trace, opened.channels, job.library, skew)
    differences = [
        TraceDifference(pin=one.pin, time=one.time, reason=str(one.reason), count=one.count)
        for one in found.disagreements
    ]
    lanes = [TraceLane(pin=one.pin, name=one.name, levels=one.levels, expected=one.expected) for one in found.lanes]
    return {
        "board": opened.place.board,
        "place": opened.place.refdes,
        "file_name": opened.path.name,
        "samples": found.samples,
        "channels": tuple(sorted(opened.channels.items())),
        "differences": tuple(differences),
        "times": found.times,
        "lanes": tuple(lanes),
    }
