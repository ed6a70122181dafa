"""`caps`, `kit`, `drawer` on the command line: documents for scripts, exit codes, refusals."""

import json

import pytest

from loyal_trace.cli.main import main

PARTS = """refdes,value,voltage,pitch,role
C1,6800u,25,10,reservoir
C2 C12,10u,16,,
C13,220u,16,3.5,
C21,100u,16,,timing
C50,33p,50,,crystal
"""


@pytest.fixture
def parts(tmp_path):
    (tmp_path / "parts.csv").write_text(PARTS)
    return str(tmp_path / "parts.csv")


def document(capsys, *arguments):
    code = main([*arguments, "--json"])
    return code, json.loads(capsys.readouterr().out)


@pytest.mark.parametrize(
    ("arguments", "code", "verdict"),
    [
        (("--measured", "51u", "--esr", "5", "--loss", "12%"), 1, "bad"),
        (("--measured", "98u", "--esr", "0.2", "--frequency", "100kHz"), 0, "good"),
        (("--esr", "2", "--frequency", "120Hz"), 0, "good"),
        (("--measured", "160u"), 1, "doubtful"),
        (("--measured", "160u", "--in-circuit"), 0, "good"),
        (("--resistance", "43 ohm"), 1, "bad"),
        (("--resistance", "OL"), 0, "good"),
        (
            (
                "--tan-delta",
                "0.6",
            ),
            1,
            "bad",
        ),
    ],
)
def test_caps_check(capsys, arguments, code, verdict):
    found = document(capsys, "caps", "check", "--marked", "100u/16V", *arguments)
    assert found[0] == code and found[1]["verdict"] == verdict and all(found[1]["reasons"])


@pytest.mark.parametrize(
    ("role", "candidate", "verdict"),
    [
        ("bulk", "150u/25V", "fits"),
        ("bulk", "220u/25V", "with-care"),
        ("timing", "150u/25V", "no"),
        ("", "100u/10V", "no"),
    ],
)
def test_caps_fit(capsys, role, candidate, verdict):
    code, found = document(capsys, "caps", "fit", "--marked", "100u/16V", "--role", role, "--candidate", candidate)
    assert found["verdict"] == verdict and code == (verdict == "no") and found["role"]["guessed"] is (role == "")


@pytest.mark.parametrize(
    "arguments",
    [
        ("check", "--marked", "100u/16V"),
        ("check", "--marked", "0/16V", "--esr", "1"),
        ("check", "--marked", "100u/16V", "--measured=-5u"),
        ("check", "--marked", "100u/16V", "--loss", "140%"),
        ("check", "--marked", "100u/16V", "--measured", "nan"),
        ("check", "--marked", "100u/16V", "--esr", "1", "--frequency", "0"),
        ("fit", "--marked", "100u/16V", "--candidate", "yes"),
        ("fit", "--marked", "100u/16V", "--candidate", "100u/16V", "--role", "beauty"),
        ("fit", "--marked", "100u/16V", "--candidate", "100u/16V", "--room-height", "0"),
        ("age", "--hours", "-1"),
        ("check", "--marked", "6,800u/25V", "--esr", "1"),
        ("check", "--marked", "6800u/25V", "--measured", "3,200u"),
    ],
)
def test_what_cannot_be_is_refused_in_one_line(capsys, arguments):
    assert main(["caps", *arguments]) == 2
    assert len(capsys.readouterr().err.strip().splitlines()) == 1


def test_caps_age(capsys):
    code, found = document(capsys, "caps", "age", "--hours", "2000", "--temperature", "85")
    assert code == 0 and found["likely"] == pytest.approx(1.0) and found["assumed"]
    assert main(["caps", "age", "--marked", "100u/16V 105C 1000h", "--hours", "2000", "--temperature", "105"]) == 1


