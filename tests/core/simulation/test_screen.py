"""What a fault does to the picture: drawn from the netlist, and said in words that are true of it."""

import numpy as np
import pytest

from loyal_trace.core.simulation.board_faults import fault_of
from loyal_trace.core.simulation.free_run import free_run
from loyal_trace.core.simulation.screen import change_of, clocks_of, differences, picture, with_test_pattern
from loyal_trace.demo.common import boards_of
from loyal_trace.demo.workshop import demo_contents
from loyal_trace.resources import chip_library

LIBRARY = chip_library()
BOARD = boards_of(("tw-vid",))["tw-vid"]
SCREEN = BOARD.screens[0]
CONTENTS = {refdes: data for (board, refdes), data in demo_contents().items() if board == "tw-vid"}
MACHINE = free_run(BOARD, LIBRARY, clocks_of(SCREEN), (), CONTENTS)


def change(fault):
    return change_of(BOARD, MACHINE, fault_of(fault, BOARD, LIBRARY).pins[0])


@pytest.mark.parametrize(
    ("fault", "words"),
    [
        ("5D.15 stuck 1", "plane 2 stays at a level"),
        ("4E.13 stuck 0", "wrong in upright stripes: 1 pixel of every 8"),
        ("1B.12 stuck 0", "the picture repeats every 64 pixels across"),
        ("1D.13 stuck 1", "the picture repeats every 32 lines down"),
        ("6G.19 stuck 0", "only blue is wrong"),
        ("7A.3 stuck 0", "no sync"),
        ("2G.8 stuck 1", "the screen stays black"),
        ("2C.9 stuck 0", "the picture is as it should be"),
    ],
)
def test_a_fault_is_said_by_what_is_seen(fault, words):
    assert any(sentence.startswith(words) for sentence in change(fault).words), change(fault).words


def test_the_faulty_picture_is_that_of_a_run_with_the_fault():
    fault = fault_of("4E.13 stuck 0", BOARD, LIBRARY)
    whole = free_run(BOARD, LIBRARY, clocks_of(SCREEN), (fault,), CONTENTS)
    found = change("4E.13 stuck 0")
    assert np.array_equal(found.faulty, picture(SCREEN, whole)) and np.array_equal(
        found.healthy, picture(SCREEN, MACHINE)
    )
    assert found.healthy.shape == (256, 256, 3) and len(np.unique(found.healthy.reshape(-1, 3), axis=0)) > 8


def test_the_blocks_are_named_whose_nets_differ():
    assert set(change("6G.19 stuck 0").reached) == {"colour"}
    assert "tile fetch" in change("4E.13 stuck 0").reached


def test_sentences_follow_from_the_pixels_alone():
    healthy = np.random.default_rng(1).integers(0, 255, (64, 64, 3)).astype(np.uint8)
    left = healthy.copy()
    left[:, :20] ^= 255
    assert "only the left half is wrong" in differences(healthy, left)
    lines = healthy.copy()
    lines[3::8] ^= 255
    assert "wrong in level stripes: 1 line of every 8" in differences(healthy, lines)
    red = healthy.copy()
    red[:, :, 0] = 0
    assert {"only red is wrong", "red is missing"} <= set(differences(healthy, red))
    assert differences(healthy, healthy) == ("the picture is as it should be",)
    assert differences(healthy, np.full_like(healthy, 9)) == ("the whole screen has one colour",)


def test_memories_that_nobody_knows_are_filled_so_that_every_tile_is_seen():
    filled = with_test_pattern(BOARD, LIBRARY, {"4A": b"\x00" * 8192})
    assert set(filled) == {"4A", "3A", "3C"} and len(set(filled["3A"])) == 256 and len(filled["3A"]) == 2048
