"""Reads zip files that strangers made: no path leaves its folder, no member is a link, nothing unpacks without end."""

import lzma
import stat
import struct
import zipfile
import zlib
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path, PurePosixPath

from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.core.vocabulary.phrases import say

MAX_MEMBERS = 20_000
MAX_MEMBER_BYTES = 64 * 2**20
MAX_TOTAL_BYTES = 512 * 2**20
MAX_RATIO = 200
_RATIO_FREE_BYTES = 2**20


@dataclass(frozen=True)
class Limits:
    """What a zip may hold: files, bytes of one and of all, and how far one may unpack beyond `free` bytes."""

    members: int = MAX_MEMBERS
    member: int = MAX_MEMBER_BYTES
    total: int = MAX_TOTAL_BYTES
    ratio: int = MAX_RATIO
    free: int = _RATIO_FREE_BYTES


STRANGERS = Limits()


def checked_members(archive: zipfile.ZipFile, place: str, limits: Limits = STRANGERS) -> list[zipfile.ZipInfo]:
    """All file members, after every name, size, ratio and type was found harmless; UserFileError otherwise."""
    members = archive.infolist()
    if len(members) > limits.members:
        raise UserFileError(
            place,
            say("holds {count:,} files, more than {max_members:,}", count=len(members), max_members=limits.members),
            say("nothing was read"),
        )
    names = Counter(member.filename for member in members)
    for name, times in names.items():
        if times > 1:
            raise UserFileError(
                place, say("holds {times} files called “{name}”", times=times, name=name), say("nothing was read")
            )
    total = 0
    for member in members:
        _check_member(member, place, limits)
        total += member.file_size
        if total > limits.total:
            raise UserFileError(
                place,
                say("unpacks to more than {max_total_bytes} MiB", max_total_bytes=limits.total >> 20),
                say("nothing was read"),
            )
    return [m for m in members if not m.is_dir()]


def _check_member(member: zipfile.ZipInfo, place: str, limits: Limits) -> None:
    name = member.filename.replace("\\", "/")
    where = say("{place}, member “{filename}”", place=place, filename=member.filename)
    path = PurePosixPath(name)
    if path.is_absolute() or ".." in path.parts or (len(name) > 1 and name[1] == ":"):
        raise UserFileError(where, say("the name leads outside the archive"), say("nothing was read"))
    if stat.S_ISLNK(member.external_attr >> 16):
        raise UserFileError(where, say("is a symbolic link"), say("pack the file itself; nothing was read"))
    if member.flag_bits & 0x1:
        raise UserFileError(where, say("is encrypted"), say("unpack it with its password first"))
    if member.file_size > limits.member:
        raise UserFileError(
            where,
            say("unpacks to {file_size:,} bytes", file_size=member.file_size),
            say("the limit for a ROM or a board is smaller"),
        )
    if member.file_size > limits.free and member.file_size > limits.ratio * max(member.compress_size, 1):
        told = say("unpacks to more than {ratio} times its size", ratio=limits.ratio)
        raise UserFileError(where, told, say("nothing was read"))


# Everything that the library says of a member whose bytes are not what its names and lengths say.
BROKEN = (zipfile.BadZipFile, zlib.error, lzma.LZMAError, EOFError, RuntimeError, OSError, ValueError, struct.error)


def read_member(archive: zipfile.ZipFile, member: zipfile.ZipInfo, place: str) -> bytes:
    """The bytes of one checked member, never more than it declared; UserFileError when damaged."""
    try:
        with archive.open(member) as stream:
            data = stream.read(member.file_size + 1)
    except BROKEN as error:
        raise UserFileError(
            say("{place}, member “{filename}”", place=place, filename=member.filename),
            say("cannot be unpacked ({error})", error=error),
        ) from None
    if len(data) != member.file_size:
        raise UserFileError(
            say("{place}, member “{filename}”", place=place, filename=member.filename),
            say("is not as long as the archive says"),
        )
    return data


def open_zip(path: Path) -> zipfile.ZipFile:
    """Opens a zip; UserFileError when it is damaged or cut short."""
    try:
        return zipfile.ZipFile(path)
    except (zipfile.BadZipFile, OSError, ValueError) as error:
        raise UserFileError(str(path), say("is not a readable zip ({error})", error=error)) from None


def zip_files(path: Path) -> Iterator[tuple[str, bytes]]:
    """Every file of a zip as (name, bytes), checked first."""
    with open_zip(path) as archive:
        for member in checked_members(archive, path.name):
            yield member.filename, read_member(archive, member, path.name)
