"""The cautions: where the work can hurt, each appears; where it cannot, none does. One order: power off comes first."""

import re

import pytest

from loyal_trace.app.cautions import caution_texts, caution_words
from loyal_trace.app.commands import Setting, enter_line, guard_words, holds_for, preview
from loyal_trace.app.job import OpenJob, new_id, open_new_job
from loyal_trace.app.presenters.inspect import InspectPresenter
from loyal_trace.app.presenters.probe import ProbePresenter
from loyal_trace.app.presenters.rails import RailsPresenter
from loyal_trace.app.presenters.repair import RepairPresenter
from loyal_trace.app.presenters.verify import VerifyPresenter
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.assess.next_things import next_things
from loyal_trace.core.vocabulary.cautions import Caution
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.demo.workshop import DEMO_BENCHES, build_workshop
from loyal_trace.instruments.protocols import Workbench
from loyal_trace.store.store import Store

OWN = ("U1 is 74LS00", "U2 is 27C64", "U2 is socketed", "C1 is 1000u 16V", "C2 is 47u 25V", "F1 is 2A")
AC = ("supply +5: from J1 9 V AC", "supply +5: through F1/2A, BR1, C1 1000u", "supply +5: to REG1 5 V, U1.14")
DC = ("supply +5: from J1 5 V DC 3 A", "supply +5: through F1/2A, C1", "supply +5: to U1.14")
IRON = {Caution.SOLDERING, Caution.LEAD, Caution.CUT_LEADS}
FED = {Caution.MAINS, Caution.RESERVOIR}


@pytest.fixture
def own(tmp_path):
    """Makes a job about a board of one's own from typed lines."""
    with Store(tmp_path) as store:

        def make(*lines):
            job = OpenJob(store, open_new_job(store, "Own board", []))
            for line in (*OWN, *lines):
                assert enter_line(job, line, Setting()).status == "recorded", line
            return Workspace(job, Workbench(), lambda act: act())

        yield make


def named(text):
    """The cautions whose words stand in a text."""
    return {caution for caution, one in caution_texts().items() if one.text in text}


def on_page(presenter, workspace, part=""):
    if part:
        workspace.pick("own", part)
    return named(presenter(workspace).page().caution)


def at_steps(workspace):
    """The cautions of each step of the plan, by its place."""
    return {step.place.refdes: set(step.cautions) for step in workspace.assessment().plan.steps}


def test_the_data_file_holds_every_caution_with_hazard_action_place_and_source():
    assert set(caution_texts()) == set(Caution)
    for caution, one in caution_texts().items():
        assert one.where and one.source and len(re.findall(r"[.!](?: |$)", one.text)) >= 2, caution
        assert not one.danger or "ualified" in one.text or caution is Caution.RESERVOIR, "it defers to local rules"
    both = caution_words([Caution.STATIC, Caution.MAINS, Caution.STATIC])
    assert both.startswith("DANGER: Mains") and both.count("CAUTION: ") == 1, "what can kill first, nothing twice"
    told = caution_texts()
    assert "1 kΩ 5 W" in told[Caution.RESERVOIR].text and "22 kΩ 10 W" in told[Caution.RESERVOIR].text
    assert "vinegar" in told[Caution.LEAKED_ALKALI].text and "no vinegar" in told[Caution.LEAKED_ELECTROLYTE].text
    assert (
        "never charge" in told[Caution.CELL_LITHIUM].text.lower() and "can be charged" in told[Caution.CELL_NICD].text
    )


@pytest.mark.parametrize(
    ("lines", "shown"),
    [
        (AC, FED),
        (DC, {Caution.DC_SUPPLY}),
        ((*DC, "symptom: no picture"), {Caution.DC_SUPPLY, Caution.MONITOR}),
        ((*AC, "F1 rating 5A slow"), {*FED, Caution.FUSE}),
        ((), set()),
    ],
)
def test_rails_show_the_cautions_of_what_feeds_the_board(own, lines, shown):
    assert on_page(RailsPresenter, own(*lines)) == shown


@pytest.mark.parametrize(
    ("lines", "shown"),
    [
        (("C1 leaking",), {Caution.LEAKED_ELECTROLYTE, Caution.ALCOHOL}),
        (("BT1 is NiCd 3.6V", "BT1 leaking"), {Caution.CELL_NICD, Caution.LEAKED_ALKALI}),
        (("BT1 is lead 6V", "BT1 leaking"), {Caution.CELL_LEAD, Caution.LEAKED_ACID}),
        (("BT1 is type X3", "BT1 leaking"), {Caution.CELL_UNKNOWN}),
        (("BT1 is CR2032", "BT1 leaking"), {Caution.CELL_LITHIUM}),
        (("C1 leaking", "C1 replaced"), set()),
        (("U1 corroded",), set()),
    ],
)
def test_inspection_shows_what_leaked_and_what_cleans_it(own, lines, shown):
    assert on_page(InspectPresenter, own(*lines)) == shown


