import zipfile

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.roms.digests import digest
from loyal_trace.core.vocabulary.errors import BoardDefects, RequestError, UserFileError
from loyal_trace.demo.images import CPU_SLOTS, reference_image
from loyal_trace.demo.workshop import demo_boards
from loyal_trace.formats.board_folder import load_board, parse_board
from loyal_trace.formats.drawer import parse_drawer
from loyal_trace.resources import chip_library
from tests.helpers.builders import BOARD_TOML, NETS_CSV, PARTS_CSV, tiny_files


def test_a_board_answers_questions(library):
    board = parse_board(tiny_files(), "tiny", library)
    assert board.part("U1").number == "74LS00" and board.part("C1").value == pytest.approx(1e-7)
    assert board.others_on_net("U1", 3) == (("U2", 9),) and board.net_of("U2", 24) == "VCC"
    assert board.others_on_net("U1", 3) == (("U2", 9),)
    assert [p.refdes for p in board.neighbours("U1", 25)] == ["C1"]
    assert board.slot("U2").expected("A") and not board.slot("U2").expected("B")
    with pytest.raises(RequestError, match="U99"):
        board.part("U99")


@pytest.mark.parametrize(
    ("file", "old", "new", "where", "what"),
    [
        ("parts", "U2,2716", "U1,2716", "parts.csv:3", "listed twice"),
        ("parts", "74LS00,DIP-14,", "74LS00,DIP-14,gadget", "parts.csv:2", "unknown kind"),
        ("parts", "100n\n", "many\n", "parts.csv:4", "not a number"),
        ("parts", "refdes,part", "name,part", "parts.csv:1", "no column refdes"),
        ("nets", "U2.9", "U9.9", "nets.csv:3", "does not list"),
        ("nets", "U2.9", "U2.99", "nets.csv:3", "has 24 pins"),
        ("nets", "U1.3 U2.9", "U1.14 U2.9", "nets.csv:3", "already on net VCC"),
        ("nets", "U1.3 U2.9", "U1.3", "nets.csv:3", "dangling"),
        ("nets", "D0,", "VCC,", "nets.csv:3", "listed twice"),
        ("nets", "U2.9", "U2-9", "nets.csv:3", "is not a pin"),
        ("toml", 'id = "tiny"', "", "board.toml:1", "no id"),
        ("toml", 'net = "VCC"', 'net = "VEE"', "board.toml:13", "does not have"),
        ("toml", "low = 4.75", 'low = "low"', "board.toml:11", "low"),
        ("toml", "low = 4.75", "lowest = 4.75", "board.toml:11", "unknown key"),
        ("toml", 'refdes = "U2"', 'refdes = "U7"', "board.toml:15", "does not list"),
        ("toml", "size = 2048", "size = 2000", "board.toml:15", "power of two"),
        ("toml", "0123abcd", "0123", "board.toml:15", "8 hex digits"),
        ("toml", "crc32 =", "crc64 =", "board.toml:15", "unknown checksum"),
        ("toml", "width = 100", "width = ", "board.toml:4", "TOML"),
        ("toml", "[[rom]]", "[[eprom]]", "board.toml:15", "unknown table"),
    ],
)
def test_every_defect_is_named_with_file_line_and_remedy(library, file, old, new, where, what):
    texts = {"toml": BOARD_TOML, "parts": PARTS_CSV, "nets": NETS_CSV}
    assert old in texts[file]
    texts[file] = texts[file].replace(old, new, 1)
    with pytest.raises(BoardDefects) as error:
        parse_board(tiny_files(**texts), "tiny", library)
    matching = [d for d in error.value.defects if str(d).startswith(where + ":") and what in str(d)]
    assert matching and matching[0].remedy, [str(d) for d in error.value.defects]


def test_all_defects_come_at_once(library):
    files = tiny_files(parts=PARTS_CSV.replace("U2,", "U1,"), nets="net,pins\nX,U1.1\nY,Q1.1 Q2.2\n")
    with pytest.raises(BoardDefects) as error:
        parse_board(files, "tiny", library)
    assert len(error.value.defects) >= 4 and "\n" not in str(error.value)


def test_a_zipped_board_is_the_same_board(tmp_path, library):
    with zipfile.ZipFile(tmp_path / "tiny.zip", "w") as archive:
        for name, data in tiny_files().items():
            archive.writestr(f"tiny/{name}", data)
    assert load_board(tmp_path / "tiny.zip", library) == parse_board(tiny_files(), "x", library)


