"""Rails: are the supplies right, and where do they stop being right?"""

from loyal_trace.core.errors import LoyalTraceError
from loyal_trace.core.logbook.describe import UNITS, number_or_overload
from loyal_trace.core.logbook.entries import CautionSeen, Decided, Measured
from loyal_trace.core.power.rails import SCHOOLS, PointVerdict, RailReport, judge_rails
from loyal_trace.core.units import parse_quantity
from loyal_trace.ui.desk import Desk
from loyal_trace.ui.widgets.chain_view import ChainStop, ChainView
from loyal_trace.ui.widgets.rows import Cell, Row, RowList
from loyal_trace.ui.widgets.stage_frame import KeyHint, StageFrame, column

CAUTION = (
    "Mains is on this set's transformer. Switch off before touching; the reservoir holds charge: discharge it through "
    "a resistor and measure. Fuses only with the rating printed on the board. Mains wiring is work for a qualified "
    "person under your local rules."
)
_SEEN = "mains and reservoir"
_KIND = {"good": "good", "bad": "bad", "doubtful": "doubtful"}


class RailStage:
    """The chain of the board in view, point after point."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self.current = 0
        self.chain, self.blocks = ChainView(), RowList("schools and blocks")
        self.frame = StageFrame(column(self.chain, self.blocks))
        self.chain.picked.connect(self._pick)
        self.frame.entry.submitted.connect(self._submitted)
        self._board = ""

    def hints(self) -> tuple[KeyHint, ...]:
        seen = _SEEN in self.desk.session.state.cautions
        return (
            KeyHint("O", "OL, open", lambda: self._record(float("inf"), "hand")),
            KeyHint("M", "from the meter", self._from_meter),
            KeyHint("S", "school", self._next_school),
            KeyHint("K", "" if seen else "caution read", self._caution_seen),
            KeyHint("↑↓", "point", None),
            KeyHint("↑", "", lambda: self._pick(self.current - 1)),
            KeyHint("↓", "", lambda: self._pick(self.current + 1)),
        )

    def overlay_trace(self) -> tuple[tuple[tuple[str, int], ...], str]:
        return (), ""

    def picked(self) -> None:
        self.refresh()

    def _report(self) -> RailReport:
        return self.desk.assessment().rails.get(self.desk.board, RailReport((), None, None))

    def refresh(self) -> None:
        report = self._report()
        if self._board != self.desk.board:
            self._board = self.desk.board
            wanted = [i for i, p in enumerate(report.points) if p.reading is None or p is report.first_bad]
            self.current = wanted[0] if wanted else 0
        state = self.desk.session.state
        school = state.decision("rail school", "maker")
        title = self.desk.definition.title if self.desk.definition else ""
        self.frame.head(
            "Are the supplies right, and where do they stop being right?",
            f"{title} · {report.measured} of {len(report.points)} points measured · judged by {SCHOOLS[school]}",
        )
        stops = tuple(
            ChainStop(
                p.point.point,
                p.point.quantity,
                p.shown,
                p.expected,
                _KIND.get(p.verdict, "unknown"),
                p is report.first_bad,
            )
            for p in report.points
        )
        self.chain.show_chain(stops, self.current if report.points else -1)
        self._show_blocks(report)
        self._meaning(report)
        read = state.cautions.get(_SEEN)
        shown = f"Caution read by {read.author or 'you'}, {read.time:%H:%M}. {CAUTION}" if read else CAUTION
        self.frame.caution.say(shown if any(p.point.part for p in report.points) else "")
        self.frame.entry.set_hints(self.hints())
        if report.points:
            point = report.points[self.current].point
            unit = UNITS.get(point.quantity, "")
            power = "powered" if point.powered else "power off"
            self.frame.entry.set_target(
                point.point, f"{point.quantity} in {unit}, {power}; then the next point by itself"
            )
        else:
            self.frame.entry.set_target("", "this board describes no supply points")

    def _show_blocks(self, report: RailReport) -> None:
        """What each school says of the far end, and which blocks a bad rail excuses."""
        rows = [Row("", (), heading="The far end by each school", height=28)]
        board, state = self.desk.definition, self.desk.session.state
        if board is None or not report.points:
            self.blocks.set_rows((), -1)
            return
        far = {rail.far for rail in board.rails}
        for name, words in SCHOOLS.items():
            judged = judge_rails(self.desk.board, board, state, name)
            ends = [p for p in judged.points if p.point.point in far and p.point.quantity == "voltage"]
            for end in ends:
                chosen = name == state.decision("rail school", "maker")
                cells = (
                    Cell(40, 70, name, bold=chosen), Cell(112, 110, end.verdict, end.verdict),
                    Cell(226, 80, end.shown), Cell(310, 0, words),
                )  # fmt: skip
                rows.append(Row(_KIND.get(end.verdict, "unknown"), cells, height=25))
        for block in board.blocks:
            dead = any(p.verdict == "bad" and p.point.point in far for p in report.points)
            if dead and block.rails:
                text = f"{block.name} needs {', '.join(block.rails)}: not accused while the rail is bad"
                rows.append(Row("doubtful", (Cell(40, 0, text),), height=25))
        self.blocks.set_rows(tuple(rows), -1)

    def _meaning(self, report: RailReport) -> None:
        if report.first_bad:
            bad, good = report.first_bad, report.last_good
            before = f" {good.point.point} before it is good." if good else ""
            part = bad.point.part or bad.point.point
            self.frame.meaning.say(
                f"{bad.why}: {bad.shown}, expected {bad.expected}.{before}",
                f"Check {part} itself (Plan measures capacitors; a series part by its resistance, power off).",
                "bad",
            )
            return
        left = [p for p in report.points if p.reading is None]
        if left:
            self.frame.meaning.say(
                f"{report.measured} points are in order; {len(left)} are not measured yet.",
                f"Measure {left[0].point.quantity} at {left[0].point.point}: {left[0].point.note}.",
            )
        elif report.points:
            self.frame.meaning.say(
                "Every point of this chain is within its limits.", "Go on to the ROMs (Ctrl+4).", "good"
            )
        else:
            self.frame.meaning.say("No chain is described for this board.", "Add [[chain]] points to board.toml.")

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
        if _SEEN not in self.desk.session.state.cautions:
            self.desk.said.emit("read the caution first, then press K: it is signed with your name and the time", True)
            return
        value, overload = number_or_overload(number)
        recorded = self.desk.record(
            Measured, board=self.desk.board, place=point.point.point, quantity=point.point.quantity, value=value,
            overload=overload, powered=point.point.powered, source=source,
        )  # fmt: skip
        if recorded:
            self._pick(self.current + 1)

    def _from_meter(self) -> None:
        point = self._point()
        if point is None or self.desk.instruments is None:
            self.desk.said.emit("no meter is connected: type what yours shows", True)
            return
        try:
            number = self.desk.instruments.measure(self.desk.board, point.point.point, point.point.quantity)
        except LoyalTraceError as error:
            self.desk.said.emit(str(error), True)
            return
        self._record(number, "meter")

    def _submitted(self, text: str) -> None:
        point = self._point()
        if not text.strip() or point is None:
            self._pick(self.current + 1)
            return
        try:
            overload = text.strip().upper() == "OL"
            unit = UNITS.get(point.point.quantity, "")
            number = float("inf") if overload else parse_quantity(text, unit)
        except LoyalTraceError as error:
            self.desk.said.emit(str(error), True)
            return
        self.frame.entry.edit.clear()
        self._record(number, "hand")

    def _next_school(self) -> None:
        names = list(SCHOOLS)
        now = self.desk.session.state.decision("rail school", "maker")
        choice = names[(names.index(now) + 1) % len(names)]
        self.desk.record(Decided, what="rail school", choice=choice, reason=SCHOOLS[choice])

    def _caution_seen(self) -> None:
        self.desk.record(CautionSeen, caution=_SEEN)
