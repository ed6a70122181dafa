"""An open job: record, retract, take files in; the state in memory is always the state on disk."""

import hashlib
import io

import pytest
from PIL import Image

from loyal_trace.core.errors import LoyalTraceError, RequestError, UserFileError
from loyal_trace.core.logbook import entries as e
from loyal_trace.core.logbook.state import fold
from loyal_trace.demo.images import program_image
from loyal_trace.session import DRAWER_FILE, JobSession, open_new_job
from loyal_trace.session_files import take_files
from loyal_trace.store.store import Store
from tests.helpers.builders import BOARD_TOML, tiny_files

ROM = program_image("session", 0x800)
SHA1 = hashlib.sha1(ROM).hexdigest()


def board_folder(path, **changes):
    path.mkdir()
    for name, data in tiny_files(**changes).items():
        (path / name).write_bytes(data)
    return path


@pytest.fixture
def store(tmp_path):
    with Store(tmp_path / "store") as opened:
        yield opened


@pytest.fixture
def session(store, tmp_path):
    return JobSession(store, open_new_job(store, "Job", [board_folder(tmp_path / "tiny")]))


def test_memory_and_disk_hold_the_same_after_every_step(session, store):
    note = session.record(e.Note, text="one")
    session.record(e.Started, clean=True)
    session.retract(note.id)
    assert session.entries == list(store.entries(session.job)) and session.state == fold(session.entries)
    assert [n.text for n in session.state.notes] == []


def test_the_assessment_is_computed_anew_only_after_an_entry(session):
    first = session.assessment()
    assert session.assessment() is first
    session.record(
        e.PinsProbed, board="tiny", place="U1", pins=(e.PinState(pin=3, state="L"), e.PinState(pin=1, state="L"))
    )
    assert session.assessment() is not first and session.assessment().chips[("tiny", "U1")].word == "impossible"


def test_retracting_twice_or_nothing_is_refused(session):
    note = session.record(e.Note, text="x")
    session.retract(note.id)
    for target in (note.id, "nobody"):
        with pytest.raises(RequestError):
            session.retract(target)


def test_undo_walks_back_but_never_undoes_the_opening(session):
    session.record(e.Note, text="x")
    assert session.last_live().text == "x"
    session.retract(session.last_live().id)
    assert session.last_live() is None


def test_a_job_needs_valid_boards_with_ids_of_their_own(store, tmp_path):
    board_folder(tmp_path / "a")
    board_folder(tmp_path / "b")
    with pytest.raises(RequestError, match="same id"):
        open_new_job(store, "x", [tmp_path / "a", tmp_path / "b"])
    board_folder(tmp_path / "bad", toml=BOARD_TOML.replace('id = "tiny"', ""))
    with pytest.raises(UserFileError):
        open_new_job(store, "x", [tmp_path / "bad"])
    assert store.jobs() == ()


def test_the_drawer_beside_the_store_is_read_and_a_broken_one_named(store, tmp_path):
    (store.folder / DRAWER_FILE).write_text("number,count\n74LS00,3\n")
    job = open_new_job(store, "x", [])
    assert JobSession(store, job).drawer[0].count == 3
    (store.folder / DRAWER_FILE).write_text("number,value\n74LS00,lots\n")
    with pytest.raises(UserFileError, match=r"drawer\.csv, line 2"):
        JobSession(store, job)


def test_files_are_taken_in_all_or_none(session, store, tmp_path):
    (tmp_path / "u2.bin").write_bytes(ROM)
    (tmp_path / "stranger.bin").write_bytes(b"stranger")
    before = len(session.entries)
    with pytest.raises(UserFileError, match="matches no slot"):
        take_files(session, [tmp_path / "u2.bin", tmp_path / "stranger.bin"])
    assert len(session.entries) == before == len(store.entries(session.job))
    assert take_files(session, [tmp_path / "u2.bin"]) == ["u2.bin: taken as a read of U2"]
    assert session.store.attachment(session.entries[-1].attachment) == ROM
    assert take_files(session, [tmp_path / "stranger.bin"], selected=("tiny", "U2"))


def test_a_list_makes_sockets_and_taking_it_back_removes_them(session, tmp_path):
    (tmp_path / "more.sha1").write_text(f"{SHA1}  extra.bin\n")
    (tmp_path / "renamed.bin").write_bytes(ROM)
    take_files(session, [tmp_path / "more.sha1"])
    assert list(session.boards) == ["tiny", "files"] and session.boards["files"].rom_slots[0].refdes == "extra"
    assert take_files(session, [tmp_path / "renamed.bin"]) == ["renamed.bin: taken as a read of extra"], "by content"
    assert session.assessment().roms[("files", "extra")].word == "matches"
    session.retract(next(x.id for x in session.entries if x.kind == "sums_known"))
    assert list(session.boards) == ["tiny"]
    reopened = JobSession(session.store, session.job)
    assert reopened.boards == session.boards and reopened.state == session.state


