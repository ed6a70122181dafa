"""The fold: from entries to the frozen snapshot. Pure; the same entries always give the same snapshot.

`Fold` goes on from where it was: one more entry costs what it touches, and undoing the last ones goes back to a
snapshot kept from before them. `fold` does all of it at once; a property holds the two against each other.
"""

from bisect import bisect_right
from collections.abc import Iterable, Sequence, Set

from loyal_trace.core.job.base import KINDS, Entry
from loyal_trace.core.job.draft import Draft
from loyal_trace.core.job.kinds.paper import Retracted
from loyal_trace.core.job.snapshot import EMPTY_SNAPSHOT, JobSnapshot

# A snapshot shares what did not change, but each copies the series that grew since the one before. Going back far
# costs all entries since then in any case, so the further back, the further apart they may be.
_CHECKPOINT_EVERY = 4096
_APART = 0.25
_KEPT = 96
_RETRACTED = Retracted.model_fields["kind"].default
_NOTHING: frozenset[str] = frozenset()


class Liveness:
    """Which entries count. A retraction can itself be retracted; what belongs to an entry goes with it."""

    def __init__(self) -> None:
        self.dead: set[str] = set()
        self._retracted_by: dict[str, list[str]] = {}
        self._targets: dict[str, str] = {}
        self._parents: dict[str, str] = {}
        self._children: dict[str, list[str]] = {}

    def add(self, entry: Entry) -> Set[str]:
        """Takes one more entry in; returns the ids that changed from counting to not counting, or back."""
        if not entry.part_of and entry.kind != _RETRACTED and entry.id not in self._retracted_by:
            return _NOTHING  # nearly every entry: it stands by itself, and nobody takes it back
        if entry.part_of:
            self._parents[entry.id] = entry.part_of
            self._children.setdefault(entry.part_of, []).append(entry.id)
        if isinstance(entry, Retracted):
            self._targets[entry.id] = entry.target
            self._retracted_by.setdefault(entry.target, []).append(entry.id)
        return self._settle([entry.id, *([entry.target] if isinstance(entry, Retracted) else [])])

    def _settle(self, asked: list[str]) -> Set[str]:
        changed: set[str] = set()
        while asked:
            name = asked.pop()
            if self._is_dead(name) == (name in self.dead):
                continue
            # A retraction that is itself retracted gives its target back, and all that belongs to it: both ways with
            # one rule.
            self.dead ^= {name}
            changed ^= {name}
            asked += self._children.get(name, ())
            if name in self._targets:
                asked.append(self._targets[name])
        return changed

    def _is_dead(self, name: str) -> bool:
        parent = self._parents.get(name)
        return parent in self.dead or any(r not in self.dead for r in self._retracted_by.get(name, ()))


def live_of(entries: Iterable[Entry]) -> list[Entry]:
    """The entries that count, in their order."""
    listed, known = list(entries), Liveness()
    # Without a retraction everything counts: the usual case when a job is opened.
    if all(entry.kind != _RETRACTED for entry in listed):
        return listed
    for entry in listed:
        known.add(entry)
    return [entry for entry in listed if entry.id not in known.dead]


def fold(entries: Iterable[Entry]) -> JobSnapshot:
    """The snapshot after all live entries, in their order."""
    return _applied(EMPTY_SNAPSHOT, live_of(entries))


def _applied(start: JobSnapshot, entries: Sequence[Entry]) -> JobSnapshot:
    draft, apply = Draft(start), {name: row.apply for name, row in KINDS.items()}
    for entry in entries:
        apply[entry.kind](draft, entry)
    draft.count += len(entries)
    found: JobSnapshot = draft.freeze()
    return found


class Fold:
    """A fold that grows with its logbook."""

    def __init__(self, entries: Sequence[Entry] = ()) -> None:
        self.entries: list[Entry] = []
        self.snapshot = EMPTY_SNAPSHOT
        self._liveness = Liveness()
        self._position: dict[str, int] = {}
        self._kept: list[tuple[int, JobSnapshot]] = [(0, EMPTY_SNAPSHOT)]
        self._load(entries)

    @property
    def dead(self) -> set[str]:
        """Ids of entries that do not count."""
        return self._liveness.dead

    def has(self, entry_id: str) -> bool:
        """Is there an entry of that id?"""
        return entry_id in self._position

    def entry(self, entry_id: str) -> Entry:
        """The entry of that id; KeyError when there is none."""
        return self.entries[self._position[entry_id]]

    def _take(self, entries: Sequence[Entry]) -> set[str]:
        changed: set[str] = set()
        for entry in entries:
            self._position[entry.id] = len(self.entries)
            self.entries.append(entry)
            changed |= self._liveness.add(entry)
        return changed

    def _load(self, entries: Sequence[Entry]) -> None:
        self.entries.extend(entries)
        self._position.update(zip((entry.id for entry in entries), range(len(entries)), strict=True))
        # Only what undoes, is undone or belongs to another can come to count or not: few of very many.
        targets = {entry.target for entry in entries if isinstance(entry, Retracted)}
        for entry in entries:
            if entry.part_of or entry.kind == _RETRACTED or entry.id in targets:
                self._liveness.add(entry)
        for start in range(0, len(self.entries), _CHECKPOINT_EVERY):
            end = min(start + _CHECKPOINT_EVERY, len(self.entries))
            self._advance(start, end)
            self._kept.append((end, self.snapshot))
        self._kept = _thinned(self._kept)

    def _advance(self, start: int, end: int) -> None:
        live = [entry for entry in self.entries[start:end] if entry.id not in self.dead]
        self.snapshot = _applied(self.snapshot, live)

    def add(self, new: Sequence[Entry]) -> JobSnapshot:
        """Goes on by some entries, recorded together; the snapshot after them."""
        before = len(self.entries)
        # What the new entries change among themselves needs no going back: they have not been applied yet.
        changed = {name for name in self._take(new) if self._position.get(name, before) < before}
        if changed:
            self._back_to(min(self._position[name] for name in changed))
        start = self._kept[-1][0] if changed else before
        self._advance(start, len(self.entries))
        self._keep(len(self.entries))
        return self.snapshot

    def _back_to(self, index: int) -> None:
        """To the newest snapshot kept from before an entry."""
        place = bisect_right([position for position, _ in self._kept], index) - 1
        del self._kept[place + 1 :]
        self.snapshot = self._kept[-1][1]

    def _keep(self, position: int) -> None:
        self._kept.append((position, self.snapshot))
        recent = len(self._kept) - 1
        if recent > _KEPT:  # thin out: the old ones only far apart, so that going far back never starts from nothing
            old = self._kept[: recent - _KEPT // 2]
            self._kept = _thinned(old) + self._kept[recent - _KEPT // 2 :]


def _thinned(kept: list[tuple[int, JobSnapshot]]) -> list[tuple[int, JobSnapshot]]:
    """The first and the newest, and between them the wider apart, the older they are."""
    end, chosen = kept[-1][0], [kept[-1]]
    for position, snapshot in reversed(kept[:-1]):
        gap = max(_CHECKPOINT_EVERY, int(_APART * (end - position)))
        if position == 0 or chosen[-1][0] - position >= gap:
            chosen.append((position, snapshot))
    return chosen[::-1]
