"""What an import did: a sentence for each thing, the entries, and what was left out with its reason."""

from dataclasses import dataclass, field
from pathlib import Path

from loyal_trace.core.job.entries import Entry
from loyal_trace.core.vocabulary.identity import PartRef


@dataclass(frozen=True)
class NotImported:
    """A file that was left out: its name, why, and the sockets it could mean when that is the question.

    `image`: it could be a read, if somebody said of which socket.
    """

    name: str
    reason: str
    choices: tuple[PartRef, ...] = ()
    path: Path | None = None
    image: bool = False


@dataclass
class Imports:
    """What an import did: a sentence for each thing, the entries recorded, and what was left out."""

    done: list[str] = field(default_factory=list)
    entries: list[Entry] = field(default_factory=list)
    left_out: list[NotImported] = field(default_factory=list)
