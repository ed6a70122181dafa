"""Rails: are the supplies right, and where do they stop being right?"""

from loyal_trace.core.assess.rails import around, rails_by
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.job.entries import GOOD_BOARD, CautionSeen, Decided, Measured, Observed, number_or_overload
from loyal_trace.core.job.snapshot import JobSnapshot
from loyal_trace.core.power.blocks import dead_blocks
from loyal_trace.core.power.expected import nominal_reservoir
from loyal_trace.core.power.explain import explain
from loyal_trace.core.power.findings import Explanation
from loyal_trace.core.power.fuses import fuse_type
from loyal_trace.core.power.guard import CAUTIONS, caution_of, guard_decision, power_guard
from loyal_trace.core.power.rails import SUPPLY_LIMITS, PathReport, PointVerdict, RailReport
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.core.vocabulary.quantities import GROUND, Quantity
from loyal_trace.core.vocabulary.units import parse_reading
from loyal_trace.ui.desk import Desk
from loyal_trace.ui.stages.rails_clock import ClockPage
from loyal_trace.ui.stages.rails_describe import DescribePage
from loyal_trace.ui.stages.rails_short import ShortPage
from loyal_trace.ui.widgets.chain_view import ChainStop, ChainView
from loyal_trace.ui.widgets.ripple_view import RippleView
from loyal_trace.ui.widgets.rows import Cell, Row, RowList
from loyal_trace.ui.widgets.stage_frame import KeyHint, StageFrame, column

_CHECK = {
    "capacitor": "Measure {part}: Plan (Ctrl+7) judges capacitance and ESR.",
    "bridge": "Diode-test {part} leg by leg, power off.",
    "proved": "Renew {part}: Plan (Ctrl+7) has the step; measure on when it is done.",
    "fuse": "Find out why before you replace {part}, like for like.",
    "regulator": "Take the load off {part} and measure its output again.",
    "short": "Hunt the short before any power is applied: press H.",
    "connector": "Clean and reseat {part}, then measure again.",
}
_KIND = {"good": "good", "bad": "bad", "doubtful": "doubtful"}


def _stop(point: PointVerdict, boundary: bool) -> ChainStop:
    kind = _KIND.get(point.verdict, "unknown")
    where = point.point
    return ChainStop(where.point, where.quantity, point.shown, point.expected, kind, boundary, where.branch)