def test_files_told_apart_only_by_their_endings_are_chips_of_their_own(session, tmp_path):
    images = {f"prog.{n}": bytes([n]) * 0x400 for n in (1, 2, 3)}
    lines = [f"{hashlib.sha1(data).hexdigest()}  {name}\n" for name, data in images.items()]
    (tmp_path / "set.sha1").write_text("".join(lines))
    for name, data in images.items():
        (tmp_path / name).write_bytes(data)
    take_files(session, [tmp_path / "set.sha1", *(tmp_path / name for name in images)])
    found = {place[1]: slot.word for place, slot in session.assessment().roms.items() if place[0] == "files"}
    assert found == dict.fromkeys(images, "matches")


def test_a_whole_folder_brings_its_list_with_it_and_other_papers_are_passed_over(session, tmp_path):
    folder = tmp_path / "from the shelf" / "inner"
    folder.mkdir(parents=True)
    (folder / "a.bin").write_bytes(ROM)
    (folder / "notes.txt").write_text("bought in spring, two sockets worn\n")
    (folder.parent / "set.md5").write_text(f"{hashlib.md5(ROM).hexdigest()}  a.bin\n")
    said = take_files(session, [folder.parent])
    assert said == ["set.md5: 1 known sum taken in", "a.bin: taken as a read of a"]
    assert session.assessment().roms[("files", "a")].word == "matches"
    (folder.parent / "set.md5").write_text("no sum at all\n")
    before = list(session.entries)
    with pytest.raises(UserFileError, match=r"set\.md5"):
        take_files(session, [folder.parent])
    assert session.entries == before


def test_photos_come_along_with_the_other_files_and_cover_what_an_alignment_says(session, tmp_path):
    stream = io.BytesIO()
    Image.new("RGB", (1000, 800)).save(stream, "JPEG")
    (tmp_path / "front.jpg").write_bytes(stream.getvalue())
    (tmp_path / "U2.bin").write_bytes(ROM)
    said = take_files(session, [tmp_path / "front.jpg", tmp_path / "U2.bin"], board="tiny")
    assert said == ["front.jpg: photo taken in (1000 × 800)", "U2.bin: taken as a read of U2"]
    (sha,) = session.state.photos
    assert session.store.attachment(sha) == stream.getvalue() and session.state.photos[sha].board == "tiny"
    assert not session.case().photographed(("tiny", "U2"))
    corners = [(0, 0, 0, 0), (30, 0, 900, 0), (30, 20, 900, 600), (0, 20, 0, 600)]
    points = tuple(e.PhotoPoint(x=x, y=y, u=u, v=v) for x, y, u, v in corners)
    session.record(e.PhotoAligned, board="tiny", attachment=sha, points=points)
    found = session.case().alignment(sha)
    assert found.on_photo(15, 10) == pytest.approx((450, 300)) and found.residual < 1e-6
    covered = {p.refdes: session.case().photographed(("tiny", p.refdes)) for p in session.boards["tiny"].parts}
    assert covered == {"U1": True, "U2": False, "C1": True}, "U2 lies outside the picture"
    session.record(e.PhotoAligned, board="tiny", attachment=sha, points=points[:1])
    assert session.case().alignment(sha) is None and not session.case().photographed(("tiny", "U1"))


def test_a_parts_list_makes_chips_to_probe_and_tells_what_it_does_not_know(session, tmp_path):
    session.record(e.Started, clean=True)
    (tmp_path / "parts.csv").write_text("refdes,part\n5C,74LS138\n9Z,XQ-77\n5D,SN74LS166N\n")
    said = take_files(session, [tmp_path / "parts.csv"])
    assert said == ["parts.csv: 2 chips taken in, 1 left out: no chip of a known type"]
    board = session.boards["files"]
    assert {p.refdes for p in board.parts} == {"5C", "5D"} and board.part("5C").package == "DIP-16"
    assert len(session.state.starts) == 1, "to be told of a chip is no repair: counted starts still count"


def test_a_chip_on_its_own_is_a_part_to_probe(session):
    session.record(e.Fitted, board="files", place="U1", number="74LS166", origin="own chip")
    assert session.boards["files"].part("U1").package == "DIP-16"
    assert session.case().chip_type(("files", "U1")).title.startswith("8-bit shift register")


@pytest.mark.parametrize("name", ["empty.bin", "broken.hex", "broken.sfv", "none.bin"])
def test_bad_files_leave_the_job_as_it_was(session, tmp_path, name):
    contents = {"empty.bin": b"", "broken.hex": b":00", "broken.sfv": b"what is this"}
    if name in contents:
        (tmp_path / name).write_bytes(contents[name])
    before = list(session.entries)
    with pytest.raises(LoyalTraceError):
        take_files(session, [tmp_path / name])
    assert session.entries == before
