"""Rails: are the supplies right, and where do they stop being right?"""

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.errors import LoyalTraceError
from loyal_trace.core.logbook.describe import UNITS, number_or_overload
from loyal_trace.core.logbook.entries import CautionSeen, Decided, Measured
from loyal_trace.core.logbook.state import JobState
from loyal_trace.core.power.expected import nominal_reservoir
from loyal_trace.core.power.explain import Explanation, explain
from loyal_trace.core.power.rails import SCHOOLS, PathReport, PointVerdict, RailReport, judge_rails
from loyal_trace.core.units import parse_reading
from loyal_trace.ui.desk import Desk
from loyal_trace.ui.widgets.chain_view import ChainStop, ChainView
from loyal_trace.ui.widgets.ripple_view import RippleView
from loyal_trace.ui.widgets.rows import Cell, Row, RowList
from loyal_trace.ui.widgets.stage_frame import KeyHint, StageFrame, column

CAUTION = (
    "Mains is on this transformer. Off before touching; discharge the reservoir through a resistor and measure. Fuses "
    "like for like. Mains wiring is for a qualified person under your local rules."
)
_CHECK = {
    "capacitor": "Measure {part}: Plan (Ctrl+7) judges capacitance and ESR.",
    "bridge": "Diode-test {part} leg by leg, power off.",
    "proved": "Renew {part}: Plan (Ctrl+7) has the step; measure on when it is done.",
    "fuse": "Find out why before you replace {part}, like for like.",
    "regulator": "Take the load off {part} and measure its output again.",
    "connector": "Clean and reseat {part}, then measure again.",
}
_SEEN = "mains and reservoir"
_KIND = {"good": "good", "bad": "bad", "doubtful": "doubtful"}


def _stop(point: PointVerdict, boundary: bool) -> ChainStop:
    kind = _KIND.get(point.verdict, "unknown")
    return ChainStop(point.point.point, point.point.quantity, point.shown, point.expected, kind, boundary)


class RailStage:
    """The chain of the board in view, point after point."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self.current = 0
        self.chain, self.ripple, self.blocks = ChainView(), RippleView(), RowList("schools and blocks")
        self.frame = StageFrame(column(self.chain, self.ripple, self.blocks))
        self.chain.picked.connect(self._pick)
        self.frame.entry.submitted.connect(self._submitted)
        self._board = ""

    def hints(self) -> tuple[KeyHint, ...]:
        seen = _SEEN in self.desk.session.state.cautions
        return (
            KeyHint("O", "OL, open", lambda: self._record(float("inf"), "hand")),
            KeyHint("M", "from the meter", self._from_meter),
            KeyHint("N", "next supply" if len(self._report().paths) > 1 else "", self._next_path),
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
        return self.desk.assessment().rails.get(self.desk.board, RailReport())

    def refresh(self) -> None:
        report = self._report()
        if self._board != self.desk.board:
            self._board = self.desk.board
            wanted = [i for i, p in enumerate(report.points) if p.reading is None or p in report.first_bads]
            self.current = wanted[0] if wanted else 0
        state = self.desk.session.state
        school = state.decision("rail school", "maker")
        title = self.desk.definition.title if self.desk.definition else ""
        self.frame.head(
            "Are the supplies right, and where do they stop being right?",
            f"{title} · {report.measured} of {len(report.points)} points measured · judged by {SCHOOLS[school]}",
        )
        path = self._path(report)
        said = explain(self.desk.definition, path) if self.desk.definition and path.points else ()
        accused = next((line for line in said if line.kind == "bad"), None) if path.first_bad else None
        stops = tuple(_stop(p, p is path.first_bad) for p in path.points)
        self.chain.show_chain(stops, path.points.index(report.points[self.current]) if path.points else -1)
        self._show_ripple(path)
        self._show_rows(report, path, [line for line in said if line is not accused])
        self._meaning(path, accused)
        read = state.cautions.get(_SEEN)
        shown = f"Read by {read.author or 'you'}, {read.time:%H:%M}. {CAUTION}" if read else CAUTION
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
        board, state = self.desk.definition, self.desk.session.state
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
        far = {rail.far for rail in board.rails}
        dead = any(p.verdict == "bad" and p.point.point in far for p in report.points)
        for block in board.blocks:
            if dead and block.rails:
                text = f"{block.name} needs {', '.join(block.rails)}: not accused while the rail is bad"
                rows.append(Row("doubtful", (Cell(40, 0, text),), height=24))
        self.blocks.set_rows(tuple(rows), -1)

    def _school_rows(self, board: BoardDefinition, state: JobState, path: PathReport) -> list[Row]:
        """The far end of this path by each school of what a good rail is."""
        far = {rail.far for rail in board.rails}
        rows = []
        for name, words in SCHOOLS.items():
            judged = judge_rails(self.desk.board, board, state, name)
            ends = [p for p in judged.points if p.point.path == path.path and p.point.quantity == "voltage"]
            for end in (p for p in ends if p.point.point in far):
                chosen = name == state.decision("rail school", "maker")
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
            self.frame.meaning.say("No chain is described for this board.", "Add [[chain]] points to board.toml.")

    def _next_path(self) -> None:
        report = self._report()
        if len(report.paths) > 1:
            names = [path.path for path in report.paths]
            following = report.paths[(names.index(self._path(report).path) + 1) % len(names)]
            open_points = [p for p in following.points if p.reading is None] or list(following.points)
            self._pick(report.points.index(open_points[0]))

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
            number = parse_reading(text, UNITS.get(point.point.quantity, ""))
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