def test_the_kit_of_a_parts_list_with_a_drawer_and_shops(capsys, parts, tmp_path):
    (tmp_path / "d.csv").write_text(
        "number,kind,count,place,state\n10u 25V,capacitor,1,A,good\n6800u 35V,capacitor,1,F,\n"
    )
    code, found = document(capsys, "kit", parts, "--drawer", str(tmp_path / "d.csv"))
    assert code == 1 and (found["places"], found["from_drawer"], found["to_buy"]) == (5, 2, 3)
    groups = {group["group"]: group for group in found["groups"]}
    assert [groups[letter]["places"] for letter in "abcd"] == [["C1"], ["C13"], ["C21"], ["C2", "C12"]]
    assert sum(line["count"] for line in found["order"]) == 3 and groups["d"]["buy"] == 1
    (tmp_path / "o.csv").write_text("shop,number,price,shipping\nA,10u 25V,0.1,4\nA,100u 25V,0.1,4\n")
    _, bought = document(capsys, "kit", parts, "--offers", str(tmp_path / "o.csv"), "--hour-rate", "60")
    assert bought["purchase"]["missing"] and bought["purchase"]["shipping"] == 4 and bought["purchase"]["work"] == 10
    assert len(document(capsys, "kit", parts, "--class", "capacitors")[1]["assignment"]) == 6
    assert document(capsys, "kit", parts, "--from", "47u", "--to", "220u")[1]["places"] == 2
    assert main(["kit", parts, "--class", "blue"]) == 2 and main(["kit", str(tmp_path / "none.csv")]) == 2


def test_a_bought_kit_against_the_board(capsys, parts, tmp_path):
    (tmp_path / "kit.txt").write_text("6800u 25V\n2x 10u 16V\n220u 16V\n")
    code, found = document(capsys, "kit", parts, "--check", str(tmp_path / "kit.txt"))
    assert code == 1 and found["missing"] == [{"marked": "100 µF 16 V", "count": 1}] and not found["left_over"]
    (tmp_path / "kit.txt").write_text("6800u 25V\n2x 10u 16V\n220u 16V\n100u 16V\n")
    assert main(["kit", parts, "--check", str(tmp_path / "kit.txt")]) == 0


def test_the_drawer_is_filled_and_changed(capsys, tmp_path):
    store = ("--store", str(tmp_path / "s"))
    assert main(["drawer", "add", "3x", "74LS166", "in", "tray", "3,", "good", *store]) == 0
    (tmp_path / "more.csv").write_text("number,kind,count,place,state\n74LS166,chip,2,tray 3,good\n27C64,chip,1,,\n")
    assert main(["drawer", "import", str(tmp_path / "more.csv"), *store]) == 0
    assert (
        main(["drawer", "state", "27C64", "bad", *store]) == 0
        and main(["drawer", "state", "27C65", "bad", *store]) == 2
    )
    assert main(["drawer", "add", ";", "nothing", *store]) == 2 and main(["drawer", "add", "0x 74LS00", *store]) == 2
    capsys.readouterr()
    _, found = document(capsys, "drawer", "list", *store)
    assert [(i["number"], i["count"], i["state"]) for i in found["items"]] == [
        ("74LS166", 5, "good"),
        ("27C64", 1, "bad"),
    ]


def test_a_job_that_renews_its_electrolytics_plans_all_of_them(capsys, parts, tmp_path):
    store = ("--store", str(tmp_path / "s"))
    assert main(["job", "new", "Recap", "--parts", parts, *store]) == 0
    assert main(["kit", "Recap", *store]) == 0, "nothing measured bad yet"
    assert main(["job", "enter", "Recap", "kit: all electrolytics", "C21 use 100u 25V from tray B", *store]) == 0
    assert main(["drawer", "add", "5x 100u 25V in tray B, good", *store]) == 0
    capsys.readouterr()
    code, found = document(capsys, "kit", "Recap", *store)
    assert code == 1 and found["places"] == 5 and found["from_drawer"] == 1
    _, plan = document(capsys, "job", "plan", "Recap", *store)
    assert sorted(s["place"] for s in plan["steps"]) == ["C1", "C12", "C13", "C2", "C21"]
    assert main(["job", "enter", "Recap", "C21 replaced with 100u 25V from tray B", *store]) == 0
    capsys.readouterr()
    assert document(capsys, "kit", "Recap", *store)[1]["places"] == 4


