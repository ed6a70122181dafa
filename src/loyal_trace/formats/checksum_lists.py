"""Lists of known sums: GNU-style files, the tagged form, SFV, CSV and JSON with a column mapping."""

import csv
import io
import json
import re
from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from loyal_trace.core.roms.digests import DIGEST_LENGTHS, canonical, checked_digest, digest_length, known_algorithms
from loyal_trace.core.roms.images import ChecksumList, KnownChecksum, base_name, checksums_from_mapping
from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.formats.rom_files import read_file

SURE_ENDINGS = (".sfv", ".md5", ".sha1", ".sha256", ".crc", ".crc32")  # such a file is a list of sums or broken

_BY_LENGTH = {length: name for name, length in DIGEST_LENGTHS.items()} | {8: "crc32"}
_LONG = tuple(length for length in _BY_LENGTH if length >= 8)  # sums of 2 and 4 digits stand after the name, by hand
_GNU = re.compile(r"\\?([0-9A-Fa-f]+)(?:\s+\*?|\t)(\S.*)")
_TAGGED = re.compile(r"([A-Za-z0-9/_ =-]+?) ?\((.+)\) = (?:0x)?([0-9A-Fa-f]+)")
# Longer than any path with its sums: some patterns take the square of a line's length.
_LONGEST_LINE, _LONGEST_SIZE = 8192, 15
_SFV = re.compile(r"(\S(?:.*\S)?)\s+([0-9A-Fa-f]{8})")

DEFAULT_COLUMNS: Mapping[str, tuple[str, ...]] = {
    "name": ("name", "file", "filename", say("file name"), "image"),
    "size": ("size", "bytes", "length"),
    "firmware": ("firmware", "revision", "rev", "version", "set"),
    "place": ("place", "slot", "socket", "refdes", "location"),
    "crc32": ("crc32", "crc", "crc-32"),
    "md5": ("md5",),
    "sha1": ("sha1", "sha-1"),
    "sha256": ("sha256", "sha-256"),
    "sum8": ("sum8", "sum 8", say("8-bit sum")),
    "sum16": ("sum16", "sum 16", say("16-bit sum"), "checksum"),
    "sum32": ("sum32", "sum 32", say("32-bit sum")),
}


@dataclass
class _Line:
    """What is gathered under one name and firmware, from one or more lines of a list."""

    name: str
    firmware: str = ""
    place: str = ""
    size: int | None = None
    digests: dict[str, str] = field(default_factory=dict)


def decode_text(data: bytes, place: str) -> str:
    """Text of a file: UTF-8 with or without BOM, UTF-16 with one, else Latin-1; a binary file is refused."""
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        try:
            return data.decode("utf-16")
        except UnicodeDecodeError:
            raise UserFileError(place, say("is not text in UTF-16, as its first bytes say")) from None
    if b"\0" in data:
        raise UserFileError(place, say("is a binary file, not text"))
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return data.decode("latin-1")


def delimiter_of(head: str) -> str:
    """The separator that the first line of a table uses most: comma, semicolon or tab."""
    return max(",;\t", key=head.count)


def read_checksums(path: Path, columns: Mapping[str, str] | None = None) -> ChecksumList:
    """Reads a list of any of the known kinds; `columns` maps our field names to the file's column titles."""
    return parse_sums(read_file(path), path.name, columns)


def parse_sums(data: bytes, name: str, columns: Mapping[str, str] | None = None) -> ChecksumList:
    """A SumList from the bytes of a file. UserFileError names file and line of the first thing it cannot take."""
    text = decode_text(data, name)
    lower = name.lower()
    if lower.endswith(".json") or text.lstrip()[:1] in ("[", "{"):
        rows = _json_rows(text, name, columns)
    elif lower.endswith((".csv", ".tsv")):
        rows = _csv_rows(text, name, columns)
    else:
        rows = _plain_rows(text, name, sfv=lower.endswith(".sfv"))
    gathered: dict[tuple[str, str], _Line] = {}
    for row in rows:
        known = gathered.setdefault((row.name, row.firmware), row)
        known.digests.update(row.digests)
    if not gathered:
        raise UserFileError(
            name, say("holds no checksums"), say("give a file in the style of sha1sum, SFV, CSV or JSON")
        )
    return ChecksumList(
        (
            KnownChecksum(r.name, checksums_from_mapping(r.digests), r.size, r.firmware, r.place)
            for r in gathered.values()
        ),
        name,
    )


