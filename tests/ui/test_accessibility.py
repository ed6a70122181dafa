"""The real window on the real accessibility bus, under a virtual display, walked by a client in its own process."""

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from loyal_trace.core.vocabulary.stages import Stage

WALK = Path(__file__).resolve().parents[1] / "helpers" / "bus_walk.py"
NEEDED = ("xvfb-run", "dbus-run-session")
ACTIVE = ("push button", "button", "menu item", "check box", "combo box")


@pytest.fixture(scope="module")
def tree(demo_template, tmp_path_factory):
    """What a screen reader finds in the window on the demo workshop at Suspects."""
    missing = [tool for tool in NEEDED if shutil.which(tool) is None]
    assert not missing, f"{missing} missing: run scripts/setup.sh"
    folder = tmp_path_factory.mktemp("bus")
    shutil.copytree(demo_template, folder / "store")
    (folder / "run").mkdir(mode=0o700)
    command = ["xvfb-run", "-a", "-s", "-screen 0 1400x900x24", "dbus-run-session", "--", sys.executable, str(WALK)]
    environment = {**os.environ, "XDG_RUNTIME_DIR": str(folder / "run")}
    environment.pop("QT_QPA_PLATFORM", None)
    done = subprocess.run(
        [*command, str(folder / "store")], capture_output=True, text=True, timeout=240, env=environment, check=False
    )
    start = done.stdout.find('{"found"')
    assert start >= 0, done.stderr[-2000:]
    return json.loads(done.stdout[start:])


def named(tree, *roles):
    return [e["name"] for e in tree["found"] if e["showing"] and e["role"] in roles]


def test_everything_that_can_be_pressed_has_a_name_and_an_action(tree):
    active = [e for e in tree["found"] if e["role"] in ACTIVE and e["showing"]]
    assert len(active) > 15
    assert [e for e in active if not e["name"] or not e["actions"]] == []
    assert all(e["name"] for e in tree["found"] if e["role"] in ("text", "list", "tree", "table"))


def test_stages_are_buttons_lists_are_lists_with_rows_and_texts_are_their_words(tree):
    buttons = named(tree, "push button", "button")
    assert all(any(name.startswith(stage.title) for name in buttons) for stage in Stage)
    lists = {e["name"]: e["rows"] for e in tree["found"] if e["role"] == "list" and e["showing"]}
    assert lists["suspects"] >= 4 and lists["next three measurements"] == 4
    labels = named(tree, "label")
    assert "Which part is faulty, and why?" in labels and any(
        words.startswith("Why: Probability that") for words in labels
    )
    assert any(words.startswith("Next: ") for words in labels)


def test_the_line_takes_the_keyboard_and_says_what_it_is_about(tree):
    (line,) = [e for e in tree["found"] if e["role"] == "text" and e["name"] == "line" and e["showing"]]
    assert line["focusable"] and "swap 5D and 5A" in line["description"]


def test_an_action_over_the_bus_does_what_a_click_does(tree):
    assert tree["pressed"], "the button of Suspects leads to Plan, and the new question is on the bus"
