"""Files imported into a job: what can be is, what cannot is named, and a read lands on the socket that is meant."""

import hashlib
import io

import pytest
from PIL import Image

from loyal_trace.app.importers import Meant, import_files
from loyal_trace.app.job import OpenJob, open_new_job
from loyal_trace.core.assess.looking import alignment_of, photographed
from loyal_trace.core.job import entries as e
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.demo.images import program_image
from loyal_trace.store.store import Store
from tests.helpers.builders import BOARD_TOML, tiny_files

ROM, OTHER = program_image("session", 0x800), program_image("other board", 0x800)
SHA1 = hashlib.sha1(ROM).hexdigest()


def with_rom(board_id, data):
    """A board of that id whose U2 should hold these bytes."""
    sums = f'sums.A = {{ sha1 = "{hashlib.sha1(data).hexdigest()}" }}'
    toml = BOARD_TOML.replace('"tiny"', f'"{board_id}"').replace('"Tiny"', f'"{board_id.upper()}"')
    return tiny_files(
        toml.replace('sums.A = { crc32 = "0123abcd" }', sums).replace("size = 2048", f"size = {len(data)}")
    )


@pytest.fixture
def store(tmp_path):
    with Store(tmp_path / "store") as opened:
        yield opened


@pytest.fixture
def job(store):
    opened = OpenJob(store, open_new_job(store, "Job", []))
    opened.add_board(with_rom("one", ROM), "one")
    return opened


@pytest.fixture
def two(job):
    job.add_board(with_rom("two", OTHER), "two")
    return job


def file(tmp_path, name, data):
    (tmp_path / name).write_bytes(data)
    return tmp_path / name


def word(job, board, refdes):
    return job.assessment().roms[PartRef(board, refdes)].word


def test_what_can_be_imported_is_and_what_cannot_is_named(job, tmp_path):
    good, bad = file(tmp_path, "u2.bin", ROM), file(tmp_path, "stranger.bin", b"stranger")
    found = import_files(job, [good, bad, tmp_path / "none.bin", file(tmp_path, "x.sfv", b"no sums")])
    assert found.done == ["u2.bin: recorded as a read of U2"]
    assert [left.name for left in found.left_out] == ["x.sfv", "stranger.bin", "none.bin"]
    assert all(left.reason for left in found.left_out) and job.entries[-1].place == "U2"
    assert import_files(job, [bad], Meant(at=PartRef("one", "U2"))).done


def test_a_socket_of_one_board_does_not_take_the_content_of_another_for_right(two, tmp_path):
    import_files(two, [file(tmp_path, "x.bin", OTHER)], Meant(at=PartRef("one", "U2")))
    slot = two.assessment().roms[PartRef("one", "U2")]
    assert slot.word == "differs" and slot.verdict.verdict == "other-slot" and "board two" in slot.verdict.reason


def test_a_name_that_two_boards_have_is_decided_by_content_or_size_or_asked(two, tmp_path):
    assert import_files(two, [file(tmp_path, "u2.bin", OTHER)]).entries[0].board == "two"
    asked = import_files(two, [file(tmp_path, "u2-read2.bin", program_image("neither", 0x800))])
    assert not asked.entries and asked.left_out[0].choices == (PartRef("one", "U2"), PartRef("two", "U2"))
    assert "ONE U2 or TWO U2" in asked.left_out[0].reason
    said = import_files(two, [tmp_path / "u2-read2.bin"], Meant(board="one"))
    assert said.entries[0].board == "one"
    small = with_rom("three", program_image("small", 0x200))
    two.add_board(small, "three")
    assert import_files(two, [file(tmp_path, "U2.rom", program_image("any", 0x200))]).entries[0].board == "three"


def test_a_list_is_for_the_board_whose_socket_it_names(two, tmp_path):
    third = program_image("third revision", 0x800)
    listed = file(tmp_path, "u2.sha1", f"{hashlib.sha1(third).hexdigest()}  u2.bin\n".encode())
    asked = import_files(two, [listed])
    assert not asked.entries and asked.left_out[0].choices, "two boards have a U2"
    import_files(two, [listed], Meant(board="two"))
    assert two.entries[-1].lines[0].board == "two"
    for board, expected in (("one", "differs"), ("two", "matches")):
        import_files(two, [file(tmp_path, "third.bin", third)], Meant(at=PartRef(board, "U2")))
        assert word(two, board, "U2") == expected


def test_a_wrong_list_undone_and_the_right_one_imported_is_as_if_the_wrong_one_had_never_been(job, store, tmp_path):
    """The verdict came from a cache whose key was the number of lists."""
    data = program_image("newer", 0x800)
    import_files(job, [file(tmp_path, "u2.bin", data)])
    wrong = file(tmp_path, "wrong.sha1", f"{'0' * 40}  u2.bin\n".encode())
    right = file(tmp_path, "right.sha1", f"{hashlib.sha1(data).hexdigest()}  u2.bin\n".encode())
    import_files(job, [wrong])
    assert word(job, "one", "U2") == "differs"
    job.undo()
    import_files(job, [right])
    assert word(job, "one", "U2") == "matches" == word(OpenJob(store, job.id), "one", "U2")


def test_a_list_makes_sockets_and_undoing_it_removes_them(job, tmp_path):
    more = file(tmp_path, "more.sha1", f"{SHA1}  extra.bin\n".encode())
    import_files(job, [more])
    assert list(job.boards) == ["one", "own"] and job.boards["own"].rom_slots[0].refdes == "extra"
    renamed = import_files(job, [file(tmp_path, "renamed.bin", OTHER + OTHER)])
    assert not renamed.entries
    job.undo()
    assert list(job.boards) == ["one"]
    reopened = OpenJob(job.store, job.id)
    assert reopened.boards == job.boards and reopened.snapshot == job.snapshot


