"""Files imported into an open job: lists of checksums, images, zips, photos, parts lists, boards, and folders of them.

What can be imported is, as one action; every file that cannot is named with its reason.
"""

import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

from loyal_trace.app.fact_imports import net_facts, part_facts
from loyal_trace.app.imported import Imports, NotImported
from loyal_trace.app.job import OpenJob
from loyal_trace.app.known import known_of_store
from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.assess.roms import NOT_SAID, bound, known_sums, sockets_for
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.boards.names import board_prefix
from loyal_trace.core.job.entries import (
    OWN_BOARD,
    ChecksumsKnown,
    ImageKnown,
    Photographed,
    RomRead,
    SumLine,
)
from loyal_trace.core.roms.images import ChecksumList, KnownChecksum, RomImage, base_name, without_read_number
from loyal_trace.core.roms.sockets import can_hold
from loyal_trace.core.vocabulary.errors import LoyalTraceError, RequestError, UserFileError
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import count_of, format_percent
from loyal_trace.formats.board_folder import board_files
from loyal_trace.formats.checksum_lists import SURE_ENDINGS, read_checksums
from loyal_trace.formats.netlists import is_netlist, read_netlist
from loyal_trace.formats.part_table import guess_columns, is_part_list
from loyal_trace.formats.photos import Photo, is_photo_name, read_photo, upright
from loyal_trace.formats.rom_files import image_paths, is_image_name, iter_images, read_file
from loyal_trace.formats.tables import SPREADSHEET_ENDINGS, PartTable, read_table

_REFERENCE = re.compile(r"(?:refs?|references?|reference images|golden|masters?|known[ _-]?good)", re.IGNORECASE)


@dataclass(frozen=True)
class Meant:
    """What the person said with the files: a board, a socket, and columns of tables with titles of their own.

    `lists` are parts lists with the columns chosen for them, field → column.

    `in_view` is the board in view: photos are of it, while a read never goes there only because it is in view.
    """

    board: str = ""
    in_view: str = ""
    at: PartRef | None = None
    columns: Mapping[Path, Mapping[str, str]] = field(default_factory=dict)
    lists: Mapping[Path, tuple[PartTable, Mapping[str, int]]] = field(default_factory=dict)


def import_files(job: OpenJob, paths: Sequence[Path], meant: Meant | None = None) -> Imports:
    """Imports files into the job, as far as they can be, in one action.

    Lists of checksums come first, whatever the order, so that the images beside them find their sockets.
    """
    run = _Run(job, meant or Meant())
    rest = [path for path in paths if not run.board_folder(path)]
    for path in rest:
        run.attempt(path, run.lists)
    moment = job.moment_with([e for e in run.found.entries if isinstance(e, ChecksumsKnown)])
    for path in rest:
        run.attempt(path, run.photos)
        run.attempt(path, run.parts)
        run.attempt(path, run.netlist)
        if path not in run.touched or path.is_dir():
            run.attempt(path, lambda one: run.images(one, moment))
    untouched = [p for p in rest if p not in run.touched and not any(left.path == p for left in run.found.left_out)]
    for path in untouched:
        kinds = say("not recognised as an image, checksum list, photo, parts list or board")
        run.leave_out(path.name, kinds if path.exists() else say("file not found"), path)
    if run.found.entries:
        job.record_all(run.found.entries)
    return run.found


