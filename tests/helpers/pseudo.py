"""The made-up language: what stays English in it is not translated, and what lies outside its brackets was glued on."""

import re
from collections.abc import Iterator, Mapping
from dataclasses import fields, is_dataclass
from functools import cache
from gettext import GNUTranslations
from io import BytesIO

from scripts.texts import pseudo_mo

from loyal_trace.language import Language

# Keys, units and file endings are the same in every language.
EVERYWHERE = frozenset(
    re.split(r"\s+", "Ctrl Alt Shift Tab Enter Esc Space Delete Loyal Trace Hz kHz MHz ppm min Vcc Vss Vpp")
)
# What can be typed is the same too; colours and glyphs are looked up.
LOOKED_UP = frozenset({"hint", "kind", "glyph", "key", "id", "boards", "bar", "mark", "example", "drawing"})


# Fields of entries that hold what people typed or what a board calls its own.
TYPED = frozenset(
    {
        "text",
        "note",
        "place",
        "number",
        "name",
        "title",
        "owner",
        "complaint",
        "item",
        "what",
        "reason",
        "board",
        "boards",
    }
    | {
        "choice",
        "file_name",
        "spare",
        "member",
        "members",
        "origin",
        "code",
        "maker",
        "symptom",
        "serial",
        "shelf",
        "author",
    }
)


@cache
def pseudo_catalogue() -> bytes:
    """The compiled catalogue of the made-up language; making it takes seconds."""
    return pseudo_mo()


@cache
def pseudo_language() -> Language:
    """The made-up language with German figures."""
    return Language(GNUTranslations(BytesIO(pseudo_catalogue())), "de_DE", "qps")


def strings_in(value: object, skipped: frozenset[str] = LOOKED_UP) -> Iterator[str]:
    """Every text in a value that is made to be shown."""
    if isinstance(value, str):
        yield value
    elif isinstance(value, Mapping):
        for one in value.values():
            yield from strings_in(one, skipped)
    elif isinstance(value, list | tuple | set | frozenset):
        for one in value:
            yield from strings_in(one, skipped)
    elif is_dataclass(value) and not isinstance(value, type):
        for field in fields(value):
            if field.name not in skipped:
                yield from strings_in(getattr(value, field.name), skipped)


def names_of(job) -> frozenset[str]:
    """The words that people or board folders brought into a job: they are shown as they are."""
    texts = [text for board in job.boards.values() for text in strings_in(board, frozenset())]
    texts += [str(value) for entry in job.entries for name, value in entry.model_dump().items() if name in TYPED]
    texts += [text for part in job.workshop.drawer for text in strings_in(part, frozenset())]
    return frozenset(word for text in texts for word in re.findall(r"[A-Za-z]{3,}", text))


def english_in(text: str, names: frozenset[str]) -> list[str]:
    """The words of a text that are still English: three plain letters or more that are no name of this job."""
    words = re.findall(r"(?<![\w.+/-])[A-Za-z][a-z]{2,}(?![\w/])", re.sub(r"“[^”]*”", "", text))
    return [word for word in words if word not in names and word not in EVERYWHERE]
