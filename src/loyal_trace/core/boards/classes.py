"""Checks that boards of a class usually need, for a board whose own checklist nobody wrote. Always a proposal."""

from collections.abc import Mapping

from loyal_trace.core.vocabulary.phrases import say

# What a bench can see, hear or press, by what the board is for; each item is struck off where it does not exist.
CHECKS_OF_CLASS: Mapping[str, tuple[str, ...]] = {
    "game": (
        say("picture"),
        say("all colours"),
        say("every sound"),
        say("every control"),
        say("every switch setting"),
        say("long run of an hour"),
    ),
    "computer": (
        say("start screen"),
        say("every key"),
        say("memory test"),
        say("all colours"),
        say("storage reads and writes"),
        say("every port"),
        say("long run of an hour"),
    ),
    "sound": (
        say("every sound"),
        say("volume over its range"),
        say("no hum without a signal"),
        say("long run of an hour"),
    ),
    "video": (say("picture"), say("all colours"), say("picture stands still"), say("long run of an hour")),
    "power": (
        say("every output under load"),
        say("ripple under load"),
        say("temperature after half an hour"),
        say("fuses of the right rating"),
    ),
    "driver": (
        say("every lamp"),
        say("every coil"),
        say("every switch"),
        say("nothing stays on after power-up"),
        say("long run of an hour"),
    ),
}