class _Run:
    """One import under way."""

    def __init__(self, job: OpenJob, meant: Meant) -> None:
        self.job, self.meant = job, meant
        self.found = Imports()
        self.touched: set[Path] = set()

    def leave_out(
        self, name: str, reason: str, path: Path, choices: Iterable[PartRef] = (), image: bool = False
    ) -> None:
        """Names one thing that is not imported."""
        self.found.left_out.append(NotImported(name, reason, tuple(choices), path, image))

    def attempt(self, path: Path, act: Callable[[Path], bool | None]) -> None:
        """One kind of import from one path; what fails is named and the rest goes on."""
        try:
            if act(path):
                self.touched.add(path)
        except (LoyalTraceError, OSError) as error:
            reason = str(error).removeprefix(f"{path}: ").removeprefix(f"{path.name}: ")
            self.leave_out(path.name, reason, path)

    def board_folder(self, path: Path) -> bool:
        """A board folder or zip joins the job."""
        if not (path / "board.toml").exists():
            return False
        try:
            board = self.job.add_board(board_files(path), str(path))
        except LoyalTraceError as error:
            self.leave_out(path.name, str(error), path)
            return True
        self.found.done.append(say("{path}: board {title} added to this job", path=path.name, title=board.title))
        return True

    def lists(self, path: Path) -> bool:
        """The lists of checksums in a file or folder."""
        boards, any_list = dict(self.job.boards), False
        for file, sums in _lists(path, self.meant.columns):
            lines: list[KnownChecksum] = []
            unclear: list[KnownChecksum] = []
            for entry in sums.entries:
                known = bound(replace(entry, board=entry.board or self._board_said(entry)), boards)
                # What no board answers to makes a socket of the own board, and stays there when a board joins later.
                known = known if known.board else replace(known, board=OWN_BOARD)
                (unclear if known.board == NOT_SAID else lines).append(known)
            for entry in unclear:
                places = sockets_for(entry.place or entry.name, entry.size, boards)
                self.leave_out(
                    say("{file}, {entry}", file=file.name, entry=entry.name), _which(self.job, places), path, places
                )
            if lines:
                self.found.entries.append(self.job.make(ChecksumsKnown, source=file.name, lines=sum_lines(lines)))
                self.found.done.append(
                    say(
                        "{file}: {checksum_lines} imported",
                        file=file.name,
                        checksum_lines=count_of(len(lines), "checksum line"),
                    )
                )
            any_list = True
        return any_list

    def _board_said(self, entry: KnownChecksum) -> str:
        """The board that the person named, where it has a socket of that name."""
        board = self.meant.at.board if self.meant.at else self.meant.board
        here = {board: self.job.boards[board]} if board in self.job.boards else {}
        return board if sockets_for(entry.place or entry.name, entry.size, here) else ""

    def photos(self, path: Path) -> bool:
        """The photos in a file or folder, of the board that was named, else of the first one."""
        photos = [read_photo(file) for file in _photo_files(path)]
        for photo in photos:
            self.found.entries.append(photographed(self.job, photo, self.meant.board or self.meant.in_view))
            self.found.done.append(
                say(
                    "{photo}: photo imported ({width} × {height})",
                    photo=photo.name,
                    width=photo.width,
                    height=photo.height,
                )
            )
        return bool(photos)

    def parts(self, path: Path) -> bool:
        """A parts list: every part is a fact of the board named, else of the job's only or own board."""
        chosen = self.meant.lists.get(path)
        if chosen is None:
            if path.is_dir() or not is_part_list(path):
                return False
            table = read_table(read_file(path), path.name)
            chosen = table, guess_columns(table)
        found = part_facts(self.job, *chosen, path.name, self.meant.board)
        self.found.entries += found.entries
        self.found.done += found.done
        return True

    def netlist(self, path: Path) -> bool:
        """A netlist: its parts, their positions and its nets are facts of the board."""
        if path.is_dir() or not is_netlist(path):
            return False
        listed = read_netlist(read_file(path), path.name, self.job.library)
        found = net_facts(self.job, listed, path.name, self.meant.board)
        self.found.entries += found.entries
        self.found.done += found.done
        return True

    def images(self, path: Path, moment: Moment) -> bool:
        """The images in a file, zip or folder, each as a read of its socket; in a reference folder as references."""
        if not path.is_dir() and not is_image_name(path.name):
            return False
        images, left = list[RomImage](), len(self.found.left_out)
        for file in image_paths(path):
            # One file of a folder that cannot be read leaves the others as they are.
            self.attempt(file, lambda one: images.extend(iter_images(one)))
        for image in images:
            places = places_for(moment, image, self.meant, alone=len(images) == 1)
            if len(places) == 1 and is_reference(path):
                self.found.entries.append(reference(self.job, image, places[0]))
                where = place_words(moment.boards, places[0])
                self.found.done.append(say("{image}: reference image of {where}", image=image.name, where=where))
            elif len(places) == 1:
                self.found.entries.append(rom_read(self.job, moment, image, places[0]))
                self.found.done.append(
                    say(
                        "{image}: recorded as a read of {place_words}",
                        image=image.name,
                        place_words=place_words(moment.boards, places[0]),
                    )
                )
            elif places:
                self.leave_out(image.name, _which(self.job, places), path, places, image=True)
            else:
                reason = say("matches no ROM socket by name or content{likely}", likely=_likely(self.job, image))
                remedy = say("import a list of checksums first, or name its socket")
                self.leave_out(image.name, say("{reason}; {remedy}", reason=reason, remedy=remedy), path, image=True)
        return bool(images) or len(self.found.left_out) > left


def place_words(boards: Mapping[str, BoardDefinition], place: PartRef) -> str:
    """A place as it is named to people: with its board when there are several."""
    return say("{board_prefix}{refdes}", board_prefix=board_prefix(boards, place.board), refdes=place.refdes)


def _which(job: OpenJob, places: Sequence[PartRef]) -> str:
    return say(
        "could mean {places}; say which",
        places=joined(say(" or "), (place_words(job.boards, place) for place in places)),
    )


def places_for(moment: Moment, image: RomImage, meant: Meant, alone: bool = True) -> list[PartRef]:
    """The sockets that an image may be a read of: one when it is clear, several when that has to be asked, or none.

    What the person said comes first, then the name with the size, then what the checksums prove.
    """
    if meant.at is not None and alone:
        return [meant.at]
    boards = {b: d for b, d in moment.boards.items() if not meant.board or b == meant.board}
    proved = _by_content(moment, image, boards)
    stem = base_name(image.name).rsplit(".", 1)[0]
    for spelling in (image.name, stem, without_read_number(stem)):
        named = sockets_for(spelling, image.size, boards)
        if len(named) > 1:
            return [place for place in named if place in proved] or named
        if named:
            return named
    return proved


