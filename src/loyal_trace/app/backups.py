"""Backups that make themselves: every so many entries and on closing, the newest few kept, where the settings say."""

from collections.abc import Callable
from datetime import datetime
from pathlib import Path

from loyal_trace.app.preferences import load_preferences
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.store.backup import BACKUPS, last_number_in, rotate
from loyal_trace.store.store import Store


def backup_place(folder: Path) -> Path:
    """Where the rotating copies of a store are: as the settings say, else in the store's own folder."""
    chosen = load_preferences(folder).backup_place
    return Path(chosen).expanduser() if chosen else folder / BACKUPS


class Backups:
    """Watches how much was written since the last copy. A copy that fails is said, and never in the way of the work."""

    def __init__(self, store: Store, now: Callable[[], datetime]) -> None:
        self._folder, self._read_only, self._now = store.folder, store.read_only, now
        self.read_settings()
        self._from = last_number_in(backup_place(store.folder))
        self.failed = ""

    def read_settings(self) -> None:
        """How many, how often: read when they change, not at every entry."""
        self._known = load_preferences(self._folder)

    def due(self, store: Store, closing: bool = False) -> bool:
        """Is it time for a copy?"""
        if self._read_only or self._known.backups_kept == 0:
            return False
        return store.last_number() - self._from >= (1 if closing else self._known.backup_every)

    def begin(self, store: Store) -> None:
        """A copy is about to be made: none is due for what was written until now, so that no second one is begun."""
        self._from, self.failed = store.last_number(), ""

    def make(self) -> Path | None:
        """Makes a copy through a connection of its own, so that it can run beside the window; None when it failed."""
        try:
            with Store(self._folder, read_only=True) as store:
                self._from = store.last_number()
                return rotate(store, backup_place(self._folder), self._known.backups_kept, self._now())
        except LoyalTraceError as error:
            self.failed = str(error)
            return None
