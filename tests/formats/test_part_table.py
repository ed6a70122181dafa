"""Parts lists from any spreadsheet: encodings, delimiters, columns, and the boards that come of them."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from loyal_trace.app.job import Environment, OpenJob, open_new_job
from loyal_trace.core.boards.layout import grid_of
from loyal_trace.core.vocabulary.errors import LoyalTraceError, RequestError, UserFileError
from loyal_trace.formats.board_folder import parse_board
from loyal_trace.formats.part_table import board_from_table, guess_columns, is_part_list, listed_parts, places_in
from loyal_trace.formats.tables import ENCODINGS, read_table
from loyal_trace.resources import chip_library
from loyal_trace.store.store import Store
from tests.helpers.sheets import spreadsheet

GERMAN = "Ref;Bauteil;Wert;Gehäuse\nU1;74LS161;;DIP-16\nU2, U3;74LS244;;\nC1;Elko;47µ;rad\nR5;Widerstand;4k7;\n"


def board_of(text, columns=None, **more):
    table = read_table(text.encode() if isinstance(text, str) else text, "list.csv", **more)
    files = board_from_table(table, columns or guess_columns(table), "list", "List", chip_library())
    return parse_board(files, "list", chip_library())


@pytest.mark.parametrize("encoding", ["utf-8", "cp1252", "utf-16"])
def test_a_list_is_read_in_the_encoding_it_has(encoding):
    table = read_table(GERMAN.encode(encoding), "list.csv")
    assert table.encoding == encoding and table.delimiter == ";" and "Gehäuse" in table.titles


@pytest.mark.parametrize(
    ("place", "number", "kind"),
    [
        ("D1", "74LS138", "chip"),
        ("F1", "74LS244", "chip"),
        ("J2", "LM324", "chip"),
        ("C3", "74LS74", "chip"),
        ("C4", "HYB-3", "unknown"),
        ("F2", "HYB-7", "unknown"),
        ("C5", "100u 16V", "capacitor"),
        ("C6", "104", "capacitor"),
        ("F3", "2A slow", "fuse"),
        ("J3", "10-pin header", "connector"),
        ("D2", "1N4148", "diode"),
        ("R1", "4k7", "resistor"),
        ("B5", "MPR-123", "chip"),
    ],
)
def test_the_type_says_the_kind_and_a_grid_letter_only_where_there_is_no_type(place, number, kind):
    assert board_of(f"Ref;Part\n{place};{number}\n").part(place).kind == kind


def test_places_values_and_kinds_become_parts():
    board = board_of(GERMAN, {"refdes": 0, "part": 1, "value": 2, "package": 3})
    kinds = {p.refdes: (p.kind, p.package) for p in board.parts}
    assert kinds["U1"] == ("chip", "DIP-16") and kinds["U3"] == ("chip", "DIP-20") and kinds["R5"][0] == "resistor"
    capacitor = board.part("C1")
    assert capacitor.value == pytest.approx(47e-6) and capacitor.polarised and board.part("R5").value == 4700
    assert not any(part.placed for part in board.parts), "no millimetres are made of a name"


def test_places_of_a_grid_give_rows_and_columns_and_designators_none():
    assert grid_of({"1A": "chip", "2A": "chip", "10C": "chip", "C1": "capacitor"}) == {
        "1A": ("1", "A"),
        "2A": ("2", "A"),
        "10C": ("10", "C"),
    }
    assert grid_of({"B5": "chip", "D12": "chip"}) == {"B5": ("B", "5"), "D12": ("D", "12")}
    assert not grid_of({"U1": "chip", "U2": "chip"}) and not grid_of({"5C": "chip"})


@pytest.mark.parametrize(
    "text",
    [
        "U1  74LS161  DIP-16\nU2  74LS244  DIP-20\nU3  74LS244\n",
        "U1 74LS161\nU2-U3 74LS244\n",
        "Ref|Part\nU1|74LS161\nU2, U3|74LS244\n",
        "place   type\nu1      74LS161\nu2, u3  74LS244\n",
        "74LS161\tU1\n74LS244\tU2 and U3\n",
    ],
)
def test_text_copied_from_a_page_is_a_list_with_or_without_titles(text):
    assert {p.refdes: p.number for p in board_of(text).parts} == {"U1": "74LS161", "U2": "74LS244", "U3": "74LS244"}


def test_ranges_are_written_out_and_the_pins_of_a_plug_are_not():
    assert places_in("C1-C4, R2..R3") == ["C1", "C2", "C3", "C4", "R2", "R3"]
    assert places_in("C9 – C11") == ["C9", "C10", "C11"] and places_in("J1-2") == ["J1-2"]
    assert places_in("U4-U2") == ["U4-U2"]


def test_no_row_is_dropped_and_each_that_was_not_understood_is_named():
    text = "Ref,Part\nU1,7400\n,bag of screws\nU1,7408\nZ1,HYB-3\nU1,7400\nu2,7404\n"
    table = read_table(text.encode(), "list.csv")
    found = listed_parts(table, guess_columns(table), "list.csv", chip_library())
    kinds = {refdes: (row["part"], row["kind"]) for refdes, row in found.rows.items()}
    assert kinds == {
        "U1": ("7400", "chip"),
        "ROW3": ("bag of screws", "unknown"),
        "ROW4": ("U1 7408", "unknown"),
        "Z1": ("HYB-3", "unknown"),
        "U2": ("7404", "chip"),
    }
    assert [one.split(":")[0] for one in found.unclear] == ["line 3", "line 4", "line 5"]


@pytest.mark.parametrize("name", ["list.xlsx", "list.ods"])
def test_a_spreadsheet_is_read_like_any_list(name):
    rows = [[], ["Ref", "Part", "Value", "Volt"], ["C1", "", "100u", 25], ["U1", 7400, "", ""]]
    data = spreadsheet(name, rows)
    board = board_of(data)
    capacitor = board.part("C1")
    assert (capacitor.value, capacitor.voltage) == (pytest.approx(100e-6), 25) and board.part("U1").number == "7400"
    with pytest.raises(UserFileError, match="spreadsheet"):
        read_table(data[: len(data) // 2], name)


def test_coordinates_of_the_list_are_kept_and_moved_onto_the_board():
    board = board_of("Designator,Value,Mid X,Mid Y\nU1,74LS00,-40mm,10mm\nU2,74LS04,60mm,-5mm\n")
    assert board.part("U2").x - board.part("U1").x == pytest.approx(100) and min(p.y for p in board.parts) > 0


def test_a_list_without_known_titles_is_guessed_by_its_cells():
    table = read_table(b"was,wo\n74LS00,U1\n74LS04,U2\n74LS08,U3\n", "list.csv")
    assert guess_columns(table)["refdes"] == 1
    assert [p.refdes for p in board_of(b"was,wo\n74LS00,U1\n", {"refdes": 1, "part": 0}).parts] == ["U1"]


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "empty"),
        (b"\x00\x01\x02", "not text"),
        (b"ref,part\n,\n", "lists no parts"),
    ],
)
def test_a_bad_list_says_what_and_where(data, words):
    with pytest.raises(UserFileError, match=words):
        board_of(data)


def test_the_needed_columns_are_asked_for_and_a_wrong_encoding_is_told():
    table = read_table(b"ref,part\nU1,7400\n", "list.csv")
    with pytest.raises(RequestError, match="column of the places"):
        board_from_table(table, {"part": 1}, "x", "x", chip_library())
    with pytest.raises(UserFileError, match="choose another encoding"):
        read_table("Gehäuse\n".encode("cp1252"), "list.csv", "utf-8")


@given(st.binary(max_size=300), st.sampled_from(["", *ENCODINGS]))
@settings(max_examples=150, deadline=None)
def test_no_bytes_at_all_end_in_anything_but_a_board_or_a_sentence(data, encoding):
    try:
        table = read_table(data, "list.csv", encoding)
        columns = guess_columns(table) or {"refdes": 0, "part": 0}
        parse_board(board_from_table(table, columns, "x", "a name", chip_library()), "list", chip_library())
    except LoyalTraceError as error:
        assert str(error)


@given(
    st.lists(
        st.tuples(st.from_regex(r"[A-Z]{1,2}[0-9]{1,3}", fullmatch=True), st.sampled_from(["74LS00", "100n", "x"])),
        min_size=1,
        max_size=30,
        unique_by=lambda row: row[0],
    ),
    st.sampled_from(",;\t"),
)
def test_every_place_of_a_list_is_on_the_board_once(rows, delimiter):
    text = "\n".join(delimiter.join(row) for row in [("Ref", "Part"), *rows])
    assert sorted(p.refdes for p in board_of(text).parts) == sorted(refdes for refdes, _ in rows)


def test_a_job_from_a_list_is_a_job_like_any_other_and_takes_further_boards(tmp_path):
    table = read_table(GERMAN.encode(), "list.csv")
    columns = {"refdes": 0, "part": 1, "value": 2}
    files = board_from_table(table, columns, "list", "List", chip_library())
    other = board_from_table(table, columns, "second", "Second", chip_library())
    with Store(tmp_path / "store") as store:
        job = open_new_job(store, "From a list", [], environment=Environment(), listed=[files])
        session = OpenJob(store, job)
        session.add_board(other, "the second list")
        with pytest.raises(RequestError, match="has a board second already"):
            session.add_board(other, "the second list")
    with Store(tmp_path / "store") as store:
        again = OpenJob(store, job)
        assert list(again.boards) == ["list", "second"] and again.boards["second"].has("U3")
        assert again.entries[-1].text == "board added: Second"


@pytest.mark.parametrize("text", ["name,sha1,place\n", "refdes,sha1,part\n", "a,b\n1,2\n", ""])
def test_other_tables_are_no_parts_lists(tmp_path, text):
    path = tmp_path / "list.csv"
    path.write_text(text)
    assert not is_part_list(path)
    path.write_text("Position;Menge;Type\n5C;1;74LS138\n")
    assert is_part_list(path) and not is_part_list(path.rename(tmp_path / "list.txt"))


def test_a_capacitor_in_a_list_is_what_its_cell_says_and_unknown_words_after_it_do_no_harm():
    cells = [
        "100uF/16V 105C",
        "10u 16V tantalum",
        '"10 uF, 16V, Tantalum, SMD"',
        "100n ceramic (hand-picked)",
        "470uF 25V low ESR 10x16mm",
        "22u BP",
        "1000µF",
        "47u 25V non-polar",
        "100n",
    ]
    board = board_of("Ref,Value\n" + "".join(f"C{n},{cell}\n" for n, cell in enumerate(cells, 1)))
    told = [(part.value, part.voltage, part.technology, part.polarised, part.diameter) for part in board.parts]
    assert told == [
        (1e-4, 16, "aluminium", True, None),
        (1e-5, 16, "tantalum", True, None),
        (1e-5, 16, "tantalum", True, None),
        (1e-7, None, "ceramic", False, None),
        (4.7e-4, 25, "aluminium", True, 10),
        (2.2e-5, None, "aluminium", False, None),
        (1e-3, None, "aluminium", True, None),
        (4.7e-5, 25, "aluminium", False, None),
        (1e-7, None, "", False, None),
    ]
