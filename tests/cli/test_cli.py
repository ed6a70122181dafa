"""The command line as scripts use it: JSON on stdout, exit codes, one clear line on stderr."""

import hashlib
import json

import pytest

from loyal_trace.cli import main
from loyal_trace.demo.images import program_image
from tests.helpers.builders import tiny_files

IMAGES = {f"{n}.bin": program_image(n, 0x800) for n in ("u1", "u2", "u3")}


@pytest.fixture
def roms(tmp_path):
    for folder in ("dumps", "truth"):
        (tmp_path / folder).mkdir()
        for name, data in IMAGES.items():
            (tmp_path / folder / name).write_bytes(data)
    lines = [f"{hashlib.sha1(data).hexdigest()}  {name}\n" for name, data in IMAGES.items()]
    (tmp_path / "set.sha1").write_text("".join(lines))
    return tmp_path


def run(capsys, *arguments):
    code = main([str(a) for a in arguments])
    output = capsys.readouterr()
    return code, output.out, output.err


def run_json(capsys, *arguments):
    code, out, err = run(capsys, *arguments, "--json")
    return code, json.loads(out) if out else None, err


def test_a_good_set_exits_0_and_a_bad_one_1(capsys, roms):
    code, found, _ = run_json(capsys, "roms", "check", roms / "dumps", "--sums", roms / "set.sha1")
    assert code == 0 and [i["verdict"] for i in found["images"]] == ["matches"] * 3
    assert (
        found["images"][0]["sha1"] == hashlib.sha1(IMAGES["u1.bin"]).hexdigest() and found["images"][0]["size"] == 0x800
    )
    (roms / "dumps" / "u2.bin").write_bytes(bytes(b | 0x10 for b in IMAGES["u2.bin"]))
    code, found, _ = run_json(
        capsys, "roms", "check", roms / "dumps", "--sums", roms / "set.sha1", "--truth", roms / "truth"
    )
    assert code == 1 and found["images"][1]["verdict"] == "stuck-data"
    top = found["images"][1]["hypotheses"][0]
    assert top["where"] == {"data": [4], "level": 1} and top["next"] and 0 < top["likelihood"] <= 1
    code, out, _ = run(capsys, "roms", "check", roms / "dumps", "--sums", roms / "set.sha1")
    assert code == 1 and "stuck-data" in out and "3 images, 2 right" in out


def test_swapped_sockets_are_named(capsys, roms):
    (roms / "dumps" / "u1.bin").write_bytes(IMAGES["u2.bin"])
    code, found, _ = run_json(capsys, "roms", "check", roms / "dumps" / "u1.bin", "--sums", roms / "set.sha1")
    assert code == 1 and found["images"][0]["verdict"] == "other-slot" and found["missing"] == ["u2.bin", "u3.bin"]


def test_chip_check_prints_json_with_the_verdict_of_each_output(capsys):
    code, found, _ = run_json(capsys, "chip", "check", "74LS00", "1=L", "2=P", "3=L", "4=H", "5=H", "6=0.2V")
    assert code == 1
    assert [(o["pin"], o["verdict"]) for o in found["outputs"][:2]] == [(3, "impossible"), (6, "possible")]
    assert found["outputs"][2]["verdict"] == "not probed"
    assert run(capsys, "chip", "check", "74LS04", "1A=H", "2=L")[0] == 0


def test_chip_list_and_show(capsys):
    assert len(run_json(capsys, "chip", "list")[1]["types"]) >= 24
    shown = run_json(capsys, "chip", "show", "74LS138")[1]
    assert shown["pins"][14] == {"pin": 15, "name": "/Y0", "role": "output"}
    assert "GND   8 |" in run(capsys, "chip", "show", "74LS138")[1]


def test_board_check_lists_all_defects_and_exits_1(capsys, tmp_path):
    for name, data in tiny_files(nets="net,pins\nA,U1.1\nB,U9.1 U1.99\n").items():
        (tmp_path / name).write_bytes(data)
    code, found, _ = run_json(capsys, "board", "check", tmp_path)
    assert code == 1 and len(found["defects"]) >= 3 and all(d["file"] and d["remedy"] for d in found["defects"])
    (tmp_path / "nets.csv").write_bytes(tiny_files()["nets.csv"])
    code, found, _ = run_json(capsys, "board", "check", tmp_path)
    assert code == 0 and found["parts"] == 3


def test_calc_starts(capsys):
    code, found, _ = run_json(capsys, "calc", "starts", "--clean", "20", "--confidence", "95%")
    assert (
        code == 0
        and found["failure_rate_upper"] == pytest.approx(1 - 0.05**0.05)
        and found["clean_starts_needed"] == 59
    )
    assert "39 more clean starts" in run(capsys, "calc", "starts", "--clean", 20)[1]


@pytest.mark.parametrize(
    "arguments",
    [
        ["roms", "check", "nowhere", "--sums", "nothing"], ["roms", "check", "x"], ["chip", "check", "74LS9"],
        ["chip", "check", "74LS00", "99=L"], ["chip", "check", "74LS00", "1=Q"], ["chip", "check", "74LS00", "1L"],
        ["chip", "check", "74LS00", "1=L", "1=H"], ["board", "check", "nowhere"], ["calc", "starts", "--clean", "-1"],
        ["calc", "starts", "--clean", "5", "--confidence", "120%"], ["calc", "starts"], ["job", "show", "x", "--store", "nowhere"],
        ["job", "import", "nowhere", "--store", "s"], ["frobnicate"], ["chip"],
    ],
)  # fmt: skip
def test_bad_input_is_one_line_on_stderr_and_exit_2(capsys, tmp_path, monkeypatch, arguments):
    monkeypatch.chdir(tmp_path)
    try:
        code = main(arguments)
    except SystemExit as stop:
        code = stop.code
    output = capsys.readouterr()
    assert code == 2 and output.out == "" and output.err.count("\n") == 1 and "Traceback" not in output.err


def test_a_job_through_the_command_line(capsys, tmp_path):
    (tmp_path / "tiny").mkdir()
    for name, data in tiny_files().items():
        (tmp_path / "tiny" / name).write_bytes(data)
    store = ["--store", tmp_path / "store"]
    code, found, _ = run_json(capsys, "job", "new", "A dead board", "--board", tmp_path / "tiny", *store)
    job = found["job"]
    assert code == 0 and run_json(capsys, "job", "list", *store)[1]["jobs"][0]["title"] == "A dead board"
    shown = run_json(capsys, "job", "show", job, *store)[1]
    assert shown["roms"] == [{"board": "tiny", "slot": "U2", "verdict": "not read", "reason": ""}]
    assert run(capsys, "job", "export", job, tmp_path / "x.ltjob", *store)[0] == 0
    code, taken, _ = run_json(capsys, "job", "import", tmp_path / "x.ltjob", "--store", tmp_path / "other")
    assert code == 0 and taken["job"] == job
    for name, head in (("r.pdf", b"%PDF"), ("r.html", b"<!doctype")):
        assert run(capsys, "job", "report", job, tmp_path / name, *store)[0] == 0
        assert (tmp_path / name).read_bytes().startswith(head)
    assert run(capsys, "job", "report", job, tmp_path / "r.doc", *store)[0] == 2


def test_help_names_every_command(capsys):
    assert main(["--help"]) == 0
    assert "roms check" in capsys.readouterr().out
