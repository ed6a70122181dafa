"""A moment of a long job kept for the next opening: the snapshot, each entry in it named by its place in the logbook.

Nothing of it is ever believed by itself: whoever reads one back holds it against the lines that it was made from.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, fields
from enum import Enum
from functools import cache
from types import MappingProxyType
from typing import Any

from pydantic import BaseModel
from pydantic_core import from_json, to_json

from loyal_trace.core.job.base import KINDS, Entry
from loyal_trace.core.job.draft import Group, Later
from loyal_trace.core.job.snapshot import (
    EMPTY_SNAPSHOT,
    CheckKey,
    ImageKey,
    JobSnapshot,
    ReadingKey,
    SupplyKey,
    SymptomKey,
)
from loyal_trace.core.job.stretch import MICROSECOND, PLAIN, Outline, Stretch, number_of_time, time_of_number, types_in
from loyal_trace.core.vocabulary.identity import PartRef, PinRef, PointRef

# Series up to this length are made at once.
_SHORT = 64
_KEYS = {
    key.__name__: key for key in (PartRef, PinRef, PointRef, ReadingKey, SymptomKey, ImageKey, CheckKey, SupplyKey)
}
PlaceOf = Callable[[Entry], int | None]


@dataclass(frozen=True)
class Checkpoint:
    """Stretches from the beginning of a logbook, and the snapshot after them, not yet unpacked."""

    outline: Outline
    stretches: tuple[Stretch, ...]
    dead: frozenset[str]
    state: bytes

    def snapshot_of(self, entries: Sequence[Entry]) -> JobSnapshot:
        """The snapshot; `entries` is the whole logbook, of which it names places."""
        return read_state(self.state, entries)


def write_state(snapshot: JobSnapshot, place_of: PlaceOf) -> bytes:
    """A snapshot as JSON. `place_of` tells the place of an entry in the logbook, None of one that is not in it."""
    groups: dict[str, Any] = {
        "count": snapshot.count,
        "at_bench": snapshot.at_bench // MICROSECOND,
        "newest": None if snapshot.newest is None else number_of_time(snapshot.newest),
    }
    for spec in fields(snapshot):
        group = getattr(snapshot, spec.name)
        if isinstance(group, Group):
            groups[spec.name] = {one.name: _told(getattr(group, one.name), place_of) for one in fields(group)}
    return to_json(groups)


def _told(value: Any, place_of: PlaceOf) -> Any:
    if type(value) in PLAIN:
        return value
    if isinstance(value, Enum):
        return {"word": type(value).__name__, "of": value.value}
    if isinstance(value, BaseModel):
        return _model_told(value, place_of)
    if isinstance(value, Mapping):
        return {"map": [[_told(key, place_of), _told(one, place_of)] for key, one in value.items()]}
    if type(value).__name__ in _KEYS:
        return {"key": type(value).__name__, "of": [_told(one, place_of) for one in value]}
    return _series_told(value, place_of)


def _series_told(value: Sequence[Any], place_of: PlaceOf) -> Any:
    """A series of entries by their places, where all of them stand in the logbook; any other, value by value."""
    before, since = (value.places, value.since) if isinstance(value, Later) else ((), value)
    places = [place_of(one) if isinstance(one, Entry) else None for one in since]
    if value and None not in places:
        return {"at": [*before, *places]}
    return {"tuple": [_told(one, place_of) for one in value]}


def _model_told(value: BaseModel, place_of: PlaceOf) -> Any:
    place = place_of(value) if isinstance(value, Entry) else None
    if place is not None:
        return {"at": place}
    return {"model": type(value).__name__, "json": value.model_dump_json()}


def read_state(data: bytes, entries: Sequence[Entry]) -> JobSnapshot:
    """The snapshot that was written, in which long series are made only when somebody looks into them."""
    groups = from_json(data)
    newest = groups["newest"]
    made: dict[str, Any] = {
        "count": groups["count"],
        "at_bench": groups["at_bench"] * MICROSECOND,
        "newest": None if newest is None else time_of_number(newest),
    }
    for spec in fields(EMPTY_SNAPSHOT):
        group = getattr(EMPTY_SNAPSHOT, spec.name)
        if isinstance(group, Group):
            told = {name: _read(value, entries) for name, value in groups[spec.name].items()}
            made[spec.name] = type(group)(**told)
    return JobSnapshot(**made)


def _read(told: Any, entries: Sequence[Entry]) -> Any:
    if not isinstance(told, dict):
        return told
    if "at" in told:
        return _entries_read(told["at"], entries)
    if "map" in told:
        return MappingProxyType({_read(key, entries): _read(value, entries) for key, value in told["map"]})
    if "key" in told:
        return _KEYS[told["key"]]._make(_read(one, entries) for one in told["of"])
    if "tuple" in told:
        return tuple(_read(one, entries) for one in told["tuple"])
    if "word" in told:
        return _words()[told["word"]](told["of"])
    return _models()[told["model"]].model_validate_json(told["json"])


def _entries_read(at: int | list[int], entries: Sequence[Entry]) -> Any:
    if isinstance(at, int):
        return entries[at]
    return Later(entries, at) if len(at) > _SHORT else tuple(entries[place] for place in at)


@cache
def _models() -> Mapping[str, type[BaseModel]]:
    """Every model that stands in an entry, and the entries, by their names."""
    return {one.__name__: one for one in _in_annotations() if issubclass(one, BaseModel)}


@cache
def _words() -> Mapping[str, type[Enum]]:
    """Every enum that stands in an entry, by its name."""
    return {one.__name__: one for one in _in_annotations() if issubclass(one, Enum)}


@cache
def _in_annotations() -> frozenset[type[Any]]:
    found: set[type[Any]] = set()
    asked: list[Any] = [row.model for row in KINDS.values()]
    while asked:
        new = set(types_in(asked.pop())) - found
        found |= new
        asked += [spec.annotation for one in new if issubclass(one, BaseModel) for spec in one.model_fields.values()]
    return frozenset(found)
