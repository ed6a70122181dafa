"""What every entry has, and the one registry of entry kinds.

A kind is one class with `@kind(...)` above it, in one module of `job/kinds`: its fields, what it does to the draft of
the snapshot, its words in the logbook, the stage it belongs to, and how older versions of it are upgraded.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Annotated, Any, Literal, TypeVar

from pydantic import BaseModel, ConfigDict, Field
from pydantic_core import core_schema

from loyal_trace.core.job.draft import Draft
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.stages import Stage

ENTRY_VERSION = 2
OWN_BOARD = "own"
Sha256 = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
Raw = dict[str, Any]


class _OffsetNought:
    """Times are kept in UTC: checked by the validator itself, because every line of a logbook goes through it."""

    @classmethod
    def __get_pydantic_core_schema__(cls, source: Any, handler: Any) -> core_schema.CoreSchema:
        return core_schema.datetime_schema(tz_constraint=0)


UtcTime = Annotated[datetime, _OffsetNought]


class Strict(BaseModel):
    """A frozen model that takes no unknown field and no NaN."""

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True, allow_inf_nan=False)


class Entry(Strict):
    """One entry: id, UTC time, author, board, free words. Nothing here reads a clock: all of it is passed in.

    `previous` is the SHA-256 of the line before it in its job, so that damage, silent change and truncation show.
    """

    kind: str
    id: str = Field(min_length=1, max_length=64)
    time: UtcTime
    author: str = ""
    board: str = ""
    part_of: str = Field(default="", description="id of the entry this one belongs to: undone with it")
    note: str = ""
    previous: str = ""
    v: Literal[2] = 2


class PlacedEntry(Entry):
    """An entry about one part of one board."""

    place: str

    @property
    def part(self) -> PartRef:
        """The part it is about."""
        return PartRef(self.board, self.place)


class NamedPart(Strict):
    """A part, or a pin of it, named inside an entry; the board may be another than the entry's own."""

    board: str
    refdes: str
    pin: int | None = None

    @property
    def part(self) -> PartRef:
        """The part meant."""
        return PartRef(self.board, self.refdes)

    @property
    def name(self) -> str:
        """As it is written: `5D` or `5D.13`."""
        return self.refdes if self.pin is None else f"{self.refdes}.{self.pin}"


@dataclass(frozen=True)
class EntryKind:
    """One row of the registry."""

    model: type[Entry]
    apply: Callable[[Draft, Any], None]
    words: Callable[[Any], str]
    stage: Callable[[Any], Stage | None]
    upgrades: Mapping[int, Callable[[Raw], Raw]] = field(default_factory=dict)


KINDS: dict[str, EntryKind] = {}
Model = TypeVar("Model", bound=Entry)


def kind(
    apply: Callable[[Draft, Any], None],
    words: Callable[[Any], str],
    stage: Stage | Callable[[Any], Stage | None] | None = None,
    upgrades: Mapping[int, Callable[[Raw], Raw]] | None = None,
) -> Callable[[type[Model]], type[Model]]:
    """Registers an entry class. `upgrades` maps a version to what makes the raw entry one version newer."""

    def register(model: type[Model]) -> type[Model]:
        name = model.model_fields["kind"].default
        where = stage if callable(stage) else lambda entry: stage
        KINDS[name] = EntryKind(model, apply, words, where, upgrades or {})
        return model

    return register


def stage_of(entry: Entry) -> Stage | None:
    """The stage an entry belongs to; None for those of none."""
    return KINDS[entry.kind].stage(entry)


def describe(entry: Entry) -> str:
    """One line in plain words, without its time."""
    words = KINDS[entry.kind].words(entry)
    return say("{words} ({note})", words=words, note=entry.note) if entry.note else words
