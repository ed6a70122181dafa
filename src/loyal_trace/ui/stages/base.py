"""What the shell asks of a stage: a frame, the moment to refresh, and its keys. Stages share no code by inheritance."""

from typing import Protocol

from loyal_trace.ui.widgets.board_map import Overlay
from loyal_trace.ui.widgets.stage_frame import KeyHint, StageFrame

HELP = (
    "Intake: who brought what, which revision it is, what is wrong in the owner's words, and how the job is judged.",
    "Look: walk over the board part by part with one key a finding, before anything is suspected or removed.",
    "Rails: are the supplies right, and where along the chain do they stop being right?",
    "ROMs: is in each socket what should be there, and if not, what kind of wrong is it?",
    "Probe: pin by pin, can this chip do what its pins do?",
    "Suspects: everything known, weighed part by part, with every line for and against.",
    "Plan: what to renew, with what, in which order, and what to order.",
    "Work: one step at a time, with its tool, its caution and the check afterwards.",
    "Prove: counted starts, the checklist, and what could not be tested.",
    "Hand back: the report for the owner and the next repairer.",
)


class Stage(Protocol):
    """One of the ten stages."""

    frame: StageFrame

    def refresh(self) -> None:
        """The job changed or the stage came to the front: show what is so now."""
        ...

    def picked(self) -> None:
        """Another part was picked."""
        ...

    def overlay_trace(self) -> tuple[tuple[tuple[str, int], ...], str]:
        """Pins to trace on the map, and the label of the line."""
        ...

    def hints(self) -> tuple[KeyHint, ...]:
        """The keys of the stage."""
        ...


__all__ = ["HELP", "Overlay", "Stage"]
