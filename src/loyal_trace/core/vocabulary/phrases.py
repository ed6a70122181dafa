"""Sentences that remember how they were made, so that whoever shows them can show them in another language.

A `Phrase` is its English text, and to all code an ordinary `str`: it is compared, stored and sorted as such. Besides it
keeps the whole sentence with named places and the facts that go into them. The core never asks for a language;
`rendered` is called where a text leaves the program (window, command line, report) with the reader's catalogue.
"""

from collections.abc import Callable, Iterable, Mapping
from datetime import datetime
from enum import StrEnum
from functools import lru_cache, partial
from numbers import Number
from string import Formatter
from typing import Protocol


class Catalogue(Protocol):
    """What a language knows: its sentences by the English ones, and how it writes figures and times."""

    def gettext(self, message: str) -> str:
        """The sentence in this language; places stay in braces."""
        ...

    def ngettext(self, msgid1: str, msgid2: str, n: int) -> str:
        """The sentence in the number that this language uses for `n`."""
        ...

    def figure(self, shown: str) -> str:
        """A figure as written here; `shown` has a point for decimals and commas between thousands."""
        ...

    def moment(self, when: datetime, pattern: str) -> str:
        """A time as written here; `pattern` is the one of `strftime` for English."""
        ...


class Phrase(str):
    """English text that keeps its template and facts. `many` is the template of the plural, chosen by `number`."""

    template: str
    facts: Mapping[str, object]
    many: str
    number: int
    finish: Callable[[str], str]

    __slots__ = ("facts", "finish", "many", "number", "template")

    def __new__(
        cls,
        template: str,
        facts: Mapping[str, object],
        many: str = "",
        number: int = 1,
        finish: Callable[[str], str] = str,
    ) -> "Phrase":
        """`finish` is done to the text last, in any language: a capital, no blanks around."""
        made = super().__new__(cls, finish(_english(template, many, number).format_map(facts)))
        made.template, made.facts, made.many, made.number, made.finish = template, facts, many, number, finish
        return made

    def __str__(self) -> str:
        return self  # `str(error)` keeps the phrase that the error was raised with

    def __add__(self, other: str) -> "Phrase":
        return Phrase("{p0}{p1}", {"p0": self, "p1": other})

    def __radd__(self, other: str) -> "Phrase":
        return Phrase("{p0}{p1}", {"p0": other, "p1": self})

    def strip(self, chars: str | None = None, /) -> str:
        return self._trimmed(str.strip, chars)

    def rstrip(self, chars: str | None = None, /) -> str:
        return self._trimmed(str.rstrip, chars)

    def _trimmed(self, trim: Callable[[str, str | None], str], chars: str | None) -> str:
        return self if trim(self, chars) == self else _finished(self, partial(_trim, trim=trim, chars=chars))

    def __reduce__(self) -> tuple[object, ...]:
        return Phrase, (self.template, self.facts, self.many, self.number, self.finish)


def _english(one: str, many: str, number: int) -> str:
    """The English template in the number asked for; one without a plural is the same in any."""
    return many if many and number != 1 else one


def _finished(text: str, finish: Callable[[str], str]) -> str:
    """Something done to a text in whatever language it will be shown."""
    return Phrase("{words}", {"words": text}, finish=finish) if isinstance(text, Phrase) else finish(text)


def _trim(text: str, trim: Callable[[str, str | None], str], chars: str | None) -> str:
    return trim(text, chars)


def _tail(text: str, mark: str) -> str:
    return text.partition(mark)[2]


def _head(text: str, mark: str) -> str:
    return text.split(mark)[0]


def _capital(text: str) -> str:
    return f"{text[:1].upper()}{text[1:]}"


def say(template: str, /, **facts: object) -> str:
    """One whole sentence with named places: `say("{part} is open", part="F1")`; extracted as it stands."""
    return Phrase(template, facts)


def escaped(text: str) -> str:
    """The text as a template without places."""
    return text.replace("{", "{{").replace("}", "}}")


def term(text: str) -> str:
    """A word of a closed vocabulary (a verdict, a state, a setting) that is shown to people."""
    if isinstance(text, Phrase) or not text:
        return text
    return Phrase(escaped(text.value if isinstance(text, StrEnum) else text), {})


def plain(text: str) -> str:
    """The English text alone, for what is typed, stored or looked up."""
    return str.__str__(text)


def before(mark: str, text: str) -> str:
    """The text up to a mark that stands in it in every language."""
    return _finished(text, partial(_head, mark=mark))


def after(mark: str, text: str) -> str:
    """The text behind the first such mark; empty without one."""
    return _finished(text, partial(_tail, mark=mark))


def template(text: str) -> str:
    """A sentence with named places that `say` fills in later; marked here so that it is extracted."""
    return text


def say_count(count: int, one: str, many: str, /, **facts: object) -> str:
    """A sentence in the number of `count`, which both can name: `say_count(3, "{count} pin", "{count} pins")`."""
    return Phrase(one, {"count": count, **facts}, many, count)


def joined(separator: str, pieces: Iterable[object]) -> str:
    """`separator.join(pieces)`, each piece still a phrase where it was one."""
    found = [piece if isinstance(piece, str) else str(piece) for piece in pieces]
    if not any(isinstance(piece, Phrase) for piece in (separator, *found)):
        return separator.join(found)
    holes = [f"{{p{n}}}" for n in range(len(found))]
    facts: dict[str, object] = {f"p{n}": piece for n, piece in enumerate(found)}
    return Phrase("{s}".join(holes), {**facts, "s": separator})


def stacked(*lines: str) -> str:
    """The lines one below the other, without empty ones."""
    return joined("\n", (line for line in lines if line))


def figure(value: float, spec: str) -> str:
    """A number in a format that is known only at run time; the language writes it with its own point and comma."""
    return Phrase(f"{{value:{spec}}}", {"value": value})


def capital(words: str) -> str:
    """The words as the beginning of a sentence."""
    return _finished(words, _capital)


def rendered(text: str, catalogue: Catalogue) -> str:
    """The text in the language of the catalogue; what is no phrase (a name, a note, a typed line) stays as it is."""
    if isinstance(text, StrEnum):
        return catalogue.gettext(text.value)
    if not isinstance(text, Phrase):
        return text
    if not text.template:
        return ""
    found = catalogue.ngettext(text.template, text.many, text.number) if text.many else catalogue.gettext(text.template)
    try:
        return text.finish(_filled(found, text.facts, catalogue))
    except (KeyError, ValueError, IndexError):  # a translation that names a place wrongly shows the English sentence
        return text.finish(_filled(_english(text.template, text.many, text.number), text.facts, catalogue))


def _filled(template: str, facts: Mapping[str, object], catalogue: Catalogue) -> str:
    return "".join(
        literal + (_fact(facts[name], spec, catalogue) if name is not None else "")
        for literal, name, spec in _pieces(template)
    )


def _fact(value: object, spec: str, catalogue: Catalogue) -> str:
    if isinstance(value, str):
        shown = rendered(value, catalogue)
        return format(shown, spec) if spec else shown
    if isinstance(value, datetime):
        return catalogue.moment(value, spec)
    if isinstance(value, Number):  # those of NumPy and decimals as well
        return catalogue.figure(format(value, spec))
    return format(rendered(str(value), catalogue), spec)  # an error or a defect, which is its sentence


@lru_cache(maxsize=4096)
def _pieces(template: str) -> tuple[tuple[str, str | None, str], ...]:
    """(text before, name of the place or None, its format) of a template."""
    return tuple((literal, name, spec or "") for literal, name, spec, _ in Formatter().parse(template))
