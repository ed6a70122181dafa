import hashlib
import json
import tracemalloc
import zipfile
from dataclasses import replace

import numpy as np
import pytest

from loyal_trace.core.job import entries as e
from loyal_trace.core.vocabulary.errors import MachineError, UserFileError
from loyal_trace.formats.archive import JobArchive, OnDemand, _fill, read_archive, write_archive
from loyal_trace.formats.safe_zip import MAX_MEMBERS, zip_files
from tests.helpers.builders import made, tiny_files

SHA = "2c26b46b68ffc68ff99b453c1d30413413422d706483bfa0f98a5e886266e7ae"  # of b"foo"


@pytest.fixture
def archive():
    entries = (made(e.Opened, title="Ünïcode set"), made(e.RomRead, board="tiny", place="U2", attachment=SHA, size=3))
    return JobArchive("j1", tuple(e.write_entry(entry) for entry in entries), {SHA: b"foo"}, {"tiny": tiny_files()})


def rewrite(path, change):
    """The same zip with its members changed."""
    with zipfile.ZipFile(path) as source:
        members = {name: source.read(name) for name in source.namelist()}
    change(members)
    with zipfile.ZipFile(path, "w") as target:
        for name, data in members.items():
            target.writestr(name, data)


def test_what_goes_out_comes_back_equal_and_the_same_bytes_each_time(archive, tmp_path):
    write_archive(archive, tmp_path / "a.ltjob")
    write_archive(archive, tmp_path / "b.ltjob")
    assert read_archive(tmp_path / "a.ltjob") == archive
    assert (tmp_path / "a.ltjob").read_bytes() == (tmp_path / "b.ltjob").read_bytes()
    assert not list(tmp_path.glob("*.part"))


def set_version(members):
    members["job.json"] = json.dumps({"format": "loyal-trace-job", "version": 99, "job": "x"}).encode()


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda m: m.pop("job.json"), "not a Loyal Trace job archive"),
        (lambda m: m.pop("entries.jsonl"), "not a Loyal Trace job archive"),
        (lambda m: m.update({"job.json": b"[]"}), "not a Loyal Trace job archive"),
        (lambda m: m.update({"job.json": b"{"}), "not a Loyal Trace job archive"),
        (set_version, "archive version 99"),
        (lambda m: m.update({"entries.jsonl": m["entries.jsonl"] + b"{}\n"}), "entry 3"),
        (lambda m: m.update({f"attachments/{SHA}": b"bar"}), "does not have the content"),
        (lambda m: m.update({"../evil": b"x"}), "leads outside"),
    ],
)
def test_an_archive_that_was_tampered_with_is_refused(archive, tmp_path, change, words):
    path = tmp_path / "x.ltjob"
    write_archive(archive, path)
    rewrite(path, change)
    with pytest.raises(UserFileError, match=words):
        read_archive(path)


def test_a_target_that_cannot_be_written_leaves_nothing_behind(archive, tmp_path):
    with pytest.raises(MachineError, match="could not be written"):
        write_archive(archive, tmp_path / "no such folder" / "x.ltjob")
    (tmp_path / "x.ltjob").write_text("an older archive")
    (tmp_path / "x.ltjob.part").mkdir()
    with pytest.raises((MachineError, OSError)):
        write_archive(archive, tmp_path / "x.ltjob")
    assert (tmp_path / "x.ltjob").read_text() == "an older archive"


def test_too_many_members_are_refused_before_any_is_read(tmp_path):
    with zipfile.ZipFile(tmp_path / "x.zip", "w") as target:
        for n in range(MAX_MEMBERS + 1):
            target.writestr(f"{n}", b"")
    with pytest.raises(UserFileError, match="more than"):
        list(zip_files(tmp_path / "x.zip"))


def test_two_logbooks_or_two_entries_of_one_id_are_refused_and_blamed_on_the_file(archive, tmp_path):
    path = tmp_path / "x.ltjob"
    write_archive(archive, path)
    with zipfile.ZipFile(path, "a") as target, pytest.warns(UserWarning, match="Duplicate name"):
        target.writestr("entries.jsonl", b"")
    with pytest.raises(UserFileError, match="holds 2 files called"):
        read_archive(path)
    with path.open("wb") as stream:
        _fill(replace(archive, lines=(*archive.lines, archive.lines[0])), stream)
    with pytest.raises(UserFileError, match="has the id"):
        read_archive(path)


def test_a_blank_rom_and_more_photographs_than_fit_into_memory_come_back(tmp_path, archive):
    blank, seeds = bytes(4 << 20), range(7)
    large = np.random.default_rng(0).bytes(8 << 20)

    def photo(n):
        return large[: -8 - n] + n.to_bytes(8, "big")

    data = {hashlib.sha256(photo(n)).hexdigest(): n for n in seeds}
    sha = hashlib.sha256(blank).hexdigest()
    many = replace(archive, attachments=OnDemand([*data, sha], lambda s: blank if s == sha else photo(data[s])))
    tracemalloc.start()
    write_archive(many, tmp_path / "large.ltjob")
    again = read_archive(tmp_path / "large.ltjob")
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert again.attachments[sha] == blank and len(again.attachments) == 8
    assert (tmp_path / "large.ltjob").stat().st_size > 50 << 20 and peak < 45 << 20
