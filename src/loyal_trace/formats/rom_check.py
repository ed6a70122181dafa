"""Checks files against known sums: a fast pass of digests over everything, then forensics where sums differ.

Works on many files at once with little memory: the bytes of an image are dropped as soon as its digests are known, and
read again only when it has to be examined.
"""

from collections.abc import Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np

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
from loyal_trace.core.roms.verdicts import Expected, RomVerdict, judge, settled_damage
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
    root: str


def sums_of_board(board: BoardDefinition) -> SumList:
    """The known sums of a board's slots, each under its refdes and place."""
    return SumList(
        (
            KnownSum(slot.refdes, digests, slot.size or None, firmware, slot.refdes)
            for slot in board.rom_slots
            for firmware, digests in slot.sums
        ),
        board.title,
    )


def _fast_pass(paths: Sequence[tuple[Path, str]], algorithms: Sequence[str], sums: SumList) -> list[_Seen]:
    seen = []
    for path, root in paths:
        for image in iter_images(path):
            for algorithm in algorithms:
                image.digest(algorithm)
            seen.append(_Seen(image.without_bytes(), path, sums.for_name(image.name), root))
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
        files = [(file, str(path if path.is_dir() else path.parent)) for path in paths for file in image_paths(path)]
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
        """Reads of one chip share a key: the same place under each given path, numbered names or numbered folders."""
        inside = one.image.source[len(one.root) :].replace("\\", "/").replace(": ", "/")
        folder = inside.rpartition("/")[0].rstrip("0123456789")
        if one.own:
            return f"{folder}/{base_name(one.own[0].name)}"
        stem, dot, ending = base_name(one.image.name).rpartition(".")
        return f"{folder}/{without_read_number(stem if dot else ending)}"

    def _judged(self, one: _Seen, group: list[_Seen], firmware: str) -> CheckedImage:
        own = one.own
        slot = own[0].place or own[0].name if own else ""
        differing = [o for o in group if o.image.digests["sha1"] != one.image.digests["sha1"]]
        accepted = any(e.accepts(one.image) for e in own)
        if accepted and all(self._settled(other) for other in differing):
            return CheckedImage(one.image, one.path, judge(one.image, Expected(own, firmware), self._sums), slot)
        image = _load_again(one)
        reads = [_load_again(other).data for other in differing]
        if not own:
            reads = [read for read in reads if _resemble(image.data, read)]
        verdict = judge(image, self._expected(one, firmware), self._sums, reads)
        return CheckedImage(image, one.path, verdict, slot)

    def _expected(self, one: _Seen, firmware: str) -> Expected:
        own = one.own
        size = next((e.size for e in own if e.size is not None), None)
        return Expected(own, firmware, size, self._true_image(own, one.image.name), self._pins(own))

    def _settled(self, one: _Seen) -> bool:
        """Is this read right for some revision, or damaged in a way that one cause explains entirely?"""
        if any(e.accepts(one.image) for e in one.own):
            return True
        return settled_damage(judge(_load_again(one), self._expected(one, self._firmware), self._sums))

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


def _resemble(first: bytes, second: bytes) -> bool:
    """Could these be two reads of one chip? Two chips that only look numbered agree in few bytes."""
    if len(first) != len(second):
        return False
    return bool(np.mean(np.frombuffer(first, np.uint8) == np.frombuffer(second, np.uint8)) > 0.5)


def _load_again(one: _Seen) -> RomImage:
    return next(i for i in iter_images(one.path) if i.source == one.image.source)
