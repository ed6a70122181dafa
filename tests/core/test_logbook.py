from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.errors import UserFileError
from loyal_trace.core.logbook import entries as e
from loyal_trace.core.logbook.describe import STAGES, describe, stage_of
from loyal_trace.core.logbook.state import JobState, apply_entry, fold
from tests.helpers.builders import made

PLACES = st.sampled_from(["6C", "5D", "C1"])


@st.composite
def any_entry(draw):
    place, number = draw(PLACES), draw(st.floats(0, 1e6))
    return draw(
        st.sampled_from(
            [
                made(e.Measured, board="b", place=place, quantity="voltage", value=number),
                made(e.Measured, board="b", place=place, quantity="esr", value=None, overload=True),
                made(e.Observed, board="b", place=place, finding="corroded"),
                made(
                    e.PinsProbed,
                    board="b",
                    place=place,
                    pins=(e.PinState(pin=3, state="P"), e.PinState(pin=1, state="H")),
                ),
                made(e.RomRead, board="b", place=place, attachment="0" * 64, size=8),
                made(e.Fitted, board="b", place=place, number="74LS166", origin="drawer 7"),
                made(e.Removed, board="b", place=place, number="74LS166"),
                made(e.Started, clean=draw(st.booleans()), code="ROM 2"),
                made(e.SymptomSeen, board="b", text="rolls", present=draw(st.booleans())),
                made(e.Decided, what="firmware", choice="B"),
                made(e.CheckResult, board="b", item="sound", passed=True),
                made(e.NotTestable, board="b", item="sound", reason="no speaker"),
                made(e.StepDone, step="b/C1/capacitor", minutes=3.0),
                made(e.Swapped, board="b", place=place, spare="drawer 3", result="fault stays"),
                made(e.Photographed, board="b", attachment="1" * 64, file_name="über.jpg", width=40, height=30),
                made(
                    e.PhotoAligned,
                    board="b",
                    attachment="1" * 64,
                    points=(e.PhotoPoint(x=number, y=0.5, u=1.0, v=2.0),),
                ),
                made(e.Note, text="ünïcödé “note”"),
                made(e.SumsKnown, source="x.sfv", lines=(e.SumLine(name="6C", digests={"crc32": "0" * 8}),)),
            ]
        )
    )


LOGS = st.lists(any_entry(), max_size=25, unique_by=lambda entry: entry.id)


@given(LOGS)
def test_every_entry_survives_its_line_of_json_and_reads_as_words(log):
    for entry in log:
        assert e.read_entry(e.write_entry(entry)) == entry
        assert describe(entry).strip() and stage_of(entry) in (None, *range(len(STAGES)))


@given(LOGS)
def test_adding_one_by_one_gives_the_same_state_as_the_fold(log):
    state = JobState()
    for entry in log:
        apply_entry(state, entry)
    assert state == fold(log)


@given(LOGS, st.data())
def test_a_retracted_entry_never_happened_and_undo_can_be_undone(log, data):
    if not log:
        return
    victim = data.draw(st.sampled_from(log))
    without = [entry for entry in log if entry is not victim]
    gone = made(e.Retracted, target=victim.id)
    back = made(e.Retracted, target=gone.id)
    after = fold([*log, gone])
    after.entries -= 1
    assert after == fold(without)
    restored = fold([*log, gone, back])
    restored.entries -= 1
    assert restored == fold(log)


def test_a_new_part_starts_with_a_clean_sheet():
    log = [
        made(e.RomRead, board="b", place="6C", attachment="0" * 64, size=8),
        made(e.PinsProbed, board="b", place="6C", pins=(e.PinState(pin=1, state="L"),)),
        made(e.Started, clean=False),
        made(e.Fitted, board="b", place="6C", number="27C64"),
        made(e.Started, clean=True),
    ]
    state = fold(log)
    assert state.rom_reads == {} and state.pins == {}
    assert len(state.earlier_reads[("b", "6C")]) == 1 and len(state.starts_before) == 1 and len(state.starts) == 1


@pytest.mark.parametrize(
    "line",
    [
        "", "{}", "[1]", '{"kind":"nothing"}', '{"kind":"note","id":"1","time":"2026-01-01T00:00:00","text":"naive"}',
        '{"kind":"note","id":"1","time":"2026-01-01T00:00:00+02:00","text":"not UTC"}',
        '{"kind":"note","id":"1","time":1700000000,"text":"a number as time"}',
        '{"kind":"measured","id":"1","time":"2026-01-01T00:00:00Z","place":"C1","quantity":"voltage","value":"NaN"}',
        '{"kind":"note","id":"1","time":"2026-01-01T00:00:00Z","text":"x","more":1}',
    ],
)  # fmt: skip
def test_lines_that_are_no_entries_are_refused_with_their_place(line):
    with pytest.raises(UserFileError, match="log, entry 7"):
        e.read_entry(line, "log, entry 7")


def test_an_entry_from_a_newer_version_says_so():
    line = e.write_entry(made(e.Note, text="x")).replace('"v":1', '"v":2')
    with pytest.raises(UserFileError, match="newer version"):
        e.read_entry(line)


def test_what_belongs_to_an_entry_is_taken_back_with_it_and_comes_back_with_it():
    done = made(e.StepDone, step="b/U1/chip", what="Renew U1")
    fitted = made(e.Fitted, board="b", place="U1", number="74LS00", part_of=done.id)
    back = made(e.Retracted, target=done.id)
    assert fold([fitted, done, back]).fitted == {} and fold([fitted, done, back]).steps == {}
    assert fold([fitted, done, back, made(e.Retracted, target=back.id)]) == replace(fold([fitted, done]), entries=3)
    assert fold([fitted, done, made(e.Retracted, target=fitted.id)]).steps.keys() == {"b/U1/chip"}
