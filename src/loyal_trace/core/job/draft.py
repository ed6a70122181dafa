"""A snapshot being brought up to date: tables that remember only what changed, then freeze.

Freezing copies the tables that were touched and shares all others, so that one more entry costs the size of what it
touches, and a snapshot once handed out never changes.
"""

from collections.abc import Iterator, Mapping
from dataclasses import Field, dataclass, field, fields, replace
from types import MappingProxyType
from typing import Any

_GONE = object()
EMPTY: Mapping[Any, Any] = MappingProxyType({})


class Table:
    """Key → value, in the order of the first writing."""

    def __init__(self, base: Mapping[Any, Any]) -> None:
        self._base = base
        self._new: dict[Any, Any] = {}

    @property
    def touched(self) -> bool:
        return bool(self._new)

    def get(self, key: Any, default: Any = None) -> Any:
        """The value now, or the default."""
        value = self._new.get(key, self._base.get(key, _GONE))
        return default if value is _GONE else value

    def __contains__(self, key: Any) -> bool:
        return self.get(key, _GONE) is not _GONE

    def __setitem__(self, key: Any, value: Any) -> None:
        self._new[key] = value

    def discard(self, key: Any) -> Any:
        """Takes a key away; its value, or None."""
        found = self.get(key)
        if key in self:
            self._new[key] = _GONE
        return found

    def keys(self) -> Iterator[Any]:
        """The keys now."""
        yield from (key for key in dict.fromkeys((*self._base, *self._new)) if key in self)

    def freeze(self) -> Mapping[Any, Any]:
        """The table as an unchangeable mapping, from which this one goes on."""
        if self._new:
            merged = dict(self._base)
            for key, value in self._new.items():
                if value is _GONE:
                    merged.pop(key, None)
                else:
                    merged[key] = value
            self._base, self._new = MappingProxyType(merged), {}
        return self._base


class Series:
    """Key → values in the order they came; frozen as tuples."""

    def __init__(self, base: Mapping[Any, tuple[Any, ...]]) -> None:
        self._base = base
        self._new: dict[Any, list[Any]] = {}

    @property
    def touched(self) -> bool:
        return bool(self._new)

    def get(self, key: Any) -> list[Any]:
        """The values so far."""
        return self._new[key] if key in self._new else list(self._base.get(key, ()))

    def add(self, key: Any, *values: Any) -> None:
        """Adds values at the end."""
        if key not in self._new:
            self._new[key] = list(self._base.get(key, ()))
        self._new[key].extend(values)

    def clear(self, key: Any) -> list[Any]:
        """Takes all values of a key away and returns them."""
        found = self.get(key)
        if found:
            self._new[key] = []
        return found

    def freeze(self) -> Mapping[Any, tuple[Any, ...]]:
        """The series as an unchangeable mapping, from which this one goes on."""
        if self._new:
            merged = dict(self._base)
            for key, values in self._new.items():
                if values:
                    merged[key] = tuple(values)
                else:
                    merged.pop(key, None)
            self._base, self._new = MappingProxyType(merged), {}
        return self._base


class Listing:
    """Values in the order they came; frozen as one tuple."""

    def __init__(self, base: tuple[Any, ...]) -> None:
        self._base = base
        self._new: list[Any] | None = None

    @property
    def touched(self) -> bool:
        return self._new is not None

    def add(self, *values: Any) -> None:
        """Adds values at the end."""
        if self._new is None:
            self._new = list(self._base)
        self._new.extend(values)

    def clear(self) -> list[Any]:
        """Takes all values away and returns them."""
        found = list(self._base) if self._new is None else self._new
        self._new = []
        return found

    def freeze(self) -> tuple[Any, ...]:
        """The values as a tuple, from which this one goes on."""
        if self._new is not None:
            self._base, self._new = tuple(self._new), None
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


def listing() -> Any:
    """A field of a snapshot's group: a tuple of values."""
    return field(default=(), metadata={"draft": Listing})


def single(default: Any = None) -> Any:
    """A field of a snapshot's group: one value."""
    return field(default=default, metadata={"draft": Single})


@dataclass(frozen=True)
class Group:
    """Base of the groups of a snapshot: frozen, all fields made by `table`, `series`, `listing` or `single`."""


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
