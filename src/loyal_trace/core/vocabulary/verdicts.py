"""Verdict words, plain and few, and the verdict on a part."""

from dataclasses import dataclass
from enum import StrEnum


class Verdict(StrEnum):
    """good, doubtful, bad, or not measured."""

    GOOD = "good"
    DOUBTFUL = "doubtful"
    BAD = "bad"
    NOT_MEASURED = "not measured"


class RomWord(StrEnum):
    """What a socket's content is, in one word."""

    MATCHES = "matches"
    DIFFERS = "differs"
    UNSTABLE = "unstable"
    NOT_READ = "not read"


class OutputWord(StrEnum):
    """What can be said of an output."""

    POSSIBLE = "possible"
    UNUSUAL = "unusual"
    IMPOSSIBLE = "impossible"
    NOT_PROBED = "not probed"
    NOT_JUDGED = "cannot be judged"


@dataclass(frozen=True)
class PartVerdict:
    """good, doubtful, bad or not measured, with the reason."""

    verdict: str
    reason: str