@pytest.mark.parametrize(
    ("lines", "place", "shown"),
    [
        (("C2 measures 2u",), "C2", {Caution.POLARITY, *IRON}),
        ((*AC, "C1 measures 20u"), "C1", {*FED, Caution.POLARITY, *IRON}),
        ((*DC, "C1 measures 20u"), "C1", {Caution.POLARITY, *IRON}),
        (("U2 missing",), "U2", {Caution.STATIC}),
        (("U1 missing",), "U1", {Caution.STATIC, *IRON}),
        (("F1 missing",), "F1", {Caution.FUSE}),
        ((*AC, "F1 missing"), "F1", {Caution.FUSE, *FED}),
        (("BT1 is NiMH 3.6V", "BT1 missing"), "BT1", {Caution.CELL_NIMH}),
        (("BT1 is lithium rechargeable 3V", "BT1 missing"), "BT1", {Caution.CELL_LITHIUM_RECHARGEABLE}),
        (("BT1 is alkaline 4.5V", "BT1 missing"), "BT1", {Caution.CELL_ALKALINE}),
        (("socket of U2 worn",), "U2", {Caution.SOLDERING, Caution.LEAD, Caution.STATIC}),
    ],
)
def test_a_step_shows_the_cautions_of_its_part_and_its_work(own, lines, place, shown):
    workspace = own(*lines)
    assert at_steps(workspace)[place] == shown
    assert on_page(RepairPresenter, workspace, place) == shown


def test_a_line_that_names_an_etchant_is_recorded_with_its_caution(own):
    workspace = own()
    for line in ("U1 cleaned -- with etchant", "scrubbed the edge with oxalic acid"):
        assert named("\n".join(preview(workspace.job, line, Setting()).cautions)) == {Caution.CORROSIVE}
    assert preview(workspace.job, "acid test of patience", Setting()).cautions == ()


def test_verify_and_probe_want_the_power_off_readings_first_and_verify_warns_of_the_monitor(own):
    workspace = own(*DC, "symptom: picture rolls")
    assert on_page(VerifyPresenter, workspace) == {Caution.MONITOR}
    words = guard_words(workspace.job, "own")
    assert (
        words.startswith("Unplug the board and measure with the power off: U1.14 resistance to ground, F1 resistance")
        and "Unknown" in words
    )
    workspace.pick("own", "U1")
    assert words in ProbePresenter(workspace).page().caution and words in VerifyPresenter(workspace).page().caution
    for line in ("F1 0.1 ohm", "F1 rating 2A slow", "U1.14 to ground 300 ohm"):
        enter_line(workspace.job, line, Setting(in_view="own"))
    assert guard_words(workspace.job, "own") == "" and ProbePresenter(workspace).page().caution == ""


def test_ac_at_the_plug_waits_for_the_power_off_readings_too(own):
    workspace = own(*AC)
    line = preview(workspace.job, "J1 ac 8.6V", Setting())
    held = [hold for hold in holds_for(workspace.job, line.said[0].entries) if not hold.caution]
    assert held and held[0].words.startswith("Unplug the board")


@pytest.mark.parametrize("job", sorted(DEMO_BENCHES))
def test_on_a_fresh_demo_job_next_line_and_plan_ask_for_the_power_off_readings_first(tmp_path, job):
    with Store(tmp_path) as store:
        build_workshop(store, new_id)
        opened = OpenJob(store, job)
        workspace = Workspace(opened, Workbench(), lambda act: act())
        for board in opened.boards:
            workspace.pick(board, "")
            rails = RailsPresenter(workspace)
            report = workspace.assessment().rails[board]
            asked, following = rails.setting().asked, rails.page().meaning.next
            assert asked is None or asked.point in following or report.wanted() is None
            if report.power_off_missing:
                assert not asked.powered and "power off" in following
                things = [t for t in next_things(workspace.moment, 9) if t.place.board == board]
                assert not any(t.stage is Stage.PROBE for t in things)
                assert all("power off" in t.text for t in things if t.stage is Stage.RAILS)
