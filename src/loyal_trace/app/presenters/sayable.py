"""Everything that can be said in the line, for F1 and the finder: an example each, the stage's own first."""

from dataclasses import dataclass

from loyal_trace.core.line.grammar import examples
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.stages import Stage


@dataclass(frozen=True)
class Sayable:
    """One form: an example that can be put into the line, what it records, and the stage it is mostly said at."""

    example: str
    words: str
    stage: Stage


def sayable(first: Stage | None = None) -> list[Sayable]:
    """Every form with each of its examples; those of the stage in view come first, the others in their order."""
    found = [Sayable(example, _words(form.read.__doc__ or ""), form.stage) for form, example in examples()]
    return sorted(found, key=lambda one: (one.stage is not first, one.stage))


def _words(docstring: str) -> str:
    """The first sentence of what a form does."""
    return say(docstring.strip().splitlines()[0].rstrip(".")) if docstring.strip() else ""
