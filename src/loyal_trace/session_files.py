"""Files dropped on an open job: sums, images, zips and folders of them. Each becomes entries of the logbook."""

from collections.abc import Iterable
from pathlib import Path

from loyal_trace.core.errors import UserFileError
from loyal_trace.core.logbook.entries import AnyEntry, RomRead, SumLine, SumsKnown
from loyal_trace.core.logbook.state import Place
from loyal_trace.core.roms.images import RomImage, SumList, base_name, without_read_number
from loyal_trace.core.units import count_of
from loyal_trace.formats.rom_files import image_paths, is_image_name, iter_images
from loyal_trace.formats.sum_lists import read_sums
from loyal_trace.session import JobSession


def take_files(session: JobSession, paths: Iterable[Path], selected: Place | None = None) -> list[str]:
    """Takes files into the job; returns one line for each thing done. UserFileError for the first that will not do.

    Everything is read and matched before anything is written, so a bad file leaves the job as it was.
    """
    entries: list[AnyEntry] = []
    said: list[str] = []
    for path in paths:
        if path.is_file() and not is_image_name(path.name):
            sums = read_sums(path)
            entries.append(session.make(SumsKnown, source=path.name, lines=_lines(sums)))
            said.append(f"{path.name}: {count_of(len(sums.entries), 'known sum')} taken in")
        else:
            found = [image for file in image_paths(path) for image in iter_images(file)]
            for image in found:
                place = place_of(session, image) or (selected if len(found) == 1 else None)
                if place is None:
                    remedy = "drop a list of sums first, name it after its slot, or pick the slot and drop it alone"
                    raise UserFileError(image.source, "matches no slot by name or content", remedy)
                entries.append(_read(session, image, place))
                said.append(f"{image.name}: taken as a read of {place[1]}")
    session.record_all(entries)
    return said


def _lines(sums: SumList) -> tuple[SumLine, ...]:
    return tuple(
        SumLine(name=e.name, digests=dict(e.digests), size=e.size, firmware=e.firmware, place=e.place)
        for e in sums.entries
    )


def _read(session: JobSession, image: RomImage, place: Place) -> RomRead:
    sha = session.store.put_attachment(image.data)
    return session.make(
        RomRead, board=place[0], place=place[1], attachment=sha, size=image.size, source="file", file_name=image.name
    )


def place_of(session: JobSession, image: RomImage) -> Place | None:
    """The slot an image belongs to: by name (refdes or label), else by content."""
    stem = base_name(image.name).rsplit(".", 1)[0]
    for board_id, board in session.boards.items():
        for slot in board.rom_slots:
            names = {slot.refdes.lower(), slot.label.lower()} - {""}
            if stem in names or without_read_number(stem) in names:
                return board_id, slot.refdes
    for entry in session.case().known_sums().matching(image):
        for board_id, board in session.boards.items():
            if any(slot.refdes == entry.place for slot in board.rom_slots):
                return board_id, entry.place
    return None