def _by_content(moment: Moment, image: RomImage, boards: Mapping[str, object]) -> list[PartRef]:
    """The sockets whose checksums the image has."""
    slots = {(b, s.refdes.lower()): PartRef(b, s.refdes) for b, d in moment.boards.items() for s in d.rom_slots}
    slots |= {
        (b, s.label.lower()): PartRef(b, s.refdes) for b, d in moment.boards.items() for s in d.rom_slots if s.label
    }
    found = []
    for entry in known_sums(moment).matching(image):
        name = (entry.place or base_name(entry.name).rsplit(".", 1)[0]).lower()
        found += [slots[(b, name)] for b in boards if (b, name) in slots and entry.board in ("", b)]
    return list(dict.fromkeys(found))


def _likely(job: OpenJob, image: RomImage) -> str:
    """What an image that belongs nowhere here could be, from all the store knows; empty when nothing is like it."""
    matches = known_of_store(job.store, job.library).identify(image.data)
    if not matches:
        return ""
    best = matches[0]
    return say(
        "; it looks like {best} of {source} ({fraction})",
        best=best.name,
        source=best.source,
        fraction=format_percent(best.fraction),
    )


def sum_lines(entries: Iterable[KnownChecksum]) -> tuple[SumLine, ...]:
    """Checksum lines as they are kept in an entry."""
    return tuple(
        SumLine(
            name=e.name,
            digests=dict(e.digests),
            size=e.size,
            firmware=e.firmware,
            place=e.place,
            board="" if e.board == NOT_SAID else e.board,
        )
        for e in entries
    )


def import_photo(job: OpenJob, data: bytes, name: str, board: str = "") -> Imports:
    """Imports the bytes of one photo; UserFileError when they are none."""
    pixels = upright(data, name)
    entry = photographed(job, Photo(name, data, pixels.width, pixels.height), board)
    job.record_all([entry])
    return Imports(
        [say("{name}: photo imported ({width} × {height})", name=name, width=pixels.width, height=pixels.height)],
        [entry],
    )


def photographed(job: OpenJob, photo: Photo, board: str) -> Photographed:
    """The entry of a photo of a board (of the first one when none is named); its bytes are in the store."""
    sha = job.store.put_attachment(photo.data)
    of = board if board in job.boards else next(iter(job.boards), OWN_BOARD)
    size = {"width": photo.width, "height": photo.height}
    return job.make(Photographed, board=of, attachment=sha, file_name=photo.name, **size)


def is_reference(path: Path) -> bool:
    """Is it a folder of reference images, by its name, or a file in one? Nothing in it was read off the board."""
    folder = path if path.is_dir() else path.parent
    return bool(_REFERENCE.fullmatch(folder.name))


def reference(job: OpenJob, image: RomImage, place: PartRef) -> ImageKnown:
    """The entry of an image file as the reference of a socket, for the firmware decided; its bytes are in the store."""
    sha = job.store.put_attachment(image.data)
    firmware = job.snapshot.decision("firmware", "")
    known = {"attachment": sha, "size": image.size, "firmware": firmware}
    return job.make(ImageKnown, board=place.board, place=place.refdes, **known)


def rom_read(job: OpenJob, moment: Moment, image: RomImage, place: PartRef) -> RomRead:
    """The entry of an image file as a read of a socket; its bytes are in the store."""
    if not moment.has(place):
        raise RequestError(
            say(
                "there is no place {refdes} on {board} of this job",
                refdes=place.refdes,
                board=place.board or say("any board"),
            )
        )
    board = moment.boards[place.board]
    if not can_hold(board, place.refdes, moment.library):
        part = board.part(place.refdes)
        raise RequestError(
            say("{refdes} ({part_number}) is not a memory", refdes=place.refdes, part_number=part.number or part.kind)
        )
    sha = job.store.put_attachment(image.data)
    kept = {"attachment": sha, "size": image.size, "source": "file", "file_name": image.name}
    return job.make(RomRead, board=place.board, place=place.refdes, **kept)


def _photo_files(path: Path) -> list[Path]:
    """The photos in what was given: the file itself, or those of a folder."""
    files = sorted(f for f in path.rglob("*") if f.is_file()) if path.is_dir() else [path]
    return [file for file in files if is_photo_name(file.name)]


def _is_paper(name: str) -> bool:
    return not is_image_name(name) and not is_photo_name(name)


def _is_other_table(path: Path) -> bool:
    """Parts lists, netlists and spreadsheets hold no checksums."""
    return is_part_list(path) or is_netlist(path) or path.suffix.lower() in SPREADSHEET_ENDINGS


def _lists(path: Path, columns: Mapping[Path, Mapping[str, str]]) -> Iterator[tuple[Path, ChecksumList]]:
    """The lists of checksums in what was given: the file itself, or those of a folder, other papers passed over."""
    if path.is_dir():
        for file in sorted(f for f in path.rglob("*") if f.is_file() and _is_paper(f.name)):
            try:
                yield file, read_checksums(file)
            except UserFileError:
                if file.suffix.lower() in SURE_ENDINGS:
                    raise
    elif _is_paper(path.name) and not _is_other_table(path):
        yield path, read_checksums(path, columns.get(path))
