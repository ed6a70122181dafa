"""`job enter` and `job add`: exit codes, the document, standard input, dry runs, and the other writer."""

import io
import json

import pytest

from loyal_trace.cli.main import main
from loyal_trace.store.store import Store
from tests.helpers.builders import tiny_files


@pytest.fixture
def shop(tmp_path, capsys):
    """A store with one job on the tiny board; a function that runs a command on it."""
    folder = tmp_path / "tiny"
    folder.mkdir()
    for name, data in tiny_files().items():
        (folder / name).write_bytes(data)

    def run(*arguments):
        words = [str(one) for one in arguments]
        code = main([*words[:2], "--store", str(tmp_path / "store"), *words[2:]])
        out = capsys.readouterr()
        return code, out.out, out.err

    run("job", "new", "My board", "--board", folder)
    run.folder, run.store = tmp_path, tmp_path / "store"
    return run


def entered(shop, *arguments):
    code, out, err = shop("job", "enter", "My board", *arguments, "--json")
    return code, json.loads(out)["lines"] if out else [], err


@pytest.mark.parametrize(
    ("lines", "code", "statuses"),
    [
        (["U1 removed"], 0, ["recorded"]),
        (["gets warm", "U1 removed"], 0, ["note", "recorded"]),
        (["C1 6,800u", "U1 removed"], 1, ["unclear", "recorded"]),
        (["U9 removed", "C1 6,800u", "hello"], 2, ["refused", "unclear", "note"]),
    ],
)
def test_the_worst_line_decides_the_exit_code(shop, lines, code, statuses):
    found, documents, _ = entered(shop, *lines)
    assert found == code and [one["status"] for one in documents] == statuses
    kept = json.loads(shop("job", "show", "My board", "--json")[1])["entries"]
    assert kept == 1 + sum(len(one["entries"]) for one in documents)


def test_a_line_is_told_with_its_place_entries_and_choices(shop):
    _, (one, two), _ = entered(shop, "U1.3 4.1V -- warm", "C1 100n 16V")
    assert set(one) >= {"text", "status", "says", "board", "place", "entries", "choices"}
    assert (one["board"], one["place"]) == ("tiny", "U1.3") and one["says"] == "U1.3 4.1V -- warm"
    (entry,) = one["entries"]
    assert (entry["kind"], entry["value"], entry["note"]) == ("measured", 4.1, "warm")
    assert two["choices"] == ["C1 measures 100n", "C1 is 100n 16V"] and two["entries"] == [] and two["says"]


def test_lines_come_from_standard_input_without_comments(shop, monkeypatch):
    monkeypatch.setattr("sys.stdin", io.StringIO("# a comment\nU1 removed\n\nU1 fitted with 74LS00 # tray\n"))
    code, documents, _ = entered(shop, "-")
    assert code == 0 and [one["text"] for one in documents] == ["U1 removed", "U1 fitted with 74LS00 # tray"]


def test_lines_that_begin_with_a_minus_come_after_two_dashes(shop):
    code, out, _ = shop("job", "enter", "My board", "--json", "--", "-- a note")
    assert code == 0 and json.loads(out)["lines"][0]["entries"][0]["text"] == "a note"
    with pytest.raises(SystemExit) as stop:
        main(["job", "enter", "--help"])
    assert stop.value.code == 0


def test_a_dry_run_sees_its_own_lines_and_stores_nothing(shop):
    code, documents, _ = entered(shop, "U7 is 74LS00", "U7 removed", "bench lacks: harness", "--dry-run")
    assert code == 0 and [one["status"] for one in documents] == ["recorded"] * 3
    assert json.loads(shop("job", "show", "My board", "--json")[1])["entries"] == 1
    assert entered(shop, "U7 removed")[0] == 2


def test_stage_board_and_place_supply_what_a_bare_value_leaves_out(shop):
    _, (one,), _ = entered(shop, "LH", "--stage", "probe", "--board", "tiny", "--at", "U1")
    assert [(p["pin"], p["state"]) for p in one["entries"][0]["pins"]] == [(1, "L"), (2, "H")]
    assert entered(shop, "LH")[1][0]["status"] == "note"
    code, out, err = shop("job", "enter", "My board", "L", "--at", "U99")
    assert code == 2 and out == "" and "U99" in err


