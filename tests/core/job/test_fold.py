"""Entries, their registry, and the fold: what is shown is what a fresh reading of the logbook would show."""

import dataclasses
from types import MappingProxyType

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.assess.assessment import Assessment
from loyal_trace.core.assess.moment import Memo
from loyal_trace.core.job import entries as e
from loyal_trace.core.job.draft import Group
from loyal_trace.core.job.fold import Fold, fold, live_of
from loyal_trace.core.job.snapshot import CheckKey, SymptomKey
from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.stages import Stage
from tests.helpers.builders import made, moment_of
from tests.helpers.entries import FIELDS, logbooks

BLOBS = {"0" * 64: bytes(8), "1" * 64: b"12345678"}


def test_every_kind_of_the_registry_is_in_the_strategy():
    assert set(FIELDS) | {"retracted", "unread"} == set(e.KINDS)


@given(logbooks())
def test_every_entry_survives_its_line_of_json_and_reads_as_words(log):
    for entry in log:
        assert e.read_entry(e.write_entry(entry)) == entry
        assert e.describe(entry) is not None and e.stage_of(entry) in (None, *Stage)


@given(logbooks(), st.data())
def test_a_fold_that_grows_is_the_fold_of_the_whole(log, data):
    growing, rest = Fold(), list(log)
    while rest:
        size = data.draw(st.integers(1, len(rest)))
        growing.add(rest[:size])
        rest = rest[size:]
    assert growing.snapshot == fold(log) == Fold(log).snapshot
    assert growing.dead == {entry.id for entry in log} - {entry.id for entry in live_of(log)}


@given(logbooks(), st.data())
def test_a_retracted_entry_never_happened(log, data):
    if not log:
        return
    victim = data.draw(st.sampled_from(log))
    gone = made(e.Retracted, id="gone", target=victim.id)
    without = [entry for entry in log if entry is not victim and entry.part_of != victim.id]
    kept = {entry.id for entry in live_of([*log, gone])} - {gone.id}
    assert kept <= {entry.id for entry in without}
    assert fold([*log, gone]) == fold([entry for entry in [*log, gone] if entry.id in kept | {gone.id}])


@given(logbooks())
def test_what_is_shown_is_what_a_fresh_opening_shows(log):
    """Any entries of any kind, judged after each one with a memory carried along, or once from nothing."""
    growing, memo = Fold(), Memo()
    for entry in log:
        growing.add([entry])
        carried = _shown(moment_of(entries=growing.entries, blobs=BLOBS, memo=memo))
    if log:
        assert carried == _shown(moment_of(entries=log, blobs=BLOBS))


def _shown(moment):
    found = Assessment(moment)
    return (
        found.roms,
        found.rails,
        found.capacitors,
        found.suspects,
        found.next,
        found.plan,
        found.proof,
        {place: verdict.outputs for place, verdict in found.chips.items()},
        moment.boards,
    )


@given(logbooks())
def test_a_snapshot_handed_out_never_changes(log):
    growing = Fold()
    seen = []
    for entry in log:
        growing.add([entry])
        seen.append((growing.snapshot, repr(growing.snapshot)))
    assert all(repr(snapshot) == before for snapshot, before in seen)


def test_a_snapshot_is_frozen_all_the_way_down():
    snapshot = fold([made(e.PinsProbed, board="b", place="U1", pins=(e.PinState(pin=1, state="L"),))])
    for group in (getattr(snapshot, f.name) for f in dataclasses.fields(snapshot)):
        if isinstance(group, Group):
            for name in (f.name for f in dataclasses.fields(group)):
                assert isinstance(getattr(group, name), MappingProxyType | tuple | type(None))
    with pytest.raises(TypeError):
        snapshot.readings.pins[PartRef("b", "U1")][2] = None
    with pytest.raises(dataclasses.FrozenInstanceError):
        snapshot.count = 5


def test_a_new_part_starts_with_a_clean_sheet():
    log = [
        made(e.RomRead, board="b", place="6C", attachment="0" * 64, size=8),
        made(e.PinsProbed, board="b", place="6C", pins=(e.PinState(pin=1, state="L"),)),
        made(e.Started, clean=False),
        made(e.Fitted, board="b", place="6C", number="27C64"),
        made(e.Started, clean=True),
    ]
    snapshot = fold(log)
    assert not snapshot.roms.reads and not snapshot.readings.pins
    assert len(snapshot.roms.earlier_reads[PartRef("b", "6C")]) == 1
    assert len(snapshot.proving.starts_before) == len(snapshot.proving.starts) == 1


