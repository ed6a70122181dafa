"""A captured trace becomes an entry: channels by their names, the first difference with its signals, and evidence."""

import pytest

from loyal_trace.app.job import OpenJob, open_new_job
from loyal_trace.app.traces import channels_from, compared, open_trace
from loyal_trace.core.job.entries import Fitted, TraceCompared
from loyal_trace.core.simulation.traces import guess_channels
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.demo.common import board_files_of
from loyal_trace.demo.workshop import demo_bench
from loyal_trace.resources import chip_library
from loyal_trace.store.store import Store

SHIFTER = chip_library().find("74LS166")
PLACE = PartRef("tw-vid", "5D")


@pytest.fixture
def job(tmp_path):
    folder = tmp_path / "tw-vid"
    folder.mkdir()
    for name, data in board_files_of(("tw-vid",))["tw-vid"].items():
        (folder / name).write_bytes(data)
    with Store(tmp_path / "store") as store:
        yield OpenJob(store, open_new_job(store, "Video board", [folder]))


def gate_trace(tmp_path, names, wrong_from=None):
    """A capture of a NAND at 2G's neighbour: 4G is a 74LS10; its first gate reads pins 1, 2 and 13."""
    rows = [f"time,{','.join(names)}"]
    for step in range(400):
        a, b, c = step >> 2 & 1, step >> 3 & 1, step >> 4 & 1
        out = 1 - (a & b & c)
        rows.append(f"{step * 1e-7:.8f},{a},{b},{c},{0 if wrong_from is not None and step >= wrong_from else out}")
    path = tmp_path / "gate.csv"
    path.write_text("\n".join(rows) + "\n")
    return path


def test_channels_are_found_by_pin_name_number_place_and_net():
    found = guess_channels(SHIFTER, "5D", {7: "PCLK"}, ["pclk", "QH", "pin 6", "5D.15", "/clr", "noise"])
    assert found == {7: "pclk", 13: "QH", 6: "pin 6", 15: "5D.15", 9: "/clr"}
    assert channels_from(SHIFTER, "2 = D0, QH=D1") == {2: "D0", 13: "D1"}
    for text in ("D0", "2=", "99=D0"):
        with pytest.raises(RequestError):
            channels_from(SHIFTER, text)


def test_a_wrong_output_is_kept_with_its_signals_and_speaks_against_the_chip(job, tmp_path):
    place = PartRef("tw-vid", "4G")
    before = job.assessment().suspect_at(place)
    opened = open_trace(job, place, gate_trace(tmp_path, ("1A", "1B", "1C", "1Y"), wrong_from=200))
    entry = job.record(TraceCompared, **compared(job, opened))
    assert entry.differences[0].pin == SHIFTER_OUTPUT and entry.differences[0].time >= 200e-7
    shown = next(lane for lane in entry.lanes if lane.expected)
    assert shown.name == "1Y" and shown.levels != shown.expected and len(shown.levels) == len(entry.times)
    after = job.assessment().suspect_at(place)
    assert after is not None and after.probability > 0.6 > (before.probability if before else 0.0)
    assert any(line.kind == "trace-differs" for line in after.against)
    job.record(Fitted, board="tw-vid", place="4G", number="74LS10", origin="tray 1")
    assert not job.snapshot.readings.traces, "what was captured of the old chip says nothing of the new one"


SHIFTER_OUTPUT = chip_library().find("74LS10").pin("1Y").number


def test_a_trace_that_agrees_speaks_for_the_chip(job, tmp_path):
    opened = open_trace(job, PartRef("tw-vid", "4G"), gate_trace(tmp_path, ("1A", "1B", "1C", "1Y")))
    entry = job.record(TraceCompared, **compared(job, opened))
    assert entry.differences == () and entry.samples == 400
    found = job.assessment().suspect_at(PartRef("tw-vid", "4G"))
    assert found is not None and any(line.kind == "trace-agrees" for line in found.in_favour)


def test_a_trace_without_an_output_names_its_channels(job, tmp_path):
    path = gate_trace(tmp_path, ("x", "y", "z", "w"))
    with pytest.raises(RequestError, match="it has w, x, y, z"):
        compared(job, open_trace(job, PartRef("tw-vid", "4G"), path))
    assert compared(job, open_trace(job, PartRef("tw-vid", "4G"), path, "1A=x 1B=y 1C=z 1Y=w"))["differences"] == ()


def test_the_demo_s_shift_register_is_found_by_its_trace(job, tmp_path):
    """The simulated analyser is clipped on it: its load input is dead, so bits that were loaded never come out."""
    captured = demo_bench().capture("tw-vid", "5D", 12_000)
    rows = zip(*captured.values(), strict=True)
    lines = [f"{step * 8e-8:.8f}," + ",".join(map(str, row)) for step, row in enumerate(rows)]
    path = tmp_path / "5d.csv"
    path.write_text("\n".join([f"time,{','.join(captured)}", *lines]) + "\n")
    entry = job.record(TraceCompared, **compared(job, open_trace(job, PLACE, path)))
    assert [one.pin for one in entry.differences] == [13] and "the model gives high" in entry.differences[0].reason
    found = job.assessment().suspect_at(PLACE)
    assert found is not None and found.probability > 0.6