def test_windows_line_ends_a_bom_and_no_nets_are_fine(library):
    files = {n: b"\xef\xbb\xbf" + d.replace(b"\n", b"\r\n") for n, d in tiny_files().items() if n != "nets.csv"}
    files["board.toml"] = files["board.toml"].replace(b'net = "VCC"\r\n', b"")
    assert parse_board(files, "tiny", library).nets == ()


def test_what_is_no_board_is_refused(tmp_path, library):
    with pytest.raises(UserFileError, match="neither"):
        load_board(tmp_path / "none", library)
    with pytest.raises(BoardDefects, match=r"board\.toml"):
        load_board(tmp_path, library)


def test_the_demo_boards_hold_the_sums_of_their_contents():
    board = demo_boards()["tw-cpu"]
    for slot in board.rom_slots:
        assert slot.refdes in CPU_SLOTS
        for firmware in "AB":
            data = reference_image("tw-cpu", slot.refdes, firmware)
            assert slot.expected(firmware) == {a: digest(data, a) for a in ("crc32", "sha1")}


def test_a_drawer_is_read_and_its_mistakes_are_named():
    items = parse_drawer(b"number,kind,count,value,state\n10u 25V,capacitor,4,10u,proven\n")
    assert items[0].count == 4 and items[0].value == pytest.approx(1e-5)
    for text, words in (
        (b"part\nx\n", "line 1"),
        (b"number,state\nx,fine\n", "line 2"),
        (b"number,value\nx,y\n", "line 2"),
    ):
        with pytest.raises(UserFileError, match=words):
            parse_drawer(text)


@given(st.sampled_from(sorted(tiny_files())), st.integers(0, 400), st.binary(min_size=0, max_size=6))
def test_a_board_file_damaged_anywhere_is_a_board_or_a_list_of_defects(file, place, junk):
    files = tiny_files()
    data = files[file]
    files[file] = data[: place % len(data)] + junk + data[place % len(data) + 1 :]
    try:
        board = parse_board(files, "tiny", chip_library())
    except BoardDefects as error:
        assert error.defects and all(d.what and d.remedy and "\n" not in str(d) for d in error.defects)
    else:
        assert board.parts


@pytest.mark.parametrize("board", ["tw-cpu", "tw-vid"])
def test_the_demo_boards_are_whole(board, library):
    found = demo_boards()[board]
    assert len(found.chips) >= 29 and len(found.nets) > 150
    pins = [pin for _, on_net in found.nets for pin in on_net]
    assert len(pins) == len(set(pins))
    for part in found.chips:
        chip = library.find(part.number)
        supply = [found.net_of(part.refdes, p.number) for p in chip.pins if p.role in ("power", "ground")]
        assert set(supply) == {"VCC", "GND"}, part.refdes
        unconnected = [p.name for p in chip.pins if p.role == "input" and not found.net_of(part.refdes, p.number)]
        assert len(unconnected) <= len(chip.pins) / 2, (part.refdes, unconnected)


@pytest.mark.parametrize(
    "table",
    [
        "[[siblings]]\nparts = 1e400",
        "[[siblings]]\nparts = [1]",
        "[[symptom]]\ntext = []",
        "[[symptom]]\nblock = 'x'",
        "[[mate]]\nhere = 'J1'",
        '[[rom]]\nrefdes = "U2"\nsize = "x"',
        '[[rom]]\nrefdes = "U2"\nsize = 8\nsums = []',
        '[[rom]]\nrefdes = "U2"\nsize = 8\nsums.A = 3',
        "[[mark]]\nname = 'm'\nanswers = 3",
        "[[mark]]\nname = 'm'\nanswers = { yes = 'Z' }",
        "[[mark]]\nname = 'm'\nanswers = {}\nof = 'moon'",
        "[[mark]]\nname = 'm'\nanswers = {}\nwhere = 'X9'",
        "[[mark]]\nname = 'm'\nanswers = {}\nwarn = { no = 'x' }",
        "[[supply]]\nac_rms = nan\ncurrent = 1",
        "[[supply]]\nac_rms = 9\ncurrent = -1",
        "[[supply]]\nac_rms = 9\ncurrent = 1\nrectifier = 'star'",
        "[[supply]]\nac_rms = 9\ncurrent = 1\nreservoir = 'C9'",
        "[[chain]]\npoint = 'C1'\nquantity = 'voltage'\npart = 'C1'",
        "[[chain]]\npoint = 'C1'\nquantity = 'x'\nlow = 3\nhigh = 2",
        "[[chain]]\npoint = 'C1'\nquantity = 'x'\nlow = inf\nhigh = inf",
    ],
)
def test_a_table_of_the_wrong_shape_is_a_defect_with_its_line(table):
    head = BOARD_TOML.split("[[rail]]")[0]
    with pytest.raises(BoardDefects) as caught:
        parse_board(tiny_files(toml=f"{head}\n{table}\n"), "tiny", chip_library())
    first = head.count("\n") + 2
    assert all(d.line >= first and d.remedy for d in caught.value.defects), caught.value.defects


