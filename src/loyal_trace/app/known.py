"""Everything a store knows of ROM contents, from all its jobs: what an unknown dump is held against."""

from loyal_trace.app.whole import usable
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.job.fold import fold
from loyal_trace.core.job.snapshot import JobSnapshot
from loyal_trace.core.roms.identify import KnownImages
from loyal_trace.core.roms.images import ChecksumList, RomImage
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.formats.rom_check import checksums_of_board
from loyal_trace.store.store import Store


def known_of_store(store: Store, library: ChipLibrary) -> KnownImages:
    """The sums of all boards and lists of all jobs, reference images imported or restored, and reads that proved right.

    Every source is named by its board or list and counted once, however many jobs hold it.
    """
    found = KnownImages()
    seen: set[object] = set()
    for job in store.jobs():
        kept = usable(store, job.id, library)
        boards, state = kept.boards, fold(kept.entries)
        lists = [checksums_of_board(board) for board in boards.values()] + _lists_of(state)
        for listed in lists:
            key = (listed.source, listed.entries)
            if listed.entries and key not in seen:
                seen.add(key)
                found.lists.append(listed)
        titles = {name: board.title for name, board in boards.items()}
        for place, firmware, sha in _proved_images(store, state, lists):
            if (sha, firmware) not in seen:
                seen.add((sha, firmware))
                found.add_image(place.refdes, titles.get(place.board, job.title), store.attachment(sha), firmware)
    return found


def _lists_of(state: JobSnapshot) -> list[ChecksumList]:
    return [ChecksumList([line.known for line in taken.lines], taken.source) for taken in state.roms.lists]


def _proved_images(store: Store, state: JobSnapshot, lists: list[ChecksumList]) -> list[tuple[PartRef, str, str]]:
    """(place, firmware, attachment) of the true images of a job, and of reads whose sums are known."""
    found = [(PartRef(k.board, k.refdes), k.firmware, entry.attachment) for k, entry in state.roms.images.items()]
    for place, reads in state.roms.reads.items():
        for read in reads:
            image = RomImage(place.refdes, store.attachment(read.attachment))
            matching = [entry for listed in lists for entry in listed.matching(image)]
            if matching:
                found.append((place, matching[0].firmware, read.attachment))
    return found
