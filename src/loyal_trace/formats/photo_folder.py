"""A watched folder, into which a camera or telephone syncs: which photos are new and wholly written."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path

from loyal_trace.formats.photos import is_photo_name

Stamp = tuple[int, int]


@dataclass
class PhotoFolder:
    """Remembers what it has seen. A file counts once its size has stayed the same from one look to the next."""

    folder: Path
    seen: dict[str, Stamp] = field(default_factory=dict)
    growing: dict[str, Stamp] = field(default_factory=dict)

    def begin(self) -> None:
        """What is there already is not new."""
        self.seen = dict(self._now())

    def look(self) -> tuple[Path, ...]:
        """Photos that came since and have stopped growing, each told once; empty while the folder is away."""
        now = self._now()
        settled = [
            name for name, stamp in now.items() if self.seen.get(name) != stamp and self.growing.get(name) == stamp
        ]
        self.growing = {name: stamp for name, stamp in now.items() if self.seen.get(name) != stamp}
        for name in settled:
            self.seen[name] = now[name]
        return tuple(self.folder / name for name in sorted(settled))

    def _now(self) -> Mapping[str, Stamp]:
        """Name → (size, time of change) of every photo in the folder; hidden and empty files are still on their way."""
        found: dict[str, Stamp] = {}
        try:
            for path in self.folder.iterdir():
                if is_photo_name(path.name) and not path.name.startswith("."):
                    stat = path.stat()
                    if stat.st_size:
                        found[path.name] = (stat.st_size, stat.st_mtime_ns)
        except OSError:
            return dict(self.seen)
        return found
