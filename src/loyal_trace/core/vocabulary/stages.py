"""The ten stages of the work, in their order."""

from enum import IntEnum

from loyal_trace.core.vocabulary.phrases import say


class Stage(IntEnum):
    """A stage by its position in the order of work."""

    INTAKE = 0
    INSPECT = 1
    RAILS = 2
    ROMS = 3
    PROBE = 4
    SUSPECTS = 5
    PLAN = 6
    REPAIR = 7
    VERIFY = 8
    REPORT = 9

    @property
    def word(self) -> str:
        """As it is typed: `intake` … `report`."""
        return self.name.lower()

    @property
    def title(self) -> str:
        """As it is shown."""
        return _TITLES[self]

    @property
    def key(self) -> str:
        """The shortcut that leads there: Ctrl+1 … Ctrl+0."""
        return f"Ctrl+{(self + 1) % 10}"


_TITLES = (
    say("Intake"),
    say("Inspect"),
    say("Rails"),
    say("ROMs"),
    say("Probe"),
    say("Suspects"),
    say("Plan"),
    say("Repair"),
    say("Verify"),
    say("Report"),
)
STAGE_TITLES = tuple(stage.title for stage in Stage)


def stage_of_word(word: str) -> Stage | None:
    """The stage of that name, in any case; None when there is none."""
    return next((stage for stage in Stage if word.strip().lower() == stage.word), None)
