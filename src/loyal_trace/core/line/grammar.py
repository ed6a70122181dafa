"""A line, read: text and context in; entries, choices or a note out. Pure; within 5 ms.

A form matches the whole line or not at all. Nothing is guessed: when two readings are left, or a value cannot be
right, both are offered; when none is left, the line is a note.
"""

import re
from collections.abc import Iterator
from dataclasses import replace

from loyal_trace.core.job.entries import NamedPart, Note
from loyal_trace.core.line import forms as forms  # registers all of them
from loyal_trace.core.line.context import Context, Message, Parsed, Planned, Refusal, Said, Status
from loyal_trace.core.line.places import Places, looks_like_place, patterns_of
from loyal_trace.core.line.registry import FORMS, Form, Scope
from loyal_trace.core.line.wording import said_otherwise

_ASKS = ("impossible-value", "word-too", "place-too")
_FREE = re.compile(r"(?:^|\s)--\s+(.*)$", re.DOTALL)
_MOST_WORDS = 14
# “5D.13: 4.87V” is “5D.13 4.87V”: a colon after a known place. Some forms have one there themselves (U9.3: RESET).
_COLON = re.compile(r"(?P<place>[^\s:]+(?:\s[^\s:]+)?)\s*:\s+(?P<rest>\S.*)", re.DOTALL)


def parse_line(text: str, context: Context) -> Parsed:
    """What a line means in a context."""
    line = " ".join(text.split())
    if not line or line == "--":
        return Parsed(text, Status.NOTE, None, (), Message("empty"))
    free = _FREE.search(line)
    head, words = (line[: free.start()].strip(), free[1].strip()) if free else (line, "")
    scope = Scope(context, Places(context), patterns_of(context))
    if free and not head:
        return Parsed(text, Status.NOTE, _note(words, scope))
    found, refusals = _readings(head, scope)
    for usual in said_otherwise(head) if not found and not refusals else ():
        found = found or _readings(usual, scope)[0]
    if not refusals and (after := _COLON.fullmatch(head)) and _beginning(head, scope):
        without, _ = _readings(f"{after['place']} {after['rest']}", scope)
        found = list({_key(one): one for one in (*found, *without)}.values())
    found = [_with_words(one, words) for one in found]
    asked = next((r for r in refusals if r.message.id in _ASKS and found), None)
    if len(found) == 1 and asked is None:
        return Parsed(text, Status.RECORDED, found[0])
    if found:
        choices = [*found, _note(line, scope)] if asked is not None else found
        return Parsed(text, Status.UNCLEAR, None, tuple(choices), asked.message if asked else Message("which"))
    if refusals:
        return Parsed(text, Status.REFUSED, None, (), refusals[0].message)
    return Parsed(text, Status.NOTE, replace(_note(line, scope), canonical=line), (), _not_understood(line, scope))


def _readings(head: str, scope: Scope) -> tuple[list[Said], list[Refusal]]:
    """Every reading of the whole line, each once, and why forms that match it cannot be recorded."""
    found: dict[tuple[Planned, ...] | str, Said] = {}
    refusals: list[Refusal] = []
    for one in _candidates(scope):
        match = scope.match(one, head)
        if match is None:
            continue
        try:
            for reading in one.read(match, scope):
                found.setdefault(_key(reading), reading)
        except Refusal as refusal:
            if not _only_looks(refusal, scope):
                refusals.append(refusal)
    return list(found.values()), refusals


def _candidates(scope: Scope) -> Iterator[Form]:
    asked = scope.context.asked is not None
    return (one for one in FORMS if asked or not one.bare)


def _key(reading: Said) -> str:
    return repr([(entry.kind.__name__, sorted(entry.fields.items())) for entry in reading.entries])


def _only_looks(refusal: Refusal, scope: Scope) -> bool:
    """Was only something that no place is called (5V, 2nd) taken for one? Then the line is a note."""
    if refusal.message.id != "unknown-place":
        return False
    return not all(looks_like_place(word, scope.places) for word in refusal.message.facts["place"].split("-"))


def _with_words(reading: Said, words: str) -> Said:
    """Free words after ` -- ` become the note of the entries."""
    if not words:
        return reading
    entries = tuple(
        Planned(e.kind, {**e.fields, "note": f"{e.fields['note']}; {words}" if e.fields.get("note") else words})
        for e in reading.entries
    )
    return Said(entries, f"{reading.canonical} -- {words}", reading.new, reading.count)


def _note(line: str, scope: Scope) -> Said:
    """The line as a note: of the known place that it begins with, else of the job."""
    part = _beginning(line, scope)
    board, place = (part.board, part.refdes) if part else ("", "")
    entry = Planned(Note, {"board": board, "place": place, "text": line})
    return Said((entry,), f"-- {line}")


def _beginning(line: str, scope: Scope) -> NamedPart | None:
    """The known place that a line begins with; None for none, or for one that two boards have."""
    board, rest = scope.places.board_named(line)
    words = rest.split()
    first = words[0].rstrip(",:;") if words else ""
    try:
        found = scope.places.find(f"{board} {first}".strip() if board else first)
    except Refusal:
        return None
    return found[0].one if len(found) == 1 else None


def _not_understood(line: str, scope: Scope) -> Message | None:
    """The first word that keeps the line from being more than a note, when what stands before it could be said."""
    words = line.split()
    for count in range(min(len(words) - 1, _MOST_WORDS), 1, -1):
        head = " ".join(words[:count]).rstrip(",;:.")
        found, refusals = _readings(head, scope)
        if found or refusals:
            return Message("leftover", {"word": words[count]})
    return None


def examples() -> list[tuple[Form, str]]:
    """Everything that can be said, with its examples."""
    return [(one, example) for one in FORMS for example in one.examples]
