"""One step as it is drawn at the iron: what, where from, its actions, polarity, settings, timers, parts out and in."""

from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime, timedelta

from loyal_trace.app.cautions import caution_words
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.assess.at_iron import (
    WITHOUT_IRON,
    ActionState,
    Timer,
    actions_of,
    fitting_for,
    methods_for,
    next_action,
    tally_of,
    timers_of,
)
from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.parts.roles import is_ground
from loyal_trace.core.planning.methods import Method
from loyal_trace.core.planning.steps import Step
from loyal_trace.core.vocabulary.cautions import Caution
from loyal_trace.core.vocabulary.phrases import capital, joined, say, stacked, term
from loyal_trace.core.vocabulary.quantities import Quantity
from loyal_trace.report.times import local_time

_SAFE_BELOW, _SAFE_FOR = 5.0, timedelta(hours=2)
_OTHER_WAYS = 3
_ON = ("fit", "inspect", "measure")


@dataclass(frozen=True)
class ActionView:
    """One action on the track: its name, and open, done, skipped, went wrong or now, as a name and in words."""

    name: str
    kind: str

    @property
    def words(self) -> str:
        """Name and state for who does not see the track."""
        return say("{action} {state}", action=self.name, state=term(self.kind))


@dataclass(frozen=True)
class Safe:
    """Whether what stores charge was measured empty: a verdict's glyph, a word, and where and when."""

    glyph: str
    word: str
    detail: str


@dataclass(frozen=True)
class Polarity:
    """Which way round: the side of plus (or of pin 1) in degrees clockwise from the left, seen from above, and words.

    `chip`: a package with a notch; else a can with a stripe on its minus side.
    """

    angle: int
    chip: bool
    part: str
    board: str
    turned: str


@dataclass(frozen=True)
class Tile:
    """One setting: its name, its value, and a word beside the name."""

    name: str
    value: str
    note: str = ""


@dataclass(frozen=True)
class StepView:
    """Everything that is drawn of a step. `drawing` names the picture of its method, `others` are other ways."""

    title: str
    part: str
    source: str
    safe: Safe | None = None
    actions: tuple[ActionView, ...] = ()
    polarity: Polarity | None = None
    unknown: str = ""
    method: str = ""
    drawing: str = ""
    others: tuple[str, ...] = ()
    tiles: tuple[Tile, ...] = ()
    timers: tuple[Timer, ...] = ()
    out: int = 0
    fitted: int = 0
    empty: tuple[str, ...] = ()
    now: Callable[[], datetime] = field(default=datetime.now, compare=False)


def step_view(workspace: Workspace, step: Step) -> StepView:
    """A step as it is drawn."""
    moment, now = workspace.moment, workspace.job.env.clock
    actions = actions_of(moment, step)
    current = next_action(actions)
    part = moment.part(step.place) if moment.has(step.place) else None
    tally = tally_of(moment)
    source = say("from {place}", place=step.from_drawer) if step.from_drawer else say("to be bought")
    polarity, unknown = _polarity(moment.boards[step.place.board], part) if part is not None else (None, "")
    method = _method(workspace, step, current)
    turned = polarity if current is None or current.name in _ON else None
    drawn = method is not None and turned is None
    return StepView(
        say(
            "{action} {place}",
            action=capital(term(current.name)) if current else say("Finish"),
            place=step.place.refdes,
        ),
        step.part_number or say("no part needed"),
        source if step.part_number else "",
        _safe(workspace, step.place.board),
        tuple(ActionView(term(one.name), _state(one, current)) for one in actions),
        turned,
        unknown if current is None or current.name in _ON else "",
        _how(method, step, current),
        drawing_name(method) if method is not None and drawn else "",
        _other_ways(workspace, step, method) if drawn else (),
        _tiles(method, step),
        timers_of(moment, now()),
        len(tally.out),
        tally.fitted,
        tuple(place.refdes for place in tally.empty),
        now,
    )


def _state(one: ActionState, current: ActionState | None) -> str:
    if current is not None and one.name == current.name:
        return "went wrong" if one.result == "went wrong" else "now"
    return one.result or "open"


def _method(workspace: Workspace, step: Step, current: ActionState | None) -> Method | None:
    """How the part comes off or goes on, by the action in hand; None where no iron is needed."""
    if step.socketed or step.kind in WITHOUT_IRON:
        return None
    if current is not None and current.name in _ON:
        return fitting_for(workspace.moment, step.place)
    ways = methods_for(workspace.moment, step.place)
    return ways[0] if ways else None


def drawing_name(method: Method) -> str:
    """The shipped picture of a method, by its name in `resources/drawings`."""
    return method.id.replace(" ", "-")


def _other_ways(workspace: Workspace, step: Step, chosen: Method | None) -> tuple[str, ...]:
    """The other ways to take the part off, with minutes, risk and what speaks for or against them."""
    ways = [way for way in methods_for(workspace.moment, step.place) if chosen is None or way.id != chosen.id]
    if chosen is not None and all(way.id != chosen.id for way in methods_for(workspace.moment, step.place)):
        return ()  # it is about fitting
    return tuple(
        say(
            "{way}: {minutes:.0f} min, risk to pads {share:.1f} %{why}",
            way=term(way.id),
            minutes=way.minutes,
            share=100 * way.risk,
            why=say(", {reasons}", reasons=joined(", ", way.reasons)) if way.reasons else "",
        )
        for way in ways[:_OTHER_WAYS]
    )


