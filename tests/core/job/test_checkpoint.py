"""A moment of a long job kept and read back is the moment that folding all of it would give."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from loyal_trace.core.job import checkpoint, fold, stretch
from loyal_trace.core.job import entries as e
from loyal_trace.core.job.checkpoint import Checkpoint, read_state, write_state
from loyal_trace.core.job.draft import Draft, Later
from loyal_trace.core.job.fold import Fold
from loyal_trace.core.job.snapshot import EMPTY_SNAPSHOT, ReadingKey
from loyal_trace.core.job.stretch import (
    Grown,
    Outline,
    Stretch,
    outline_of,
    read_outline,
    write_columns,
    write_outline,
)
from tests.helpers.builders import made
from tests.helpers.entries import logbooks

FEW = 4


def kept(growing):
    """What is written of a fold now, and read back: a checkpoint, and the entries behind it."""
    end, snapshot, dead = growing.worth_keeping()
    parts = [growing.entries[at : at + FEW] for at in range(0, end, FEW)]
    outlines = [read_outline(write_outline(outline_of(part))) for part in parts]
    whole = Outline(*(sum((getattr(one, name) for one in outlines), ()) for name in ("ids", "links", "files")))
    places = {entry.id: place for place, entry in enumerate(growing.entries)}
    state = write_state(snapshot, lambda entry: places.get(entry.id))
    stretches = tuple(Stretch(write_columns(part), [entry.id for entry in part]) for part in parts)
    return Checkpoint(whole, stretches, dead, state), growing.entries[end:]


@pytest.fixture(scope="module", autouse=True)
def few_entries():
    """Stretches of four entries, and series of more than two made later."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(stretch, "STRETCH", FEW)
        patch.setattr(fold, "STRETCH", FEW)
        patch.setattr(checkpoint, "_SHORT", 2)
        yield


def readable(log):
    return [entry for entry in log if not isinstance(entry, e.Unread)]


@given(logbooks(most=30), st.data())
@settings(max_examples=40)
def test_opening_from_a_checkpoint_shows_what_folding_everything_shows(log, data):
    log = readable(log)
    cut = data.draw(st.integers(0, len(log)))
    before, since = log[:cut], log[cut:]
    found, behind = kept(Fold(before))
    # What was written since may undo what stands in the checkpoint, or give it back.
    undone = [made(e.Retracted, id="undone", target=data.draw(st.sampled_from(before)).id)] if before else []
    after = [*behind, *undone, *since]
    opened, whole = Fold(after, found), Fold([*before, *undone, *since])
    assert list(opened.entries) == list(whole.entries) and opened.dead == whole.dead
    assert opened.snapshot == whole.snapshot
    again = made(e.Note, id="more", text="more")
    assert opened.add([again]) == whole.add([again])
    # A checkpoint of what came from a checkpoint is as good.
    second, rest = kept(opened)
    assert Fold(rest, second).snapshot == whole.snapshot


@given(logbooks(most=20))
def test_entries_come_back_from_their_columns_one_by_one(log):
    entries = readable(log)
    if not entries:
        return
    found = Stretch(write_columns(entries), [entry.id for entry in entries])
    assert found[len(entries) - 1] == entries[-1] and found[0] is found[0]
    assert list(found) == entries and [type(one) for one in found] == [type(one) for one in entries]
    assert [one.model_dump_json() for one in found] == [one.model_dump_json() for one in entries]


def test_a_stretch_with_a_line_that_nobody_could_read_is_not_kept():
    assert write_columns([made(e.Note, text="x"), made(e.Unread, why="torn")]) is None


def test_zeros_words_and_missing_values_keep_their_kind():
    readings = [made(e.Measured, board="b", place="C1", quantity="voltage", value=v) for v in (0.0, -0.0, None, 5.0)]
    again = list(Stretch(write_columns(readings), [one.id for one in readings]))
    assert [str(one.value) for one in again] == ["0.0", "-0.0", "None", "5.0"]
    assert all(one.quantity is readings[0].quantity for one in again)


def test_a_long_series_is_made_only_as_far_as_it_is_looked_at():
    log = [made(e.Measured, board="b", place="5D.13", quantity="voltage", value=n / 8) for n in range(40)]
    found, behind = kept(Fold(log))
    opened = Fold(behind, found)
    opened.add([made(e.Measured, board="b", place="5D.13", quantity="voltage", value=9.0)])
    series = opened.snapshot.readings.measured[ReadingKey("b", "5D.13", "voltage")]
    assert isinstance(series, Later) and len(series) == 41
    assert [series[0].value, series[-1].value, series[39].value] == [0.0, 9.0, 39 / 8]
    assert [one.value for one in series[-2:]] == [39 / 8, 9.0] and series == tuple(series)
    assert series != tuple(series)[:-1] and hash(series) == hash(tuple(series))
    made_now = [one for part in found.stretches for one in part._made if one is not None]
    assert len(made_now) == len(series) - 1 - len(behind)
    with pytest.raises(IndexError):
        series[-42]


def test_a_series_handed_out_does_not_grow():
    log = [made(e.Note, text=f"n{n}") for n in range(30)]
    found, behind = kept(Fold(log))
    opened = Fold(behind, found)
    before = opened.snapshot.paper.notes
    opened.add([made(e.Note, text="one more")])
    assert len(before) == 30 and len(opened.snapshot.paper.notes) == 31
    draft = Draft(opened.snapshot)
    assert list(draft.paper.notes.clear()) == list(opened.snapshot.paper.notes)
    assert draft.freeze().paper.notes == () and len(opened.snapshot.paper.notes) == 31


def test_a_logbook_with_stretches_is_read_like_a_list():
    log = [made(e.Note, text=f"n{n}") for n in range(11)]
    grown = Grown([log[:4], log[4:8]], log[8:])
    assert len(grown) == 11 and list(grown) == log and list(reversed(grown)) == log[::-1]
    assert [grown[at] for at in (0, 3, 4, 7, 8, 10, -1, -11)] == [log[at] for at in (0, 3, 4, 7, 8, 10, -1, -11)]
    for cut in (slice(2, 9), slice(9, 11), slice(8, None), slice(None, 8), slice(None, None, 3), slice(9, 5)):
        assert grown[cut] == log[cut]
    for outside in (11, -12):
        with pytest.raises(IndexError):
            grown[outside]


def test_an_empty_logbook_has_a_state():
    assert read_state(write_state(EMPTY_SNAPSHOT, lambda entry: None), ()) == EMPTY_SNAPSHOT
