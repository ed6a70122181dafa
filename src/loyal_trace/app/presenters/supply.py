"""The supply page of Rails: a supply described in three lines, for a board that nobody has described."""

from loyal_trace.app.presenters.model import Action, Cell, Meaning, Row, Rows, Target, heading
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.job.entries import OWN_BOARD
from loyal_trace.core.power.described import EXAMPLES, LINES
from loyal_trace.core.vocabulary.phrases import say

_SAYS = {
    "from": say("where it enters the board, its voltage, and the load if known"),
    "through": say("the parts it passes: fuses, bridge, reservoir, with their values; may be empty on DC"),
    "to": say("the regulator with its voltage, if there is one, and a pin of the far chip"),
}


class SupplyPage:
    """The three lines so far; each is said in the line."""

    def __init__(self, workspace: Workspace) -> None:
        self.workspace = workspace

    def _begun(self) -> tuple[str, dict[str, str]]:
        """The supply that is being described and its lines: the first without its end; else a new one."""
        board = self.workspace.board or OWN_BOARD
        told = {
            key.path: dict(lines) for key, lines in self.workspace.snapshot.facts.supplies.items() if key.board == board
        }
        begun = next(((name, lines) for name, lines in told.items() if "to" not in lines), None)
        return begun or (say("supply {count}", count=len(told) + 1) if told else "+5", {})

    def _wanted(self) -> tuple[str, str, str]:
        """(supply, the line that comes next, an example of it)."""
        name, lines = self._begun()
        wanted = next((one for one in LINES if one not in lines), "from")
        return name, wanted, EXAMPLES[LINES.index(wanted)]

    def actions(self) -> tuple[Action, ...]:
        """The next line, begun in the line."""
        name, wanted, _ = self._wanted()
        text = say("supply {name}: {wanted} ", name=name, wanted=wanted)
        return (
            Action(
                "L",
                say("Enter the line {wanted}", wanted=wanted),
                lambda: self.workspace.line_asked.emit(text),
                say("Puts {text}into the line", text=text),
            ),
        )

    def rows(self) -> Rows:
        """What is said so far."""
        name, lines = self._begun()
        rows = [heading(say("Supply {name} in three lines", name=name), 30)]
        for one, example in zip(LINES, EXAMPLES, strict=True):
            told = lines.get(one, "")
            cell = Cell(40, 0, told or say("supply {name}: {one} …", name=name, one=one), bold=bool(told), mono=True)
            rows.append(Row("good" if told else "unknown", (cell,), height=26))
            rows.append(Row("", (Cell(64, 0, say("{says}: {example}", says=_SAYS[one], example=example)),), height=24))
        return Rows(tuple(rows))

    def meaning(self) -> Meaning:
        """What the lines are for."""
        name, _, example = self._wanted()
        why = say("These lines give the points to measure, in order, with the limits of each.")
        return Meaning(why, say("Type, for example: supply {name}: {example}", name=name, example=example))

    def target(self) -> Target:
        """What the line is for."""
        name, wanted, example = self._wanted()
        return Target(
            say("supply {name}", name=name), wanted, say("supply {name}: {example}", name=name, example=example)
        )

    def move(self, step: int) -> None:
        """There is only one thing here."""
