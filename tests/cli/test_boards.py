"""Signatures, dictionary and diagnosis of a board from the command line."""

import pytest

from loyal_trace.demo.common import board_files_of
from loyal_trace.formats.board_folder import load_board
from loyal_trace.resources import chip_library
from tests.cli.test_cli import run, run_json


@pytest.fixture
def folder(tmp_path):
    files = board_files_of(("tw-vid",))["tw-vid"]
    target = tmp_path / "tw-vid"
    target.mkdir()
    for name, data in files.items():
        (target / name).write_bytes(data)
    return target


@pytest.fixture
def cpu(tmp_path):
    files = board_files_of(("tw-cpu",))["tw-cpu"]
    for name, data in files.items():
        (tmp_path / name).write_bytes(data)
    return tmp_path


def test_a_fault_changes_the_signatures_behind_it_and_no_others(capsys, cpu):
    good = run_json(capsys, "board", "signatures", cpu, "--clocks", "512")[1]["nets"]
    bad = run_json(capsys, "board", "signatures", cpu, "--clocks", "512", "--fault", "3B.18 stuck 0")[1]["nets"]
    changed = {net for net in good if good[net] != bad[net]}
    assert changed and len(changed) < len(good) / 2 and all(len(value) == 4 for value in good.values())


def test_the_dictionary_counts_what_signatures_tell_apart(capsys, cpu):
    found = run_json(capsys, "board", "dictionary", cpu, "--clocks", "64")[1]
    assert found == run_json(capsys, "board", "dictionary", cpu, "--clocks", "64")[1]
    assert found == run_json(capsys, "board", "dictionary", cpu, "--clocks", "64", "--no-cache")[1]
    assert found["faults"] == len(found["changes"]) and 0 < found["told_apart"] <= found["faults"]
    assert all(not found["changes"][name] for name in found["without_effect"])


def test_a_board_is_diagnosed_from_lines_and_what_was_not_understood_is_named(capsys, folder, tmp_path):
    shifter = "5D 1=L 2=P 3=P 4=P 5=P 6=L 7=P 9=H 10=P 11=P 12=P 14=P 15=P 13={}"
    lines = [shifter.format("L"), shifter.replace("5D", "5A").format("P"), shifter.replace("5D", "5B").format("P")]
    (tmp_path / "lines.txt").write_text("\n".join(["# what was read", *lines, "blah"]))
    code, found, error = run_json(capsys, "board", "diagnose", folder, "--evidence", tmp_path / "lines.txt")
    assert code == 0 and found["suspects"][0]["place"] == "5D" and "line 5" in error
    assert set(found) == {"suspects", "next"}


@pytest.mark.parametrize("more", [["--fault", "3B.18 noisy"], ["--clocks", "0"], ["--register", "none"]])
def test_what_cannot_be_simulated_is_refused(capsys, cpu, more):
    assert run(capsys, "board", "signatures", cpu, *more)[0] == 2


def test_the_picture_of_a_fault_is_written_and_said(capsys, folder, tmp_path):
    out = tmp_path / "screen.png"
    code, found, _ = run_json(capsys, "board", "screen", folder, "--fault", "6G.19 stuck 0", "--out", out)
    assert code == 0 and "only blue is wrong" in found["words"] and found["blocks"] == ["colour"]
    assert out.read_bytes()[:4] == b"\x89PNG"
    code, _, error = run(capsys, "board", "screen", folder, "--fault", "6G dead")
    assert code == 2 and "one pin" in error


def test_signatures_in_a_file_of_lines_lead_to_the_fault(capsys, cpu, tmp_path_factory):
    lines, fault = tmp_path_factory.mktemp("lines") / "lines.txt", "3B.18 stuck 0"
    bad = run_json(capsys, "board", "signatures", cpu, "--clocks", "2048", "--fault", fault)[1]["nets"]
    good = run_json(capsys, "board", "signatures", cpu, "--clocks", "2048")[1]["nets"]
    board = load_board(cpu, chip_library())
    other = [net for net in good if bad[net] == good[net] and dict(board.nets).get(net)][:3]
    nets = [board.net_of("3B", 18), *other]
    places = [dict(board.nets)[net][0] for net in nets]
    typed = [f"{refdes}.{pin} sig {bad[net]}" for net, (refdes, pin) in zip(nets, places, strict=True)]
    lines.write_text("\n".join(["signature window: 2048 clocks", *typed]))
    code, found, error = run_json(capsys, "board", "diagnose", cpu, "--evidence", lines)
    assert code == 0 and not error and found["suspects"][0]["place"] == "3B"
