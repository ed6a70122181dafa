"""Two outputs that are each possible, but never at the same time: Q and /Q both low, Q pulsing beside a steady /Q."""

from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache
from itertools import combinations

from loyal_trace.core.chips.model import ChipType
from loyal_trace.core.probing.cones import cone_of
from loyal_trace.core.probing.drives import DRIVE_OF_STATE, Drives
from loyal_trace.core.probing.reach import can_show
from loyal_trace.core.probing.states import STATE_WORDS
from loyal_trace.core.probing.verdicts import OutputVerdict
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.verdicts import OutputWord


def judge_together(chip: ChipType, verdicts: Sequence[OutputVerdict], drives: Drives) -> list[OutputVerdict]:
    """The verdicts, with both outputs of a pair impossible that cannot be shown at once."""
    found: dict[int, OutputVerdict] = {}
    for first, second in combinations([v for v in verdicts if _drives_by_itself(chip, v)], 2):
        if _may_exclude(chip, first, second) and not _at_once(chip, first, second, drives):
            for here, there in ((first, second), (second, first)):
                found.setdefault(here.pin, _not_with(chip, here, there))
    return [found.get(verdict.pin, verdict) for verdict in verdicts]


def _drives_by_itself(chip: ChipType, verdict: OutputVerdict) -> bool:
    """Is it an output that drives at all times, seen at something that is possible as far as one can tell?"""
    if verdict.verdict not in (OutputWord.POSSIBLE, OutputWord.UNUSUAL) or verdict.reading.state not in DRIVE_OF_STATE:
        return False
    output = chip.output_of.get(verdict.name)
    return output is not None and output.enable is None and not output.open_collector


def _may_exclude(chip: ChipType, first: OutputVerdict, second: OutputVerdict) -> bool:
    """Outputs that share nothing can show anything at once; two that pulse always can."""
    if first.reading.state == second.reading.state == "P":
        return False
    shared = set(chip.output_of[first.name].value.names) & set(chip.output_of[second.name].value.names)
    bits = {register.bit for register in chip.registers}
    return bool(shared & bits) or (bool(shared) and "P" not in (first.reading.state, second.reading.state))


def _at_once(chip: ChipType, first: OutputVerdict, second: OutputVerdict, drives: Drives) -> bool:
    both = (DRIVE_OF_STATE[first.reading.state], DRIVE_OF_STATE[second.reading.state])
    return can_show(_pair(chip, first.name, second.name), drives, both)


@lru_cache(maxsize=2048)
def _pair(chip: ChipType, first: str, second: str) -> ChipType:
    """The part of a chip that decides two outputs."""
    cones = cone_of(chip, first), cone_of(chip, second)
    needed = {register.bit for cone in cones for register in cone.registers}
    registers = tuple(register for register in chip.registers if register.bit in needed)
    return replace(cones[0], outputs=(*cones[0].outputs, *cones[1].outputs), registers=registers)


def _not_with(chip: ChipType, here: OutputVerdict, there: OutputVerdict) -> OutputVerdict:
    reason = say(
        "pin {pin} ({here}) is {state_words} while pin {pin2} ({there}) is {state_words2}; a {chip} cannot show both "
        "at once",
        pin=here.pin,
        here=here.name,
        state_words=STATE_WORDS[here.reading.state],
        pin2=there.pin,
        there=there.name,
        state_words2=STATE_WORDS[there.reading.state],
        chip=chip.name,
    )
    return replace(here, verdict=OutputWord.IMPOSSIBLE, reason=reason, because=(there.pin,))
