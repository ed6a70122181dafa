"""A recap of 34 capacitors, from the parts list to the report, through the line: every count balances."""

import pytest

from loyal_trace.app.commands import Setting, enter_line, guard_words
from loyal_trace.app.drawer import item_from_words, load_drawer, save_drawer
from loyal_trace.app.job import OpenJob, open_new_job
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.assess.at_iron import tally_of
from loyal_trace.core.assess.capacitors import estimated_rest, judged_capacitors
from loyal_trace.core.assess.compare import comparison_of
from loyal_trace.core.assess.kit import kit_of
from loyal_trace.core.assess.parts import in_stock
from loyal_trace.core.line.context import Status
from loyal_trace.core.planning.sequencing import EXACT_UP_TO, Grouping
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.formats.part_table import board_from_table, guess_columns
from loyal_trace.formats.tables import read_table
from loyal_trace.instruments.protocols import Workbench
from loyal_trace.report.model import build_report
from loyal_trace.resources import chip_library
from loyal_trace.store.store import Store

LIST = """refdes,value,voltage,pitch,role
C1,4700u,25,10,reservoir
C2-C9,10u,16,2.5,
C10-C21,47u,16,2.5,
C22-C29,100u,16,2.5,
C30-C33,220u,16,3.5,
C34,1u,50,2.5,reset
C40-C55,100n,50,,decoupling
U1,74LS00,,,
U2,74LS74,,,
"""
DRAWER = (
    "1x 4700u 35V 22x40 in tray F, good",
    "10x 10u 25V 5x11 in tray A, good",
    "8x 47u 25V 5x11 in tray A, good",
    "3x 47u 16V tantalum in tray T, good",
    "8x 100u 25V 6.3x11 in tray B, untested",
    "4x 220u 10V 8x11 in tray C, good",
)


@pytest.fixture
def job(tmp_path):
    with Store(tmp_path / "store") as store:
        table = read_table(LIST.encode(), "parts.csv")
        files = board_from_table(table, guess_columns(table), "parts", "Sound board", chip_library())
        for words in DRAWER:
            save_drawer(store.folder, load_drawer(store.folder).added(item_from_words(words)))
        yield OpenJob(store, open_new_job(store, "Recap of 34", [], owner="The pier", listed=[files]))


def say(job, *lines, status=Status.RECORDED):
    for line in lines:
        found = enter_line(job, line, Setting(Stage.REPAIR))
        assert found.status is status, (line, found.status, found.why)


def test_a_recap_of_thirty_four_from_the_list_to_the_report(job):
    say(job, "kit: all electrolytics")
    kit = kit_of(job.moment)
    assert kit.count == 34 and [len(group.choices) for group in kit.groups] == [1, 4, 8, 12, 8, 1]
    bought = {group.marked: (group.buy, group.to_order) for group in kit.groups if group.buy}
    assert bought == {"220 µF 16 V": (4, 5), "47 µF 16 V": (4, 5), "1 µF 50 V": (1, 1)}, "no 10 V part, no tantalum"
    assert kit.from_drawer == 34 - 9 and len(job.assessment().plan.steps) == 34

    say(job, "C2 measures 4u esr 30", "C3 measures 3u", "C4 measures 9.8u esr 1 out of circuit")
    found = judged_capacitors(job.moment)
    assert [found[("parts", c)].verdict for c in ("C2", "C3", "C4")] == ["bad", "bad", "good"]
    (group,) = [one for one in estimated_rest(job.moment) if one.group == (1e-5, 16.0)]
    assert (group.measured, group.bad, group.unmeasured) == (3, 2, 5) and group.expected > 2
    orders = {order.grouping: order for order in comparison_of(job.moment).orders[:3]}
    assert orders[Grouping.ALL].minutes < orders[Grouping.GROUP].minutes < orders[Grouping.ONE].minutes
    assert orders[Grouping.ALL].mix_up > 3 * orders[Grouping.GROUP].mix_up

    say(job, "C22-C29 removed")
    assert len(tally_of(job.moment).empty) == 8 and tally_of(job.moment).fitted == 0
    for refdes in range(22, 30):
        say(job, f"C{refdes} fitted with 100u 25V from tray B")
    assert tally_of(job.moment).empty == () and len(tally_of(job.moment).out) == 8
    for group in kit_of(job.moment).groups:
        for choice in group.choices:
            item = choice.item
            what = (
                f"{item.spec_words} from {item.place}"
                if item
                else f"{choice.place.place.old.value * 1e6:g}u 25V from shop"
            )
            say(job, f"{choice.place.ref.refdes} replaced with {what}")
    tally = tally_of(job.moment)
    assert len(tally.out) == tally.fitted == 34 and tally.empty == ()
    assert kit_of(job.moment).count == 0 and all(step.done for step in job.assessment().plan.steps)
    left = {item.place: in_stock(job.moment, item) for item in job.workshop.drawer}
    assert left == {"tray F": 0, "tray A": 0, "tray T": 3, "tray B": 0, "tray C": 4} | {"tray A": left["tray A"]}

    say(job, "board washed with IPA, drying")
    assert "more to dry" in guard_words(job, "parts")
    say(job, "board dried")
    assert "more to dry" not in guard_words(job, "parts")
    say(job, *["start ok"] * 5)
    report = build_report(job.assessment(), job.entries, job.env.clock(), job.store.head(job.id))
    parts = next(section for section in report.sections if section.title.startswith("Parts"))
    rows = [row for row in parts.table[1:] if row[1] != "–"]
    assert len(rows) == 34 and all(row[2] != "–" for row in rows)
    again = OpenJob(job.store, job.id)
    assert again.snapshot == job.snapshot and tally_of(again.moment) == tally


def test_a_part_that_comes_off_and_none_goes_in_is_seen(job):
    say(job, "kit: all electrolytics", "C1 removed", "C34 replaced with 1u 50V from shop")
    assert [place.refdes for place in tally_of(job.moment).empty] == ["C1"]
    assert kit_of(job.moment).choice_at(("parts", "C1")).item.place == "tray F", "it is still to be fitted"
    say(job, "C1 put back")
    assert tally_of(job.moment).empty == ()


def test_many_steps_are_compared_beside_the_hand_and_the_orders_before_stay_meanwhile(job):
    say(job, "kit: all electrolytics")
    workspace = Workspace(job, Workbench(), lambda call: None)
    assert workspace.orders() == () and workspace.ordering is not None, "nothing to show before the first are there"
    workspace.ordering.result(timeout=20)
    first = workspace.orders()
    assert first and workspace.ordering is None and len(first[0].tasks) > EXACT_UP_TO
    say(job, "delivery: 9 days")
    assert workspace.orders() == first and workspace.ordering is not None, "as they were, until the new ones are there"
    workspace.ordering.result(timeout=20)
    assert {order.days for order in first} == {3} and {order.days for order in workspace.orders()} == {9}
    workspace.tasks.close()
