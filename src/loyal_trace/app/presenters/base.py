"""What all presenters share: the desk, the setting of a line, and doing nothing where a stage has nothing to do."""

from dataclasses import replace

from loyal_trace.app.commands import Setting, context_of, enter_line
from loyal_trace.app.presenters.model import (
    NO_ROWS,
    NO_TRACE,
    Action,
    Cap,
    Cell,
    Question,
    Row,
    Rows,
    Target,
    Trace,
    heading,
)
from loyal_trace.app.presenters.supply_cautions import unsigned
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.assess.wanted import WantedFact, wanted_facts
from loyal_trace.core.job.entries import OWN_BOARD, CautionSeen, Entry
from loyal_trace.core.line.asked import asked_at
from loyal_trace.core.line.context import Context, Status
from loyal_trace.core.power.rails import PathReport
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.units import count_of

_EXAMPLE, _ONE_LINE = 300.0, 52


class StagePresenter:
    """Defaults for a stage."""

    stage: Stage

    def __init__(self, workspace: Workspace) -> None:
        self.workspace = workspace

    def plain_setting(self) -> Setting:
        """The stage, the board in view and what is picked; nothing is asked for."""
        return Setting(self.stage, "", self.workspace.board, self.workspace.picked_part)

    def context(self) -> Context:
        """What a line typed here is read against."""
        return context_of(self.workspace.job, self.plain_setting())

    def setting(self) -> Setting:
        """A bare value belongs to the picked part, as the stage asks for it."""
        return self.setting_at(None)

    def setting_at(self, pin: int | None) -> Setting:
        """The same with a pin in hand."""
        picked = self.workspace.picked_part
        asked = asked_at(self.context(), picked, pin) if picked is not None else None
        return replace(self.plain_setting(), asked=asked)

    def signing(self, path: PathReport | None) -> tuple[Action, ...]:
        """The action that signs the cautions of a supply of the board in view, while any of them is not signed."""
        if path is None or not unsigned(self.workspace.job, self.workspace.board, path):
            return ()
        asks = None if self.workspace.job.author else Question(say("Your name, for the logbook"))
        told = say("Records that you have read it, with your name and the time")
        return (Action("K", say("Sign the caution"), lambda name="": self.sign_for(path, name), told, asks=asks),)

    def sign_for(self, path: PathReport | None, name: str = "") -> None:
        """The cautions of a supply were read by the person, whose name is asked once."""
        if name:
            self.workspace.job.sign_as(name)
        found = unsigned(self.workspace.job, self.workspace.board, path) if path is not None else ()
        if found:
            self.workspace.record_all([self.workspace.job.make(CautionSeen, caution=one.value) for one in found])

    def enter(self, text: str) -> bool:
        """Records a line as if it had been typed here; says why when it could not be."""

        def act() -> list[str]:
            found = enter_line(self.workspace.job, text, self.setting())
            if found.status not in (Status.RECORDED, Status.NOTE):
                raise RequestError(found.why)
            return []

        return self.workspace.attempt(act)

    def target(self, hint: str = "", detail: str = "") -> Target:
        """The picked part in large type, or the job."""
        if self.workspace.area:
            return Target(count_of(len(self.workspace.area), "part"), say("in the area drawn"), hint)
        picked = self.workspace.picked_part
        return Target(self.workspace.place_name(picked), detail, hint) if picked else Target(say("job"), "", hint)

    @property
    def further(self) -> bool:
        """Is a further page of the stage open?"""
        return False

    def _wanted(self) -> tuple[WantedFact, ...]:
        board = self.workspace.board or OWN_BOARD
        return () if self.further else wanted_facts(self.workspace.moment, board, self.stage)

    def wanted(self) -> Rows:
        """The facts most worth entering next on a board of one's own; a click puts the example into the line."""
        facts = self._wanted()
        if not facts:
            return NO_ROWS
        rows = [heading(say("Worth entering next; a click puts the example into the line"), 28)]
        for number, fact in enumerate(facts, start=1):
            cells = (
                Cell(4, 20, str(number), bold=True, mono=True),
                Cell(30, _EXAMPLE - 40, fact.example, "typed", mono=True),
                Cell(_EXAMPLE, 0, fact.why),
            )
            rows.append(Row("", cells, height=27 if len(fact.why) < _ONE_LINE else 42))
        return Rows(tuple(rows), acts=True)

    def wanted_picked(self, index: int) -> None:
        """The example of a fact goes into the line; nothing is recorded yet."""
        facts = self._wanted()
        if 0 < index <= len(facts):
            self.workspace.line_asked.emit(facts[index - 1].example)

    def trace(self) -> Trace:
        return NO_TRACE

    def move(self, step: int) -> None:
        """Nothing to go to."""

    def row_picked(self, name: str, index: int) -> None:
        """Nothing follows a row here."""

    def row_moved(self, name: str, index: int, to: int) -> None:
        """A row was dragged to stand before another one, or behind the last; nothing follows here."""

    def figure_picked(self, name: str, *at: float) -> None:
        """Nothing follows a drawing here."""

    def pad(self) -> tuple[Cap, ...]:
        return ()

    def press(self, key: str) -> bool:
        return False

    def leave(self) -> bool:
        return False

    def why_in_full(self) -> str:
        return ""

    def recorded(self, entries: tuple[Entry, ...]) -> None:
        """The stage stays where it is."""
