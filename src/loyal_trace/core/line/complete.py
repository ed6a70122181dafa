"""Completion: the places, boards, keywords and types that the word being typed can become."""

import re
from collections.abc import Iterator, Sequence
from functools import lru_cache

from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.line.context import Context
from loyal_trace.core.line.grammar import examples
from loyal_trace.core.vocabulary.identity import natural_key

_WORD = re.compile(r"[a-z][a-z-]{2,}:?")
_BEFORE_TYPES = ("is", "with", "use", "type")
_SERIES = re.compile(r"(74|54)([A-Za-z]{1,4})")
_MOST = 12


def completions(text: str, context: Context) -> tuple[str, ...]:
    """Every way to go on with the last word of a line, as whole lines; places first. None after a blank."""
    found: dict[str, None] = {}
    for head, word in _last_words(text):
        wanted = word.casefold()
        going_on = (one for one in _candidates(head, word, context) if one.casefold().startswith(wanted))
        found |= dict.fromkeys(head + one for one in going_on if one != word)
    return tuple(found)[:_MOST]


def common(lines: Sequence[str]) -> str:
    """What all of the lines begin with."""
    first, last = min(lines, default=""), max(lines, default="")
    return next((first[:n] for n, letter in enumerate(first) if n >= len(last) or last[n] != letter), first)


def _last_words(text: str) -> Iterator[tuple[str, str]]:
    """What stands before the word being typed, and that word; both ways where a hyphen may part two ends of a range.

    A hyphen may as well belong to the name of a board (TW-VID).
    """
    whole = max(text.rfind(" "), text.rfind(",")) + 1
    for at in dict.fromkeys((whole, text.rfind("-", whole) + 1 or whole)):
        if text[at:]:
            yield text[:at], text[at:]


def _candidates(head: str, word: str, context: Context) -> Iterator[str]:
    words = head.lower().split()
    if words and words[-1] in _BEFORE_TYPES:
        yield from sorted({part.number for board in context.boards.values() for part in board.chips}, key=natural_key)
        yield from _types(word, context.library)
    places = {part.refdes for board in context.boards.values() for part in board.parts}
    yield from sorted(places, key=natural_key)
    yield from (board.name for board in context.boards.values())
    yield from _keywords(not words)


def _types(word: str, library: ChipLibrary) -> Iterator[str]:
    """The types of the library, those of a logic series in the family that is being typed (74LS…)."""
    family = _SERIES.match(word)
    for name in sorted(library.type_names, key=natural_key):
        if family and name.startswith(family[1]):
            yield f"{family[1]}{family[2].upper()}{name.removeprefix(family[1])}"
        yield name


@lru_cache(maxsize=2)
def _keywords(first: bool) -> tuple[str, ...]:
    """The words of everything that can be said: those that begin a line, or those that go on with one."""
    found = set()
    for _, example in examples():
        words = example.lower().split()
        found |= {word for n, word in enumerate(words) if (n == 0) == first and _WORD.fullmatch(word)}
    return tuple(sorted(found))
