"""Checks files against known sums: a fast pass of digests over everything, then forensics where sums differ.

Works on many files at once with little memory: the bytes of an image are dropped as soon as its digests are known, and
read again only when it has to be examined.
"""

import signal
import threading
from collections.abc import Iterable, Iterator, Sequence
from concurrent.futures import Executor, ProcessPoolExecutor, ThreadPoolExecutor
from dataclasses import dataclass, field
from itertools import repeat
from multiprocessing import get_context
from pathlib import Path

import numpy as np

from loyal_trace.core.boards.model import BoardDefinition, RomSlot
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.roms.by_checksums import Expected
from loyal_trace.core.roms.digests import digest
from loyal_trace.core.roms.hypotheses import NO_DEVICE, PinNames
from loyal_trace.core.roms.images import (
    ChecksumList,
    KnownChecksum,
    RomImage,
    base_name,
    prevailing_firmware,
    without_read_number,
)
from loyal_trace.core.roms.pieces import wholes_of
from loyal_trace.core.roms.sets import RevisionMix, board_sums, revision_mix
from loyal_trace.core.roms.verdicts import RomVerdict, accepted_verdict, judge, part_of_whole, settled_damage
from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.formats.rom_files import ReadBuffer, image_paths, iter_images

_WORKERS = 2
_BATCH = 64
_FORK_FROM = 256
_ALWAYS = ("crc32", "sha1")
_LOOSE, _MOST_LOOSE = ("unknown", "half-read", "garbage", "part-blank"), 24


@dataclass(frozen=True)
class CheckedImage:
    """One image with its verdict; `image.source` says where its bytes are."""

    image: RomImage
    verdict: RomVerdict
    slot: str = ""


@dataclass(frozen=True)
class CheckResult:
    """All images of a run, the firmware the set was held against, the sums no file was found for, and which slots are
    of which revision."""

    images: tuple[CheckedImage, ...]
    firmware: str
    missing: tuple[str, ...]
    mix: RevisionMix = field(default_factory=lambda: RevisionMix({}))

    @property
    def all_good(self) -> bool:
        return all(checked.verdict.good for checked in self.images)


@dataclass(frozen=True)
class _Seen:
    """An image after the fast pass: digests and size, but no bytes.

    `own` are the sums meant for its name, `accepting` those of them that agree, `chip` is shared by reads of one chip.
    """

    image: RomImage
    file: str
    own: tuple[KnownChecksum, ...]
    accepting: tuple[KnownChecksum, ...]
    chip: str


def _seen(image: RomImage, file: str, root: str, sums: ChecksumList) -> _Seen:
    own = sums.for_name(image.name)
    return _Seen(image, file, own, tuple([e for e in own if e.accepts(image)]), _chip_key(image, own, root))


def _chip_key(image: RomImage, own: tuple[KnownChecksum, ...], root: str) -> str:
    """Reads of one chip share a key: the same place under each given path, numbered names or numbered folders."""
    inside = image.source[len(root) :].replace("\\", "/").replace(": ", "/")
    folder = inside.rpartition("/")[0].rstrip("0123456789")
    if own:
        return f"{folder}/{base_name(own[0].name)}"
    stem, dot, ending = base_name(image.name).rpartition(".")
    return f"{folder}/{without_read_number(stem if dot else ending)}"


def checksums_of_board(board: BoardDefinition) -> ChecksumList:
    """The known sums of a board's slots, each under its refdes and place."""
    return ChecksumList(board_sums(board), board.title)


def checksums_of_references(folder: Path) -> ChecksumList:
    """The sums of reference images, where no list has them: CRC-32 and SHA-1, under the names of the files."""
    found = [
        KnownChecksum(image.name, tuple((name, image.digest(name)) for name in ("crc32", "sha1")), image.size)
        for path in image_paths(folder)
        for image in iter_images(path)
    ]
    return ChecksumList(found, str(folder))


def _fast_pass(paths: Sequence[str], algorithms: Sequence[str]) -> list[tuple[int, RomImage]]:
    """Digests and sizes of all images in the files, without their bytes, each with the number of its file."""
    found, buffer = [], ReadBuffer()
    for number, path in enumerate(paths):
        raw = buffer.raw_bytes(path)
        if raw is not None:
            digests = {algorithm: digest(raw, algorithm) for algorithm in algorithms}
            found.append((number, RomImage(path.rpartition("/")[2], b"", path, digests, len(raw))))
            continue
        for image in iter_images(Path(path)):
            for algorithm in algorithms:
                image.digest(algorithm)
            found.append((number, image.without_bytes()))
    return found


def _pool(files: int) -> Executor:
    """Two workers: processes for many files, which would wait for each other as threads, where forking is safe."""
    if files < _FORK_FROM or threading.active_count() > 1:
        return ThreadPoolExecutor(_WORKERS)
    return ProcessPoolExecutor(_WORKERS, get_context("fork"), signal.signal, (signal.SIGINT, signal.SIG_IGN))


