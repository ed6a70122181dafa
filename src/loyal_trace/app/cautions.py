"""The words of the cautions, from their data file: DANGER or CAUTION first, then the hazard and the safe action."""

import tomllib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cache

from loyal_trace.core.vocabulary.cautions import Caution
from loyal_trace.core.vocabulary.phrases import say, stacked
from loyal_trace.resources import read_text

DATA = "data/cautions.toml"


@dataclass(frozen=True)
class CautionText:
    """One caution: its words, whether it can kill or burn, at what work it stands, and its source."""

    text: str
    danger: bool
    where: str
    source: str


@cache
def caution_texts() -> Mapping[Caution, CautionText]:
    """Every caution with its words; the data file holds exactly the cautions of the registry (tested)."""
    table = tomllib.loads(read_text(DATA))
    return {Caution(name): CautionText(**row) for name, row in table.items()}


def caution_words(cautions: Iterable[Caution]) -> str:
    """The cautions as they are shown, one a line, dangers first; empty for none."""
    texts = [caution_texts()[caution] for caution in dict.fromkeys(cautions)]
    ordered = sorted(texts, key=lambda one: not one.danger)
    return stacked(*(_line(one) for one in ordered))


def _line(one: CautionText) -> str:
    hazard = say(one.text)  # extracted from the data file
    return say("DANGER: {hazard}", hazard=hazard) if one.danger else say("CAUTION: {hazard}", hazard=hazard)
