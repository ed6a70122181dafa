"""Printed names, chip types of one's own, and arrangements solved, from the command line."""

import pytest

from loyal_trace.app.job import OpenJob, open_new_job
from loyal_trace.store.store import Store
from tests.cli.test_cli import run, run_json

GATE = '[HYB9]\ntitle = "own gate"\npins = "A B Y GND C VCC"\nout = { Y = "~(A & B & C)" }\n'


def test_a_printed_name_is_found_with_its_speed_and_an_unknown_one_is_not(capsys, tmp_path):
    code, found, _ = run_json(capsys, "chip", "find", "D2764A-25", "8412", "--store", tmp_path)
    assert code == 0 and (found["type"], found["speed"], found["model"]) == ("27C64", "25", "memory")
    code, found, _ = run_json(capsys, "chip", "find", "QX12", "--store", tmp_path)
    assert code == 1 and found["type"] is None


def test_a_type_of_ones_own_is_checked_kept_and_judged_by_its_logic(capsys, tmp_path):
    (tmp_path / "gate.toml").write_text(GATE)
    assert run_json(capsys, "chip", "add", tmp_path / "gate.toml", "--store", tmp_path)[1] == {"types": ["HYB9"]}
    code, found, _ = run_json(capsys, "chip", "check", "HYB9", "1=L", "3=L", "--store", tmp_path)
    assert code == 1 and found["outputs"][0]["verdict"] == "impossible"
    with Store(tmp_path) as store:
        opened = OpenJob(store, open_new_job(store, "x", []))
        assert opened.library.find("HYB9").title == "own gate"


@pytest.mark.parametrize(
    ("name", "text", "why"),
    [
        ("a.toml", GATE.replace("& C", "& Z"), "Z"),
        ("b.toml", "[X]\n", "title and pins"),
        ("c.toml", "= 1", "cannot be read"),
        ("d.toml", GATE.replace("~(A", "f(A"), "HYB9"),
        ("e.csv", "1,A\n3,B\n", "without a gap"),
        ("f.csv", "1,A\n2,C D\n", "line 2"),
    ],
)
def test_a_type_that_is_wrong_is_refused_by_what_is_wrong_and_nothing_is_kept(capsys, tmp_path, name, text, why):
    (tmp_path / name).write_text(text)
    code, _, error = run(capsys, "chip", "add", tmp_path / name, "--store", tmp_path / "store")
    assert code == 2 and why in error and not list(tmp_path.glob("store/chips/*"))


def test_a_table_of_pins_becomes_a_type_without_logic(capsys, tmp_path):
    (tmp_path / "hyb3.csv").write_text("pin;name;direction\n1;/CS;in\n2;D0;out\n3;GND;\n4;VCC;\n")
    assert run(capsys, "chip", "add", tmp_path / "hyb3.csv", "--store", tmp_path)[0] == 0
    pins = run_json(capsys, "chip", "show", "HYB3", "--store", tmp_path)[1]["pins"]
    assert [(pin["name"], pin["role"]) for pin in pins] == [
        ("/CS", "input"), ("D0", "output"), ("GND", "ground"), ("VCC", "power")
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("lines", "first"),
    [
        ("place,part,place,part,outcome\n5D,A,5A,B,fails at 5D\n5D,B,5A,A,fails at 5A\n", "A"),
        ("5D,A,fails\n5D,spare 1,works\n", "A"),
        ("5D;A;fails\n5D;spare 1;fails\n5D;spare 2;fails\n5D;spare 3;fails\n", "elsewhere"),
        ("5D,A,5A,B,fails at 5D\n5D,B,5A,A,fails at 5D\n", "5D"),
    ],
)
def test_arrangements_name_what_is_bad(capsys, tmp_path, lines, first):
    (tmp_path / "swaps.csv").write_text(lines)
    code, found, _ = run_json(capsys, "swap", "solve", tmp_path / "swaps.csv")
    ranked = [one["name"] for one in found["suspects"]]
    assert code == 0 and (ranked[0] == first or (first == "elsewhere" and {"5D", "elsewhere"} >= set(ranked[:2])))
    assert all(0 <= one["probability"] <= 1 for one in found["suspects"])


def test_the_next_move_is_one_not_made_yet(capsys, tmp_path):
    (tmp_path / "swaps.csv").write_text("5D,A,5A,B,fails at 5D\n")
    following = run_json(capsys, "swap", "solve", tmp_path / "swaps.csv")[1]["next"]
    assert {(move["part"], move["place"]) for move in following} == {("B", "5D"), ("A", "5A")}
    assert following[0]["bits"] > 0.1


@pytest.mark.parametrize("lines", ["", "5D,A\n", "5D,A,perhaps\n", "5D,A,5D,B,fails\n", "5D,A,5A,A,fails\n"])
def test_what_is_no_arrangement_is_refused(capsys, tmp_path, lines):
    (tmp_path / "swaps.csv").write_text(lines)
    assert run(capsys, "swap", "solve", tmp_path / "swaps.csv")[0] == 2
