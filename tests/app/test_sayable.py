"""What help says can be said: the page in docs is the forms' own, and the stage in view comes first."""

import runpy
from pathlib import Path

from loyal_trace.app.presenters.sayable import sayable
from loyal_trace.core.line.grammar import examples
from loyal_trace.core.vocabulary.stages import Stage

ROOT = Path(__file__).parents[2]


def test_the_page_of_what_can_be_said_is_the_one_that_the_forms_write():
    page = runpy.run_path(str(ROOT / "scripts" / "line_doc.py"))["document"]()
    assert (ROOT / "docs" / "line.md").read_text(encoding="utf-8") == page, "run scripts/line_doc.py"


def test_everything_that_can_be_said_is_listed_once_with_what_it_records():
    found = sayable(Stage.PROBE)
    assert next(one.stage for one in found) is Stage.PROBE and all(one.words for one in found)
    assert sorted(one.example for one in found) == sorted(example for _, example in examples())
