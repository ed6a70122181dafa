"""Evidence: what each reading says about which part, and how strongly. The tables are data; see docs/method.md."""

import math
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import say


@dataclass(frozen=True)
class Weight:
    """How often a kind of evidence is seen when the part is bad, and when it is good."""

    bad: float
    good: float

    @property
    def log_ratio(self) -> float:
        """Natural log of the likelihood ratio; positive speaks against the part."""
        return math.log(self.bad / self.good)


@dataclass(frozen=True)
class Evidence:
    """One line of evidence about one part: its kind, a sentence, and its weight in log-odds."""

    place: PartRef
    kind: str
    text: str
    weight: float


class EvidenceTable:
    """The weights by kind, from `evidence.toml`."""

    def __init__(self, text: str) -> None:
        """RequestError when a probability is not strictly between 0 and 1."""
        self._weights: dict[str, Weight] = {}
        for kind, row in tomllib.loads(text).items():
            weight = Weight(float(row["bad"]), float(row["good"]))
            if not (0 < weight.bad < 1 and 0 < weight.good < 1):
                raise RequestError(
                    say("evidence “{kind}”: both probabilities must lie strictly between 0 and 1", kind=kind)
                )
            self._weights[kind] = weight

    def weight(self, kind: str) -> Weight:
        return self._weights[kind]

    def line(self, place: PartRef, kind: str, text: str) -> Evidence:
        """A line of evidence of that kind about a part."""
        return Evidence(place, kind, text, self._weights[kind].log_ratio)


# However often a part failed before, nothing has been measured on this board yet.
_MOST_BEFORE = 0.3


class Priors:
    """Prior belief that a part is bad, by kind, technology and role, from `priors.toml`."""

    def __init__(self, text: str) -> None:
        self._table: Mapping[str, Mapping[str, float]] = tomllib.loads(text)

    def of(self, part: Part, board: BoardDefinition) -> float:
        """The prior probability for one part: by its kind, more where boards of this kind had it replaced before."""
        before = sum(fault.count for fault in board.faults if fault.part == part.refdes)
        return min(_MOST_BEFORE, self._of_kind(part, board) * (1 + before))

    def _of_kind(self, part: Part, board: BoardDefinition) -> float:
        if part.kind == "capacitor" and part.technology in self._table["capacitor"]:
            return self._table["capacitor"][part.technology]
        if part.kind == "chip":
            if any(slot.refdes == part.refdes for slot in board.rom_slots) or "RAM" in part.role:
                return self._table["chip"]["memory"]
            if "processor" in part.role:
                return self._table["chip"]["processor"]
        return self._table["kind"].get(part.kind, self._table["kind"]["other"])


def logit(probability: float) -> float:
    return math.log(probability / (1 - probability))


def sigmoid(log_odds: float) -> float:
    return 1 / (1 + math.exp(-log_odds))


def entropy_bits(probability: float) -> float:
    """Uncertainty (bit) of a yes/no question answered yes with this probability."""
    if probability <= 0 or probability >= 1:
        return 0.0
    return -(probability * math.log2(probability) + (1 - probability) * math.log2(1 - probability))


def expected_gain_bits(prior: float, when_bad: float, when_good: float) -> float:
    """Bits that a yes/no test is expected to tell about a part: prior entropy less the mean entropy after it.

    `when_bad` and `when_good` are the chances that the test says “bad” (Lindley 1956, expected information).
    """
    says_bad = prior * when_bad + (1 - prior) * when_good
    after_bad = prior * when_bad / says_bad if says_bad else 0.0
    after_good = prior * (1 - when_bad) / (1 - says_bad) if says_bad < 1 else 0.0
    return entropy_bits(prior) - says_bad * entropy_bits(after_bad) - (1 - says_bad) * entropy_bits(after_good)
