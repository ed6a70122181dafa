"""Files dropped on an open job: sums, images, zips and folders of them. Each becomes entries of the logbook."""

from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path

from loyal_trace.core.boards.loose import LOOSE_ID
from loyal_trace.core.case import Case
from loyal_trace.core.errors import UserFileError
from loyal_trace.core.logbook.entries import OWN_CHIP, AnyEntry, Fitted, Photographed, RomRead, SumLine, SumsKnown
from loyal_trace.core.logbook.state import Place
from loyal_trace.core.roms.images import RomImage, SumList, base_name, without_read_number
from loyal_trace.core.units import count_of, format_percent
from loyal_trace.formats.part_list import ListedPart, is_part_list, read_part_list
from loyal_trace.formats.photos import Photo, is_photo_name, read_photo, upright
from loyal_trace.formats.rom_files import image_paths, is_image_name, iter_images
from loyal_trace.formats.sum_lists import SURE_ENDINGS, parse_sums, read_sums
from loyal_trace.known import known_of_store
from loyal_trace.session import JobSession


def take_files(
    session: JobSession,
    paths: Sequence[Path],
    selected: Place | None = None,
    board: str = "",
    columns: Mapping[Path, Mapping[str, str]] | None = None,
) -> list[str]:
    """Takes files into the job; returns one line for each thing done. UserFileError for the first that will not do.

    Lists of sums come first, whatever the order, so that the images beside them find their sockets. Everything is read
    and matched before anything is written, so a bad file leaves the job as it was. Photos are of
    `board`, else of the first one. `columns` says of tables with titles of their own which column is what.
    """
    part_lists = [path for path in paths if is_part_list(path)]
    paths = [path for path in paths if path not in part_lists]
    listed = [(path, part) for path in part_lists for part in read_part_list(path)]
    photos = [read_photo(file) for path in paths for file in _photo_files(path)]
    lists = [(file, sums) for path in paths for file, sums in _lists(path, columns or {})]
    known = [session.make(SumsKnown, source=file.name, lines=_lines(sums)) for file, sums in lists]
    said = [f"{file.name}: {count_of(len(sums.entries), 'known sum')} taken in" for file, sums in lists]
    case = session.case_with(known)
    reads: list[AnyEntry] = [_photographed(session, photo, board) for photo in photos]
    reads += _loose_parts(session, listed, said)
    said += [f"{photo.name}: photo taken in ({photo.width} × {photo.height})" for photo in photos]
    for path in paths:
        if not path.is_dir() and not is_image_name(path.name):
            continue
        found = [image for file in image_paths(path) for image in iter_images(file)]
        for image in found:
            place = place_of(case, image) or (selected if len(found) == 1 else None)
            if place is None:
                remedy = "drop a list of sums first, name it after its slot, or pick the slot and drop it alone"
                raise UserFileError(
                    image.source, f"matches no slot by name or content{_likely(session, image)}", remedy
                )
            reads.append(_read(session, image, place))
            said.append(f"{image.name}: taken as a read of {place[1]}")
    session.record_all([*known, *reads])
    return said


def _likely(session: JobSession, image: RomImage) -> str:
    """What a dump that belongs nowhere here could be, from all the store knows; empty when nothing is like it."""
    matches = known_of_store(session.store, session.library).identify(image.data)
    if not matches:
        return ""
    best = matches[0]
    return f"; it looks like {best.name} of {best.source} ({format_percent(best.fraction)})"


def typed_sums(text: str, size: int) -> tuple[SumLine, ...]:
    """One line of sums typed by hand, `6A crc32 7C9E1A20`; UserFileError when it is none."""
    lines = _lines(parse_sums(text.encode(), "typed"))
    return tuple(line.model_copy(update={"size": line.size or size or None}) for line in lines)


def take_photo(session: JobSession, data: bytes, name: str, board: str = "") -> list[str]:
    """Takes the bytes of one photo into the job; UserFileError when they are none. One line for what was done."""
    pixels = upright(data, name)
    session.record_all([_photographed(session, Photo(name, data, pixels.width, pixels.height), board)])
    return [f"{name}: photo taken in ({pixels.width} × {pixels.height})"]


def _photo_files(path: Path) -> list[Path]:
    """The photos in what was given: the file itself, or those of a folder."""
    files = sorted(f for f in path.rglob("*") if f.is_file()) if path.is_dir() else [path]
    return [file for file in files if is_photo_name(file.name)]


def _loose_parts(session: JobSession, listed: list[tuple[Path, ListedPart]], said: list[str]) -> list[AnyEntry]:
    """Chips of a bare parts list, as parts of no board; what the library does not know is told and left out."""
    known = [part for _, part in listed if session.library.knows(part.number)]
    if listed:
        name, left = listed[0][0].name, len(listed) - len(known)
        out = f", {left} left out: no chip of a known type" if left else ""
        said.append(f"{name}: {count_of(len(known), 'chip')} taken in{out}")
    return [
        session.make(Fitted, board=LOOSE_ID, place=part.refdes, number=part.number, origin=OWN_CHIP) for part in known
    ]


def _photographed(session: JobSession, photo: Photo, board: str) -> Photographed:
    sha = session.store.put_attachment(photo.data)
    of = board if board in session.boards else next(iter(session.boards), "")
    size = {"width": photo.width, "height": photo.height}
    return session.make(Photographed, board=of, attachment=sha, file_name=photo.name, **size)


def _is_paper(name: str) -> bool:
    return not is_image_name(name) and not is_photo_name(name)


def _lists(path: Path, columns: Mapping[Path, Mapping[str, str]]) -> Iterator[tuple[Path, SumList]]:
    """The lists of sums in what was given: the file itself, or those of a folder, other papers passed over."""
    if path.is_dir():
        for file in sorted(f for f in path.rglob("*") if f.is_file() and _is_paper(f.name)):
            try:
                yield file, read_sums(file)
            except UserFileError:
                if file.suffix.lower() in SURE_ENDINGS:
                    raise
    elif _is_paper(path.name):
        yield path, read_sums(path, columns.get(path))


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


def place_of(case: Case, image: RomImage) -> Place | None:
    """The slot an image belongs to: by name (refdes or label), else by content."""
    whole = base_name(image.name)
    stem = whole.rsplit(".", 1)[0]
    slots = [(board_id, slot) for board_id, board in case.boards.items() for slot in board.rom_slots]
    for spelling in filter(None, (whole, stem, without_read_number(stem))):
        for board_id, slot in slots:
            if spelling in (slot.refdes.lower(), slot.label.lower()):
                return board_id, slot.refdes
    for entry in case.known_sums().matching(image):
        for board_id, slot in slots:
            if slot.refdes == entry.place:
                return board_id, entry.place
    return None
