"""The command line as scripts use it: JSON on stdout, exit codes, one clear line on stderr."""

import hashlib
import json

import pytest

from loyal_trace.app.job import new_id
from loyal_trace.cli import main
from loyal_trace.demo.images import program_image
from tests.helpers.builders import tiny_files

IMAGES = {f"{n}.bin": program_image(n, 0x800) for n in ("u1", "u2", "u3")}


@pytest.fixture
def roms(tmp_path):
    for folder in ("dumps", "reference"):
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
        capsys, "roms", "check", roms / "dumps", "--sums", roms / "set.sha1", "--truth", roms / "reference"
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
        ["roms", "check", "nowhere", "--sums", "nothing"],
        ["roms", "check", "x"],
        ["chip", "check", "74LS9"],
        ["chip", "check", "74LS00", "99=L"],
        ["chip", "check", "74LS00", "1=Q"],
        ["chip", "check", "74LS00", "1L"],
        ["chip", "check", "74LS00", "1=L", "1=H"],
        ["board", "check", "nowhere"],
        ["calc", "starts", "--clean", "-1"],
        ["calc", "starts", "--clean", "5", "--confidence", "120%"],
        ["calc", "starts"],
        ["job", "show", "x", "--store", "nowhere"],
        ["job", "import", "nowhere", "--store", "s"],
        ["frobnicate"],
        ["chip"],
    ],
)
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
    assert shown["roms"] == [
        {"board": "tiny", "place": "U2", "slot": "U2", "verdict": "not read", "reads": 0, "reason": ""}
    ]
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


def test_columns_of_a_spreadsheet_are_mapped_by_hand(capsys, roms):
    lines = [f"{name};{hashlib.md5(data).hexdigest()}\n" for name, data in IMAGES.items()]
    (roms / "set.csv").write_text("Chip;Prüfsumme\n" + "".join(lines))
    arguments = ["roms", "check", roms / "dumps", "--sums", roms / "set.csv", "--column", "name=Chip"]
    code, found, _ = run_json(capsys, *arguments, "--column", "md5=Prüfsumme")
    assert code == 0 and len(found["images"]) == 3
    code, _, err = run(capsys, *arguments, "--column", "colour=Chip")
    assert code == 2 and "not a column mapping" in err
    assert run(capsys, *arguments)[0] == 2


def test_revisions_in_one_list_and_a_chosen_firmware(capsys, roms):
    other = {name: program_image(name + "B", 0x800) for name in IMAGES}
    lines = [
        f"{hashlib.sha1(d).hexdigest()}  {f}/{n}\n" for f, s in (("A", IMAGES), ("B", other)) for n, d in s.items()
    ]
    (roms / "both.sha1").write_text("".join(lines))
    (roms / "dumps" / "u3.bin").write_bytes(other["u3.bin"])
    code, found, _ = run_json(capsys, "roms", "check", roms / "dumps", "--sums", roms / "both.sha1")
    assert code == 1 and found["firmware"] == "A"
    assert [i["verdict"] for i in found["images"]] == ["matches", "matches", "other-revision"]
    code, found, _ = run_json(capsys, "roms", "check", roms / "dumps", "--sums", roms / "both.sha1", "--firmware", "B")
    assert [i["verdict"] for i in found["images"]] == ["other-revision", "other-revision", "matches"]


def test_two_reads_that_disagree_are_unstable(capsys, roms):
    for n, flip in ((1, 0), (2, 4)):
        (roms / f"read{n}").mkdir()
        (roms / f"read{n}" / "u1.bin").write_bytes(bytes([IMAGES["u1.bin"][0] ^ flip]) + IMAGES["u1.bin"][1:])
    code, found, _ = run_json(capsys, "roms", "check", roms / "read1", roms / "read2", "--sums", roms / "set.sha1")
    assert code == 1 and {i["verdict"] for i in found["images"]} == {"unstable"}
    assert found["images"][0]["hypotheses"][0]["where"]["data"] == [2]


