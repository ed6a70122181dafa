"""The ten stages in the window: which lists and drawings each has, from top to bottom."""

from collections.abc import Mapping

from loyal_trace.app.desk import Desk
from loyal_trace.app.presenters import inspect, intake, plan, probe, rails, repair, report, roms, suspects, verify
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.ui.widgets.chain_view import ChainView
from loyal_trace.ui.widgets.chip_view import ChipView
from loyal_trace.ui.widgets.clock_view import ClockView
from loyal_trace.ui.widgets.hex_view import HexPane
from loyal_trace.ui.widgets.photo_view import PhotoView
from loyal_trace.ui.widgets.report_view import ReportView
from loyal_trace.ui.widgets.ripple_view import RippleView
from loyal_trace.ui.widgets.rom_picture import RomPicture
from loyal_trace.ui.widgets.stage_page import StagePage
from loyal_trace.ui.widgets.start_curve import StartCurve


def make_stages(desk: Desk) -> Mapping[Stage, StagePage]:
    """One page a stage."""
    rails_parts = (
        (rails.CHAIN, ChainView()), (rails.RIPPLE, RippleView()), rails.BLOCKS, rails.SHORTS,
        (rails.TREE, ClockView()), rails.FACTS, rails.SUPPLY,
    )  # fmt: skip
    roms_parts = (roms.SLOTS, roms.PAGE, (roms.PICTURE, RomPicture()), roms.EXPLAINED, (roms.HEX, HexPane()))
    inspect_parts = ((inspect.PHOTO, PhotoView()), inspect.KEYS, inspect.SEEN, inspect.APART)
    return {
        Stage.INTAKE: StagePage(intake.IntakePresenter(desk), (intake.SHEET, intake.AWAY)),
        Stage.INSPECT: StagePage(inspect.InspectPresenter(desk), inspect_parts),
        Stage.RAILS: StagePage(rails.RailsPresenter(desk), rails_parts),
        Stage.ROMS: StagePage(roms.RomsPresenter(desk), roms_parts),
        Stage.PROBE: StagePage(probe.ProbePresenter(desk), ((probe.CHIP, ChipView()), probe.WORTH), steady=True),
        Stage.SUSPECTS: StagePage(
            suspects.SuspectsPresenter(desk), (suspects.RANKED, suspects.REASONS, suspects.THINGS)
        ),
        Stage.PLAN: StagePage(plan.PlanPresenter(desk), (plan.STEPS, plan.PARTS, plan.CAPACITORS, plan.PAIRS)),
        Stage.REPAIR: StagePage(repair.RepairPresenter(desk), (repair.CARD, repair.SPARES, repair.STEPS)),
        Stage.VERIFY: StagePage(verify.VerifyPresenter(desk), ((verify.CURVE, StartCurve()), verify.ITEMS)),
        Stage.REPORT: StagePage(report.ReportPresenter(desk), ((report.PREVIEW, ReportView()),), fills=True),
    }