class RomChecker:
    """Holds what a run needs: sums, true images by name, board and library."""

    def __init__(
        self,
        sums: ChecksumList,
        reference: Path | None = None,
        board: BoardDefinition | None = None,
        library: ChipLibrary | None = None,
        firmware: str = "",
    ) -> None:
        self._sums = sums
        self._board, self._library, self._firmware = board, library, firmware
        self._read_truth: dict[str, bytes] | None = None
        self._truth = {base_name(p.name): p for p in image_paths(reference)} if reference else {}

    def check(self, paths: Iterable[Path]) -> CheckResult:
        """Judges every image under the paths. UserFileError for the first file that cannot be read."""
        files = [(str(f), str(path if path.is_dir() else path.parent)) for path in paths for f in image_paths(path)]
        seen = list(self._seen(files))
        if not seen:
            raise UserFileError(say("the given paths"), say("contain no files that could be ROM images"))
        firmware = self._firmware or prevailing_firmware(one.accepting for one in seen if one.accepting)
        groups: dict[str, list[_Seen]] = {}
        for one in seen:
            groups.setdefault(one.chip, []).append(one)
        judged = (self._judged(one, groups[one.chip], firmware) for one in seen)
        checked = self._with_parts_found([*judged], seen)
        named = {base_name(e.name) for one in seen for e in one.own}
        missing = tuple(dict.fromkeys(e.name for e in self._sums.entries if base_name(e.name) not in named))
        matches = {one.own[0].place or one.own[0].name: one.accepting for one in seen if one.accepting}
        return CheckResult(checked, firmware, missing, revision_mix(matches))

    def _seen(self, files: list[tuple[str, str]]) -> Iterator[_Seen]:
        """What the fast pass finds in the files, each given with the path it lies under, in their order."""
        algorithms = tuple(dict.fromkeys((*_ALWAYS, *self._sums.algorithms)))
        batches = [files[i : i + _BATCH] for i in range(0, len(files), _BATCH)]
        names = [[path for path, _ in batch] for batch in batches]
        with _pool(len(files)) as pool:
            for batch, found in zip(batches, pool.map(_fast_pass, names, repeat(algorithms)), strict=False):
                for number, image in found:
                    yield _seen(image, *batch[number], self._sums)

    def _judged(self, one: _Seen, group: list[_Seen], firmware: str) -> CheckedImage:
        own = one.own
        slot = own[0].place or own[0].name if own else ""
        sha1 = one.image.digests["sha1"]
        differing = [o for o in group if o.image.digests["sha1"] != sha1] if len(group) > 1 else []
        if one.accepting and all(self._settled(other) for other in differing):
            return CheckedImage(one.image, accepted_verdict(own, one.accepting, firmware), slot)
        image = _load_again(one)
        reads = [_load_again(other).data for other in differing]
        if not own:
            reads = [read for read in reads if _resemble(image.data, read)]
        verdict = judge(image, self._expected(one, firmware), self._sums, reads)
        return CheckedImage(image, verdict, slot)

    def _expected(self, one: _Seen, firmware: str) -> Expected:
        own = one.own
        size = next((e.size for e in own if e.size is not None), None)
        reference = self._true_image(own, one.image.name)
        return Expected(own, firmware, size, reference, self._pins(own), self._true_images)

    def _true_images(self) -> dict[str, bytes]:
        """Every true image at hand, by file name; read once, and only when something asks."""
        if self._read_truth is None:
            self._read_truth = {name: next(iter_images(path)).data for name, path in self._truth.items()}
        return self._read_truth

    def _with_parts_found(self, checked: list[CheckedImage], seen: list[_Seen]) -> tuple[CheckedImage, ...]:
        """Files without a verdict of their own that together make up a content of the list."""
        loose = [n for n, c in enumerate(checked) if c.verdict.hypotheses[0].kind in _LOOSE][:_MOST_LOOSE]
        found = {base_name(e.name) for one in seen for e in one.accepting}
        missing = {e.name for e in self._sums.entries if base_name(e.name) not in found}
        if len(loose) < 2 or not missing:
            return tuple(checked)
        images = [checked[n].image for n in loose]
        data = [_load_again(seen[n]).data for n in loose]
        for whole in wholes_of(data, self._sums, missing):
            names = [images[n].name for n in whole.order]
            for part, number in enumerate(whole.order):
                place = checked[loose[number]]
                verdict = part_of_whole(whole, part, names)
                checked[loose[number]] = CheckedImage(place.image, verdict, whole.entry.place or whole.entry.name)
        return tuple(checked)

    def _settled(self, one: _Seen) -> bool:
        """Is this read right for some revision, or damaged in a way that one cause explains entirely?"""
        if one.accepting:
            return True
        return settled_damage(judge(_load_again(one), self._expected(one, self._firmware), self._sums))

    def _true_image(self, own: Sequence[KnownChecksum], name: str) -> bytes | None:
        for candidate in (*(e.name for e in own), name):
            path = self._truth.get(base_name(candidate))
            if path is not None:
                return next(iter_images(path)).data
        return None

    def _pins(self, own: Sequence[KnownChecksum]) -> PinNames:
        slot = self._slot(own)
        if slot is None or self._library is None or not self._library.knows(slot.device):
            return NO_DEVICE
        chip = self._library.find(slot.device)
        numbers = {pin.name: pin.number for pin in chip.pins}
        return PinNames(numbers.get)

    def _slot(self, own: Sequence[KnownChecksum]) -> RomSlot | None:
        if self._board is None:
            return None
        names = {base_name(n) for e in own for n in (e.place, e.name) if n}
        stems = names | {n.rsplit(".", 1)[0] for n in names}
        return next((s for s in self._board.rom_slots if s.refdes.lower() in stems), None)


def _resemble(first: bytes, second: bytes) -> bool:
    """Could these be two reads of one chip? Two chips that only look numbered agree in few bytes."""
    if len(first) != len(second):
        return False
    return bool(np.mean(np.frombuffer(first, np.uint8) == np.frombuffer(second, np.uint8)) > 0.5)


def _load_again(one: _Seen) -> RomImage:
    return next(i for i in iter_images(Path(one.file)) if i.source == one.image.source)