def test_a_symptom_gone_on_one_board_stays_on_the_other():
    log = [made(e.SymptomSeen, board=board, text="no sound") for board in ("a", "b")]
    log.append(made(e.SymptomSeen, board="a", text="no sound", present=False))
    symptoms = fold(log).proving.symptoms
    assert not symptoms[SymptomKey("a", "no sound")].present and symptoms[SymptomKey("b", "no sound")].present


def test_a_retraction_keeps_nothing_of_a_part_fitted_with_it():
    done = made(e.StepDone, step="b/U1/chip", what="Replace U1")
    fitted = made(e.Fitted, board="b", place="U1", number="74LS00", origin="drawer 7", part_of=done.id)
    back = made(e.Retracted, target=done.id)
    snapshot = fold([fitted, done, back])
    assert not snapshot.parts.fitted and not snapshot.parts.steps and not snapshot.parts.taken
    assert not snapshot.parts.changes
    again = fold([fitted, done, back, made(e.Retracted, target=back.id)])
    assert again.parts == fold([fitted, done]).parts
    assert fold([fitted, done, made(e.Retracted, target=fitted.id)]).parts.steps.keys() == {"b/U1/chip"}


def test_going_far_back_gives_the_same_as_folding_anew():
    log = [made(e.CheckResult, board="b", item=f"item {n % 50}", passed=n % 3 > 0) for n in range(9000)]
    growing = Fold(log)
    for target in (8999, 4097, 3, 8000):
        growing.add([made(e.Retracted, target=log[target].id)])
    assert growing.snapshot == fold(growing.entries)
    assert growing.snapshot.proving.tests[CheckKey("b", "item 3")].id != log[3].id


def test_entries_that_hang_on_each_other_stop_nothing():
    ring = [
        made(e.Note, id="a", text="x", part_of="b"),
        made(e.Retracted, id="b", target="a", part_of="c"),
        made(e.Retracted, id="c", target="b", part_of="a"),
        made(e.Retracted, id="d", target="d"),
        made(e.Note, id="a", text="again", part_of="a"),
    ]
    assert Fold(ring).snapshot == fold(ring)
    growing = Fold()
    for entry in ring:
        growing.add([entry])
    assert growing.dead == Fold(ring).dead and growing.snapshot == fold(ring)


@pytest.mark.parametrize(
    "line",
    [
        "",
        "{}",
        "[1]",
        '{"kind":"nothing","v":2}',
        '{"kind":"note","v":2,"id":"1","time":"2026-01-01T00:00:00","text":"naive"}',
        '{"kind":"note","v":2,"id":"1","time":"2026-01-01T00:00:00+02:00","text":"not UTC"}',
        '{"kind":"note","v":2,"id":"1","time":1700000000,"text":"a number as time"}',
        '{"kind":"measured","v":2,"id":"1","time":"2026-01-01T00:00:00Z","place":"C1","quantity":"voltage",'
        '"value":"NaN"}',
        '{"kind":"measured","v":2,"id":"1","time":"2026-01-01T00:00:00Z","place":"C1","quantity":"charm","value":1.0}',
        '{"kind":"note","v":2,"id":"1","time":"2026-01-01T00:00:00Z","text":"x","more":1}',
        '{"kind":"observed","id":"1","time":"2026-01-01T00:00:00Z","board":"b","place":"U1"}',
        '{"v":1,"kind":["x"]}',
        '{"v":"1"}',
    ],
)
def test_lines_that_are_no_entries_are_refused_with_their_place(line):
    with pytest.raises(UserFileError, match="log, entry 7"):
        e.read_entry(line, "log, entry 7")


def test_an_entry_from_a_newer_version_says_so():
    line = e.write_entry(made(e.Note, text="x")).replace('"v":2', '"v":3')
    with pytest.raises(UserFileError, match="newer version"):
        e.read_entry(line)


@pytest.mark.parametrize("travel", [-0.1, 1.1])
def test_a_control_turns_between_its_two_ends(travel):
    points = (e.ControlPoint(travel=0.0, value=1.0), e.ControlPoint(travel=1.0, value=2.0))
    assert len(made(e.ControlMeasured, name="X", points=points).points) == 2
    with pytest.raises(ValueError, match="travel"):
        e.ControlPoint(travel=travel, value=1.0)


def test_a_socket_is_told_with_its_number_only_where_it_has_one():
    numbered = made(e.RomTold, board="b", place="6C", number=2, device="27C64")
    assert e.describe(numbered) == "6C is ROM 2, 27C64"
    assert e.describe(made(e.RomTold, board="b", place="6C", device="27C64")) == "6C is 27C64"
