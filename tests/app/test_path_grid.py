"""The grid of functions and parts, and the parts without a position, as the presenters make them."""

from loyal_trace.app.presenters.path_grid import FAILS, MOST_COLUMNS, OPEN, WORKS, path_grid
from loyal_trace.app.presenters.tray import tray_of
from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.vocabulary.identity import PartRef

PARTS = tuple(Part(f"U{n}", "4066", placed=False) for n in range(1, 40))
BOARD = BoardDefinition("own", "Own", parts=PARTS)
FUNCTIONS = [
    ("speech", "works", ("U1", "U2", "U4")),
    ("bell", "fails", ("U1", "U3", "U4")),
    ("horn", "partly", ("U2", "U3")),
    ("wind", "", ("U3", "U5")),
    ("gun", "fails", ()),
]


def test_the_column_that_only_failing_functions_share_can_be_seen():
    grid = path_grid(BOARD, FUNCTIONS, {}, "U3")
    assert [row.name for row in grid.rows] == ["bell", "gun", "horn", "wind", "speech"], "failing ones first"
    columns = [column.refdes for column in grid.columns]
    cells = {row.name: dict(zip(columns, row.cells, strict=True)) for row in grid.rows}
    assert cells["bell"] == {"U1": OPEN, "U2": "", "U3": FAILS, "U4": OPEN, "U5": ""}
    assert cells["wind"]["U3"] == OPEN and cells["speech"]["U1"] == WORKS and not any(cells["gun"].values())
    counts = {column.refdes: (column.failing, column.working) for column in grid.columns}
    assert counts == {"U1": (1, 1), "U2": (1, 1), "U3": (2, 0), "U4": (1, 1), "U5": (0, 0)}
    assert columns[grid.marked] == "U3" and columns.index("U1") < columns.index("U4")
    assert "gun fails: its path is not entered" in grid.words


def test_of_many_parts_the_likeliest_on_failing_paths_stay():
    functions = [("all", "works", tuple(p.refdes for p in PARTS[:30])), ("bad", "fails", ("U38", "U2", "U39"))]
    grid = path_grid(BOARD, functions, {PartRef("own", "U9"): 0.4}, "")
    columns = [column.refdes for column in grid.columns]
    assert len(columns) == MOST_COLUMNS and {"U38", "U39", "U2", "U9"} <= set(columns)
    assert grid.left_out.startswith("16 parts") and grid.marked == -1
    assert path_grid(BOARD, [("x", "fails", ())], {}, "") is None


def test_parts_without_a_position_stand_in_groups_with_their_values():
    parts = (
        Part("U1", "74LS138", "DIP-16", placed=False),
        Part("C1", "100u 16V", kind="capacitor", value=1e-4, voltage=16.0, polarised=True, placed=False),
        Part("C2", "104", kind="capacitor", value=1e-7, placed=False),
        Part("Z1", "HYB-3", kind="unknown", placed=False),
        Part("U9", "74LS00", x=10, y=10),
    )
    tray = tray_of(BoardDefinition("own", "Own", parts=parts))
    groups = {group.title: [(p.refdes, p.shape, p.lines) for p in group.parts] for group in tray.groups}
    assert groups == {
        "U": [("U1", "chip", ("LS138",))],
        "C": [("C1", "round", ("100 µF", "16 V")), ("C2", "disc", ("100 nF",))],
        "?": [("Z1", "unknown", ("HYB-3",))],
    }
    assert tray.title == "4 parts not placed" and "HYB-3" in tray.unclear
    assert tray_of(BoardDefinition("own", "Own", parts=parts[4:])) is None


def test_names_of_a_grid_put_parts_into_rows_and_columns():
    parts = [Part(name, "74LS00", row=name[0], column=name[1], placed=False) for name in ("5D", "4E", "5E")]
    parts += [
        Part("5D2", "74LS04", row="5", column="D", placed=False),
        Part("C1", "100n", kind="capacitor", placed=False),
    ]
    tray = tray_of(BoardDefinition("own", "Own", parts=tuple(parts)))
    grid, *others = tray.groups
    assert grid.rows == ("4", "5") and grid.columns == ("D", "E") and tray.how.startswith("rows and columns")
    assert [p.refdes for p in grid.parts] == ["4E", "5D", "5E"], "two parts never stand in one cell"
    assert sorted(p.refdes for group in others for p in group.parts) == ["5D2", "C1"]
