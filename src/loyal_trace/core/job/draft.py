"""A snapshot being brought up to date: tables that remember only what changed, then freeze.

Freezing copies the tables that were touched and shares all others, so that one more entry costs the size of what it
touches, and a snapshot once handed out never changes.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import Field, dataclass, field, fields, replace
from types import MappingProxyType
from typing import Any, overload

EMPTY: Mapping[Any, Any] = MappingProxyType({})


class _Keyed:
    """What tables have in common: a frozen base, what is new since, and what was taken away since.

    A key that is taken away and comes back stands at the end, whether or not it was frozen in between: a fold that
    goes on step by step gives the same order as one that does all at once.
    """

    def __init__(self, base: Mapping[Any, Any]) -> None:
        self._base = base
        self._new: dict[Any, Any] = {}
        self._gone: set[Any] = set()

    @property
    def touched(self) -> bool:
        return bool(self._new or self._gone)

    def _old(self, key: Any) -> Any:
        """The value of the base, unless it was taken away."""
        # What was taken away since the last freeze is gone, although the base still has it.
        return None if key in self._gone else self._base.get(key)

    def _drop(self, key: Any) -> None:
        self._new.pop(key, None)
        if key in self._base:
            self._gone.add(key)

    def __contains__(self, key: Any) -> bool:
        return key in self._new or (key in self._base and key not in self._gone)

    def keys(self) -> Iterator[Any]:
        """The keys now."""
        yield from (key for key in dict.fromkeys((*self._base, *self._new)) if key in self)

    def freeze(self) -> Mapping[Any, Any]:
        """The table as an unchangeable mapping, from which this one goes on."""
        if self.touched:
            # A plain copy keeps the order of the base; a comprehension only where something has to be left out.
            kept = {k: v for k, v in self._base.items() if k not in self._gone} if self._gone else dict(self._base)
            for key, value in self._new.items():
                kept[key] = self._frozen(value)
            self._base, self._new, self._gone = MappingProxyType(kept), {}, set()
        return self._base

    def _frozen(self, value: Any) -> Any:
        return value


class Table(_Keyed):
    """Key → value, in the order of the first writing."""

    def get(self, key: Any, default: Any = None) -> Any:
        """The value now, or the default."""
        found = self._new[key] if key in self._new else self._old(key)
        return default if found is None else found

    def __setitem__(self, key: Any, value: Any) -> None:
        self._new[key] = value

    def discard(self, key: Any) -> Any:
        """Takes a key away; its value, or None."""
        found = self.get(key)
        self._drop(key)
        return found


class Later(Sequence[Any]):
    """A long series of a logbook's entries: by their places in it, then those that came since. Equal to their tuple.

    So the entries of a long job are made only when somebody looks at them.
    """

    def __init__(self, entries: Sequence[Any], places: Sequence[int], since: Sequence[Any] = ()) -> None:
        self.entries, self.places, self.since = entries, places, list(since)

    def __len__(self) -> int:
        return len(self.places) + len(self.since)

    @overload
    def __getitem__(self, index: int) -> Any: ...
    @overload
    def __getitem__(self, index: slice) -> Sequence[Any]: ...
    def __getitem__(self, index: int | slice) -> Any:
        if isinstance(index, slice):
            return tuple(self[at] for at in range(*index.indices(len(self))))
        at = index + len(self) if index < 0 else index
        if at < 0:
            raise IndexError(index)
        return self.entries[self.places[at]] if at < len(self.places) else self.since[at - len(self.places)]

    def __iter__(self) -> Iterator[Any]:
        yield from map(self.entries.__getitem__, self.places)
        yield from self.since

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, tuple | Later):
            return NotImplemented
        return len(self) == len(other) and all(a == b for a, b in zip(self, other, strict=True))

    def __hash__(self) -> int:
        return hash(tuple(self))


def _to_grow(values: Sequence[Any]) -> "list[Any] | Later":
    """A copy that can be added to; a long one stays by its places."""
    return Later(values.entries, values.places, values.since) if isinstance(values, Later) else list(values)


def _added(values: "list[Any] | Later", new: Sequence[Any]) -> None:
    (values.since if isinstance(values, Later) else values).extend(new)


def _kept(values: "list[Any] | Later") -> Sequence[Any]:
    return values if isinstance(values, Later) else tuple(values)


class Series(_Keyed):
    """Key → values in the order they came; frozen, nobody adds to them any more."""

    def get(self, key: Any) -> Sequence[Any]:
        """The values so far."""
        return self._new[key] if key in self._new else self._old(key) or ()

    def add(self, key: Any, *values: Any) -> None:
        """Adds values at the end."""
        if key not in self._new:
            self._new[key] = _to_grow(self._old(key) or ())
        _added(self._new[key], values)

    def clear(self, key: Any) -> Sequence[Any]:
        """Takes all values of a key away and returns them."""
        found = self.get(key)
        self._drop(key)
        return found

    def _frozen(self, value: Any) -> Any:
        return _kept(value)


class Nested(_Keyed):
    """Key → key → value: what was probed of each part, pin by pin."""

    def of(self, key: Any) -> dict[Any, Any]:
        """The inner table of a key, to be written to."""
        # Copied once per freeze, then written in place: probing a chip pin by pin stays linear.
        found: dict[Any, Any] | None = self._new.get(key)
        if found is None:
            found = self._new[key] = dict(self._old(key) or EMPTY)
        return found

    def discard(self, key: Any) -> Mapping[Any, Any] | None:
        """Takes a key away with all that is under it; what that was, or None."""
        found: Mapping[Any, Any] | None = self._new.get(key) or self._old(key)
        self._drop(key)
        return MappingProxyType(dict(found)) if found else None

    def _frozen(self, value: Any) -> Any:
        return MappingProxyType(value)


class Listing:
    """Values in the order they came; frozen, nobody adds to them any more."""

    def __init__(self, base: Sequence[Any]) -> None:
        self._base = base
        self._new: list[Any] | Later | None = None

    @property
    def touched(self) -> bool:
        return self._new is not None

    def add(self, *values: Any) -> None:
        """Adds values at the end."""
        if self._new is None:
            self._new = _to_grow(self._base)
        _added(self._new, values)

    def clear(self) -> Sequence[Any]:
        """Takes all values away and returns them."""
        found = self._base if self._new is None else self._new
        self._new = []
        return found

    def freeze(self) -> Sequence[Any]:
        """The values, from which this one goes on."""
        if self._new is not None:
            self._base, self._new = _kept(self._new), None
        return self._base


class Single:
    """One value."""

    def __init__(self, base: Any) -> None:
        self.value = self._base = base

    @property
    def touched(self) -> bool:
        return self.value is not self._base

    def freeze(self) -> Any:
        """The value, from which this one goes on."""
        self._base = self.value
        return self._base


def _empty() -> Mapping[Any, Any]:
    return EMPTY


def table() -> Any:
    """A field of a snapshot's group: key → value."""
    return field(default_factory=_empty, metadata={"draft": Table})


