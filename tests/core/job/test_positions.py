"""Ids of very many entries are found in their places as in a dictionary."""

from dataclasses import dataclass

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.job import positions
from loyal_trace.core.job.positions import Positions


@dataclass
class Named:
    id: str


NAMES = st.lists(st.sampled_from("abcdefgh"), max_size=30)


@given(NAMES, NAMES, st.booleans())
def test_positions_are_those_of_a_dictionary_also_of_ids_that_stand_twice_or_have_one_hash(old, new, alike):
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(positions, "_MANY", 3)
        if alike:
            patch.setattr(positions, "hash", lambda name: len(name), raising=False)
        entries = [Named(name) for name in old]
        found, plain = Positions(old, entries), {name: place for place, name in enumerate(old)}
        for name in new:
            found[name] = plain[name] = len(entries)
            entries.append(Named(name))
        assert [found.get(name) for name in "abcdefghi"] == [plain.get(name) for name in "abcdefghi"]
        assert [name in found for name in "abi"] == [name in plain for name in "abi"]
        with pytest.raises(KeyError):
            found["i"]
