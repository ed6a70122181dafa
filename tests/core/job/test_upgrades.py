"""Logbooks of version 1, written by that version and kept as data, read by this one."""

import json
import zipfile
from pathlib import Path

import pytest

from loyal_trace.core.job import entries as e
from loyal_trace.core.job.fold import fold
from loyal_trace.core.job.snapshot import SupplyKey, SymptomKey
from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.core.vocabulary.findings import Finding
from loyal_trace.core.vocabulary.identity import PartRef

DATA = Path(__file__).parents[2] / "data" / "v1" / "job.ltjob"


@pytest.fixture(scope="module")
def lines():
    with zipfile.ZipFile(DATA) as archive:
        return [line for line in archive.read("entries.jsonl").decode().split("\n") if line]


def test_every_entry_of_version_1_is_read(lines):
    read = [e.read_entry(line) for line in lines]
    assert len(read) == 43 and all(entry.v == 2 for entry in read)
    assert [entry.id for entry in read] == [json.loads(line)["id"] for line in lines]


def test_what_version_1_meant_is_kept(lines):
    snapshot = fold(e.read_entry(line) for line in lines)
    u1 = snapshot.seen.findings[PartRef("tiny", "U1")][0]
    assert u1.finding is Finding.CORRODED and u1.note == "pin 5"
    assert snapshot.parts.swaps[0].result == "stays" and snapshot.parts.swaps[0].spare == "drawer 3"
    assert snapshot.proving.symptoms[SymptomKey("tiny", "no sound")].present
    assert [note.text for note in snapshot.paper.notes][-1].startswith("came in a wet box"), "undone, then not"


def test_an_off_time_that_version_1_invented_is_not_known(lines):
    starts = fold(e.read_entry(line) for line in lines).proving.starts_before
    assert [start.off_seconds for start in starts] == [None, 600.0]


def test_a_chip_on_its_own_became_a_fact_of_the_own_board(lines):
    snapshot = fold(e.read_entry(line) for line in lines)
    assert snapshot.facts.parts[PartRef("own", "U5")][0].number == "74LS00"
    assert PartRef("own", "U5") in snapshot.readings.pins and PartRef("own", "U5") not in snapshot.parts.fitted


def _v1(**fields):
    return json.dumps({"id": "1", "time": "2026-01-01T00:00:00Z", "v": 1, "author": "", "part_of": "", **fields})


def test_words_of_version_1_become_words_of_the_vocabulary():
    bent = e.read_entry(_v1(kind="observed", board="b", place="6C", finding="leg folded or missing", note=""))
    assert bent.finding is Finding.PIN_BENT
    odd = e.read_entry(_v1(kind="observed", board="b", place="6C", finding="smells odd", note="of fish"))
    assert (odd.finding, odd.note) == (Finding.NOTED, "smells odd: of fish")
    assert e.read_entry(_v1(kind="decided", what="supply limits", choice="strict", reason="")).what == "supply limits"
    from_files = e.read_entry(_v1(kind="chain_described", board="own", line="to", text="to U1.14", path="x"))
    assert fold([from_files]).facts.supplies == {SupplyKey("own", "x"): {"to": "to U1.14"}}


@pytest.mark.parametrize("line", ["no entry", "[1, 2]", '{"kind": "note", "v": 1}', '{"v": 1}'])
def test_what_is_no_entry_is_refused_as_a_line_of_a_file_or_marked_in_its_place(line):
    with pytest.raises(UserFileError, match="entries, line 7") as refused:
        e.read_entry(line, "entries, line 7")
    assert ("Invalid JSON" in str(refused.value)) == (line == "no entry")
    marked = e.read_or_mark(line, "entries", 7)
    assert marked.kind == "unread" and not marked.newer and "entries, entry 7" in marked.why
