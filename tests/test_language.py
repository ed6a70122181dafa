"""Languages: which one the environment asks for, plural rules, figures and times; and that every sentence has its place."""

import ast
import os
import re
import subprocess
import sys
from datetime import UTC, datetime
from gettext import GNUTranslations
from io import BytesIO

import pytest
from babel.messages import Catalog
from babel.messages.pofile import read_po
from scripts.texts import POT, ROOT, SOURCE, mo_bytes, pot_bytes, pseudo_text, sentences

from loyal_trace import language
from loyal_trace.app.cautions import caution_texts
from loyal_trace.core.vocabulary.phrases import say, say_count
from loyal_trace.core.vocabulary.units import format_quantity
from loyal_trace.language import Language, language_of
from loyal_trace.report.times import local_time
from tests.helpers.pseudo import english_in, pseudo_catalogue, pseudo_language


def slavic():
    """A made-up catalogue with three plural forms."""
    catalog = Catalog(locale="pl", domain="loyal-trace", fuzzy=False)
    catalog.add(("{count} pin", "{count} pins"), ("{count} nóżka", "{count} nóżki", "{count} nóżek"))
    return Language(GNUTranslations(BytesIO(mo_bytes(catalog))), "pl_PL", "pl")


@pytest.mark.parametrize(("count", "shown"), [(1, "1 nóżka"), (3, "3 nóżki"), (5, "5 nóżek"), (22, "22 nóżki")])
def test_plurals_follow_the_rule_of_the_language(count, shown):
    assert slavic().shown(say_count(count, "{count} pin", "{count} pins")) == shown


def test_english_is_shown_as_it_is_and_loads_nothing():
    text = say("{v:.2f} V", v=4.62)
    assert Language().shown(text) is text
    code = "import sys; from loyal_trace import language; language.use(language.language_of({})); print('babel' in sys.modules)"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "False"


@pytest.mark.parametrize(
    ("region", "volts", "thousands"),
    [
        ("", "4.87 V", "12,000"),
        ("de_DE", "4,87 V", "12.000"),
        ("fr_FR", "4,87 V", "12 000"),
        ("en_GB", "4.87 V", "12,000"),
    ],
)
def test_figures_are_written_as_the_region_writes_them(region, volts, thousands):
    here = Language(region=region)
    assert here.shown(format_quantity(4.87, "V")) == volts
    assert re.sub(r"\s", " ", here.shown(say("{n:,}", n=12000))) == thousands


def test_times_are_written_as_the_region_writes_them():
    when = datetime(2026, 11, 27, 19, 35, tzinfo=UTC)
    assert Language().shown(local_time(when, UTC)) == "2026-11-27 19:35 UTC"
    assert Language(region="de_DE").shown(local_time(when, UTC)) == "27.11.2026 19:35 UTC"


def test_the_environment_says_the_language_and_each_kind_of_figure(tmp_path):
    target = tmp_path / "de" / "LC_MESSAGES" / "loyal-trace.mo"
    target.parent.mkdir(parents=True)
    catalog = Catalog(locale="de", domain="loyal-trace", fuzzy=False)
    catalog.add("not read", "nicht gelesen")
    target.write_bytes(mo_bytes(catalog))
    told = {"LANG": "de_AT.UTF-8", language.FOLDER: str(tmp_path)}
    assert language_of(told).shown(say("not read")) == "nicht gelesen" and language_of(told).code == "de_AT"
    assert language_of({**told, "LANGUAGE": "en:de"}).shown(say("not read")) == "not read"
    assert language_of({"LC_ALL": "C.UTF-8", "LANG": "de_DE"}).plain
    assert language_of({"LC_NUMERIC": "de_DE.UTF-8"}).shown(format_quantity(1.5, "V")) == "1,50 V"
    assert language_of({"LANG": "xx_YY"}).shown(say("{n:.1f}", n=1.5)) == "1.5"


