"""Short names of boards: clear or not used, and what is shown can be typed."""

from dataclasses import replace

import pytest

from loyal_trace.core.boards.names import names_of, short_names
from tests.helpers.builders import small_board
from tests.helpers.lines import TIDEWRACK, context, recorded


def boards(*names):
    return {f"b{n}": replace(small_board(), id=f"b{n}", name=name) for n, name in enumerate(names)}


@pytest.mark.parametrize(
    ("names", "short"),
    [
        (("TW-CPU", "TW-VID"), ["CPU", "VID"]),
        (("Kiln main", "Kiln sound"), ["MAIN", "SOUND"]),
        (("A-CPU", "B-CPU", "VID"), ["A-CPU", "B-CPU", "VID"]),
        (("MAIN-2", "MAIN-U3"), ["MAIN-2", "MAIN-U3"]),
    ],
)
def test_a_short_name_is_used_only_where_it_is_the_boards_alone_and_no_place(names, short):
    assert list(short_names(boards(*names)).values()) == short


@pytest.mark.parametrize("name", ["VID", "vid", "TW-VID", "tw-vid", "TW-VID rev B"])
def test_a_board_can_be_named_in_a_line_as_it_is_shown(name):
    ((_, fields),) = recorded(f"{name} 5D.13 low", context(TIDEWRACK))
    assert (fields["board"], fields["place"]) == ("tw-vid", "5D")
    assert "VID" in names_of(TIDEWRACK)["tw-vid"]
