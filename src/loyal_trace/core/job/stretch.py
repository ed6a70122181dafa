"""A stretch of a long logbook in columns: quick to read back, and each entry is made only when somebody asks for it.

Reading a line of JSON back checks every field of it, which takes long for very many. What was read and found good once
is kept in columns instead, one for each field of each kind. A stretch that holds a line nobody could read is not kept.
"""

from array import array
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from enum import Enum
from functools import cache
from threading import Lock
from typing import Any, NamedTuple, get_args, overload

from pydantic import BaseModel
from pydantic_core import from_json, to_json

from loyal_trace.core.job.base import KINDS, Entry
from loyal_trace.core.job.kinds.paper import Retracted, Unread
from loyal_trace.core.job.kinds.roms import ImageKnown, RomRead
from loyal_trace.core.job.lean import bare, models_in, set_up, without_names

# As many as a fold goes on by at a time, so that the end of a stretch is a moment that it knows.
STRETCH = 4096
# Asked of every entry of a long job: comparing a kind is much quicker than asking for a class.
_RETRACTED = Retracted.model_fields["kind"].default
_NAMING_IMAGES = frozenset(named.model_fields["kind"].default for named in (RomRead, ImageKnown))
PLAIN = (str, int, float, bool, type(None))
MICROSECOND = timedelta(microseconds=1)
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


def number_of_time(time: datetime) -> int:
    """A time as whole microseconds of UTC since 1970; `time_of_number` gives it back."""
    return (time - _EPOCH) // MICROSECOND


def time_of_number(number: int) -> datetime:
    """The time of a number of microseconds."""
    return _EPOCH + timedelta(microseconds=number)


class Link(NamedTuple):
    """What decides whether entries count: an id, the action that it is part of, and the id that it takes back."""

    id: str
    part_of: str
    target: str


def link_of(entry: Entry) -> Link:
    """The link of one entry."""
    return Link(entry.id, entry.part_of, entry.target if isinstance(entry, Retracted) else "")


def links_of(entries: Iterable[Entry]) -> Iterator[Link]:
    """The links that can change what counts: few of very many, since most entries stand by themselves."""
    return (link_of(entry) for entry in entries if entry.part_of or entry.kind == _RETRACTED)


def image_of(entry: Entry) -> str:
    """The SHA-256 of the image that an entry about ROM contents names; empty for any other.

    An image that is not there must not be judged: those entries are looked at whenever a job is opened.
    """
    return str(getattr(entry, "attachment", "")) if entry.kind in _NAMING_IMAGES else ""


@dataclass(frozen=True)
class Outline:
    """What of a stretch is wanted at once: all ids, the links that decide what counts, the files that it needs."""

    ids: tuple[str, ...]
    links: tuple[Link, ...]
    files: tuple[str, ...]


def outline_of(entries: Sequence[Entry]) -> Outline:
    """The outline of entries."""
    files = sorted({image_of(entry) for entry in entries} - {""})
    return Outline(tuple(entry.id for entry in entries), tuple(links_of(entries)), tuple(files))


def write_outline(outline: Outline) -> bytes:
    """An outline as one line of JSON."""
    return to_json([outline.ids, outline.links, outline.files])


def read_outline(data: bytes) -> Outline:
    """The outline that was written; ValueError when it was not."""
    ids, links, files = from_json(data)
    return Outline(tuple(ids), tuple(Link(*link) for link in links), tuple(files))


def write_columns(entries: Sequence[Entry]) -> bytes | None:
    """Entries as columns in JSON; None where one of them is only the mark of a line that could not be read."""
    rows: dict[str, list[Entry]] = {}
    for entry in entries:
        if isinstance(entry, Unread):
            return None
        rows.setdefault(entry.kind, []).append(entry)
    order = list(rows)
    columns = {kind: _columns(same) for kind, same in rows.items()}
    return to_json({"order": [order.index(entry.kind) for entry in entries], "kinds": columns})


def _columns(same: Sequence[Entry]) -> Any:
    """The columns of entries of one kind, or their lines where a field is of a shape that has no column."""
    kind = type(same[0])
    names = [name for name in kind.model_fields if name != "id"]  # ids stand in the outline
    columns = {name: _column([entry.__dict__[name] for entry in same]) for name in names}
    return [entry.model_dump_json() for entry in same] if None in columns.values() else columns


def _column(values: Sequence[Any]) -> Any:
    first = values[0]
    if all(type(value) in PLAIN for value in values):
        # A zero may be negative: numbers that look alike are not taken for one.
        alike = type(first) is not float and all(type(v) is type(first) and v == first for v in values)
        return {"one": first} if alike else {"plain": values}
    if all(type(value) is datetime for value in values):
        return {"times": [number_of_time(value) for value in values]}
    if all(value is None or isinstance(value, Enum) for value in values):
        return {"words": [value if value is None else value.value for value in values]}
    return _models_column(values)


def _models_column(values: Sequence[Any]) -> Any:
    """A column of tuples of models whose fields are all plain (the pins of a probed chip)."""
    inner = [one for value in values if isinstance(value, tuple) for one in value]
    if not inner or not all(isinstance(one, BaseModel) for one in inner):
        return None
    if len({type(one) for one in inner}) > 1 or not all(isinstance(value, tuple) for value in values):
        return None
    rows = [[list(one.__dict__.values()) for one in value] for value in values]
    plain = all(type(field) in PLAIN for row in rows for one in row for field in one)
    in_order = all(list(one.__dict__) == list(type(one).model_fields) for one in inner)
    return {"models": rows} if plain and in_order else None


