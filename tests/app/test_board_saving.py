"""A board that grew in a job is saved with what was learnt, and the next job of its kind begins with it."""

from dataclasses import replace

import pytest

from loyal_trace.app.board_saving import board_folder_named, save_board, saved_boards
from loyal_trace.app.commands import Setting, enter_line
from loyal_trace.app.importers import import_files
from loyal_trace.app.job import OpenJob, open_new_job
from loyal_trace.cli.main import main
from loyal_trace.core.assess.paths import paths_of
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.store.store import Store

LINES = [
    "owner: Jory Penrose",
    "serial: 1042",
    "complaint: no bell since the flood",
    "U1 is 74LS138",
    "U2 is type HYB-3",
    "U3 is 27C64",
    "U3 is ROM 1, 27C64, 4000-5FFF",
    "C1 is 100u 16V",
    "U1 at 40, 30 mm turned 90",
    "board 160 x 120 mm",
    "U1.3 = U3.5",
    "U2.4: RESET in",
    "code 3 = U3",
    "twins U1 U2",
    "service: C1",
    "path bell: U1 U2",
    "fails: bell",
    "symptom: no bell",
    "supply +5: from J1 9 V DC",
    "supply +5: through REG1",
    "supply +5: to U1.16",
    "U2 replaced",
    "works: bell",
    "U1.16 5.02V",
    "symptom gone: no bell",
    "check: bell ok",
]


@pytest.fixture
def store(tmp_path):
    with Store(tmp_path / "store") as store:
        yield store


def grown(store, lines=LINES, title="Gullcry bell"):
    job = OpenJob(store, open_new_job(store, title, []))
    for line in lines:
        found = enter_line(job, line, Setting())
        assert found.status == "recorded", f"{line}: {found.status} {found.why}"
    return job


def test_the_next_job_of_its_kind_knows_the_board_its_paths_and_what_failed(store):
    job = grown(store)
    folder = save_board(job, "own")
    assert folder == saved_boards(store.folder) / "gullcry-bell"
    again = OpenJob(store, open_new_job(store, "The next one", [board_folder_named(store.folder, folder)]))
    (board,) = again.boards.values()
    assert (board.id, board.name, board.width) == ("gullcry-bell", "Gullcry bell", 160)
    part = board.part("U1")
    assert (part.number, part.x, part.rotation, part.placed) == ("74LS138", 40, 90, True) and not board.part(
        "U2"
    ).placed
    assert board.net_of("U1", 3) == board.net_of("U3", 5) and board.slot("U3").address == 0x4000
    assert [code.parts for code in board.self_tests] == [("U3",)] and ("U1", "U2") in board.siblings
    assert [place.refdes for place in paths_of(again.moment, board.id)["bell"]] == ["U1", "U2"]
    assert board.faults[0].part == "U2" and [check.name for check in board.checklist] == ["bell"]
    assert board.chain and board.supply("+5") and [own.name for own in board.own_pins] == ["RESET"]
    assert "no bell" in [text for text, _ in board.symptoms]


def test_nothing_of_the_owner_leaves_the_job(store):
    folder = save_board(grown(store), "own")
    text = "".join(file.read_text() for file in folder.iterdir())
    for secret in ("Jory", "1042", "flood"):
        assert secret not in text


def test_saving_again_writes_the_same_bytes_and_the_next_repair_adds_to_what_was_learnt(store):
    job = grown(store)
    before = {file.name: file.read_bytes() for file in save_board(job, "own").iterdir()}
    assert {file.name: file.read_bytes() for file in save_board(job, "own").iterdir()} == before
    again = OpenJob(
        store,
        open_new_job(
            store, "The next one", [board_folder_named(store.folder, saved_boards(store.folder) / "gullcry-bell")]
        ),
    )
    (board,) = again.boards.values()
    prior = again.env.tables().priors.of
    assert prior(board.part("U2"), board) == pytest.approx(2 * prior(board.part("U2"), replace(board, faults=())))
    enter_line(again, "U2 replaced", Setting())
    save_board(again, board.id)
    final = OpenJob(store, open_new_job(store, "A third", [saved_boards(store.folder) / "gullcry-bell"]))
    assert next(iter(final.boards.values())).faults[0].count == 2


def test_readings_are_good_ones_only_when_everything_was_proved(store):
    folder = save_board(grown(store), "own")
    assert 'point = "U1.16"' in (folder / "board.toml").read_text()
    unproved = grown(store, [line for line in LINES if not line.startswith("symptom gone")], "Unproved")
    assert "[[good]]" not in (save_board(unproved, "own") / "board.toml").read_text()
    with pytest.raises(RequestError, match="no board"):
        save_board(OpenJob(store, open_new_job(store, "Empty", [])), "own")


def test_the_command_line_saves_and_begins_with_the_name_alone(store, tmp_path, capsys):
    job = grown(store)
    store.close()
    where = ["--store", str(store.folder)]
    assert main(["job", "save-board", job.id, *where]) == 0
    assert capsys.readouterr().out.strip().endswith("gullcry-bell")
    assert main(["job", "new", "The next one", "--board", "gullcry-bell", *where]) == 0
    new = capsys.readouterr().out.strip()
    assert main(["job", "save-board", new, "--out", str(tmp_path / "copy"), *where]) == 0
    assert (tmp_path / "copy" / "board.toml").exists()


def test_a_netlist_and_a_spreadsheet_grow_the_same_board(store, tmp_path):
    from tests.helpers.sheets import spreadsheet

    job = OpenJob(store, open_new_job(store, "Own", []))
    (tmp_path / "parts.xlsx").write_bytes(spreadsheet("x.xlsx", [["Ref", "Part"], ["U1", "74LS138"], ["Z1", "HYB-3"]]))
    (tmp_path / "pins.csv").write_text("net,part,pin\nD0,U1,9\nD0,U2,11\nD0,J1,A\n")
    found = import_files(job, [tmp_path / "parts.xlsx", tmp_path / "pins.csv"])
    assert not found.left_out
    assert found.done == [
        "parts.xlsx: 2 parts imported",
        "parts.xlsx, line 3: the kind of Z1 “HYB-3” was not understood; kept as a part of unknown kind",
        "pins.csv: table of pins: 0 parts, 1 net, 2 pins",
        "pins.csv, not used: pins without a number: J1.A",
    ]
    (board,) = job.boards.values()
    assert {p.refdes for p in board.parts} == {"U1", "Z1", "U2"} and board.net_of("U1", 9) == "D0"
    job.undo()
    assert not job.boards, "one import is one step"
