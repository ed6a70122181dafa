"""Captured traces from CSV and VCD."""

import numpy as np
import pytest

from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.formats.traces import read_trace

VCD = """$timescale 10 ns $end
$scope module top $end
$var wire 1 ! clk $end
$var wire 1 " d $end
$var wire 8 # bus $end
$upscope $end
$enddefinitions $end
#0
0!
1"
b00000000 #
#5
1!
#7
0"
x!
"""


def read(tmp_path, name, text):
    (tmp_path / name).write_text(text)
    return read_trace(tmp_path / name)


def test_a_table_of_levels_with_times_in_any_unit(tmp_path):
    found = read(tmp_path, "a.csv", "time [us];CLK;D\n0;0;1\n0.5;1;1\n1;0;0\n")
    assert found.times.tolist() == pytest.approx([0, 5e-7, 1e-6])
    assert {name: levels.tolist() for name, levels in found.channels.items()} == {"CLK": [0, 1, 0], "D": [1, 1, 0]}
    words = read(tmp_path, "b.csv", "CLK,D\nL,H\nhigh,low\n")
    assert words.times.tolist() == [0, 1] and words.channels["D"].tolist() == [1, 0]


def test_signals_of_one_bit_in_a_value_change_dump(tmp_path):
    found = read(tmp_path, "a.vcd", VCD)
    assert set(found.channels) == {"clk", "d"} and found.times[-1] == pytest.approx(70e-9)
    assert found.channels["clk"][-2:].tolist() == [1, 0] and found.channels["d"][-1] == 0


def test_many_samples_are_read_in_pieces(tmp_path):
    levels = np.random.default_rng(1).integers(0, 2, (250_000, 2))
    text = "A,B\n" + "\n".join(f"{a},{b}" for a, b in levels)
    found = read(tmp_path, "a.csv", text)
    assert np.array_equal(np.stack([found.channels["A"], found.channels["B"]], axis=1), levels)


@pytest.mark.parametrize(
    ("name", "text"),
    [
        ("a.csv", ""),
        ("a.csv", "A\n1\n"),
        ("a.csv", "A,A\n1,0\n0,1\n"),
        ("a.csv", "A,B\n1,0\n2,1\n"),
        ("a.csv", "A,B\n1,0\n1\n"),
        ("a.csv", "time,B\n1,0\n0,1\n"),
        ("a.csv", "A,B\n1,x\n0,1\n"),
        ("a.vcd", "$enddefinitions $end\n#0\n"),
        ("a.vcd", "$timescale often $end $enddefinitions $end"),
        ("a.vcd", f"$timescale {'9' * 5000} ns $end $enddefinitions $end"),
    ],
)
def test_what_is_no_trace_is_refused(tmp_path, name, text):
    with pytest.raises(UserFileError):
        read(tmp_path, name, text)