class Stretch(Sequence[Entry]):
    """Entries in columns. Each is made at the first look at it, and is the same object from then on."""

    def __init__(self, data: bytes, ids: Sequence[str]) -> None:
        self._data: bytes | None = data
        self._ids = ids
        self._made: list[Entry | None] = [None] * len(ids)
        self._left = len(ids)
        self._making = Lock()
        self._order, self._rows = array("H"), array("H")  # a stretch has fewer entries than such numbers go
        self._makers: list[_Maker] = []

    def __len__(self) -> int:
        return len(self._made)

    @overload
    def __getitem__(self, index: int) -> Entry: ...
    @overload
    def __getitem__(self, index: slice) -> list[Entry]: ...
    def __getitem__(self, index: int | slice) -> Entry | list[Entry]:
        if isinstance(index, slice):
            return [self[at] for at in range(*index.indices(len(self._made)))]
        return self._made[index] or self._make(index)

    def _make(self, index: int) -> Entry:
        with self._making:  # a worker may look at the same entry at the same moment
            at = index % len(self._made)
            found = self._made[at]
            if found is not None:
                return found
            if self._data is not None:
                self._unpack(self._data)
            made = self._made[at] = self._makers[self._order[at]](self._rows[at])
            self._left -= 1
            if self._left == 0:
                self._makers, self._order, self._rows = [], array("H"), array("H")  # the columns have done their work
            return made

    def _unpack(self, data: bytes) -> None:
        document = from_json(data)
        kinds, order = document["kinds"], document["order"]
        ids: list[list[str]] = [[] for _ in kinds]
        for number, name in zip(order, self._ids, strict=True):
            self._rows.append(len(ids[number]))
            ids[number].append(name)
        self._order = array("H", order)
        self._makers = [_maker(KINDS[kind].model, kinds[kind], own) for kind, own in zip(kinds, ids, strict=True)]
        self._data = None


_Maker = Callable[[int], Entry]


def _maker(kind: type[Entry], columns: Any, ids: Sequence[str]) -> _Maker:
    """What makes the entry of a row; the ids of all rows stand outside the columns."""
    if isinstance(columns, list):
        return lambda row: without_names(kind.model_validate_json(columns[row]))
    whole = {**columns, "id": {"plain": ids}}
    # In the order of the class, so that all its entries share their keys.
    cells = [(name, _cells(kind, name, whole[name])) for name in kind.model_fields]

    def make(row: int) -> Entry:
        entry, fields = bare(kind)
        for field, cell in cells:
            fields[field] = cell(row)
        set_up(entry)
        return entry

    return make


def _cells(kind: type[Entry], name: str, column: Mapping[str, Any]) -> Callable[[int], Any]:
    """What gives the value of a field in a row."""
    ((shape, values),) = column.items()
    if shape == "one":
        return lambda row: values
    if shape == "times":
        numbers = array("q", values)
        return lambda row: time_of_number(numbers[row])
    if shape == "words":
        members = {member.value: member for member in _enum_of(kind, name)}
        return lambda row: None if values[row] is None else members[values[row]]
    if shape == "models":
        inner = models_in(kind)[name]
        names = tuple(inner.model_fields)
        return lambda row: tuple([_model(inner, names, fields) for fields in values[row]])
    cell: Callable[[int], Any] = values.__getitem__
    return cell


def _model(kind: type[BaseModel], names: Sequence[str], values: Sequence[Any]) -> BaseModel:
    made, fields = bare(kind)
    for name, value in zip(names, values, strict=True):
        fields[name] = value
    set_up(made)
    return made


@cache
def _enum_of(kind: type[Entry], name: str) -> type[Enum]:
    """The enum in the annotation of a field."""
    return next(one for one in types_in(kind.model_fields[name].annotation) if issubclass(one, Enum))


def types_in(annotation: Any) -> Iterator[type[Any]]:
    """Every class that an annotation names, in its arguments as well."""
    asked = [annotation]
    while asked:
        one = asked.pop()
        if isinstance(one, type):
            yield one
        asked += get_args(one)


class Grown(Sequence[Entry]):
    """A logbook in use: whole stretches that are made when looked at, and behind them what has been read or written."""

    def __init__(self, stretches: Sequence[Sequence[Entry]] = (), rest: Sequence[Entry] = ()) -> None:
        self._stretches, self._rest = stretches, list(rest)
        self.kept = STRETCH * len(stretches)

    def __len__(self) -> int:
        return self.kept + len(self._rest)

    @overload
    def __getitem__(self, index: int) -> Entry: ...
    @overload
    def __getitem__(self, index: slice) -> list[Entry]: ...
    def __getitem__(self, index: int | slice) -> Entry | list[Entry]:
        if isinstance(index, slice):
            start, end, step = index.indices(len(self))
            if start >= self.kept and step == 1:
                return self._rest[start - self.kept : max(end - self.kept, 0)]
            return [self[at] for at in range(start, end, step)]
        at = index + len(self) if index < 0 else index
        if at >= self.kept:
            return self._rest[at - self.kept]
        if at < 0:
            raise IndexError(index)
        return self._stretches[at // STRETCH][at % STRETCH]

    def __iter__(self) -> Iterator[Entry]:
        for stretch in self._stretches:
            yield from stretch
        yield from self._rest

    def append(self, entry: Entry) -> None:
        """One more entry."""
        self._rest.append(entry)
