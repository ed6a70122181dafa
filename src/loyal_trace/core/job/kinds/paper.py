"""Entries of the job's cover: opened, imported, decided, cautions read, notes, undone, handed back."""

from typing import Any, Literal

from loyal_trace.core.job.base import Entry, Raw, kind
from loyal_trace.core.job.draft import Draft
from loyal_trace.core.vocabulary.cautions import FORMER_NAMES
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import say, term
from loyal_trace.core.vocabulary.stages import Stage


def _opened(draft: Draft, entry: "Opened") -> None:
    draft.paper.opened.value = entry


def _decided(draft: Draft, entry: "Decided") -> None:
    draft.paper.decisions[entry.what] = entry


def _caution(draft: Draft, entry: "CautionSeen") -> None:
    draft.paper.cautions[FORMER_NAMES.get(entry.caution, entry.caution)] = entry


def _note(draft: Draft, entry: "Note") -> None:
    draft.paper.notes.add(entry)


def _handed_back(draft: Draft, entry: "HandedBack") -> None:
    draft.paper.handed_back.value = entry


def nothing(draft: Draft, entry: Any) -> None:
    """Changes nothing by itself: a retraction has done its work before the fold, an import only marks the chain."""


def _decided_words(entry: "Decided") -> str:
    """A decision in words; those about one place name it as the board does."""
    about, _, place = entry.what.rpartition(" ")
    refdes, other = place.rpartition("/")[2], entry.choice.rpartition("/")[2]
    if about == "before":
        if entry.choice == "last":
            return say("{place}: its step comes last", place=refdes)
        return say("{place}: its step comes before that of {other}", place=refdes, other=other)
    if about == "arrives":
        return say("{place}: the ordered part arrives in {time}", place=refdes, time=entry.choice)
    return say(
        "decided {what}: {choice}{because}", what=term(entry.what), choice=term(entry.choice), because=_because(entry)
    )


def _because(entry: "Decided") -> str:
    return say(", because {reason}", reason=term(entry.reason)) if entry.reason else ""


@kind(_opened, lambda e: say("job opened: {title}", title=e.title), Stage.INTAKE)
class Opened(Entry):
    """A job begins: whose, what is wrong in the owner's words, what was promised, which boards."""

    kind: Literal["opened"] = "opened"
    title: str
    number: str = ""
    owner: str = ""
    complaint: str = ""
    promise: str = "repair"
    boards: tuple[str, ...] = ()
    maker: str = ""


@kind(
    nothing, lambda e: say("imported, {entries} entries, logbook ends with {head}", entries=e.entries, head=e.head[:12])
)
class Imported(Entry):
    """The job came in as an archive whose logbook ended with `head` (SHA-256 of its last line)."""

    kind: Literal["imported"] = "imported"
    head: str
    entries: int


def _without_school(raw: Raw) -> Raw:
    """Version 1 called the limits and the order by the name of their school."""
    renamed = {"rail school": "supply limits", "order school": "repair order"}
    return {**raw, "what": renamed.get(raw["what"], raw["what"])}


@kind(
    _decided,
    _decided_words,
    upgrades={1: _without_school},
)
class Decided(Entry):
    """A choice that changes how the job is judged or done (`firmware`, `supply limits`, `good enough`, …)."""

    kind: Literal["decided"] = "decided"
    what: str
    choice: str
    reason: str = ""


@kind(_caution, lambda e: say("caution read: {caution}", caution=e.caution))
class CautionSeen(Entry):
    """A caution was read and signed before the step that can hurt."""

    kind: Literal["caution_seen"] = "caution_seen"
    caution: str


@kind(_note, lambda e: say("{place}: {text}", place=e.place, text=e.text) if e.place else e.text)
class Note(Entry):
    """Free words, of a part or of the whole job (empty place)."""

    kind: Literal["note"] = "note"
    text: str
    place: str = ""

    @property
    def part(self) -> PartRef | None:
        """The part it belongs to; None for the job."""
        return PartRef(self.board, self.place) if self.place else None


@kind(nothing, lambda e: say("not read: {why}", why=e.why))
class Unread(Entry):
    """A line that this program cannot use: from a newer version, damaged, or about a file that is lost.

    It stands in for the line in memory only and is never written: the logbook keeps the line as it is.
    """

    kind: Literal["unread"] = "unread"
    why: str
    newer: bool = False


@kind(nothing, lambda e: "undone")
class Retracted(Entry):
    """An earlier entry no longer counts. It stays in the logbook."""

    kind: Literal["retracted"] = "retracted"
    target: str


@kind(_handed_back, lambda e: "handed back", Stage.REPORT)
class HandedBack(Entry):
    """The job went back to its owner."""

    kind: Literal["handed_back"] = "handed_back"
