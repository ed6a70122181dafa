"""The ten stages in the window: which lists and drawings each has, from top to bottom.

A page is made when it is first shown, and what it needs is loaded then: the job is on the screen the sooner.
"""

from collections.abc import Callable, Iterator, Mapping

from loyal_trace.app.presenters.model import WANTED
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.ui.widgets.stage_page import StagePage


class Stages:
    """The pages of one job; `made` is told of every new one."""

    def __init__(self, workspace: Workspace, made: Callable[[StagePage], object]) -> None:
        self._desk, self._made = workspace, made
        self._pages: dict[Stage, StagePage] = {}

    def __getitem__(self, stage: Stage) -> StagePage:
        if stage not in self._pages:
            page = self._pages[stage] = _MAKERS[stage](self._desk)
            self._made(page)
        return self._pages[stage]

    def __iter__(self) -> Iterator[StagePage]:
        """The pages made so far."""
        return iter(self._pages.values())


def _intake(workspace: Workspace) -> StagePage:
    from loyal_trace.app.presenters import intake

    return StagePage(intake.IntakePresenter(workspace), (WANTED, intake.SHEET, intake.AWAY))


def _inspect(workspace: Workspace) -> StagePage:
    from loyal_trace.app.presenters import inspect
    from loyal_trace.ui.widgets.photo_view import PhotoView

    parts = ((inspect.PHOTO, PhotoView()), inspect.KEYS, inspect.SEEN, inspect.APART)
    return StagePage(inspect.InspectPresenter(workspace), parts)


def _rails(workspace: Workspace) -> StagePage:
    from loyal_trace.app.presenters import rails
    from loyal_trace.ui.widgets.chain_view import ChainView
    from loyal_trace.ui.widgets.clock_view import ClockView
    from loyal_trace.ui.widgets.ripple_view import RippleView

    drawn = ((rails.CHAIN, ChainView()), (rails.RIPPLE, RippleView()), rails.BLOCKS, rails.SHORTS)
    return StagePage(rails.RailsPresenter(workspace), (*drawn, (rails.TREE, ClockView()), rails.FACTS, rails.SUPPLY))


def _roms(workspace: Workspace) -> StagePage:
    from loyal_trace.app.presenters import roms
    from loyal_trace.ui.widgets.hex_view import HexPane
    from loyal_trace.ui.widgets.rom_picture import RomPicture

    parts = (roms.SLOTS, roms.PAGE, (roms.PICTURE, RomPicture()), roms.EXPLAINED, (roms.HEX, HexPane()))
    return StagePage(roms.RomsPresenter(workspace), parts)


def _probe(workspace: Workspace) -> StagePage:
    from loyal_trace.app.presenters import probe
    from loyal_trace.app.presenters.screen import SCREEN
    from loyal_trace.app.presenters.trace import WAVES
    from loyal_trace.ui.widgets.chip_view import ChipView
    from loyal_trace.ui.widgets.screen_view import ScreenPair
    from loyal_trace.ui.widgets.wave_view import Waves

    parts = ((probe.CHIP, ChipView()), (SCREEN, ScreenPair()), (WAVES, Waves()), probe.WORTH)
    return StagePage(probe.ProbePresenter(workspace), parts, steady=True)


def _suspects(workspace: Workspace) -> StagePage:
    from loyal_trace.app.presenters import suspects
    from loyal_trace.ui.widgets.path_grid import PathGridView

    lists = (suspects.RANKED, suspects.REASONS, suspects.THINGS, suspects.CODES, suspects.FUNCTIONS)
    return StagePage(suspects.SuspectsPresenter(workspace), ((suspects.GRID, PathGridView()), *lists))


def _plan(workspace: Workspace) -> StagePage:
    from loyal_trace.app.presenters import extras, kit, plan, purchase
    from loyal_trace.ui.widgets.orders_view import OrdersChart
    from loyal_trace.ui.widgets.room_view import RoomDrawing

    drawn = ((kit.ROOM, RoomDrawing()), (kit.ORDERS, OrdersChart()))
    lists = (plan.STAND_INS, plan.PARTS, extras.EXTRAS, plan.SCHOOLS, plan.CAPACITORS, plan.PAIRS)
    return StagePage(
        plan.PlanPresenter(workspace), (kit.GROUPS, drawn[0], plan.STEPS, drawn[1], purchase.ORDER, *lists)
    )


def _repair(workspace: Workspace) -> StagePage:
    from loyal_trace.app.presenters import repair
    from loyal_trace.ui.widgets.photo_view import PhotoView
    from loyal_trace.ui.widgets.step_drawing import StepDrawing

    drawn = ((repair.CARD, StepDrawing()), (repair.PHOTO, PhotoView(210)))
    parts = (*drawn, repair.SPARES, repair.STEPS)
    return StagePage(repair.RepairPresenter(workspace), parts)


def _verify(workspace: Workspace) -> StagePage:
    from loyal_trace.app.presenters import verify
    from loyal_trace.ui.widgets.start_curve import StartCurve

    return StagePage(verify.VerifyPresenter(workspace), ((verify.CURVE, StartCurve()), verify.ITEMS))


def _report(workspace: Workspace) -> StagePage:
    from loyal_trace.app.presenters import report
    from loyal_trace.ui.widgets.report_view import ReportView

    return StagePage(report.ReportPresenter(workspace), ((report.PREVIEW, ReportView()),), fills=True)


_MAKERS: Mapping[Stage, Callable[[Workspace], StagePage]] = {
    Stage.INTAKE: _intake,
    Stage.INSPECT: _inspect,
    Stage.RAILS: _rails,
    Stage.ROMS: _roms,
    Stage.PROBE: _probe,
    Stage.SUSPECTS: _suspects,
    Stage.PLAN: _plan,
    Stage.REPAIR: _repair,
    Stage.VERIFY: _verify,
    Stage.REPORT: _report,
}