def test_the_template_for_translators_is_what_the_sources_say():
    assert POT.read_bytes() == pot_bytes(), "run `make texts`"
    catalog = read_po(BytesIO(POT.read_bytes()))
    assert len([m for m in catalog if m.id]) > 1500


def test_every_place_of_a_sentence_has_a_name_and_no_sentence_is_said_twice():
    told = [(s.one, s.many) for s in sentences()]
    assert len(told) == len(set(told))
    for one, many in told:
        assert not re.search(r"\{(?:\d*|it\d*)[:}]", one + many) or "{it" in one, one
    for caution in caution_texts().values():
        assert (caution.text, "") in told


def test_a_sentence_is_never_put_together_by_the_code():
    """No f-string of two words or more, and no error with a plain one, outside the grammar of the line and of files."""
    other = (
        "core/line/",
        "ui/theme.py",
        "ui/screenshots.py",
        "ui/crash.py",
        "report/board_drawing.py",
        "core/simulation/",
    )
    wrong = []
    for file in sorted(SOURCE.rglob("*.py")):
        name = file.relative_to(SOURCE).as_posix()
        if name.startswith(other):
            continue
        tree = ast.parse(file.read_text(encoding="utf-8"))
        for node in ast.walk(tree):
            if isinstance(node, ast.JoinedStr):
                text = "".join(v.value if isinstance(v, ast.Constant) else "{}" for v in node.values)
                if re.search(r"[a-z]{2,} [a-z{]{2,}", text) and not re.search(
                    r"[<>\\]|^/|SELECT|color|power on|tidewrack tiles", text
                ):
                    wrong.append(f"{name}:{node.lineno} {text!r}")
            elif isinstance(node, ast.Raise) and isinstance(node.exc, ast.Call) and node.exc.args:
                first = node.exc.args[-1]
                if isinstance(first, ast.Constant) and isinstance(first.value, str) and " " in first.value:
                    wrong.append(f"{name}:{node.lineno} {first.value!r}")
    assert not wrong, "\n".join(wrong)


def test_the_made_up_language_keeps_places_and_is_longer():
    assert pseudo_text("{part} is {v:.2f} V") == "[{part} íš {v:.2f} Ṽ~~~~~~]"
    assert english_in("[ŕéáđ 5D~~] again", frozenset()) == ["again"]
    assert pseudo_language().shown(say("not read")).startswith("[ñóŧ")


@pytest.mark.parametrize(
    "command",
    [
        ["chip", "check", "74LS00", "1=L", "2=P", "3=L"],
        ["calc", "ripple", "--current", "1A", "--capacitance", "1000u"],
        ["calc", "regulator", "--input", "9V", "--output", "5V", "--current", "1A"],
        ["calc", "starts", "--clean", "20"],
        ["calc", "cell", "--capacity", "60mAh", "--current", "20uA"],
        ["roms", "substitutes", "2364"],
        ["job", "list", "--store", "nowhere"],
        ["chip", "check", "99X99", "1=L"],
        ["calc", "ripple", "--current", "many", "--capacitance", "1000u"],
    ],
    ids=lambda command: " ".join(command[:2]),
)
def test_the_command_line_speaks_the_language_of_its_reader(command, tmp_path):
    target = tmp_path / "qps" / "LC_MESSAGES"
    target.mkdir(parents=True)
    (target / "loyal-trace.mo").write_bytes(pseudo_catalogue())
    environment = {**os.environ, "LANGUAGE": "qps", language.FOLDER: str(tmp_path), "LC_ALL": "C.UTF-8"}
    done = subprocess.run(
        [sys.executable, "-m", "loyal_trace", *command],
        capture_output=True,
        text=True,
        env=environment,
        cwd=ROOT,
        check=False,
    )
    shown = done.stdout + done.stderr
    assert "[" in shown and done.returncode in (0, 1, 2)
    names = frozenset({"many", "nowhere", "eprom", "eeprom", "flash"})
    left = english_in(re.sub(r"`[^`]*`|loyal-trace", "", shown), names)
    assert left == [], shown