class RailStage:
    """The chain of the board in view, point after point; pages hunt shorts, follow the clock, describe a supply."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self.current = 0
        self.chain, self.ripple, self.blocks = ChainView(), RippleView(), RowList("schools and blocks")
        self.frame = StageFrame(column())
        self.short, self.clock = ShortPage(desk, self.frame), ClockPage(desk, self.frame)
        self.describe = DescribePage(desk, self.frame)
        self.page: ShortPage | ClockPage | DescribePage | None = None
        self._pages = {None: column(self.chain, self.ripple, self.blocks), self.short: column(self.short.list),
                       self.clock: self.clock.widget, self.describe: column(self.describe.list)}  # fmt: skip
        for widget in self._pages.values():
            self.frame.evidence.layout().insertWidget(0, widget)
        self.chain.picked.connect(self._pick)
        self.frame.entry.submitted.connect(self._submitted)
        self._board = ""
        self._good_board = False

    def hints(self) -> tuple[KeyHint, ...]:
        pages = (
            KeyHint("H", "chain" if self.page is self.short else "hunt a short", lambda: self._turn_to(self.short)),
            KeyHint("C", "chain" if self.page is self.clock else "clock", lambda: self._turn_to(self.clock)),
            KeyHint("D", "chain" if self.page is self.describe else "", lambda: self._turn_to(self.describe)),
        )
        if self.page is not None:
            return (*self.page.hints(), *pages)
        blocked = self._blocked() != ""
        return (
            KeyHint("O", "OL", lambda: self._record(float("inf"), "hand")),
            KeyHint("M", "meter", self._from_meter),
            KeyHint("N", "next supply" if len(self._report().paths) > 1 else "", self._next_path),
            KeyHint("S", "school", self._next_school),
            KeyHint("B", "this board" if self._good_board else "good board", self._other_board),
            KeyHint("K", "" if self._caution_read() else "caution read", self._caution_seen),
            KeyHint("Y", "power on anyway" if blocked else "", self._go_on),
            *pages,
            KeyHint("↑↓", "", None),
            KeyHint("↑", "", lambda: self._pick(self.current - 1)),
            KeyHint("↓", "", lambda: self._pick(self.current + 1)),
        )

    def overlay_trace(self) -> tuple[tuple[tuple[str, int], ...], str]:
        return (), ""

    def picked(self) -> None:
        self.refresh()

    def _turn_to(self, page: ShortPage | ClockPage | DescribePage) -> None:
        """A page, or back to the chain when it is in view already."""
        self.page = None if self.page is page else page
        self.refresh()

    def _report(self) -> RailReport:
        return self.desk.assessment().rails.get(self.desk.board, RailReport())

    def refresh(self) -> None:
        report = self._report()
        if self._board != self.desk.board:
            self._board = self.desk.board
            self.current = self._first_wanted(report)
        school = self.desk.job.snapshot.decision("supply limits", "maker")
        title = self.desk.definition.title if self.desk.definition else ""
        self.frame.head(
            "Are the supplies right, and where do they stop being right?",
            f"{title} · {report.measured} of {len(report.points)} points measured · judged by {SUPPLY_LIMITS[school]}",
        )
        path = self._path(report)
        for page, widget in self._pages.items():
            widget.setVisible(page is self.page)
        self._show_caution(path)
        self.frame.entry.set_hints(self.hints())
        if self.page is not None:
            self.short.path = path.path
            self.page.refresh()
            return
        known = around(self.desk.job.moment, self.desk.board) if path.points else None
        said = explain(self.desk.definition, path, known) if self.desk.definition and path.points else ()
        accused = next((line for line in said if line.kind == "bad"), None) if path.first_bad else None
        stops = tuple(_stop(p, p is path.first_bad) for p in path.points)
        here = path.points.index(report.points[self.current]) if path.points else -1
        self.chain.show_chain(stops, here, self._feeds(path))
        self._show_ripple(path)
        self._show_rows(report, path, [line for line in said if line is not accused])
        self._meaning(path, accused)
        self._ask(report)

    def _ask(self, report: RailReport) -> None:
        """What the entry line is for."""
        if not report.points:
            self.frame.entry.set_target("", "this board describes no supply points: D describes one in three lines")
            return
        point = report.points[self.current].point
        power = "powered" if point.powered else "power off"
        whose = "of the good board, " if self._good_board else ""
        what = f"{point.quantity} and speed, such as 2A slow," if point.quantity == "rating" else point.quantity
        told = f"{whose}{what} in {Quantity(point.quantity).unit}, {power}; then the next point by itself"
        self.frame.entry.set_target(point.point, told)

    def _first_wanted(self, report: RailReport) -> int:
        """Where to begin: what is bad, else what has to be measured before power, else what is left."""
        points = list(report.points)
        bad = [p for p in points if p in report.first_bads]
        still = [p for p in points if p.reading is None]
        before = [p for p in still if not p.point.powered and points and p.point.path == points[0].point.path]
        first = (bad if not still else before or still) or points
        return points.index(first[0]) if first else 0

    def _show_caution(self, path: PathReport) -> None:
        board = self.desk.definition
        name = caution_of(board, path.path) if board is not None and path.points else ""
        read = self.desk.job.snapshot.paper.cautions.get(name)
        text = CAUTIONS.get(name, "")
        self.frame.caution.say(f"Read by {read.author or 'you'}, {read.time:%H:%M}. {text}" if read else text)

    def _caution_read(self) -> bool:
        """Was the caution of this path seen, or is there none?"""
        board, path = self.desk.definition, self._path(self._report())
        name = caution_of(board, path.path) if board is not None and path.points else ""
        return not name or name in self.desk.job.snapshot.paper.cautions

    def _blocked(self) -> str:
        """Why the power guard stops the current reading: what is not measured yet, and its risk; else empty."""
        report = self._report()
        if not report.points or self._good_board:
            return ""
        point, path = report.points[self.current], self._path(report)
        if not point.point.powered or point.point.quantity == "ac voltage":
            return ""
        guard = power_guard(path)
        decided = guard_decision(self.desk.board, path.path) in self.desk.job.snapshot.paper.decisions
        if not guard.missing or decided:
            return ""
        return f"not measured before power: {', '.join(guard.missing[:5])}. {guard.risk[:1].upper()}{guard.risk[1:]}"

    def _feeds(self, path: PathReport) -> str:
        """Which blocks need the rails of this path, in words for the end of the line."""
        board = self.desk.definition
        if board is None:
            return ""
        ends = {p.point.point for p in path.points}
        rails = {rail.name for rail in board.rails if rail.far in ends}
        blocks = [block.name for block in board.blocks if rails & set(block.rails)]
        return f"feeds {', '.join(blocks)}" if blocks else ""

    def _path(self, report: RailReport) -> PathReport:
        """The supply path of the current point."""
        self.current = min(self.current, max(0, len(report.points) - 1))
        return report.path_of(report.points[self.current]) if report.points else PathReport("", ())

    def _show_ripple(self, path: PathReport) -> None:
        """Expected ripple against the measured one, where both are known."""
        board = self.desk.definition
        supply = board.supply(path.path) if board else None
        full = nominal_reservoir(board, supply) if supply else None
        measured = [path.latest(quantity) for quantity in ("voltage", "ripple", "ripple frequency")]
        numbers = [p.reading.value if p and p.reading else None for p in measured]
        self.ripple.show_ripple(full, supply, *numbers)

    def _show_rows(self, report: RailReport, path: PathReport, others: list[Explanation]) -> None:
        """What else the readings say together, all supplies, each school's word, which blocks a bad rail excuses."""
        board, state = self.desk.definition, self.desk.job.snapshot
        if board is None or not report.points:
            self.blocks.set_rows((), -1)
            return
        rows: list[Row] = []
        if others:
            rows.append(Row("", (), heading="What else the readings say together", height=28))
            for line in others:
                height = 24 if len(line.text) < 96 else 42
                rows.append(Row(_KIND.get(line.kind, "unknown"), (Cell(40, 0, line.text),), height=height))
        if len(report.paths) > 1:
            rows.append(Row("", (), heading="Supplies", height=26))
            for one in report.paths:
                bad = one.first_bad
                kind = "bad" if bad else "good" if one.measured == len(one.points) else "unknown"
                words = f"stops being right at {bad.point.point}" if bad else "nothing wrong so far"
                cells = (Cell(40, 130, one.path, bold=one is path),
                         Cell(176, 90, f"{one.measured} of {len(one.points)}"), Cell(270, 0, words))  # fmt: skip
                rows.append(Row(kind, cells, height=24))
        rows += self._school_rows(board, state, path)
        for dead in dead_blocks(board, report):
            height = 24 if len(dead.words) < 92 else 42
            rows.append(Row("doubtful", (Cell(40, 0, dead.words),), height=height))
        self.blocks.set_rows(tuple(rows), -1)

    def _school_rows(self, board: BoardDefinition, state: JobSnapshot, path: PathReport) -> list[Row]:
        """The far end of this path by each school of what a good rail is."""
        far = {rail.far for rail in board.rails}
        rows = []
        for name, words in SUPPLY_LIMITS.items():
            judged = rails_by(self.desk.job.moment, self.desk.board, name)
            ends = [p for p in judged.points if p.point.path == path.path and p.point.quantity == "voltage"]
            for end in (p for p in ends if p.point.point in far):
                chosen = name == state.decision("supply limits", "maker")
                cells = (
                    Cell(40, 70, name, bold=chosen), Cell(112, 110, end.verdict, end.verdict),
                    Cell(226, 80, end.shown), Cell(310, 0, words),
                )  # fmt: skip
                rows.append(Row(_KIND.get(end.verdict, "unknown"), cells, height=24))
        return [Row("", (), heading="The far end by each school", height=28), *rows] if rows else []

    def _meaning(self, path: PathReport, accused: Explanation | None) -> None:
        bad, good = path.first_bad, path.last_good
        if bad:
            before = f" {good.point.point} before it is good." if good else ""
            why = f"{accused.text}." if accused else f"{bad.why}: {bad.shown}, expected {bad.expected}."
            part = accused.part if accused else bad.point.part or bad.point.point
            board = self.desk.definition
            kind = board.part(part).kind if board and board.has(part) else ""
            if bad.point.quantity == "diode":
                kind = "proved"
            kind = "short" if bad.point.quantity in GROUND else kind
            advice = _CHECK.get(kind, "Measure the path to {part} and {part} itself, power off.").format(part=part)
            self.frame.meaning.say(f"{why[:1].upper()}{why[1:]}{before}", advice, "bad")
            return
        left = [p for p in path.points if p.reading is None]
        if left:
            why = f"{path.measured} points are in order; {len(left)} are not measured yet."
            note = f": {left[0].point.note}" if left[0].point.note else ""
            self.frame.meaning.say(why, f"Measure {left[0].point.quantity} at {left[0].point.point}{note}.")
        elif path.points:
            self.frame.meaning.say(
                "Every point of this chain is within its limits.", "Go on to the ROMs (Ctrl+4).", "good"
            )
        else:
            self.frame.meaning.say("No chain is described for this board.", "Press D to describe one in three lines.")

    def _next_path(self) -> None:
        report = self._report()
        if len(report.paths) > 1:
            names = [path.path for path in report.paths]
            following = report.paths[(names.index(self._path(report).path) + 1) % len(names)]
            still = [p for p in following.points if p.reading is None]
            first = [p for p in still if not p.point.powered] or still or list(following.points)
            self._pick(report.points.index(first[0]))

    def _pick(self, index: int) -> None:
        points = self._report().points
        if points:
            self.current = index % len(points)
            part = points[self.current].point.part
            if part and part != self.desk.part:
                self.desk.pick(self.desk.board, part)
            else:
                self.refresh()

    def _point(self) -> PointVerdict | None:
        points = self._report().points
        return points[self.current] if points else None

    def _record(self, number: float, source: str) -> None:
        point = self._point()
        if point is None:
            return
        if not self._caution_read():
            self.desk.said.emit("read the caution first, then press K: it is signed with your name and the time", True)
            return
        blocked = self._blocked()
        if blocked:
            self.desk.said.emit(f"{blocked}. Measure them first, or press Y to go on, which is recorded", True)
            return
        value, overload = number_or_overload(number)
        recorded = self.desk.record(
            Measured, board=self.desk.board, place=point.point.point, quantity=point.point.quantity, value=value,
            overload=overload, powered=point.point.powered, source=GOOD_BOARD if self._good_board else source,
        )  # fmt: skip
        if recorded:
            self._pick(self._following(point))

    def _following(self, point: PointVerdict) -> int:
        """The next point: along the path, those to be taken with the power off before the others."""
        points, path = self._report().points, self._path(self._report())
        if self._good_board:
            return self.current + 1
        rest = points[self.current + 1 :]
        off = [p for p in path.points if not p.point.powered and p.reading is None]
        after = next((p for p in rest if p in off), None) or next(iter(off), None)
        after = after or next((p for p in rest if p in path.points and p.reading is None), None)
        after = after or next((p for p in (*path.points, *rest) if p.reading is None), None)
        return points.index(after) if after is not None else self.current + 1

    def _go_on(self) -> None:
        """Power without what should have been measured first: a decision, with its reason."""
        blocked = self._blocked()
        if blocked:
            what = guard_decision(self.desk.board, self._path(self._report()).path)
            self.desk.record(Decided, board=self.desk.board, what=what, choice="go on anyway", reason=blocked)

    def _other_board(self) -> None:
        """Readings from now on are of a good board, or of this one again."""
        self._good_board = not self._good_board
        self.refresh()
        words = "a board known to work: this one is held against it" if self._good_board else "this board again"
        self.desk.said.emit(f"readings are of {words}", False)

    def _from_meter(self) -> None:
        point = self._point()
        if point is None or self.desk.instruments.meter is None:
            self.desk.said.emit("no meter is connected: type what yours shows", True)
            return
        try:
            number = self.desk.instruments.meter.measure(self.desk.board, point.point.point, point.point.quantity)
        except LoyalTraceError as error:
            self.desk.said.emit(str(error), True)
            return
        self._record(number, "meter")

    def _submitted(self, text: str) -> None:
        if self.page is not None:
            if self.page.submitted(text) and self.page is self.describe:
                self._turn_to(self.describe)
            return
        point = self._point()
        if not text.strip() or point is None:
            self._pick(self.current + 1)
            return
        words = text.rsplit(maxsplit=1)
        kind = fuse_type(words[-1]) if point.point.quantity == "rating" and len(words) > 1 else ""
        try:
            number = parse_reading(words[0] if kind else text, Quantity(point.point.quantity).unit)
        except LoyalTraceError as error:
            self.desk.said.emit(str(error), True)
            return
        self.frame.entry.edit.clear()
        if kind:
            self._fuse_type(point.point.part, kind)
        self._record(number, "hand")

    def _fuse_type(self, refdes: str, kind: str) -> None:
        """The speed read off the cap: another one than the board wants is a wrong part."""
        wanted = fuse_type(self.desk.definition.part(refdes).number)
        if wanted and kind != wanted and self._caution_read():
            note = f"{kind} where the board wants {wanted}"
            self.desk.record(Observed, board=self.desk.board, place=refdes, finding="wrong part", note=note)

    def _next_school(self) -> None:
        names = list(SUPPLY_LIMITS)
        now = self.desk.job.snapshot.decision("supply limits", "maker")
        choice = names[(names.index(now) + 1) % len(names)]
        self.desk.record(Decided, what="supply limits", choice=choice, reason=SUPPLY_LIMITS[choice])

    def _caution_seen(self) -> None:
        board = self.desk.definition
        name = caution_of(board, self._path(self._report()).path) if board is not None else ""
        if name:
            self.desk.record(CautionSeen, caution=name)