def _folder_firmware(name: str) -> str:
    """Lists that hold several revisions name them by folder: `B/6a.bin`. The last folder names the revision."""
    parts = [p for p in name.replace("\\", "/").split("/")[:-1] if p not in (".", "")]
    return parts[-1] if parts else ""


def _plain_rows(text: str, name: str, sfv: bool) -> list[_Line]:
    rows = []
    for number, raw in enumerate(text.splitlines(), start=1):
        line = raw.strip()
        if line and not line.startswith((";", "#")):
            rows.append(_plain_row(line, say("{name}, line {number}", name=name, number=number), sfv))
    shared = any(times > 1 for times in Counter(base_name(row.name) for row in rows).values())
    several = len({_folder_firmware(row.name) for row in rows}) > 1 and shared
    for row in rows:
        row.firmware = _folder_firmware(row.name) if several else ""
    return rows


def _plain_row(line: str, where: str, sfv: bool) -> _Line:
    if len(line) > _LONGEST_LINE:
        raise UserFileError(
            where, say("has {count:,} characters: no line of a checksum list is so long", count=len(line))
        )
    tagged = _TAGGED.fullmatch(line)
    if tagged:
        algorithm = canonical(tagged[1]) or tagged[1].strip()
        return _Line(tagged[2], digests={algorithm: _checked(tagged[3], algorithm, where)})
    plain = _SFV.fullmatch(line) if sfv else _GNU.fullmatch(line)
    if plain and len(plain[1] if not sfv else plain[2]) in _LONG:
        file_name, value = (plain[1], plain[2]) if sfv else (plain[2], plain[1])
        return _Line(file_name, digests={_BY_LENGTH[len(value)]: value.lower()})
    typed = None if sfv else _typed_row(line)
    if typed is not None:
        return typed
    if plain and not sfv:
        what = say("a checksum of {count} hex digits has the length of no known algorithm", count=len(plain[1]))
        raise UserFileError(where, what, say("known: {known_algorithms}", known_algorithms=known_algorithms()))
    if re.match(r"[A-Za-z0-9/_-]+ \(.*\) = ", line):
        raise UserFileError(where, say("has a checksum that is not hexadecimal"))
    raise UserFileError(where, say("“{line}” is not a line of a checksum list", line=line[:60]))


def _typed_row(line: str) -> _Line | None:
    """A line as typed by hand: the name first, then its sums, `6A: 7C9E1A20` or `6A 16384 1F2E` or `6a.bin crc16-arc
    0x12AB`; a size is a decimal number of bytes, an algorithm named before a value is taken at its word."""
    name, *rest = [word for word in re.split(r"[\s,;=:]+", line) if word] or [""]
    row, announced = _Line(name), ""
    for place, word in enumerate(rest, start=1):
        algorithm = canonical(word)
        if algorithm is not None:
            announced = algorithm
        elif not announced and not row.digests and place < len(rest) and _is_size(word):
            row.size = int(word)
        else:
            taken = announced or _BY_LENGTH.get(len(word.lower().removeprefix("0x")), "")
            value = checked_digest(word, taken) if taken else None
            if value is None:
                return None
            row.digests[taken], announced = value, ""
    return row if row.digests and not announced else None


def _is_size(word: str) -> bool:
    return word.isdecimal() and len(word) < 8 and int(word) > 0 and int(word) & int(word) - 1 == 0


