import json
import zipfile

import pytest

from loyal_trace.core.job import entries as e
from loyal_trace.core.vocabulary.errors import MachineError, UserFileError
from loyal_trace.formats.archive import JobArchive, read_archive, write_archive
from loyal_trace.formats.safe_zip import MAX_MEMBERS
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
        read_archive(tmp_path / "x.zip")
