"""`loyal-trace rails check`: a board, a file of readings, verdicts and the boundary of the fault."""

import json

import pytest

from loyal_trace.cli import main
from loyal_trace.demo.common import board_files_of

GOOD = "point,quantity,value\nJ1.41-42,ac voltage,10.5\nF1,resistance,0.1\nBR1,diode,560m\nC1,voltage,11.2 V\nC1,ripple,2.1\n"


@pytest.fixture
def board(tmp_path):
    folder = tmp_path / "tw-cpu"
    folder.mkdir()
    for name, data in board_files_of(("tw-cpu",))["tw-cpu"].items():
        (folder / name).write_bytes(data)
    return folder


def check(capsys, board, text, *more):
    readings = board.parent / "readings.csv"
    readings.write_text(text)
    code = main(["rails", "check", str(board), "--readings", str(readings), *more])
    out = capsys.readouterr()
    return code, json.loads(out.out) if "--json" in more and out.out else out.out, out.err


def test_good_readings_exit_0_and_what_was_not_measured_is_said(capsys, board):
    code, found, _ = check(capsys, board, GOOD, "--json")
    assert code == 0 and found["boundary"] is None
    assert [p["verdict"] for p in found["points"]] == ["good"] * 5 + ["not measured"] * 2
    assert any(e["part"] == "REG1" and e["kind"] == "good" for e in found["explanation"])


def test_the_boundary_and_its_reason(capsys, board):
    text = GOOD.replace("C1,ripple,2.1", "C1,ripple,4.6").replace(",", ";") + "REG1.3;voltage;5,02\n\n"
    code, found, _ = check(capsys, board, "\ufeff" + text, "--json")
    assert code == 1 and (found["boundary"]["last_good"], found["boundary"]["first_bad"]) == ("BR1", "C1")
    assert found["boundary"]["part"] == "C1" and "has dried" in found["explanation"][0]["text"]
    code, words, _ = check(capsys, board, text)
    assert code == 1 and "first bad: C1, after BR1 was good" in words


def test_the_school_decides_what_a_good_rail_is(capsys, board):
    low = GOOD + "6F.28,voltage,4.82\n"
    assert check(capsys, board, low)[0] == 0 and check(capsys, board, low, "--school", "strict")[0] == 1


def test_ol_counts_as_open_and_the_last_reading_of_a_point_counts(capsys, board):
    _, found, _ = check(capsys, board, GOOD + "f1,Resistance,ol\n", "--json")
    fuse = next(p for p in found["points"] if p["point"] == "F1")
    assert fuse["verdict"] == "bad" and fuse["overload"] and fuse["value"] is None


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "empty"),
        ("a,b\n1,2\n", "line 1: lacks a column"),
        ("point,quantity,value\n", "no readings"),
        ("point,quantity,value\nX9,voltage,5\n", "line 2: the board has no chain point"),
        ("point,quantity,value\nC1,temperature,5\n", "known there: voltage, ripple"),
        ("point,quantity,value\nC1,voltage,five\n", "line 2: “five” is not a number"),
        ("point,quantity,value\nC1,voltage,5 A\n", "is in A"),
        ("point,quantity,value\nC1,voltage\n", "fewer cells"),
    ],
)
def test_a_bad_file_is_one_line_with_its_place(capsys, board, text, words):
    code, out, err = check(capsys, board, text)
    assert code == 2 and out == "" and err.count("\n") == 1 and words in err


def test_a_board_without_a_chain_says_so(capsys, board):
    lines = (board / "board.toml").read_text().split("[[supply]]")
    (board / "board.toml").write_text(lines[0] + "[[block]]" + lines[1].split("[[block]]", 1)[1])
    code, _, err = check(capsys, board, GOOD)
    assert code == 2 and "has no supply chain" in err


def test_limits_that_can_neither_be_read_nor_computed_are_a_defect_of_the_board(capsys, board):
    text = (board / "board.toml").read_text()
    (board / "board.toml").write_text(text.replace("low = 10.5\nhigh = 13.5\n", "low = 10.5\n"))
    assert main(["board", "check", str(board)]) == 1
    assert "C1 has only one of low and high" in capsys.readouterr().out


def test_a_board_fed_by_dc_its_cell_and_its_reset_are_judged_as_well(capsys, tmp_path):
    folder = tmp_path / "cs-8"
    folder.mkdir()
    for name, data in board_files_of(("cs-8",))["cs-8"].items():
        (folder / name).write_bytes(data)
    text = (
        "point,quantity,value\nJ1.1,voltage,9.1\n5H.8,resistance to ground,410\nREG1.3,current,620m\nBT1,voltage,1.3\n"
    )
    code, found, _ = check(capsys, folder, text + "2C.25,reset time,90m\n", "--json")
    points = {(p["point"], p["quantity"]): p for p in found["points"]}
    assert code == 1 and points[("5H.8", "resistance to ground")]["high"] is None
    assert points[("REG1.3", "current")]["limits_from"] == "the total of 21 fitted chips"
    said = " ".join(e["text"] for e in found["explanation"])
    assert "BT1 is flat" in said and "acts like 2.33 µF" in said and "21 chips together" in said
