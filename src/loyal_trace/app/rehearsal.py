"""A store that only pretends to write: for a dry run, in which later lines still see what earlier ones would record."""

from collections.abc import Iterable, Mapping

from loyal_trace.core.job.entries import Entry
from loyal_trace.store.store import Store


class Rehearsal(Store):
    """Opened read-only; what is appended is handed back and forgotten."""

    def __init__(self, store: Store) -> None:
        """Takes the place of an open store; closing stays with whoever opened that one."""
        self.__dict__.update(store.__dict__)
        self.read_only = True

    def append_all(self, job: str, new: Iterable[Entry]) -> tuple[Entry, ...]:
        """The entries as they would be kept."""
        return tuple(new)

    def add_board(self, job: str, board: str, files: Mapping[str, bytes], entry: Entry) -> tuple[Entry, ...]:
        """The entry as it would be kept."""
        return (entry,)

    def put_attachment(self, data: bytes) -> str:
        """The name under which the bytes would be kept."""
        import hashlib

        return hashlib.sha256(data).hexdigest()