@pytest.mark.parametrize("line", ["chain = [1]", "mark = 'x'", "width = 3", "siblings = {}"])
def test_what_is_no_table_is_named(line):
    with pytest.raises(BoardDefects) as caught:
        parse_board(tiny_files(toml=f"{line}\n{BOARD_TOML}"), "tiny", chip_library())
    assert line.split()[0] in str(caught.value.defects[0])


@pytest.mark.parametrize("width", ["-1", "0", "inf", "nan", "1e9"])
def test_a_board_has_a_sensible_size(width):
    with pytest.raises(BoardDefects, match="width"):
        parse_board(tiny_files(toml=BOARD_TOML.replace("width = 100", f"width = {width}")), "tiny", chip_library())


MORE = """
[[clock]]
net = "CLK"
part = "Y1"

[[cell]]
part = "BT1"
nominal = 3.0
low = 2.5
capacity_ah = 0.2
current = 3e-6

[[reset]]
point = "U1.1"
part = "U1"
low = 0.1
high = 0.4

[[supply]]
path = "in"
dc = 9.0

[[chain]]
path = "in"
point = "U1.14"
quantity = "current"
part = "U1"
branch = "left"

[[chain]]
path = "cell"
point = "BT1"
quantity = "voltage"
part = "BT1"

[[chain]]
path = "start"
point = "U1.1"
quantity = "reset time"
part = "U1"
"""
MORE_PARTS = PARTS_CSV + "Y1,4 MHz,HC49-2,crystal,5,5,4M\nBT1,cell,,cell,9,9,\nV1,via,,via,33,22,\n"
MORE_NETS = NETS_CSV + "CLK,Y1.1 U1.2\nVIA,V1.1 U1.4\n"


def test_clocks_cells_resets_branches_and_vias_are_read(library):
    board = parse_board(tiny_files(BOARD_TOML + MORE, MORE_PARTS, MORE_NETS), "tiny", library)
    assert board.clocks[0].part == "Y1" and board.cells[0].low == 2.5 and board.resets[0].high == 0.4
    assert board.supplies[0].dc == 9.0 and board.chain[0].branch == "left"
    assert [v.refdes for v in board.vias] == ["V1"] and board.has("V1") and "V1" not in {p.refdes for p in board.parts}
    assert board.as_revision("").cells == board.cells


@pytest.mark.parametrize(
    ("old", "new", "what"),
    [
        ('part = "Y1"', 'part = "Y9"', "names part Y9"),
        ('net = "CLK"', 'net = "NOPE"', "names net NOPE"),
        ('part = "BT1"\nnominal', 'part = "BT7"\nnominal', "names part BT7"),
        ("capacity_ah = 0.2\n", "", "capacity_ah"),
        ("low = 0.1\nhigh = 0.4", "low = 0.1", "no limits are known for reset time"),
        ("dc = 9.0", "dc = -9.0", "path “in”"),
        ("current = 3e-6", 'current = "much"', "current"),
        ('branch = "left"', "brunch = 1", "unknown key “brunch”"),
    ],
)
def test_what_is_wrong_with_them_is_told_with_its_line(library, old, new, what):
    assert old in MORE
    with pytest.raises(BoardDefects) as error:
        parse_board(tiny_files(BOARD_TOML + MORE.replace(old, new, 1), MORE_PARTS, MORE_NETS), "tiny", library)
    assert any(what in d.what and d.line > 0 for d in error.value.defects), [str(d) for d in error.value.defects]
