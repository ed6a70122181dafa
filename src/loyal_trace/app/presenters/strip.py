"""The strip above the line: what Enter will record and where, what is missing, or which reading is meant."""

from dataclasses import dataclass

from loyal_trace.app.commands import LineResult
from loyal_trace.core.job.entries import Note
from loyal_trace.core.line.context import Status
from loyal_trace.core.vocabulary.phrases import joined, say, stacked
from loyal_trace.core.vocabulary.units import count_of

HEADS = {
    Status.RECORDED: say("Enter records"),
    Status.NOTE: say("Enter notes"),
    Status.UNCLEAR: say("Which one?"),
    Status.REFUSED: say("Not recorded"),
}
_KINDS = {Status.RECORDED: "good", Status.NOTE: "unknown", Status.UNCLEAR: "doubtful", Status.REFUSED: "bad"}


@dataclass(frozen=True)
class Strip:
    """The head in a word or two, its colour, the sentence, and the choices where the line is unclear."""

    head: str = ""
    kind: str = "unknown"
    text: str = ""
    choices: tuple[str, ...] = ()
    chosen: int = 0


NOTHING = Strip()


def strip_of(found: LineResult, chosen: int = 0, before: str = "") -> Strip:
    """The strip for a line as it would be entered; `before` is what has to be done first."""
    if not found.text.strip():
        return NOTHING
    head, kind = HEADS[found.status], _KINDS[found.status]
    if found.status is Status.UNCLEAR:
        return Strip(head, kind, found.why, found.choices, min(chosen, len(found.choices) - 1))
    if found.status is Status.REFUSED:
        return Strip(head, kind, found.why)
    if before:
        return Strip(say("First"), "doubtful", before)
    words = _note_words(found) if found.status is Status.NOTE else _record_words(found)
    # Signed cautions stand on the page; what is left belongs to this line alone.
    return Strip(head, kind, stacked(words, *found.cautions))


def hold_words(caution: bool, words: str) -> str:
    """What the window says where a reading has to wait."""
    if caution:
        return say("read the caution first and sign it (Alt+K); your name and the time are recorded with it")
    return say("{words}. Or go on anyway (Alt+Y), which is recorded.", words=words)


def _note_words(found: LineResult) -> str:
    """Where a note goes and what it says, or which word kept it from being more."""
    note = next((entry for entry in found.entries if isinstance(entry, Note)), None)
    if note is None:
        return found.why
    where = note.place or "job"
    words = say("on {where}: “{note}”", where=where, note=note.text)
    return say("{words}. {why}", words=words, why=found.why) if found.why else words


def _record_words(found: LineResult) -> str:
    """The line in the grammar's own words, with what is new and how many entries it makes."""
    new = joined("; ", (say("new part {refdes}", refdes=place.refdes) for place in found.new))
    count = len({getattr(entry, "place", "") for entry in found.entries})
    several = count_of(count, "part") if count > 2 else ""
    more = joined(", ", (words for words in (new, several) if words))
    return say("{says}  ({more})", says=found.says, more=more) if more else found.says
