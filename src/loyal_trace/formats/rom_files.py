"""ROM images from files: raw binary, Intel HEX, Motorola S-record, and folders and zips of them."""

import os
import re
import stat
from collections.abc import Iterator
from pathlib import Path

from loyal_trace.core.roms.images import RomImage
from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.formats.safe_zip import MAX_MEMBER_BYTES, zip_files

_HEX_LINE = re.compile(rb":(?:[0-9A-Fa-f]{2}){5,}$")
_SREC_LINE = re.compile(rb"S[0-9](?:[0-9A-Fa-f]{2}){3,}$")
_HEX_ENDINGS = (".hex", ".ihx", ".ihex")
_SREC_ENDINGS = (".srec", ".s19", ".s28", ".s37", ".mot", ".s")
_LOOKED_AT = 600
_BUFFER = 2**20
_ENCODED_ENDINGS = (".zip", *_HEX_ENDINGS, *_SREC_ENDINGS)
PHOTO_ENDINGS = (".jpg", ".jpeg", ".png", ".webp", ".tif", ".tiff", ".bmp")
_NOT_IMAGES = (
    ".txt",
    ".md",
    ".sfv",
    ".csv",
    ".tsv",
    ".json",
    ".md5",
    ".sha1",
    ".sha256",
    ".crc",
    ".crc32",
    ".toml",
    ".xml",
    ".pdf",
    ".gif",
    ".xlsx",
    ".xlsm",
    ".xls",
    ".ods",
    ".net",
    ".kicad_pcb",
    ".d356",
    ".ipc",
    *PHOTO_ENDINGS,
)


def is_image_name(name: str) -> bool:
    """Could a file of that name be an image? Sum lists, notes and hidden files are passed over in folders."""
    lower = name.replace("\\", "/").rpartition("/")[2].lower()
    stem = lower.rsplit(".", 1)[0]
    return not lower.startswith(".") and not lower.endswith(_NOT_IMAGES) and not stem.endswith("sums")


def image_paths(path: Path) -> Iterator[Path]:
    """The files to read under a path: itself, or everything in a folder, in a settled order."""
    if path.is_dir():
        for folder, folders, files in os.walk(path, onerror=_raise):
            folders.sort()
            for name in sorted(files):
                if is_image_name(name):
                    yield Path(f"{folder}/{name}")
    elif path.exists():
        yield path
    else:
        raise UserFileError(str(path), say("there is no such file or folder"))


def _raise(error: OSError) -> None:
    raise UserFileError(str(error.filename), say("cannot be read ({strerror})", strerror=error.strerror))


def _without_waiting(path: str, flags: int) -> int:
    """Opens without waiting for the other end of a pipe, which would be for ever."""
    return os.open(path, flags | os.O_NONBLOCK)


def read_file(path: Path) -> bytes:
    """The bytes of a file of sensible size; UserFileError otherwise."""
    try:
        with open(path, "rb", buffering=0, opener=_without_waiting) as stream:
            found = os.fstat(stream.fileno())
            if not stat.S_ISREG(found.st_mode):
                raise UserFileError(str(path), say("is not a regular file"))
            if found.st_size > MAX_MEMBER_BYTES:
                most = say("{max_member_bytes} MiB", max_member_bytes=MAX_MEMBER_BYTES >> 20)
                raise UserFileError(
                    str(path),
                    say("is {st_size:,} bytes long, more than any ROM ({most})", st_size=found.st_size, most=most),
                )
            return stream.read()
    except OSError as error:
        raise UserFileError(str(path), say("cannot be read ({strerror})", strerror=error.strerror)) from None


class ReadBuffer:
    """Memory that one file after the other is read into: fresh pages for each cost as much as its digests."""

    def __init__(self) -> None:
        self._memory = memoryview(bytearray(_BUFFER + 1))

    def raw_bytes(self, path: str) -> memoryview | None:
        """The bytes of a raw binary file, valid until the next call.

        None for whatever wants a closer look by `iter_images`: zips, HEX, S-records, empty or large files, pipes.
        """
        if path.lower().endswith(_ENCODED_ENDINGS):
            return None
        try:
            handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK)
            try:
                view = self._memory[: os.readv(handle, [self._memory])]
                whole = os.fstat(handle).st_size == len(view)
            finally:
                os.close(handle)
        except OSError as error:
            raise UserFileError(path, say("cannot be read ({strerror})", strerror=error.strerror)) from None
        return view if whole and 0 < len(view) <= _BUFFER and not _looks_encoded(bytes(view[:_LOOKED_AT])) else None


def iter_images(path: Path) -> Iterator[RomImage]:
    """The images in one file, one after the other (several when it is a zip). UserFileError names file and place."""
    if path.name.lower().endswith(".zip"):
        for name, data in zip_files(path):
            if is_image_name(name):
                yield decode_image(name, data, say("{path}: {name}", path=path, name=name))
    else:
        yield decode_image(path.name, read_file(path), str(path))


