"""`loyal-trace calc`: engineering notation in, SI numbers out."""

import json

import pytest

from loyal_trace.cli import main

CASES = [
    ("ripple --current 1.5A --capacitance 4700u --mains 50Hz", {"ripple_voltage": 3.191489, "ripple_frequency": 100}, 0),
    ("ripple --current 1500m --capacitance 4m7 --mains 60 --rectifier half",
     {"ripple_voltage": 5.319149, "ripple_frequency": 60}, 0),
    ("reservoir --ac 9V --drop 0.85V --rectifier bridge --current 1A5 --capacitance 4700uF --mains 50Hz",
     {"peak_voltage": 11.027922, "trough_voltage": 7.836433}, 0),
    ("reservoir --ac 9 --drop 0,7 --rectifier centre-tap --current 0 --capacitance 1m", {"peak_voltage": 12.027922}, 0),
    ("regulator --input 9V --output 5V --dropout 2V --current 1A --theta-jc 4 --theta-cs 1 --theta-sa 10 --ambient 30",
     {"headroom": 2, "power": 4, "junction_temperature": 90}, 0),
    ("regulator --input 6.5 --output 5 --dropout 2 --current 1", {"headroom": -0.5, "junction_temperature": None}, 1),
    ("bridge --readings 0.55,0.56,0.54,550m", {"verdict": "good", "diodes": ["good"] * 4}, 0),
    ("bridge --readings 0.55,OL,ol,0", {"verdict": "short", "diodes": ["good", "open", "open", "short"]}, 1),
    ("crystal --c1 22p --c2 22p --stray 5p --load 16p", {"load_capacitance": 16e-12, "verdict": "good"}, 0),
    ("cell --capacity 220mAh --current 3u --self-discharge 1%", {"life_years": 7.71984}, 0),
    ("divider --from 12.288MHz --by 2,12,16", {"frequencies": [6.144e6, 512e3, 32e3]}, 0),
]  # fmt: skip


@pytest.mark.parametrize(("line", "expected", "code"), CASES)
def test_sums_of_the_bench(capsys, line, expected, code):
    line = line.replace("1A5", "1.5A")
    assert main(["calc", *line.split(), "--json"]) == code
    found = json.loads(capsys.readouterr().out)
    for name, value in expected.items():
        close = isinstance(value, int | float) and not isinstance(value, bool)
        assert found[name] == (pytest.approx(value, rel=1e-5) if close else value), name
    assert main(["calc", *line.split()]) == code
    sentence = capsys.readouterr().out
    assert sentence.endswith(".\n") and sentence.count("\n") == 1


@pytest.mark.parametrize(
    "line",
    [
        "ripple --current 1A --capacitance 0",
        "ripple --current 1V --capacitance 1m",
        "ripple --current 1A",
        "bridge --readings 1",
        "bridge --readings a,b,c,d",
        "divider --from 1MHz --by 0",
        "divider --from 1MHz --by ,",
        "cell --capacity 1 --current 0",
        "reservoir --ac 9 --current 1 --capacitance 1m --rectifier star",
        "crystal --c1 0 --c2 1p --load 1p",
        "nothing",
    ],
)
def test_what_cannot_be_computed_is_one_line_and_exit_2(capsys, line):
    try:
        code = main(["calc", *line.split()])
    except SystemExit as stop:
        code = stop.code
    output = capsys.readouterr()
    assert code == 2 and output.out == "" and output.err.count("\n") == 1 and "Traceback" not in output.err


def test_the_command_line_tells_the_time_under_the_lamp_and_the_caution(capsys):
    assert main(["calc", "erase", "--irradiance", "12m"]) == 0
    said = capsys.readouterr().out
    assert "About 21 minutes" in said and "damages eyes and skin" in said
    assert main(["calc", "erase", "--irradiance", "0"]) == 2