def _checked(value: str, algorithm: str, where: str) -> str:
    length = digest_length(algorithm)
    if length is None:
        raise UserFileError(
            where,
            say("unknown checksum algorithm “{algorithm}”", algorithm=algorithm),
            say("known: {known_algorithms}", known_algorithms=known_algorithms()),
        )
    text = checked_digest(value, algorithm)
    if text is None:
        raise UserFileError(
            where,
            say(
                "“{value}” is not a {algorithm} of {length} hex digits",
                value=value[:70],
                algorithm=algorithm,
                length=length,
            ),
        )
    return text


def map_columns(header: Iterable[str], columns: Mapping[str, str] | None) -> dict[str, str]:
    """Our field → the file's column: the given mapping first, then the usual titles."""
    titles = {title.strip().lower(): title for title in header}
    mapping = {}
    given = {canonical(ours) or ours: title for ours, title in (columns or {}).items()}
    wanted_titles: dict[str, tuple[str, ...]] = {canonical(t) or "": (t,) for t in titles if canonical(t)}
    wanted_titles |= dict.fromkeys(given, ()) | dict(DEFAULT_COLUMNS)
    for ours, usual in wanted_titles.items():
        wanted = (given[ours].lower(),) if ours in given else usual
        found = next((titles[t] for t in wanted if t in titles), None)
        if found is not None:
            mapping[ours] = found
    return mapping


def _csv_rows(text: str, name: str, columns: Mapping[str, str] | None) -> list[_Line]:
    head = text.split("\n", 1)[0]
    delimiter = delimiter_of(head)
    reader = csv.DictReader(io.StringIO(text, newline=""), delimiter=delimiter)
    try:
        mapping = map_columns(reader.fieldnames or (), columns)
        return [
            _mapped(row, mapping, say("{name}, line {line_num}", name=name, line_num=reader.line_num))
            for row in reader
            if any(row.values())
        ]
    except csv.Error as error:
        raise UserFileError(
            say("{name}, line {line_num}", name=name, line_num=reader.line_num),
            say("is not readable CSV ({error})", error=error),
        ) from None


def _json_rows(text: str, name: str, columns: Mapping[str, str] | None) -> list[_Line]:
    try:
        found: Any = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise UserFileError(name, say("is not readable JSON ({error})", error=error)) from None
    if isinstance(found, dict):
        inner = next((v for v in found.values() if isinstance(v, list)), None)
        found = inner if inner is not None else [{"name": k, **v} for k, v in found.items() if isinstance(v, dict)]
    if not isinstance(found, list) or not all(isinstance(item, dict) for item in found):
        raise UserFileError(name, say("is JSON, but not a list of objects with a name and checksums"))
    return [
        _mapped(
            {str(k): v for k, v in item.items()},
            map_columns(map(str, item), columns),
            say("{name}, item {number}", name=name, number=number),
        )
        for number, item in enumerate(found, start=1)
    ]


def _mapped(row: Mapping[str, Any], mapping: Mapping[str, str], where: str) -> _Line:
    def cell(ours: str) -> str:
        value = row.get(mapping[ours]) if ours in mapping else None
        return "" if value is None else str(value).strip()

    title = cell("name") or cell("place")
    if not title:
        raise UserFileError(where, say("has no name"), say("map a column to “name”"))
    digests = {a: _checked(cell(a), a, where) for a in mapping if digest_length(a) and cell(a)}
    if not digests:
        raise UserFileError(
            where,
            say("“{title}” has no checksum", title=title),
            say("map a column to one of {known_algorithms}", known_algorithms=known_algorithms()),
        )
    size_text = cell("size")
    if size_text and (not size_text.isdecimal() or len(size_text) > _LONGEST_SIZE):
        raise UserFileError(where, say("“{size_text}” is not a size in bytes", size_text=size_text[:40]))
    return _Line(title, cell("firmware"), cell("place"), int(size_text) if size_text else None, digests)
