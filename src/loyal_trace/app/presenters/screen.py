"""What a stuck pin would do to the picture: healthy and faulty, and what differs in words."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from loyal_trace.app.job_dictionaries import contents_of
from loyal_trace.app.presenters.model import Action, Meaning, Page, Target
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.assess.free_runs import fault_words
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.chips.model import ChipType
from loyal_trace.core.simulation.free_run import free_run
from loyal_trace.core.simulation.machine import Machine
from loyal_trace.core.simulation.netlist import PinFault
from loyal_trace.core.simulation.screen import ScreenChange, change_of, clocks_of, with_test_pattern
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import capital, joined, say

SCREEN = say("screen")
_SENTENCES = 3


@dataclass(frozen=True, eq=False)
class ScreenView:
    """Two pictures (lines × pixels × 3) with their titles, and what they show in words."""

    healthy: NDArray[np.uint8]
    faulty: NDArray[np.uint8]
    titles: tuple[str, str]
    words: str


def has_screen(board: BoardDefinition | None) -> bool:
    """Does a board say what it shows on a monitor?"""
    return board is not None and bool(board.screens)


def screen_change(workspace: Workspace, place: PartRef, pin: int, level: int) -> ScreenChange | None:
    """What a pin stuck at a level does to the picture; None for a pin without a signal, and where nothing moves."""
    chip, board = workspace.moment.chip_type(place), workspace.job.boards[place.board]
    role = chip.pin_number(pin).role if chip is not None and pin <= len(chip.pins) else ""
    machine = _machine(workspace, board)
    if role not in ("input", "output", "bidirectional") or machine is None:
        return None
    fault = PinFault(place.refdes, pin, "input-stuck" if role == "input" else "output-stuck", level)
    return workspace.moment.memo.of(("screen", machine, fault), lambda: change_of(board, machine, fault))


def _machine(workspace: Workspace, board: BoardDefinition) -> Machine | None:
    """The healthy board over one picture; kept while the board and its contents are as they were."""
    contents = with_test_pattern(board, workspace.job.library, contents_of(workspace.job, board.id))
    key = ("screen machine", id(board), tuple(sorted((refdes, hash(data)) for refdes, data in contents.items())))

    def run() -> tuple[BoardDefinition, Machine | None]:
        try:
            return board, free_run(board, workspace.job.library, clocks_of(board.screens[0]), (), contents)
        except RequestError:
            return board, None

    # The board is kept with its machine: while it lives, no other board can have its identity.
    return workspace.moment.memo.of(key, run)[1]


def screen_view(change: ScreenChange, pin: int, level: int) -> ScreenView:
    """The pictures side by side."""
    fault = fault_words(PinFault("", pin, "", level))
    words = joined("; ", change.words)
    return ScreenView(change.healthy, change.faulty, (say("healthy"), fault), words)


def screen_meaning(change: ScreenChange, board: BoardDefinition) -> Meaning:
    """What differs in sentences, which blocks it reaches, and what to compare."""
    told = joined(" ", (say("{words}.", words=capital(words)) for words in change.words[:_SENTENCES]))
    symptoms = [text for block in board.blocks if block.name in change.reached for text in block.symptoms]
    reached = joined(", ", change.reached)
    aside = say("It reaches: {blocks}. Seen there: {symptoms}.", blocks=reached, symptoms=joined(", ", symptoms))
    following = say("Hold it against the screen of the real board: is it wrong in the same way?")
    return Meaning(told, following, "unknown", aside if change.reached else "")


class ScreenDesk:
    """The picture of the pin in hand, stuck at a level; `level` is None while it is not in view."""

    def __init__(self, workspace: Workspace) -> None:
        self._workspace = workspace
        self.level: int | None = None

    def actions(self, place: PartRef, pin: int) -> tuple[Action, ...]:
        """The button that draws it, on a board with a screen."""
        if not has_screen(self._workspace.definition):
            return ()
        tip = say("Draws what a stuck pin does to the picture")
        return (Action("S", say("Show the screen"), lambda: self.show(place, pin), tip),)

    def show(self, place: PartRef, pin: int) -> None:
        """The picture with a pin stuck low."""
        if screen_change(self._workspace, place, pin, 0) is None:
            self._workspace.say(say("Pin {pin} carries no signal: pick another.", pin=pin), True)
            return
        self.level = 0
        self._workspace.show()

    def turn(self) -> None:
        """The same pin stuck at the other level."""
        self.level = 1 - (self.level or 0)
        self._workspace.show()

    def page(self, place: PartRef, chip: ChipType, pin: int, target: Target, more: tuple[Action, ...]) -> Page | None:
        """What the pin would do to the picture; None when that is not in view, or cannot be drawn."""
        board, level = self._workspace.job.boards[place.board], self.level
        if level is None or not has_screen(board):
            return None
        change = screen_change(self._workspace, place, pin, level)
        if change is None:
            return None
        turning = Action("O", say("Other level"), self.turn, say("Draws the pin stuck at the other level"))
        about = say(
            "{chip}, pin {pin} {name}. Drawn from the netlist; a RAM that nobody read is filled by counting.",
            chip=chip.name,
            pin=pin,
            name=chip.pin_number(pin).name,
        )
        return Page(
            say("What would {refdes} do to the picture?", refdes=place.refdes),
            about,
            screen_meaning(change, board),
            target,
            (turning, *more),
            figures={SCREEN: screen_view(change, pin, level)},
        )