@pytest.mark.parametrize(
    ("make", "verdict"),
    [
        (lambda d: b"\xff" * len(d), "blank"),
        (lambda d: d[: len(d) // 2], "wrong-size"),
        (lambda d: d[:512] * 4, "stuck-address"),
        (lambda d: bytes(b & 0x7F for b in d), "stuck-data"),
        (lambda d: d[:9] + bytes([d[9] ^ 3]) + d[10:], "few-bytes"),
        (lambda d: hashlib.sha512(d).digest() * 32, "unknown"),
    ],
)
def test_each_verdict_from_the_command_line(capsys, roms, make, verdict):
    lines = [f"{hashlib.sha1(data).hexdigest()},{name},{len(data)}\n" for name, data in IMAGES.items()]
    (roms / "set.csv").write_text("sha1,name,size\n" + "".join(lines))
    (roms / "dumps" / "u2.bin").write_bytes(make(IMAGES["u2.bin"]))
    code, found, _ = run_json(
        capsys, "roms", "check", roms / "dumps" / "u2.bin", "--sums", roms / "set.csv", "--truth", roms / "reference"
    )
    (image,) = found["images"]
    if verdict != "unknown":
        assert (code, image["verdict"]) == (1, verdict)
    assert image["reason"] and image["next"] and set(image) >= {"name", "size", "crc32", "sha1", "hypotheses"}


def test_states_in_every_spelling(capsys):
    code, found, _ = run_json(
        capsys, "chip", "check", "SN74LS04N", "1=0.3V", "2=3.4V", "4a=h", "4=0.2", "5=2MHz", "6=p", "VCC=5.02V"
    )
    assert code == 0 and [o["verdict"] for o in found["outputs"][:3]] == ["possible"] * 3
    code, found, _ = run_json(capsys, "chip", "check", "74LS04", "VCC=4.2V")
    assert code == 1 and "4.20 V" in found["supply"]


def test_failed_starts_raise_the_bound(capsys):
    _, clean, _ = run_json(capsys, "calc", "starts", "--clean", 30)
    _, failed, _ = run_json(capsys, "calc", "starts", "--clean", 29, "--failed", 1)
    assert clean["failure_rate_upper"] < failed["failure_rate_upper"] < 0.2
    _, ninety, _ = run_json(capsys, "calc", "starts", "--clean", 30, "--confidence", "0.9", "--target", "2%")
    assert ninety["failure_rate_upper"] == pytest.approx(1 - 0.1 ** (1 / 30)) and ninety["target"] == 0.02


def test_a_job_is_told_in_words_as_well(capsys, tmp_path):
    from loyal_trace.demo.workshop import JOB_ID, build_demo, demo_bench
    from loyal_trace.store.store import Store

    with Store(tmp_path / "store") as store:
        build_demo(store, demo_bench(), new_id)
        code, out, _ = run(capsys, "job", "show", JOB_ID, "--store", tmp_path / "store")
    assert code == 0 and "ROM tw-cpu 6C: differs address line A9" in out and "suspect tw-cpu 6C: 98 %" in out
    code, shown, _ = run_json(capsys, "job", "show", JOB_ID, "--store", tmp_path / "store")
    assert shown["firmware"] == "B" and len(shown["next"]) == 3 and shown["plan"][0]["step"] == "tw-cpu/6C/leg"
    code, listed, _ = run(capsys, "job", "list", "--store", tmp_path / "store")
    assert "Tidewrack two-board set" in listed
    assert run(capsys, "job", "show", "nobody", "--store", tmp_path / "store")[0] == 2


def test_a_damaged_store_is_one_sentence(capsys, tmp_path):
    (tmp_path / "workshop.sqlite3").write_bytes(b"not a database, honestly not" * 50)
    code, _, err = run(capsys, "job", "list", "--store", tmp_path)
    assert code == 2 and "damaged" in err and err.count("\n") == 1


def test_an_archive_of_something_else_is_one_sentence(capsys, tmp_path):
    (tmp_path / "x.ltjob").write_bytes(b"PK not really")
    code, _, err = run(capsys, "job", "import", tmp_path / "x.ltjob", "--store", tmp_path / "store")
    assert code == 2 and "x.ltjob" in err and err.count("\n") == 1
