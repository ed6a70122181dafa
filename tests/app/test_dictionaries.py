"""Fault dictionaries on disk: computed once, read back the same, computed again where the file is damaged."""

from dataclasses import fields

import numpy as np
import pytest

from loyal_trace.app.dictionaries import fault_dictionary
from loyal_trace.core.simulation.dictionary import Dictionary
from tests.core.simulation.test_dictionary import BOARD, FOUND, LIBRARY


def same(one: Dictionary, other: Dictionary) -> bool:
    return all(np.array_equal(getattr(one, f.name), getattr(other, f.name)) for f in fields(Dictionary))


def test_it_is_computed_once_and_read_back_the_same(tmp_path):
    told = []
    first = fault_dictionary(BOARD, LIBRARY, {}, tmp_path, 200, tell=lambda done, of: told.append((done, of)))
    again = fault_dictionary(BOARD, LIBRARY, {}, tmp_path, 200, tell=lambda done, of: pytest.fail("computed again"))
    assert same(first, FOUND) and same(first, again) and told[-1][0] == told[-1][1] == len(first.pin)
    (path,) = tmp_path.iterdir()
    path.write_bytes(path.read_bytes()[:200])
    assert same(fault_dictionary(BOARD, LIBRARY, {}, tmp_path, 200), first)


def test_two_processes_give_what_one_gives():
    one, two = (fault_dictionary(BOARD, LIBRARY, {}, None, 60_000, workers=count) for count in (1, 2))
    assert same(one, two)


def test_only_the_newest_are_kept(tmp_path):
    for number in range(30):
        fault_dictionary(BOARD, LIBRARY, {"X": bytes([number])}, tmp_path, 10)
    assert len(list(tmp_path.iterdir())) == 24
