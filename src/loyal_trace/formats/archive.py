"""A job as one file: a zip of `entries.jsonl`, the attachments and the board folders, complete both ways."""

import hashlib
import json
import zipfile
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import asdict, dataclass
from functools import cached_property
from pathlib import Path
from typing import IO, Any, cast

from loyal_trace.core.job.chain import check_chain, head_of
from loyal_trace.core.job.entries import Entry, Unread, read_entry, read_or_mark
from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import count_of
from loyal_trace.formats.safe_zip import BROKEN, Limits, checked_members, open_zip, read_member
from loyal_trace.formats.whole_file import write_by

ARCHIVE_VERSION = 1
FORMAT = "loyal-trace-job"
_EPOCH = (1980, 1, 1, 0, 0, 0)
_ATTACHMENTS = "attachments/"
_OLDER = say("use an older archive of the job")
# What this program writes it also reads: a blank ROM packs a thousand to one, a job of photographs is large.
_LIMITS = Limits(members=200_000, member=2**30, total=2**36, ratio=1100, free=2**28)
_QUICK = 3  # photographs and ROMs hardly pack any smaller with more time


@dataclass(frozen=True)
class Damage:
    """What was known to be wrong with a job when it was exported: lines (from 1) before which the chain is broken,
    lines that cannot be read, attachments that are missing or damaged. All else must be whole when it is imported."""

    chain: tuple[int, ...] = ()
    unread: tuple[int, ...] = ()
    lost: tuple[str, ...] = ()

    @property
    def words(self) -> str:
        """The damage in one sentence; empty for none."""
        told = [
            say("{entries} cannot be read", entries=count_of(len(self.unread), "entry", "entries"))
            if self.unread
            else "",
            say("{files} missing or damaged", files=count_of(len(self.lost), "attachment")) if self.lost else "",
            say("the logbook was changed before entry {line}", line=self.chain[0]) if self.chain else "",
        ]
        return joined("; ", (text for text in told if text))


WHOLE = Damage()


@dataclass(frozen=True)
class JobArchive:
    """Everything of one job: its lines as written, attachment bytes by SHA-256, board files by board id."""

    job_id: str
    lines: tuple[str, ...]
    attachments: Mapping[str, bytes]
    boards: Mapping[str, Mapping[str, bytes]]
    damage: Damage = WHOLE

    @cached_property
    def entries(self) -> tuple[Entry, ...]:
        """The lines as entries; one of a later version is an `Unread`."""
        return tuple(read_or_mark(line, say("archive"), number) for number, line in enumerate(self.lines, start=1))

    @property
    def head(self) -> str:
        """The hash of the last line, which an import notes."""
        return head_of(self.lines)


class OnDemand(Mapping[str, bytes]):
    """Attachments by SHA-256, each read when it is asked for: a job of photographs does not fit into memory."""

    def __init__(self, names: Iterable[str], read: Callable[[str], bytes]) -> None:
        self._names, self._read = dict.fromkeys(names), read

    def __getitem__(self, name: str) -> bytes:
        if name not in self._names:
            raise KeyError(name)
        return self._read(name)

    def __iter__(self) -> Iterator[str]:
        return iter(self._names)

    def __len__(self) -> int:
        return len(self._names)


def write_archive(archive: JobArchive, path: Path) -> None:
    """Writes the archive, reads it back, and only then gives it its name. MachineError when it cannot be written,
    UserFileError when what was written would not come back; neither leaves anything behind."""
    write_by(path, "archive", lambda stream: _fill(archive, stream), check=lambda made: _same(archive, made, path.name))


def _fill(archive: JobArchive, stream: IO[bytes]) -> None:
    manifest: dict[str, Any] = {
        "format": FORMAT,
        "version": ARCHIVE_VERSION,
        "job": archive.job_id,
        "head": archive.head,
    }
    if archive.damage != WHOLE:
        manifest["damage"] = asdict(archive.damage)
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as target:
        _add(target, "job.json", json.dumps(manifest, sort_keys=True).encode())
        _add(target, "entries.jsonl", "".join(line + "\n" for line in archive.lines).encode())
        for board, files in sorted(archive.boards.items()):
            for name, data in sorted(files.items()):
                _add(target, f"boards/{board}/{name}", data)
        for sha in sorted(archive.attachments):
            _add(target, f"attachments/{sha}", archive.attachments[sha])


def _add(target: zipfile.ZipFile, name: str, data: bytes) -> None:
    target.writestr(zipfile.ZipInfo(name, _EPOCH), data, zipfile.ZIP_DEFLATED, compresslevel=_QUICK)


