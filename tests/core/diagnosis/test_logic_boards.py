"""Whole logic boards with a hidden stuck pin, the advice followed: the part is found, and nothing is advised twice."""

import pytest

from loyal_trace.core.assess.next_things import next_things
from loyal_trace.core.vocabulary.stages import Stage
from tests.helpers.builders import chip_library
from tests.helpers.logic_boards import logic_board

_BOARDS = 8


@pytest.fixture(scope="module")
def library():
    return chip_library()


def test_one_stuck_pin_is_the_first_suspect_after_fifteen_advised_measurements(library):
    found = among = 0
    for seed in range(3000, 3000 + _BOARDS):
        board = logic_board(seed, library)
        board.complain()
        for _ in range(15):
            if not board.follow():
                break
        likeliest = [refdes for refdes, _ in board.ranking()[:3]]
        found += likeliest[0] in board.guilty
        among += bool(board.guilty & set(likeliest))
    assert found >= 6 and among >= 7


def test_a_signal_that_was_looked_at_is_not_advised_again_while_nothing_was_changed(library):
    board = logic_board(10, library)
    board.complain()
    asked = []
    for _ in range(10):
        advised = [thing.text for thing in next_things(board.moment(), 60, (Stage.PROBE,))]
        asked += [text for text in advised[:1] if text.startswith("look at the signal")]
        if not board.follow():
            break
    assert asked and len(asked) == len(set(asked))
