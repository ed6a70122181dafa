"""What is said of the outputs of a chip, and of the chip."""

from dataclasses import dataclass

from loyal_trace.core.chips.model import ChipType
from loyal_trace.core.probing.states import PinReading
from loyal_trace.core.vocabulary.verdicts import OutputWord

_WORST_FIRST = (OutputWord.NOT_JUDGED, OutputWord.IMPOSSIBLE, OutputWord.UNUSUAL, OutputWord.POSSIBLE)


@dataclass(frozen=True)
class OutputVerdict:
    """One output judged: `verdict` is possible, impossible, unusual or not probed; `because` are pin numbers.

    `expected` says in words what a healthy output could do with these inputs.
    """

    pin: int
    name: str
    reading: PinReading
    verdict: OutputWord
    reason: str
    because: tuple[int, ...] = ()
    expected: str = ""


@dataclass(frozen=True)
class ChipVerdict:
    """All outputs of one chip, and a word on its supply pins when they were probed and are wrong."""

    chip: ChipType
    outputs: tuple[OutputVerdict, ...]
    supply: str = ""
    probed: int = 0

    @property
    def impossible(self) -> tuple[OutputVerdict, ...]:
        return tuple(v for v in self.outputs if v.verdict == OutputWord.IMPOSSIBLE)

    @property
    def unusual(self) -> tuple[OutputVerdict, ...]:
        return tuple(v for v in self.outputs if v.verdict == OutputWord.UNUSUAL)

    @property
    def word(self) -> OutputWord:
        """The chip's verdict in one word: its worst output's, or not probed when no output was."""
        seen = {v.verdict for v in self.outputs}
        return next(
            (w for w in _WORST_FIRST if w in seen),
            OutputWord.NOT_PROBED,
        )