def test_the_repair_orders_side_by_side(capsys, parts, tmp_path):
    store = ("--store", str(tmp_path / "s"))
    assert main(["job", "new", "Recap", "--parts", parts, *store]) == 0
    lines = ["kit: all electrolytics", "decide repair order: soonest found", "order: C21 before C1", "delivery: 5 days"]
    assert main(["job", "enter", "Recap", *lines, "C13 arrives in 9 days", *store]) == 0
    capsys.readouterr()
    _, found = document(capsys, "job", "plan", "Recap", "--compare", *store)
    assert [order["grouping"] for order in found["orders"][:3]] == [
        "one part, one test", "one group, one test", "all off, then all on",
    ]  # fmt: skip
    one = found["orders"][0]
    assert one["exact"] and one["gap"] == 0 and one["days"] == 9
    assert sum(block["minutes"] for block in one["timeline"]) == pytest.approx(one["minutes"])
    assert {block["kind"] for block in one["timeline"]} == {"replace", "test", "wait"}
    assert found["first_power"][0]["school"] == "test as found"
    places = [step["place"] for step in found["steps"]]
    assert places.index("C21") == places.index("C1") - 1
    assert any("solder" in line["what"] for line in found["sundries"])
    assert main(["job", "plan", "Recap", "--compare", *store]) == 0 and "found by" in capsys.readouterr().out


def test_several_jobs_make_one_order(capsys, parts, tmp_path):
    code, found = document(capsys, "kit", parts, parts)
    assert code == 1 and found["places"] == 10
    assert next(line for line in found["order"] if line["what"].startswith("10u"))["needed"] == 4


@pytest.mark.parametrize(("number", "code"), [("74LS161", 0), ("82S129", 0), ("27C64", 0), ("HYB-3", 2)])
def test_chip_equivalents(capsys, number, code):
    found = main(["chip", "equivalents", number, "--clock", "4MHz", "--json"])
    assert found == code
    if not code:
        told = json.loads(capsys.readouterr().out)
        assert all({"type", "relation", "verdict", "gives_up", "wiring"} <= set(one) for one in told["equivalents"])
    assert main(["roms", "substitutes", "27C040", "2716"]) == 2


def test_the_plan_lists_what_is_offered_beyond_the_evidence_and_what_shops_have(capsys, parts, tmp_path):
    store = ("--store", str(tmp_path / "s"))
    assert main(["job", "new", "Recap", "--parts", parts, *store]) == 0
    lines = [
        "service: C2 -- dries first",
        "offer: 10u 25V from Quay at 0.30, shipping 2, 3 days",
        "service out: C1 -- new",
    ]
    assert main(["job", "enter", "Recap", *lines, *store]) == 0
    capsys.readouterr()
    _, found = document(capsys, "job", "plan", "Recap", *store)
    states = {one["place"]: (one["state"], one["why"], one["reason"]) for one in found["extras"]}
    assert states["C2"][:2] == ("in", "dries first") and states["C1"][0] == "out" and states["C1"][2] == "new"
    assert found["purchase"]["lines"][0]["shop"] == "Quay" and found["purchase"]["total"] > 2


def test_a_kit_is_ordered_from_the_offers_of_the_workshop_unless_others_are_given(capsys, parts, tmp_path):
    store = ("--store", str(tmp_path / "s"))
    assert main(["job", "new", "Recap", "--parts", parts, *store]) == 0
    assert main(["job", "enter", "Recap", "kit: all electrolytics", *store]) == 0
    (tmp_path / "s" / "offers.csv").write_text("shop,number,price,days\nQuay,100u 25V,0.4,3\n")
    capsys.readouterr()
    _, found = document(capsys, "kit", "Recap", *store)
    assert [line["shop"] for line in found["purchase"]["lines"]] == ["Quay"] and found["purchase"]["missing"]
    (tmp_path / "other.csv").write_text("shop,number,price,days\nPier,100u 35V,0.9,1\n")
    _, found = document(capsys, "kit", "Recap", "--offers", str(tmp_path / "other.csv"), *store)
    assert [line["shop"] for line in found["purchase"]["lines"]] == ["Pier"]