def series() -> Any:
    """A field of a snapshot's group: key → tuple of values."""
    return field(default_factory=_empty, metadata={"draft": Series})


def nested() -> Any:
    """A field of a snapshot's group: key → key → value."""
    return field(default_factory=_empty, metadata={"draft": Nested})


def listing() -> Any:
    """A field of a snapshot's group: a tuple of values."""
    return field(default=(), metadata={"draft": Listing})


def single(default: Any = None) -> Any:
    """A field of a snapshot's group: one value."""
    return field(default=default, metadata={"draft": Single})


@dataclass(frozen=True)
class Group:
    """Base of a snapshot's groups: frozen, all fields made by `table`, `series`, `nested`, `listing` or `single`."""


class DraftGroup:
    """One group of a snapshot being changed; its tables stand under the names of the group's fields."""

    def __init__(self, base: Group) -> None:
        self._base = base
        self._tables = {spec.name: _container(spec, getattr(base, spec.name)) for spec in fields(base)}
        self.__dict__.update(self._tables)

    def __getattr__(self, name: str) -> Any:
        raise AttributeError(name)

    def freeze(self) -> Group:
        """The group as it is now; the same object when nothing was touched."""
        changed = {name: one.freeze() for name, one in self._tables.items() if one.touched}
        if changed:
            self._base = replace(self._base, **changed)
        return self._base


def _container(spec: "Field[Any]", base: Any) -> Any:
    return spec.metadata["draft"](base)


class Draft:
    """A snapshot being changed: its groups stand under their names. Only the fold makes one."""

    def __init__(self, snapshot: Any) -> None:
        self._snapshot = snapshot
        self._groups = {
            spec.name: DraftGroup(getattr(snapshot, spec.name))
            for spec in fields(snapshot)
            if isinstance(getattr(snapshot, spec.name), Group)
        }
        self.__dict__.update(self._groups)
        self.count: int = snapshot.count

    def __getattr__(self, name: str) -> Any:
        raise AttributeError(name)

    def freeze(self) -> Any:
        """The snapshot as it is now; unchanged groups are shared with the one before."""
        changed = {name: group.freeze() for name, group in self._groups.items()}
        self._snapshot = replace(self._snapshot, count=self.count, **changed)
        return self._snapshot
