"""The steps of a plan as changes with a test after them: how likely each removes the fault, what it needs, its tool."""

from collections.abc import Sequence

from loyal_trace.core.assess.kit import kit_of, wanted_capacitors
from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.assess.purchase import days_offered
from loyal_trace.core.assess.suspects import suspects_of
from loyal_trace.core.planning.sequencing import Task
from loyal_trace.core.planning.steps import Step
from loyal_trace.core.vocabulary.identity import PartRef

DELIVERY_DECISION, _USUAL_DAYS, _MOST_DAYS = "delivery", 3.0, 365.0
BEFORE_DECISION, ARRIVES_DECISION, STEP_ORDER_DECISION = "before ", "arrives ", "step order"
# The choice of who wants a step done after all others.
LAST = "last"
# What changes nothing on the board: put back at the end, or run before everything.
_NO_CHANGE = ("put-back", "give-back", "diagnose")
_TOOLS = {"leg": "hand", "program": "programmer", "rescue": "hand", "missing": "hand"}
# The chance that the board or the part is hurt at a step, by how it is done (stated, from practice, not counted).
_DAMAGE = {"capacitor": 0.005, "socket": 0.03, "leg": 0.005, "program": 0.01, "reflow": 0.005, "track": 0.005}
_SOLDERED, _SOCKETED = 0.03, 0.001
# How likely a capacitor is the cause of the symptom where no suspicion says it: it is bad, habit, or its class.
_CAUSE = {"bad": 0.3, "suspect": 0.3, "service": 0.05, "class": 0.02}
_OF_SOCKET, _OF_STEP = 0.1, 0.0


def delivery_days(moment: Moment) -> float:
    """Days until ordered parts are here: as said, else three."""
    try:
        said = float(moment.snapshot.decision(DELIVERY_DECISION).split()[0].replace(",", "."))
    except (ValueError, IndexError):
        return _USUAL_DAYS
    return said if 0 <= said <= _MOST_DAYS else _USUAL_DAYS


def tasks_for(moment: Moment, steps: Sequence[Step]) -> tuple[Task, ...]:
    """The open steps as tasks, without those that change nothing on the board."""
    open_steps = [step for step in steps if not step.done and step.kind not in _NO_CHANGE]
    causes = _causes(moment)
    rescues: dict[str, list[str]] = {step.place.board: [] for step in open_steps}
    for step in open_steps:
        if step.kind == "rescue":
            rescues[step.place.board].append(step.id)
    return tuple(_task(moment, step, causes, rescues[step.place.board]) for step in open_steps)


def _task(moment: Moment, step: Step, causes: dict[PartRef, float], rescues: Sequence[str]) -> Task:
    group = kit_of(moment).group_of(step.place) if step.kind == "capacitor" else None
    damage = _DAMAGE.get(step.kind, _SOCKETED if step.socketed else _SOLDERED)
    ordered = bool(step.part_number) and not step.from_drawer and step.kind not in ("program", "leg", "rescue")
    return Task(
        step.id,
        step.place.refdes,
        step.minutes,
        causes.get(step.place, _OF_SOCKET if step.kind == "socket" else _OF_STEP) if step.kind != "rescue" else 0.0,
        group.letter if group is not None else step.place.refdes,
        "hand" if step.socketed and step.kind == "chip" else _TOOLS.get(step.kind, "iron"),
        tuple(rescues) if step.kind != "rescue" else (),
        _days_until(moment, step) if ordered else 0.0,
        damage if step.kind != "rescue" else _SOCKETED,
        moment.part(step.place).polarised if moment.has(step.place) else False,
    )


def _days_until(moment: Moment, step: Step) -> float:
    """Days until the part of a step is here: as said of its place, as its offer says, else as all orders take."""
    said = moment.snapshot.decision(f"{ARRIVES_DECISION}{step.place.board}/{step.place.refdes}").split()
    if said and said[0].isdigit():
        return float(said[0])
    offered = days_offered(moment, step)
    return delivery_days(moment) if offered is None else offered


def _causes(moment: Moment) -> dict[PartRef, float]:
    """How likely each part is the cause of what is wrong."""
    found = {one.place: _CAUSE[one.why] for one in wanted_capacitors(moment)}
    return found | {suspect.place: suspect.probability for suspect in suspects_of(moment) if suspect.against}


def own_moves(moment: Moment) -> tuple[tuple[PartRef, PartRef | None], ...]:
    """(place, the place before which it is to be done; None: last), in the order in which somebody said so."""
    moves = [(w, e) for w, e in moment.snapshot.paper.decisions.items() if w.startswith(BEFORE_DECISION)]
    found: list[tuple[PartRef, PartRef | None]] = []
    for what, entry in sorted(moves, key=lambda move: move[1].time):
        first, second = what.removeprefix(BEFORE_DECISION).split("/", 1), entry.choice.split("/", 1)
        if len(first) == 2 and (len(second) == 2 or entry.choice == LAST):
            found.append((PartRef(*first), PartRef(*second) if len(second) == 2 else None))
    return tuple(found)
