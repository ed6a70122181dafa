"""Every walk, through the function that window and command line share; the demo jobs through the command line too."""

from pathlib import Path

import pytest

from loyal_trace.app.job import new_id
from loyal_trace.demo.workshop import build_workshop
from loyal_trace.store.store import Store
from tests.helpers.ledger import all_said_of, hold
from tests.walks.checks import CHECKS
from tests.walks.runner import InTheJob, Walker

THOROUGH = ("tidewrack", "hollin", "own-forty", "own-supply")
WALKS = sorted(Path(__file__).parent.glob("*.txt"))


@pytest.mark.parametrize("path", WALKS, ids=lambda path: path.stem)
def test_a_walk_holds_and_a_reopened_job_shows_the_same(path, tmp_path):
    text = path.read_text(encoding="utf-8")
    with Store(tmp_path / "store") as store:
        if "\ndemo " in f"\n{text}":
            build_workshop(store, new_id)
        walker = Walker(InTheJob(store), store, tmp_path)
        walker.walk(text)
        CHECKS["reopened"](walker.hands.job)
        hold(f"walk-{path.stem}", all_said_of(walker.hands.job.assessment(), thorough=path.stem in THOROUGH))


def test_there_are_walks_of_many_kinds_half_of_them_without_a_board_definition():
    own = [path for path in WALKS if "\njob " in f"\n{path.read_text(encoding='utf-8')}"]
    assert len(WALKS) >= 30 and len(own) >= 20
