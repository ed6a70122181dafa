"""The fold: from entries to the frozen snapshot. Pure; the same entries always give the same snapshot.

`Fold` goes on from where it was: one more entry costs what it touches, and undoing the last ones goes back to a
snapshot kept from before them. `fold` does all of it at once; a property holds the two against each other.
"""

from bisect import bisect_right
from collections.abc import Iterable, Sequence, Set
from dataclasses import replace
from datetime import timedelta

from loyal_trace.core.job.base import KINDS, Entry
from loyal_trace.core.job.checkpoint import Checkpoint
from loyal_trace.core.job.draft import Draft
from loyal_trace.core.job.kinds.paper import Retracted
from loyal_trace.core.job.positions import Positions
from loyal_trace.core.job.snapshot import EMPTY_SNAPSHOT, JobSnapshot
from loyal_trace.core.job.stretch import STRETCH, Grown, Link, Outline, link_of, links_of

# A snapshot shares what did not change, but each copies the series that grew since the one before. Going back far
# costs all entries since then in any case, so the further back, the further apart they may be.
_APART = 0.25
_KEPT = 96
PAUSE, _NO_TIME = timedelta(minutes=20), timedelta()
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

    def add(self, link: Link) -> Set[str]:
        """Takes one more entry in; returns the ids that changed from counting to not counting, or back."""
        name, part_of, target = link
        if not part_of and not target and name not in self._retracted_by:
            return _NOTHING  # nearly every entry: it stands by itself, and nobody takes it back
        if part_of and not self._hangs_on(part_of, name):
            self._parents[name] = part_of
            self._children.setdefault(part_of, []).append(name)
        if target and not self._hangs_on(name, target):
            self._targets[name] = target
            self._retracted_by.setdefault(target, []).append(name)
        return self._settle([name, target] if target else [name])

    def _hangs_on(self, name: str, other: str) -> bool:
        """Whether an entry counts or not by what becomes of another.

        No window writes two that hang on each other; in an archive made by hand they may, and would never settle.
        """
        asked, known = [name], {name}
        while asked:
            one = asked.pop()
            if one == other:
                return True
            above = {self._parents.get(one, ""), *self._retracted_by.get(one, ())} - known - {""}
            known |= above
            asked += above
        return False

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
        known.add(link_of(entry))
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
    return _with_hours(found, entries)


def _with_hours(snapshot: JobSnapshot, entries: Sequence[Entry]) -> JobSnapshot:
    """Gaps between entries up to a pause are time at the bench; a clock that was put back adds none."""
    spent, latest = snapshot.at_bench, snapshot.newest
    for entry in entries:
        if latest is None or entry.time > latest:
            gap = entry.time - latest if latest is not None else _NO_TIME
            spent += gap if gap <= PAUSE else _NO_TIME
            latest = entry.time
    return replace(snapshot, at_bench=spent, newest=latest)


class Fold:
    """A fold that grows with its logbook."""

    def __init__(self, entries: Sequence[Entry] = (), checkpoint: Checkpoint | None = None) -> None:
        """Folds entries; those of a checkpoint come before them."""
        before = checkpoint.outline if checkpoint else Outline((), (), ())
        self.entries = Grown(checkpoint.stretches if checkpoint else (), entries)
        self.snapshot = EMPTY_SNAPSHOT
        self._liveness = Liveness()
        self._position = Positions((*before.ids, *(e.id for e in entries)), self.entries)
        for link in (*before.links, *links_of(entries)):
            self._liveness.add(link)
        self._kept: list[tuple[int, JobSnapshot]] = [(0, EMPTY_SNAPSHOT)]
        # What was undone since, or given back, is in the snapshot that was kept, or is missing from it.
        self._from = 0
        if checkpoint and checkpoint.dead == self._dead_before(len(before.ids)):
            self._from = len(before.ids)
            self.snapshot = checkpoint.snapshot_of(self.entries)
            self._kept.append((len(before.ids), self.snapshot))
        self._go_on()

    @property
    def dead(self) -> set[str]:
        """Ids of entries that do not count."""
        return self._liveness.dead

    def has(self, entry_id: str) -> bool:
        """Is there an entry of that id?"""
        return entry_id in self._position

    def place_of(self, entry_id: str) -> int | None:
        """Which place in the logbook an id has; None when there is none of it."""
        return self._position.get(entry_id)

    def entry(self, entry_id: str) -> Entry:
        """The entry of that id; KeyError when there is none."""
        return self.entries[self._position[entry_id]]

    def _take(self, entries: Sequence[Entry]) -> set[str]:
        changed: set[str] = set()
        for entry in entries:
            self._position[entry.id] = len(self.entries)
            self.entries.append(entry)
            changed |= self._liveness.add(link_of(entry))
        return changed

    def _dead_before(self, position: int) -> frozenset[str]:
        return frozenset(name for name in self.dead if self._stands_before(name, position))

    def _stands_before(self, name: str, position: int) -> bool:
        found = self._position.get(name)
        return found is not None and found < position

    def _go_on(self) -> None:
        """From the newest snapshot kept to the end, keeping some on the way."""
        for start in range(self._kept[-1][0], len(self.entries), STRETCH):
            end = min(start + STRETCH, len(self.entries))
            self._advance(start, end)
            self._kept.append((end, self.snapshot))
        self._kept = _thinned(self._kept)

    def _advance(self, start: int, end: int) -> None:
        live = [entry for entry in self.entries[start:end] if entry.id not in self.dead]
        self.snapshot = _applied(self.snapshot, live)

    def far_from_kept(self) -> bool:
        """Whether opening from a checkpoint of now would save much."""
        return self._before_the_last - self._from >= 2 * STRETCH

    @property
    def _before_the_last(self) -> int:
        # One stretch at least lies behind it, so that the newest entries are undone without going back further.
        return STRETCH * max(0, len(self.entries) // STRETCH - 1)

    def worth_keeping(self) -> tuple[int, JobSnapshot, frozenset[str]]:
        """A moment after whole stretches: how many entries, the snapshot then, and which of them do not count."""
        end = self._before_the_last
        place = bisect_right([position for position, _ in self._kept], end) - 1
        start, snapshot = self._kept[place]
        live = [entry for entry in self.entries[start:end] if entry.id not in self.dead]
        return end, _applied(snapshot, live), self._dead_before(end)

    def add(self, new: Sequence[Entry]) -> JobSnapshot:
        """Goes on by some entries, recorded together; the snapshot after them."""
        before = len(self.entries)
        # What the new entries change among themselves needs no going back: they have not been applied yet.
        changed = {name for name in self._take(new) if self._stands_before(name, before)}
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
        gap = max(STRETCH, int(_APART * (end - position)))
        if position == 0 or chosen[-1][0] - position >= gap:
            chosen.append((position, snapshot))
    return chosen[::-1]
