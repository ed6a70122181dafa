"""The register of forms: each a pattern for the whole line, examples, the stage it is mostly said at, and its reading.

In a pattern, `<part>`, `<pin>`, `<parts>`, `<point>` and `<board>` stand for places; a form matches the whole line
or not at all.
"""

import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import lru_cache

from loyal_trace.core.boards.names import board_prefix
from loyal_trace.core.job.entries import OWN_BOARD, Entry, NamedPart
from loyal_trace.core.line.context import Context, Planned, Said
from loyal_trace.core.line.places import Alternative, Patterns, Places, listed, named
from loyal_trace.core.vocabulary.stages import Stage

Match = re.Match[str]
_PLACEHOLDER = re.compile(r"(?<!\?P)<(part|pin|parts|board|point)>")


@dataclass(frozen=True)
class Form:
    """One thing that can be said."""

    name: str
    pattern: str
    examples: tuple[str, ...]
    stage: Stage
    read: Callable[[Match, "Scope"], Iterable[Said]]
    bare: bool = False


FORMS: list[Form] = []
Reader = Callable[[Match, "Scope"], Iterable[Said]]


def form(pattern: str, *examples: str, stage: Stage, bare: bool = False) -> Callable[[Reader], Reader]:
    """Registers a form under the name of its reader. A bare form is read only where its kind of thing is asked for."""

    def register(read: Reader) -> Reader:
        FORMS.append(Form(read.__name__, pattern, examples, stage, read, bare))
        return read

    return register


@lru_cache(maxsize=2048)
def _compiled(pattern: str, pieces: Patterns) -> re.Pattern[str]:
    whole = _PLACEHOLDER.sub(lambda match: pieces.pieces[match[1]], pattern)
    return re.compile(whole, re.IGNORECASE)


@dataclass
class Scope:
    """What a form reads in: the context, its places, and the free words of the line."""

    context: Context
    places: Places
    patterns: Patterns

    def match(self, one: Form, text: str) -> Match | None:
        """The whole text as that form, or None."""
        return _compiled(one.pattern, self.patterns).fullmatch(text)

    def named(self, part: NamedPart) -> str:
        """A place as it can be typed again."""
        return named(part, self.context)

    def point(self, board: str, name: str) -> str:
        """A point of a board as it can be typed again."""
        return f"{self.board_words(board)}{name}"

    def listed(self, parts: Iterable[NamedPart]) -> str:
        """Places as they can be typed again."""
        return listed(parts, self.context)

    def board_words(self, board: str) -> str:
        """The name of a board before a line that names no place, where there are several boards."""
        return board_prefix(self.context.boards, board)

    def boards(self, said: str | None, free: bool = True) -> list[str]:
        """The boards that a line without a place can be about: the one named or explicit, the only one; else none
        in particular (`free`), or each of them, to be asked."""
        board = self.places.board_named(f"{said} x")[0] if said else ""
        context = self.context
        if board or context.board:
            return [board or context.board]
        if len(context.boards) < 2:
            return list(context.boards) or [OWN_BOARD]
        if context.picked is not None and context.picked.board in context.boards:
            return [context.picked.board]
        if free:
            return [""]
        return list(context.boards)


def at(kind: type[Entry], part: NamedPart, **fields: object) -> Planned:
    """An entry about one part."""
    return Planned(kind, {"board": part.board, "place": part.refdes, **fields})


def about(kind: type[Entry], board: str, **fields: object) -> Planned:
    """An entry about a board."""
    return Planned(kind, {"board": board, **fields})


def said(canonical: str, *entries: Planned, new: Alternative | None = None) -> Said:
    """One reading of a line."""
    return Said(tuple(entries), canonical, new.new if new is not None else (), len(entries))
