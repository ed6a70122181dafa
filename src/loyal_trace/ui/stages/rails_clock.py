"""The clock page of Rails: the tree of divided clocks with what each net should run at, crystal load and cells."""

from loyal_trace.core.assess.rails import clock_tree
from loyal_trace.core.job.entries import Measured
from loyal_trace.core.power.start_up import cell_years
from loyal_trace.core.simulation.clock_tree import ClockNode, first_wrong, load_of
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.core.vocabulary.units import format_quantity, parse_quantity
from loyal_trace.ui.desk import Desk
from loyal_trace.ui.widgets.clock_view import ClockStop, ClockView
from loyal_trace.ui.widgets.rows import Cell, Row, RowList
from loyal_trace.ui.widgets.stage_frame import KeyHint, StageFrame, column


class ClockPage:
    """Net after net from the crystal down; the entry line takes a frequency and moves on."""

    def __init__(self, desk: Desk, frame: StageFrame) -> None:
        self.desk, self.frame = desk, frame
        self.tree, self.facts = ClockView(), RowList("crystal and cells")
        self.widget = column(self.tree, self.facts)
        self.tree.picked.connect(self._pick)
        self.current = 0

    def hints(self) -> tuple[KeyHint, ...]:
        return (
            KeyHint("M", "from the counter", self._from_counter),
            KeyHint("O", "nothing there", lambda: self._record(0.0)),
            KeyHint("↑↓", "net", None),
            KeyHint("↑", "", lambda: self._pick(self.current - 1)),
            KeyHint("↓", "", lambda: self._pick(self.current + 1)),
        )

    def nodes(self) -> tuple[ClockNode, ...]:
        """The tree of the board in view; empty while it is still being computed."""
        if self.desk.definition is None or not self.desk.definition.clocks:
            return ()
        return clock_tree(self.desk.job.moment, self.desk.board)

    def refresh(self) -> None:
        """Shows the tree and asks for the next frequency."""
        board = self.desk.definition
        self._show_facts()
        if board is not None and board.clocks and not self.desk.clocks_ready(self.desk.board):
            self.tree.show_tree((), -1)
            self.frame.meaning.say("The dividers of this board are being computed from its netlist.", "A moment.")
            self.frame.entry.set_target("", "computing …")
            return
        nodes = self.nodes()
        self.current = min(self.current, max(0, len(nodes) - 1))
        stops = tuple(ClockStop(n.depth, n.net, n.pin, format_quantity(n.frequency, "Hz", 4), self._shown(n), n.verdict)
                      for n in nodes)  # fmt: skip
        self.tree.show_tree(stops, self.current if nodes else -1)
        wrong = first_wrong(nodes)
        if not nodes:
            self.frame.meaning.say("No clock is described for this board.", "Add a [[clock]] to board.toml.")
            self.frame.entry.set_target("", "this board describes no clock")
            return
        node = nodes[self.current]
        done = sum(n.measured is not None for n in nodes)
        if wrong is not None:
            self.frame.meaning.say(f"{wrong.why}.", f"Probe {wrong.pin.split('.')[0]}, all its pins (Ctrl+5).", "bad")
        elif done:
            right = "Every frequency taken so far is as predicted: that proves the clock and the counters before them"
            self.frame.meaning.say(f"{right}.", f"Measure {node.pin}; {len(nodes) - done} nets are left.", "good")
        else:
            self.frame.meaning.say("Predicted from the crystal through the counters of the netlist.",
                                   f"Measure {nodes[-1].pin} first: right there, right before it.")  # fmt: skip
        self.frame.entry.set_target(node.pin, f"frequency of {node.net} in Hz, such as 31.25k; then the next net")

    def _shown(self, node: ClockNode) -> str:
        return "" if node.measured is None else format_quantity(node.measured, "Hz", 4)

    def _show_facts(self) -> None:
        """Crystal load and pull, and how long a fresh cell lasts."""
        board = self.desk.definition
        rows: list[Row] = []
        for clock in board.clocks if board else ():
            load = load_of(board, clock)
            if load is not None:
                shown = f"sees {format_quantity(load.load_capacitance, 'F')}: {load.reason}"
                cells = (Cell(40, 60, clock.part, bold=True, mono=True), Cell(104, 0, shown))
                rows.append(Row(load.verdict, cells, height=24))
        for cell in board.cells if board else ():
            years = cell_years(cell)
            if years is not None:
                feeds = f"{format_quantity(cell.capacity_ah, 'Ah')} at {format_quantity(cell.current, 'A')}"
                shown = f"{feeds}: a fresh one lasts {years:.1f} years, self-discharge counted"
                rows.append(Row("", (Cell(40, 60, cell.part, bold=True, mono=True), Cell(104, 0, shown)), height=24))
        heading = [Row("", (), heading="Crystal load and back-up cell", height=28)] if rows else []
        self.facts.set_rows((*heading, *rows), -1)

    def _pick(self, index: int) -> None:
        nodes = self.nodes()
        if nodes:
            self.current = index % len(nodes)
            part = nodes[self.current].pin.split(".")[0]
            if part != self.desk.part and self.desk.definition.has(part):
                self.desk.pick(self.desk.board, part)
            else:
                self.refresh()
            self.frame.scroll.ensureVisible(10, self.tree.y() + self.tree.top_of(self.current), 0, 60)

    def _from_counter(self) -> None:
        nodes = self.nodes()
        if self.desk.instruments.meter is None or not nodes:
            self.desk.said.emit("no counter is connected: type what yours shows", True)
            return
        try:
            self._record(self.desk.instruments.meter.measure(self.desk.board, nodes[self.current].pin, "frequency"))
        except LoyalTraceError as error:
            self.desk.said.emit(str(error), True)

    def submitted(self, text: str) -> None:
        """A frequency, or nothing to move on."""
        if not text.strip():
            self._pick(self.current + 1)
            return
        try:
            self._record(parse_quantity(text, "Hz"))
        except LoyalTraceError as error:
            self.desk.said.emit(str(error), True)

    def _record(self, hertz: float) -> None:
        nodes = self.nodes()
        if not nodes:
            return
        taken = {"place": nodes[self.current].pin, "quantity": "frequency", "value": hertz, "powered": True}
        if self.desk.record(Measured, board=self.desk.board, **taken):
            self.frame.entry.edit.clear()
            self._pick(self.current + 1)
