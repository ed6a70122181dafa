"""Checks files against known sums: a fast pass of digests over everything, then forensics where sums differ.

Works on many files at once with little memory: the bytes of an image are dropped as soon as its digests are known, and
read again only when it has to be examined.
"""

from collections.abc import Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

from loyal_trace.core.boards.model import BoardDefinition, RomSlot
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.errors import UserFileError
from loyal_trace.core.roms.forensics import NO_DEVICE, PinNames
from loyal_trace.core.roms.images import (
    KnownSum,
    RomImage,
    SumList,
    base_name,
    prevailing_firmware,
    without_read_number,
)
from loyal_trace.core.roms.verdicts import Expected, RomVerdict, judge
from loyal_trace.formats.rom_files import image_paths, iter_images

_WORKERS = 2
_BATCH = 16
_ALWAYS = ("crc32", "sha1")


@dataclass(frozen=True)
class CheckedImage:
    """One image with its verdict; `path` and `member` say where its bytes are."""

    image: RomImage
    path: Path
    verdict: RomVerdict
    slot: str = ""


@dataclass(frozen=True)
class CheckResult:
    """All images of a run, the firmware the set was held against, and the sums no file was found for."""

    images: tuple[CheckedImage, ...]
    firmware: str
    missing: tuple[str, ...]

    @property
    def all_good(self) -> bool:
        return all(checked.verdict.good for checked in self.images)


@dataclass(frozen=True)
class _Seen:
    """An image after the fast pass: digests and size, but no bytes; `own` are the sums meant for its name."""

    image: RomImage
    path: Path
    own: tuple[KnownSum, ...]


def sums_of_board(board: BoardDefinition) -> SumList:
    """The known sums of a board's slots, each under its refdes and place."""
    return SumList(
        (
            KnownSum(slot.refdes, digests, slot.size, firmware, slot.refdes)
            for slot in board.rom_slots
            for firmware, digests in slot.sums
        ),
        board.title,
    )


def _fast_pass(paths: Sequence[Path], algorithms: Sequence[str], sums: SumList) -> list[_Seen]:
    seen = []
    for path in paths:
        for image in iter_images(path):
            for algorithm in algorithms:
                image.digest(algorithm)
            seen.append(_Seen(image.without_bytes(), path, sums.for_name(image.name)))
    return seen


class RomChecker:
    """Holds what a run needs: sums, true images by name, board and library."""

    def __init__(
        self,
        sums: SumList,
        truth: Path | None = None,
        board: BoardDefinition | None = None,
        library: ChipLibrary | None = None,
        firmware: str = "",
    ) -> None:
        self._sums = sums
        self._board, self._library, self._firmware = board, library, firmware
        self._truth = {base_name(p.name): p for p in image_paths(truth)} if truth else {}

    def check(self, paths: Iterable[Path]) -> CheckResult:
        """Judges every image under the paths. UserFileError for the first file that cannot be read."""
        files = [file for path in paths for file in image_paths(path)]
        if not files:
            raise UserFileError("the given paths", "hold no files that could be ROM images")
        algorithms = tuple(dict.fromkeys((*_ALWAYS, *self._sums.algorithms)))
        with ThreadPoolExecutor(_WORKERS) as pool:
            batches = [files[i : i + _BATCH] for i in range(0, len(files), _BATCH)]
            seen = [s for found in pool.map(lambda b: _fast_pass(b, algorithms, self._sums), batches) for s in found]
        firmware = self._firmware or self._voted(seen)
        groups: dict[str, list[_Seen]] = {}
        keys = [self._chip_key(one) for one in seen]
        for key, one in zip(keys, seen, strict=True):
            groups.setdefault(key, []).append(one)
        checked = tuple(self._judged(one, groups[key], firmware) for key, one in zip(keys, seen, strict=True))
        named = {base_name(e.name) for one in seen for e in one.own}
        missing = tuple(dict.fromkeys(e.name for e in self._sums.entries if base_name(e.name) not in named))
        return CheckResult(checked, firmware, missing)

    def _voted(self, seen: list[_Seen]) -> str:
        """The firmware most images belong to."""
        every = ([e for e in one.own if e.accepts(one.image)] for one in seen)
        return prevailing_firmware(tuple(found) for found in every if found)

    def _chip_key(self, one: _Seen) -> str:
        """Reads of one chip share a key: numbered names in one folder, or one name in numbered folders."""
        folder = one.image.source.replace("\\", "/").replace(": ", "/").rpartition("/")[0].rstrip("0123456789")
        stem, dot, ending = base_name(one.image.name).rpartition(".")
        stem = stem if dot else ending
        if stem[-1:].isdigit() and not (one.own and base_name(one.own[0].name).startswith(stem)):
            stem = without_read_number(stem)
        return f"{folder}/{stem}"

    def _judged(self, one: _Seen, group: list[_Seen], firmware: str) -> CheckedImage:
        own = one.own
        others = [o for o in group if o is not one]
        accepted = [e for e in own if e.accepts(one.image)]
        differ = any(o.image.digests["sha1"] != one.image.digests["sha1"] for o in others)
        slot = own[0].place or own[0].name if own else ""
        if accepted and not differ:
            verdict = judge(one.image, Expected(own, firmware), self._sums)
            return CheckedImage(one.image, one.path, verdict, slot)
        image = _load_again(one)
        reads = [_load_again(o).data for o in others] if differ else []
        expected = Expected(own, firmware, self._size_of(own), self._true_image(own, one.image.name), self._pins(own))
        return CheckedImage(image, one.path, judge(image, expected, self._sums, reads), slot)

    def _size_of(self, own: Sequence[KnownSum]) -> int | None:
        return next((e.size for e in own if e.size is not None), None)

    def _true_image(self, own: Sequence[KnownSum], name: str) -> bytes | None:
        for candidate in (*(e.name for e in own), name):
            path = self._truth.get(base_name(candidate))
            if path is not None:
                return next(iter_images(path)).data
        return None

    def _pins(self, own: Sequence[KnownSum]) -> PinNames:
        slot = self._slot(own)
        if slot is None or self._library is None or not self._library.knows(slot.device):
            return NO_DEVICE
        chip = self._library.find(slot.device)
        numbers = {pin.name: pin.number for pin in chip.pins}
        return PinNames(numbers.get)

    def _slot(self, own: Sequence[KnownSum]) -> RomSlot | None:
        if self._board is None:
            return None
        names = {base_name(n) for e in own for n in (e.place, e.name) if n}
        stems = names | {n.rsplit(".", 1)[0] for n in names}
        return next((s for s in self._board.rom_slots if s.refdes.lower() in stems), None)


def _load_again(one: _Seen) -> RomImage:
    return next(i for i in iter_images(one.path) if i.source == one.image.source)
