"""The clock page of Rails: the tree of divided clocks with what each net should run at, crystal load and cells."""

from dataclasses import dataclass

from loyal_trace.app.presenters.model import Action, Cell, Meaning, Row, Rows, Target, heading
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.assess.rails import clock_tree
from loyal_trace.core.job.entries import Measured
from loyal_trace.core.line.context import AskedPoint
from loyal_trace.core.power.start_up import cell_years
from loyal_trace.core.simulation.clock_tree import ClockNode, first_wrong, load_of
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.quantities import Quantity
from loyal_trace.core.vocabulary.units import format_quantity


@dataclass(frozen=True)
class ClockStop:
    """One net: how deep in the tree, names, expected and measured frequency in words, verdict."""

    depth: int
    net: str
    pin: str
    expected: str
    measured: str
    verdict: str


@dataclass(frozen=True)
class ClockTreeView:
    """The nets in order, each after what feeds it, and the one in hand."""

    stops: tuple[ClockStop, ...]
    current: int


class ClockPage:
    """Net after net from the crystal down; a frequency in the line moves on."""

    def __init__(self, workspace: Workspace) -> None:
        self.workspace = workspace
        self.current = 0

    def _computing(self) -> bool:
        board = self.workspace.definition
        return board is not None and bool(board.clocks) and not self.workspace.clocks_ready(self.workspace.board)

    def nodes(self) -> tuple[ClockNode, ...]:
        """The tree of the board in view; empty while it is still being computed."""
        if self.workspace.definition is None or not self.workspace.definition.clocks or self._computing():
            return ()
        return clock_tree(self.workspace.moment, self.workspace.board)

    def in_hand(self) -> ClockNode | None:
        """The net that the next frequency is of."""
        nodes = self.nodes()
        self.current = min(self.current, max(0, len(nodes) - 1))
        return nodes[self.current] if nodes else None

    def asked(self) -> AskedPoint | None:
        """A frequency typed alone belongs to the net in hand."""
        node = self.in_hand()
        return (
            AskedPoint(self.workspace.board, node.pin, Quantity.FREQUENCY, powered=True) if node is not None else None
        )

    def actions(self) -> tuple[Action, ...]:
        """What can be done on this page."""
        if self.in_hand() is None:
            return ()
        return (
            Action("M", say("Read the counter"), self.from_counter, say("The selected net"), main=True),
            Action("O", say("Enter no clock"), lambda: self._record(0.0), say("There is no signal at this pin")),
            Action("N", say("Next net"), lambda: self.move(1), say("Go to the next net; nothing is recorded")),
        )

    def view(self) -> ClockTreeView:
        """The tree as drawn."""
        nodes = self.nodes()
        stops = tuple(
            ClockStop(n.depth, n.net, n.pin, format_quantity(n.frequency, "Hz", 4), _measured(n), n.verdict)
            for n in nodes
        )
        return ClockTreeView(stops, self.current if nodes else -1)

    def meaning(self) -> Meaning:
        """Where the clock stops being right."""
        if self._computing():
            return Meaning(say("Computing the divided clocks from the netlist."))
        nodes, node = self.nodes(), self.in_hand()
        if node is None:
            return Meaning(say("No clock is described for this board."), say("Add a [[clock]] table to board.toml."))
        wrong, done = first_wrong(nodes), sum(n.measured is not None for n in nodes)
        if wrong is not None:
            return Meaning(
                say("{why}.", why=wrong.why),
                say("Probe {part}, all its pins (Ctrl+5).", part=wrong.pin.split(".")[0]),
                "bad",
            )
        if done:
            right = say(
                "Every frequency measured so far is as predicted. The clock and the counters before these nets work"
            )
            return Meaning(
                say("{right}.", right=right),
                say("Measure {pin}; {count} nets are left.", pin=node.pin, count=len(nodes) - done),
                "good",
            )
        why = say("Predicted from the crystal through the counters of the netlist.")
        return Meaning(why, say("Measure {pin} first: if it is right, the counters before it work.", pin=nodes[-1].pin))

    def target(self) -> Target:
        """The pin of the net in hand, in large type."""
        node = self.in_hand()
        if node is None:
            return Target(say("job"), say("clock"), "")
        return Target(node.pin, say("frequency of {net}", net=node.net), say("such as 31.25kHz"))

    def fact_rows(self) -> Rows:
        """Crystal load and pull, and how long a fresh cell lasts."""
        board = self.workspace.definition
        rows: list[Row] = []
        for clock in board.clocks if board else ():
            load = load_of(board, clock) if board else None
            if load is not None:
                shown = say(
                    "sees {load_capacitance}: {reason}",
                    load_capacitance=format_quantity(load.load_capacitance, "F"),
                    reason=load.reason,
                )
                rows.append(_fact(clock.part, shown, load.verdict))
        for cell in board.cells if board else ():
            years = cell_years(cell)
            if years is not None:
                feeds = say(
                    "{capacity_ah} at {current}",
                    capacity_ah=format_quantity(cell.capacity_ah, "Ah"),
                    current=format_quantity(cell.current, "A"),
                )
                rows.append(
                    _fact(
                        cell.part,
                        say(
                            "{feeds}: a new cell lasts about {years:.1f} years, with self-discharge",
                            feeds=feeds,
                            years=years,
                        ),
                    )
                )
        return Rows((heading(say("Crystal load and back-up cell")), *rows) if rows else ())

    def go_to(self, index: int) -> None:
        """Another net; its part is picked."""
        nodes = self.nodes()
        if nodes:
            self.current = index % len(nodes)
            part = nodes[self.current].pin.split(".")[0]
            board = self.workspace.definition
            if part != self.workspace.part and board is not None and board.has(part):
                self.workspace.pick(self.workspace.board, part)
            else:
                self.workspace.show()

    def move(self, step: int) -> None:
        """The next net."""
        self.go_to(self.current + step)

    def from_counter(self) -> None:
        """The net in hand from the counter."""
        meter, node = self.workspace.instruments.meter, self.in_hand()
        if meter is None or node is None:
            self.workspace.say(say("No counter is connected. Type the reading."), True)
            return
        try:
            self._record(meter.measure(self.workspace.board, node.pin, Quantity.FREQUENCY), "meter")
        except LoyalTraceError as error:
            self.workspace.say(str(error), True)

    def _record(self, hertz: float, source: str = "hand") -> None:
        node = self.in_hand()
        if node is None:
            return
        fields = {"place": node.pin, "quantity": Quantity.FREQUENCY, "value": hertz, "powered": True, "source": source}
        if self.workspace.record(Measured, board=self.workspace.board, **fields):
            self.move(1)


def _measured(node: ClockNode) -> str:
    return "" if node.measured is None else format_quantity(node.measured, "Hz", 4)


def _fact(part: str, shown: str, glyph: str = "") -> Row:
    return Row(glyph, (Cell(40, 60, part, bold=True, mono=True), Cell(104, 0, shown)), height=24)