def test_a_read_of_the_own_board_stays_there_when_a_board_with_such_a_socket_joins(store, tmp_path):
    job = OpenJob(store, open_new_job(store, "Own first", []))
    import_files(job, [file(tmp_path, "list.sha1", f"{SHA1}  u2.bin\n".encode()), file(tmp_path, "u2.bin", ROM)])
    assert word(job, e.OWN_BOARD, "U2") == "matches"
    job.add_board(with_rom("two", OTHER), "two")
    assert word(job, e.OWN_BOARD, "U2") == "matches" and word(job, "two", "U2") == "not read"
    import_files(job, [file(tmp_path, "u2.bin", OTHER)])
    assert word(job, "two", "U2") == "matches", "the content decides between the two"


def test_files_told_apart_only_by_their_endings_are_chips_of_their_own(job, tmp_path):
    images = {f"prog.{n}": bytes([n]) * 0x400 for n in (1, 2, 3)}
    lines = "".join(f"{hashlib.sha1(data).hexdigest()}  {name}\n" for name, data in images.items())
    listed = file(tmp_path, "set.sha1", lines.encode())
    import_files(job, [listed, *(file(tmp_path, name, data) for name, data in images.items())])
    found = {place.refdes: slot.word for place, slot in job.assessment().roms.items() if place.board == "own"}
    assert found == dict.fromkeys(images, "matches")


def test_a_whole_folder_brings_its_list_with_it_and_other_papers_are_passed_over(job, tmp_path):
    folder = tmp_path / "from the shelf" / "inner"
    folder.mkdir(parents=True)
    file(folder, "a.bin", OTHER)
    file(folder, "notes.txt", b"bought in spring, two sockets worn\n")
    file(folder.parent, "set.md5", f"{hashlib.md5(OTHER).hexdigest()}  a.bin\n".encode())
    assert import_files(job, [folder.parent]).done == [
        "set.md5: 1 checksum line imported",
        "a.bin: recorded as a read of Own board a",
    ]
    assert word(job, "own", "a") == "matches"


def test_photos_come_along_with_the_other_files_and_cover_what_an_alignment_says(job, tmp_path):
    stream = io.BytesIO()
    Image.new("RGB", (1000, 800)).save(stream, "JPEG")
    found = import_files(job, [file(tmp_path, "front.jpg", stream.getvalue()), file(tmp_path, "U2.bin", ROM)])
    assert found.done == ["front.jpg: photo imported (1000 × 800)", "U2.bin: recorded as a read of U2"]
    (sha,) = job.snapshot.seen.photos
    assert job.store.attachment(sha) == stream.getvalue() and job.snapshot.seen.photos[sha].board == "one"
    assert not photographed(job.moment, PartRef("one", "U2"))
    corners = [(0, 0, 0, 0), (30, 0, 900, 0), (30, 20, 900, 600), (0, 20, 0, 600)]
    points = tuple(e.PhotoPoint(x=x, y=y, u=u, v=v) for x, y, u, v in corners)
    job.record(e.PhotoAligned, board="one", attachment=sha, points=points)
    found = alignment_of(job.moment, sha)
    assert found.on_photo(15, 10) == pytest.approx((450, 300)) and found.residual < 1e-6
    covered = {p.refdes: photographed(job.moment, PartRef("one", p.refdes)) for p in job.boards["one"].parts}
    assert covered == {"U1": True, "U2": False, "C1": True}, "U2 lies outside the picture"
    job.record(e.PhotoAligned, board="one", attachment=sha, points=points[:1])
    assert alignment_of(job.moment, sha) is None and not photographed(job.moment, PartRef("one", "U1"))


def test_a_parts_list_makes_chips_to_probe_and_names_what_it_does_not_know(job, tmp_path):
    job.record(e.Started, clean=True)
    found = import_files(job, [file(tmp_path, "parts.csv", b"refdes,part\n5C,74LS138\n9Z,XQ-77\n5D,SN74LS166N\n")])
    assert found.done == ["parts.csv: 3 parts imported"] and not found.left_out
    board = job.boards["own"]
    assert {p.refdes for p in board.parts} == {"5C", "5D", "9Z"} and board.part("5C").package == "DIP-16"
    assert len(job.snapshot.proving.starts) == 1, "a fact is no repair: counted starts still count"


@pytest.mark.parametrize("name", ["empty.bin", "broken.hex", "broken.sfv", "none.bin"])
def test_bad_files_leave_the_job_as_it_was(job, tmp_path, name):
    contents = {"empty.bin": b"", "broken.hex": b":00", "broken.sfv": b"what is this"}
    if name in contents:
        file(tmp_path, name, contents[name])
    before = list(job.entries)
    found = import_files(job, [tmp_path / name])
    assert list(job.entries) == before and found.left_out[0].name == name and found.left_out[0].reason


def test_a_reference_folder_is_never_taken_for_reads(job, tmp_path):
    folder = tmp_path / "reference"
    folder.mkdir()
    (folder / "u2.bin").write_bytes(bytes(range(8)))
    found = import_files(job, [folder])
    assert [entry.kind for entry in found.entries] == ["image_known"] and "reference image of" in found.done[0]
    assert not job.snapshot.roms.reads