def decode_image(name: str, data: bytes, source: str) -> RomImage:
    """The image in the bytes of a file: HEX and S-record are recognised by ending or by look."""
    if not data:
        raise UserFileError(source, say("the file is empty"), say("read the chip again"))
    lower, look = name.lower(), _looks_encoded(data[:_LOOKED_AT])
    if lower.endswith(_HEX_ENDINGS) or look == "hex":
        found, gaps = _decode_text(data, source, _HEX_LINE, say("Intel HEX"))
        return RomImage(name, found, source, gaps=gaps)
    if lower.endswith(_SREC_ENDINGS) or look == "srec":
        found, gaps = _decode_text(data, source, _SREC_LINE, "S-record")
        return RomImage(name, found, source, gaps=gaps)
    return RomImage(name, data, source)


def _looks_encoded(start: bytes) -> str:
    """`hex` or `srec` when the first line of a file is a whole record of that kind, empty otherwise."""
    first = start.removeprefix(b"\xef\xbb\xbf").lstrip().split(b"\n", 1)[0].rstrip()
    if _HEX_LINE.match(first):
        return "hex"
    return "srec" if first[:2] == b"S0" and _SREC_LINE.match(first) else ""


def _decode_text(
    data: bytes, source: str, pattern: re.Pattern[bytes], kind: str
) -> tuple[bytes, tuple[tuple[int, int], ...]]:
    """The bytes that records give, gaps filled with FF, and where those gaps are."""
    lines = [line.strip() for line in data.removeprefix(b"\xef\xbb\xbf").splitlines()]
    ended = False
    for number, line in enumerate(lines, start=1):
        if not line:
            continue
        where = say("{source}, line {number}", source=source, number=number)
        if not pattern.match(line):
            raise UserFileError(
                where, say("is not a whole {kind} record", kind=kind), say("the file is damaged or cut short")
            )
        _check_record(line, where, kind)
        ended = ended or (line[7:9] == b"01" if kind == "Intel HEX" else line[1:2] in b"56789")
    if not ended:
        raise UserFileError(
            source, say("the {kind} file has no end record", kind=kind), say("it was cut short; read the chip again")
        )
    records = [(at, data) for at, data in _placed(lines, kind) if data]
    return _assembled(sorted(records), source, kind)


def _placed(lines: list[bytes], kind: str) -> Iterator[tuple[int, bytes]]:
    """(address, bytes) of every data record. Whole records are known to be whole; a library that joins them one by one
    takes the square of their number."""
    base = 0
    for line in filter(None, lines):
        body = bytes.fromhex((line[1:] if kind == "Intel HEX" else line[2:]).decode("ascii"))
        if kind == "Intel HEX":
            address, what, data = int.from_bytes(body[1:3], "big"), body[3], body[4:-1]
            if what == 0:
                yield base + address, data
            elif what in (2, 4):  # the upper part of the addresses that follow
                base = int.from_bytes(data, "big") << (4 if what == 2 else 16)
        elif line[1:2] in b"123":
            width = int(line[1:2]) + 1
            yield int.from_bytes(body[1 : 1 + width], "big"), body[1 + width : -1]


def _assembled(records: list[tuple[int, bytes]], source: str, kind: str) -> tuple[bytes, tuple[tuple[int, int], ...]]:
    """The bytes from the first address to the last, gaps filled with FF, and where the gaps are."""
    if not records or records[-1][0] + len(records[-1][1]) - records[0][0] > MAX_MEMBER_BYTES:
        raise UserFileError(source, say("the {kind} records contain no valid range of data", kind=kind))
    start, out = records[0][0], bytearray()
    gaps = []
    for address, data in records:
        at = address - start
        if at < len(out):
            told = say("two {kind} records hold the same addresses ({address:04X})", kind=kind, address=address)
            raise UserFileError(source, told, say("the file was joined from several; save it again"))
        if at > len(out):
            gaps.append((len(out), at - 1))
            out += b"\xff" * (at - len(out))
        out += data
    return bytes(out), tuple(gaps)


def _check_record(line: bytes, where: str, kind: str) -> None:
    """Length and checksum of one record (Intel: two's complement; Motorola: ones' complement)."""
    body = bytes.fromhex((line[1:] if kind == "Intel HEX" else line[2:]).decode("ascii"))
    if kind == "Intel HEX":
        good_length, good_sum = len(body) == body[0] + 5, sum(body) & 0xFF == 0
    else:
        good_length, good_sum = len(body) == body[0] + 1, sum(body) & 0xFF == 0xFF
    if not good_length:
        raise UserFileError(where, say("the {kind} record has the wrong length", kind=kind), say("the file is damaged"))
    if not good_sum:
        raise UserFileError(
            where, say("the {kind} record fails its own checksum", kind=kind), say("the file is damaged")
        )
