"""ROM images, their digests, and the lists of sums they are held against."""

from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import cached_property

from loyal_trace.core.roms.digests import DIGEST_LENGTHS, HASHES, PROOF_BITS, digest, proof_bits


@dataclass(frozen=True)
class RomImage:
    """The bytes of one ROM as read or filed, and where they came from.

    When many are checked, the bytes are dropped once the digests are known; `known_size` then keeps the length. `gaps`
    are stretches (first, last) of which a file of records says nothing; they are filled with FF.
    """

    name: str
    data: bytes
    source: str = ""
    digests: dict[str, str] = field(default_factory=dict, compare=False, hash=False)
    known_size: int | None = None
    gaps: tuple[tuple[int, int], ...] = field(default=(), compare=False)

    def digest(self, algorithm: str) -> str:
        """A digest of the image, computed once."""
        if algorithm not in self.digests:
            self.digests[algorithm] = digest(self.data, algorithm)
        return self.digests[algorithm]

    @property
    def size(self) -> int:
        return len(self.data) if self.known_size is None else self.known_size

    def without_bytes(self) -> "RomImage":
        """The same image with its digests and size only."""
        return RomImage(self.name, b"", self.source, self.digests, len(self.data))


@dataclass(frozen=True)
class KnownChecksum:
    """One line of a list: what a file of that name should sum to. `firmware` when the list tells revisions apart.

    `board` and `place` name the socket that it is for; without a board it is for any socket of that name.
    """

    name: str
    digests: tuple[tuple[str, str], ...]
    size: int | None = None
    firmware: str = ""
    place: str = ""
    board: str = ""

    def is_for(self, board: str, place: str) -> bool:
        """May it speak of that socket? Another board's, or another place's, never does."""
        return self.board in ("", board) and self.place.lower() in ("", place.lower())

    @cached_property
    def by_algorithm(self) -> dict[str, str]:
        return dict(self.digests)

    @cached_property
    def proof_bits(self) -> int:
        """How much agreement with this entry proves, in bits."""
        return proof_bits(name for name, _ in self.digests)

    @property
    def weak(self) -> bool:
        """Would many a wrong image agree as well?"""
        return self.proof_bits < PROOF_BITS

    def accepts(self, image: RomImage) -> bool:
        """Do all sums known here agree with the image?"""
        if self.size is not None and image.size != self.size:
            return False
        return bool(self.digests) and all(image.digest(a) == value for a, value in self.digests)


_READ_SUFFIXES = ("-read", ".read", "_read", " read", "-r", "_r", ".r", "-", "_", ".")


def base_name(name: str) -> str:
    """The file's own name without folders, in lower case."""
    return name.replace("\\", "/").rstrip("/").rpartition("/")[2].lower()


def _stem(name: str) -> str:
    return base_name(name).rsplit(".", 1)[0] if "." in base_name(name) else base_name(name)


def without_read_number(stem: str) -> str:
    """`6a-read2` and `6a.2` are further reads of `6a`."""
    bare = stem.rstrip("0123456789")
    if bare == stem:
        return stem
    for suffix in _READ_SUFFIXES:
        if bare.endswith(suffix):
            return bare[: -len(suffix)]
    return stem


class ChecksumList:
    """A list of known sums, searched by file name, place and digest."""

    def __init__(self, entries: Iterable[KnownChecksum], source: str = "") -> None:
        self.entries = tuple(entries)
        self.source = source
        self._by_name: dict[str, list[KnownChecksum]] = {}
        self._by_stem: dict[str, list[KnownChecksum]] = {}
        self._by_digest: dict[tuple[str, str], list[KnownChecksum]] = {}
        for entry in self.entries:
            self._by_name.setdefault(base_name(entry.name), []).append(entry)
            keys = {_stem(entry.name), entry.place.lower()} - {""}
            for key in keys:
                self._by_stem.setdefault(key, []).append(entry)
            for pair in entry.digests:
                self._by_digest.setdefault(pair, []).append(entry)
        listed = dict.fromkeys(algorithm for algorithm, _ in self._by_digest)
        self.algorithms = tuple(sorted(listed, key=lambda a: (a in HASHES, a in DIGEST_LENGTHS, proof_bits([a]), a)))

    def for_name(self, name: str) -> tuple[KnownChecksum, ...]:
        """Entries meant for a file of that name: by whole name, then without its ending or read number."""
        exact = self._by_name.get(base_name(name))
        if exact:
            return tuple(exact)
        stem = _stem(name)
        return tuple(self._by_stem.get(stem) or self._by_stem.get(without_read_number(stem)) or ())

    def for_place(self, place: str, board: str) -> tuple[KnownChecksum, ...]:
        """Entries meant for a socket: listed for that place, or for a file named after it (with or without ending).

        Those of another board never are.
        """
        key = place.lower()
        found = self._by_stem.get(key) or self._by_name.get(key) or ()
        return tuple(e for e in found if e.is_for(board or e.board, place))

    def matching(self, image: RomImage) -> tuple[KnownChecksum, ...]:
        """Every entry, whatever its name, whose sums the image has; weak sums alone prove nothing elsewhere."""
        for algorithm in reversed(self.algorithms):
            listed = self._by_digest.get((algorithm, image.digest(algorithm)), ())
            found = [entry for entry in listed if not entry.weak and entry.accepts(image)]
            if found:
                return tuple(found)
        return ()


def prevailing_firmware(matches: Iterable[tuple[KnownChecksum, ...]]) -> str:
    """The firmware revision that most images of a set belong to; images the same in several do not vote."""
    votes: Counter[str] = Counter()
    for entries in matches:
        firmwares = {entry.firmware for entry in entries}
        if len(firmwares) == 1:
            votes.update(firmwares)
    return votes.most_common(1)[0][0] if votes else ""


def checksums_from_mapping(digests: Mapping[str, str]) -> tuple[tuple[str, str], ...]:
    """Digest name → hex value as the sorted, lower-case pairs that KnownSum keeps."""
    return tuple(sorted((name, value.lower()) for name, value in digests.items()))
