"""A job as one file: a zip of `entries.jsonl`, the attachments and the board folders, complete both ways."""

import hashlib
import io
import json
import zipfile
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

from loyal_trace.core.job.chain import check_chain, head_of
from loyal_trace.core.job.entries import Entry, read_entry
from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.formats.safe_zip import checked_members, open_zip, read_member
from loyal_trace.formats.whole_file import write_whole

ARCHIVE_VERSION = 1
FORMAT = "loyal-trace-job"
_EPOCH = (1980, 1, 1, 0, 0, 0)


@dataclass(frozen=True)
class JobArchive:
    """Everything of one job: its lines as written, attachment bytes by SHA-256, board files by board id."""

    job_id: str
    lines: tuple[str, ...]
    attachments: Mapping[str, bytes]
    boards: Mapping[str, Mapping[str, bytes]]

    @cached_property
    def entries(self) -> tuple[Entry, ...]:
        """The lines as entries of this version; UserFileError for one that is none."""
        return tuple(
            read_entry(line, say("entry {number}", number=number)) for number, line in enumerate(self.lines, start=1)
        )

    @property
    def head(self) -> str:
        """The hash of the last line, which an import notes."""
        return head_of(self.lines)


def _members(archive: JobArchive) -> Iterable[tuple[str, bytes]]:
    manifest = {"format": FORMAT, "version": ARCHIVE_VERSION, "job": archive.job_id, "head": archive.head}
    yield "job.json", json.dumps(manifest, sort_keys=True).encode()
    yield "entries.jsonl", "".join(line + "\n" for line in archive.lines).encode()
    for board, files in sorted(archive.boards.items()):
        for name, data in sorted(files.items()):
            yield f"boards/{board}/{name}", data
    for sha, data in sorted(archive.attachments.items()):
        yield f"attachments/{sha}", data


def write_archive(archive: JobArchive, path: Path) -> None:
    """Writes the archive whole or not at all; MachineError when it cannot be."""
    whole = io.BytesIO()
    with zipfile.ZipFile(whole, "w", zipfile.ZIP_DEFLATED) as target:
        for name, data in _members(archive):
            target.writestr(zipfile.ZipInfo(name, _EPOCH), data, zipfile.ZIP_DEFLATED)
    write_whole(path, whole.getvalue(), "archive")


def read_archive(path: Path) -> JobArchive:
    """Reads an archive whole and checks every attachment; UserFileError names the first thing wrong."""
    place = path.name
    with open_zip(path) as source:
        files = {m.filename: read_member(source, m, place) for m in checked_members(source, place)}
    try:
        manifest = json.loads(files["job.json"])
        lines = tuple(line for line in files["entries.jsonl"].decode().split("\n") if line)
    except (KeyError, ValueError):
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
    for number, line in enumerate(lines, start=1):
        read_entry(line, say("{place}, entry {number}", place=place, number=number))
    faults = check_chain(lines, str(manifest.get("head", "")))
    if faults:
        raise UserFileError(
            say("{place}, entry {line}", place=place, line=faults[0].line),
            faults[0].what,
            say("use an older archive of the job"),
        )
    attachments: dict[str, bytes] = {}
    boards: dict[str, dict[str, bytes]] = {}
    for name, data in files.items():
        top, _, rest = name.partition("/")
        if top == "attachments":
            if hashlib.sha256(data).hexdigest() != rest:
                raise UserFileError(
                    say("{place}, attachment {rest}…", place=place, rest=rest[:12]),
                    say("does not have the content its name promises"),
                )
            attachments[rest] = data
        elif top == "boards":
            board, _, file = rest.partition("/")
            boards.setdefault(board, {})[file] = data
    return JobArchive(str(manifest.get("job", "")), lines, attachments, boards)