def _same(archive: JobArchive, made: Path, name: str) -> None:
    again = _read(made, name)
    same = again.lines == archive.lines and set(again.attachments) == set(archive.attachments)
    if not same or again.boards != {board: dict(files) for board, files in archive.boards.items() if files}:
        raise UserFileError(name, say("would not come back as it was written"), say("nothing was written; report this"))


def read_archive(path: Path) -> JobArchive:
    """Reads an archive whole and checks every attachment; UserFileError names the first thing wrong.

    Entries of a later version are kept as they are; a line that is none at all is refused.
    """
    return _read(path, path.name)


def _read(path: Path, place: str) -> JobArchive:
    with open_zip(path) as source:
        members = {m.filename: m for m in checked_members(source, place, _LIMITS)}
        kept = {name: m for name, m in members.items() if not name.startswith(_ATTACHMENTS)}
        files = {name: read_member(source, m, place) for name, m in kept.items()}
        manifest, lines = _logbook(files, place)
        names = [name.removeprefix(_ATTACHMENTS) for name in members if name.startswith(_ATTACHMENTS)]
        for sha in names:
            _check_attachment(source, members[_ATTACHMENTS + sha], sha, place)
    boards: dict[str, dict[str, bytes]] = {}
    for name, data in files.items():
        top, _, rest = name.partition("/")
        if top == "boards":
            board, _, file = rest.partition("/")
            boards.setdefault(board, {})[file] = data
    attachments = OnDemand(names, lambda sha: _attachment(path, sha, place))
    return JobArchive(str(manifest.get("job", "")), lines, attachments, boards, _damage(manifest, place))


def _logbook(files: Mapping[str, bytes], place: str) -> tuple[dict[str, Any], tuple[str, ...]]:
    """The manifest and the lines, each an entry, of one id each, in one unbroken chain."""
    try:
        manifest = json.loads(files["job.json"])
        lines = tuple(line for line in files["entries.jsonl"].decode().split("\n") if line)
    except (KeyError, ValueError, RecursionError):
        raise UserFileError(
            place, say("is not a Loyal Trace job archive"), say("export one with `loyal-trace job export`")
        ) from None
    if not isinstance(manifest, dict) or manifest.get("format") != FORMAT:
        raise UserFileError(place, say("is not a Loyal Trace job archive"))
    if manifest.get("version") != ARCHIVE_VERSION:
        raise UserFileError(
            place,
            say("is of archive version {manifest}", manifest=manifest.get("version")),
            say("update Loyal Trace to read it"),
        )
    names: set[str] = set()
    known = _damage(manifest, place)
    for number, line in enumerate(lines, start=1):
        entry = read_or_mark(line, place, number)
        if number in known.unread:
            continue
        where = say("{place}, entry {number}", place=place, number=number) if isinstance(entry, Unread) else ""
        if isinstance(entry, Unread) and not entry.newer:
            read_entry(line, where)  # says what is wrong with it
        if entry.id in names:
            where = say("{place}, entry {number}", place=place, number=number)
            raise UserFileError(where, say("has the id {id} of an earlier entry", id=entry.id), _OLDER)
        names.add(entry.id)
    faults = [fault for fault in check_chain(lines, str(manifest.get("head", ""))) if fault.line not in known.chain]
    if faults:
        raise UserFileError(say("{place}, entry {line}", place=place, line=faults[0].line), faults[0].what, _OLDER)
    return manifest, lines


def _damage(manifest: Mapping[str, Any], place: str) -> Damage:
    told = manifest.get("damage", {})
    try:
        chain, unread = (tuple(int(one) for one in told.get(name, ())) for name in ("chain", "unread"))
        return Damage(chain, unread, tuple(str(one) for one in told.get("lost", ())))
    except (AttributeError, TypeError, ValueError):
        raise UserFileError(place, say("is not a Loyal Trace job archive")) from None


def _check_attachment(source: zipfile.ZipFile, member: zipfile.ZipInfo, sha: str, place: str) -> None:
    where = say("{place}, attachment {sha}…", place=place, sha=sha[:12])
    try:
        with source.open(member) as stream:
            found = hashlib.file_digest(cast(Any, stream), "sha256").hexdigest()
    except BROKEN as error:
        raise UserFileError(where, say("cannot be unpacked ({error})", error=error)) from None
    if found != sha:
        raise UserFileError(where, say("does not have the content its name promises"))


def _attachment(path: Path, sha: str, place: str) -> bytes:
    with open_zip(path) as source:
        data = read_member(source, source.getinfo(_ATTACHMENTS + sha), place)
    if hashlib.sha256(data).hexdigest() != sha:
        raise UserFileError(place, say("has changed while it was read"))
    return data
