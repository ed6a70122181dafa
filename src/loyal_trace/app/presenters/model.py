"""The values that pages are made of. A page in the window paints them and computes nothing."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, Protocol

from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.stages import Stage

if TYPE_CHECKING:  # the window imports these values before its first paint, and nothing heavy with them
    from loyal_trace.app.commands import Setting
    from loyal_trace.core.job.entries import Entry

Trace = tuple[tuple[tuple[str, int], ...], str]
NO_TRACE: Trace = ((), "")


@dataclass(frozen=True)
class Cell:
    """One column of a row: text at a left edge (pixel), as wide as `width` (0: the rest); kind colours it."""

    left: float
    width: float
    text: str
    kind: str = ""
    bold: bool = False
    mono: bool = False


@dataclass(frozen=True)
class Row:
    """A row: its glyph, its cells, a bar (left, width, share, colour name); a heading has no glyph and no pick."""

    glyph: str
    cells: tuple[Cell, ...] = ()
    bar: tuple[float, float, float, str] | None = None
    heading: str = ""
    height: int = 27

    @property
    def words(self) -> str:
        """The row as text, for the clipboard and for who does not see it."""
        return self.heading or joined(" ", (cell.text for cell in self.cells if cell.text))


@dataclass(frozen=True)
class Rows:
    """A list: its rows and the picked one (−1 for none). Rows that act do so on a click or Enter, not when passed.

    `movable`: a row can be dragged to another place in the list.
    """

    rows: tuple[Row, ...] = ()
    current: int = -1
    acts: bool = False
    movable: bool = False


NO_ROWS = Rows()
WANTED = say("worth entering next")


def heading(words: str, height: int = 28) -> Row:
    """A heading in a list."""
    return Row("", heading=words, height=height)


def line(words: str, glyph: str = "", left: float = 40, bold: bool = False, tall: int = 92) -> Row:
    """A row of one sentence; longer than `tall` letters it gets two lines."""
    return Row(glyph, (Cell(left, 0, words, bold=bold),), height=24 if len(words) < tall else 42)


@dataclass(frozen=True)
class Meaning:
    """What it means and why, the one next thing to do, the verdict that colours the edge, and an aside."""

    why: str
    next: str = ""
    kind: str = "unknown"
    aside: str = ""


@dataclass(frozen=True)
class Target:
    """What the line is about, in large type beside it, what of it, and what can be typed."""

    place: str = ""
    detail: str = ""
    hint: str = ""


@dataclass(frozen=True)
class Question:
    """What has to be asked before an action can run: a text, a file to write (`save`) or one to read (`load`)."""

    prompt: str
    suggestion: str = ""
    save: bool = False
    load: bool = False


@dataclass(frozen=True)
class Action:
    """A button: the letter of its Alt key, a verb with its object, what it does. `asks` goes before and is passed."""

    key: str
    label: str
    run: Callable[..., object]
    tip: str = ""
    main: bool = False
    asks: Question | None = None
    confirm: str = ""


@dataclass(frozen=True)
class Cap:
    """A key of the pad: the letter (or a blank), and what it records."""

    key: str
    label: str


@dataclass(frozen=True)
class Overlay:
    """What lies over the board: refdes → (kind, word, hatched); the picked part; a line traced between pins."""

    marks: Mapping[str, tuple[str, str, bool]]
    selected: str = ""
    trace: tuple[tuple[str, int], ...] = ()
    trace_label: str = ""
    area: tuple[str, ...] = ()


@dataclass(frozen=True)
class Page:
    """Everything that all pages have alike."""

    question: str
    subtitle: str
    meaning: Meaning
    target: Target
    actions: tuple[Action, ...] = ()
    caution: str = ""
    lists: Mapping[str, Rows] = field(default_factory=dict)
    figures: Mapping[str, Any] = field(default_factory=dict)


class Presenter(Protocol):
    """One stage, without its widgets: what it shows now, and what can be done there."""

    stage: Stage

    def page(self) -> Page:
        """What the stage shows at this moment."""
        ...

    def setting(self) -> "Setting":
        """Where a line is typed: what a bare value belongs to."""
        ...

    def wanted(self) -> Rows:
        """Facts worth entering next, with examples."""
        ...

    def wanted_picked(self, index: int) -> None:
        """One of them was picked."""
        ...

    def trace(self) -> Trace:
        """Pins to trace on the map, and the label of the line."""
        ...

    def move(self, step: int) -> None:
        """To the next thing of the stage, or back; nothing is recorded."""
        ...

    def row_picked(self, name: str, index: int) -> None:
        """A row of one of the lists was picked."""
        ...

    def row_moved(self, name: str, index: int, to: int) -> None:
        """A row of one of the lists was dragged to stand before another."""
        ...

    def figure_picked(self, name: str, *at: float) -> None:
        """Something in one of the drawings was picked: its number, or a place on it."""
        ...

    def pad(self) -> tuple[Cap, ...]:
        """The keys of the pad; none where the stage has none."""
        ...

    def press(self, key: str) -> bool:
        """A key of the pad: records one entry about the part shown. False when it could not be recorded."""
        ...

    def leave(self) -> bool:
        """Back from a further page to the stage itself; False when no further page is open."""
        ...

    def why_in_full(self) -> str:
        """More behind the verdict in view than its page can hold; empty where there is none."""
        ...

    def recorded(self, entries: "tuple[Entry, ...]") -> None:
        """A line was recorded here: go on to what comes next."""
        ...