# What an action asks for by itself, before any method.
_OF_ACTION = {
    "strip coating": say(
        "Try alcohol on a corner: acrylic lacquer lifts, polyurethane and epoxy must be scraped. Ventilate, no flame; "
        "never burn it off with the iron, the fumes can be poisonous."
    ),
    "discharge": say("Unplug, wait, bleed it through a resistor, then measure across it below 5 V."),
    "clear holes": say("Fresh solder into each hole, then braid or suction while it is liquid. Never drill."),
    "clean pads": say("Flux and braid, then alcohol. Look at every pad for a lifted edge."),
    "inspect": say("Look at its mark, at the joints from both sides, and for solder between neighbours."),
    "measure": say("Measure before power, then test what this part does."),
}


def _how(method: Method | None, step: Step, current: ActionState | None) -> str:
    own = _OF_ACTION.get(current.name, "") if current is not None else ""
    if own and (method is not None or current is not None):
        return own
    return method.how if method is not None else step.tool


def _tiles(method: Method | None, step: Step) -> tuple[Tile, ...]:
    if method is None or not method.celsius:
        return (Tile(say("time"), say("{minutes:.0f} min", minutes=step.minutes)),)
    risk = say("{share:.1f} %", share=100 * method.risk)
    last = Tile(say("solder"), method.solder, say("fresh flux")) if method.solder else Tile(say("risk to pads"), risk)
    return (
        Tile(say("iron"), say("{celsius:g} °C", celsius=method.celsius), say("to start with")),
        Tile(say("tip"), term(method.tip)),
        Tile(say("heat a joint"), say("≤ {seconds:g} s", seconds=method.seconds)),
        last,
        Tile(say("time"), say("{minutes:.0f} min", minutes=step.minutes)),
    )


def _safe(workspace: Workspace, board_id: str) -> Safe | None:
    """Whether the reservoir was measured empty; None where the board has none."""
    board = workspace.moment.boards[board_id]
    reservoir = next((supply.reservoir for supply in board.supplies if supply.reservoir), "")
    if not reservoir:
        return None
    newest = workspace.snapshot.latest(board_id, reservoir, Quantity.VOLTAGE)
    # Whatever was on at the time: below a few volts nothing is stored. After some hours it may have had power again.
    fresh = newest is not None and workspace.job.env.clock() - newest.time < _SAFE_FOR
    if newest is not None and newest.value is not None and fresh and abs(newest.value) < _SAFE_BELOW:
        told = say(
            "{volts:.1f} V across {place}, {when}",
            volts=newest.value,
            place=reservoir,
            when=local_time(newest.time),
        )
        return Safe("good", say("discharged"), told)
    return Safe("doubtful", say("charge not measured"), say("unplug, then measure {place}", place=reservoir))


def _polarity(board: BoardDefinition, part: Part) -> tuple[Polarity | None, str]:
    """Which way round a part goes; in words where the board does not say."""
    if part.is_chip and part.package.upper().startswith("DIP"):
        angle = part.rotation % 360
        side = _SIDES[angle]
        return Polarity(angle, True, say("notch at the {side}", side=side), say("pin 1 by the notch"), ""), ""
    if not part.polarised:
        return None, ""
    if not part.placed:
        return None, say(
            "Which side is plus is not known of {place}: find the print, or the photo taken before.", place=part.refdes
        )
    angle = (part.rotation + (0 if _plus_pin(board, part.refdes) == 1 else 180)) % 360
    plus, minus = _SIDES[angle], _SIDES[(angle + 180) % 360]
    return (
        Polarity(
            angle,
            False,
            say("stripe at the {side}", side=minus),
            say("plus at the {side}", side=plus),
            say("plus joint at the {side}", side=_SIDES[_turned_over(angle)]),
        ),
        "",
    )


_SIDES = {0: say("left"), 90: say("top"), 180: say("right"), 270: say("bottom")}


def _turned_over(angle: int) -> int:
    """The same side with the board turned over like a page: left and right change places."""
    return (180 - angle) % 360 if angle in (0, 180) else angle


def _plus_pin(board: BoardDefinition, refdes: str) -> int:
    """The plus pin of a polarised part: by its nets, else pin 1."""
    negative = {rail.net for rail in board.rails if rail.nominal < 0}
    first, second = board.net_of(refdes, 1) or "", board.net_of(refdes, 2) or ""
    if first in negative or (is_ground(first) and second not in negative):
        return 2
    return 1


# At which actions a caution matters; all others matter at every action of their step.
_CAUTION_AT = {
    Caution.MAINS: ("discharge",),
    Caution.RESERVOIR: ("discharge",),
    Caution.POLARITY: ("fit", "inspect"),
    Caution.SOLDERING: ("heat", "preheat", "clear holes", "clean pads"),
    Caution.LEAD: ("clear holes", "clean pads", "measure"),
    Caution.CUT_LEADS: ("cut", "fit"),
    Caution.UV: ("erase",),
    Caution.AGED_CELLS: ("erase", "program"),
    Caution.STATIC: ("remove", "fit", "program", "store", "straighten"),
    Caution.ALCOHOL: ("strip coating", "clean pads", "straighten", "inspect"),
}


def cautions_now(workspace: Workspace, step: Step) -> str:
    """Before a step is begun all its cautions; then those of the action in hand, and the others by name."""
    actions = actions_of(workspace.moment, step)
    current = next_action(actions)
    if current is None or not any(action.result for action in actions):
        return caution_words(step.cautions)
    names = {action.name for action in actions}
    now: list[Caution] = []
    later: list[Caution] = []
    for caution in step.cautions:
        at = _CAUTION_AT.get(caution, ())
        here = current.name in at or not names.intersection(at)
        (now if here else later).append(caution)
    rest = joined(", ", (term(caution.value) for caution in later))
    more = say("Also at this step: {rest}.", rest=rest) if rest else ""
    return stacked(caution_words(now), more)


def current_action(workspace: Workspace, step: Step) -> ActionState | None:
    """The action in hand; None when all are done."""
    return next_action(actions_of(workspace.moment, step))