def test_a_job_is_named_by_title_unless_two_share_it(shop):
    shop("job", "new", "My board", "--board", shop.folder / "tiny")
    code, _, err = shop("job", "show", "my board")
    assert code == 2 and err.count(",") >= 1 and "2 jobs" in err
    code, _, err = shop("job", "suspects", "Nobody’s")
    assert code == 2 and "id or title" in err


def test_a_second_writer_is_refused_in_a_sentence_and_a_reader_is_not(shop):
    with Store(shop.store):
        code, _, err = shop("job", "enter", "My board", "U1 removed")
        assert code == 2 and err.count("\n") == 1 and "Traceback" not in err
        assert shop("job", "enter", "My board", "U1 removed", "--dry-run")[0] == 0
        assert shop("job", "proof", "My board")[0] == 0


def test_files_are_added_as_dropped_and_those_left_out_are_named(shop):
    (shop.folder / "u2.bin").write_bytes(bytes(range(256)) * 8)
    (shop.folder / "letter.doc").write_bytes(b"Dear workshop")
    code, out, _ = shop("job", "add", "My board", shop.folder / "u2.bin", shop.folder / "letter.doc", "--json")
    found = json.loads(out)
    assert code == 1 and [e["kind"] for e in found["entries"]] == ["rom_read"]
    assert [(one["name"], bool(one["reason"])) for one in found["not_imported"]] == [("letter.doc", True)]
    assert json.loads(shop("job", "show", "My board", "--json")[1])["roms"][0]["reads"] == 1


def test_what_is_missing_or_unreadable_keeps_nothing_else_out(shop):
    folder = shop.folder / "reads"
    folder.mkdir()
    (folder / "u2.bin").write_bytes(bytes(range(256)) * 8)
    (folder / "u9.bin").write_bytes(b"")
    code, out, _ = shop("job", "add", "My board", folder, shop.folder / "gone.bin", "--json")
    found = json.loads(out)
    assert code == 1 and [e["kind"] for e in found["entries"]] == ["rom_read"]
    assert {one["name"] for one in found["not_imported"]} == {"u9.bin", "gone.bin"}


def test_a_line_that_begins_with_a_number_sign_is_a_comment_wherever_it_comes_from(shop):
    code, documents, _ = entered(shop, "# nothing", "U1 removed -- # 3 of the tray")
    assert code == 0 and [one["text"] for one in documents] == ["U1 removed -- # 3 of the tray"]


def test_a_board_begins_as_a_parts_list(shop):
    (shop.folder / "list.csv").write_text("Ref;Part\nU1;74LS00\nU2;74LS04\nC1;100n\n")
    code, out, _ = shop("job", "new", "From a list", "--parts", shop.folder / "list.csv", "--json")
    assert code == 0
    code, out, _ = shop("job", "enter", "From a list", "U2 corroded", "symptom: dead", "--json")
    assert code == 0 and json.loads(out)["lines"][0]["place"] == "U2"


def test_the_three_documents_have_their_shapes(shop):
    entered(shop, "U1 1=H 2=H 3=H", "start ok", "check: lamp ok", "not testable: sound, no speaker")
    suspects = json.loads(shop("job", "suspects", "My board", "--json")[1])
    assert set(suspects["suspects"][0]) >= {"board", "place", "probability", "for", "against"}
    assert all(set(one) >= {"does", "board", "place", "gain_bits", "minutes", "risk"} for one in suspects["next"])
    assert set(json.loads(shop("job", "plan", "My board", "--json")[1])) >= {"steps", "parts"}
    proof = json.loads(shop("job", "proof", "My board", "--json")[1])
    assert proof["starts"]["clean"] == 1 and proof["starts"]["off_seconds"] == [None]
    assert [one["item"] for one in proof["not_tested"]] == ["sound"]


HELPS = [["calc", c] for c in ("starts", "ripple", "reservoir", "bridge", "cell", "erase", "divider")] + [
    ["job", c] for c in ("enter", "add", "suspects", "plan", "proof", "show", "new", "list")
]


@pytest.mark.parametrize("command", HELPS, ids=" ".join)
def test_every_help_can_be_read(capsys, command):
    with pytest.raises(SystemExit) as stop:
        main([*command, "--help"])
    assert stop.value.code in (0, None) and "Traceback" not in capsys.readouterr().err
