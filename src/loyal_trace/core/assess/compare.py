"""The repair orders of this job side by side, and the schools of sockets and of the first power-up in figures."""

from dataclasses import dataclass

from loyal_trace.core.assess.extra_steps import SELF_TEST_MINUTES, sockets_choice
from loyal_trace.core.assess.first_power import first_power_risk
from loyal_trace.core.assess.moment import Moment, once
from loyal_trace.core.assess.orders import tasks_for
from loyal_trace.core.assess.plan import plan_of
from loyal_trace.core.planning.choices import AS_FOUND, BY_RISK, EVERY, FIRST_POWER, NEVER, RENEW_FIRST, SOME
from loyal_trace.core.planning.orders import Diagnostics, RepairOrder, breaks, compared
from loyal_trace.core.planning.sequencing import EXACT_UP_TO, Task
from loyal_trace.core.planning.steps import MINUTES
from loyal_trace.core.planning.sundries import Sundry, sundries
from loyal_trace.core.vocabulary.phrases import joined, say

_SOCKET_MINUTES, _UNSOLDER_MINUTES, _WRONG_AGAIN = 5.0, 25.0, 0.1
_CHIP_DAMAGE = 0.03
# The chance of damage at the first power-up of a board of the highest risk, and what is left of it by each school.
_FIRST_DAMAGE, _CHECKED_LEAVES, _RENEWED_LEAVES = 0.15, 0.3, 0.5
_TEST, _CHECKED = 10.0, 15.0
# How often a self-test, or a test program in the boot socket, names the part (stated, from practice: they cover
# processor, memories and decoders, and not what is analogue).
_SELF_TEST_NAMES, _TEST_PROGRAM_NAMES = 0.3, 0.4


@dataclass(frozen=True)
class School:
    """A way of doing it: its name, why, minutes that it adds, the chance of damage, what it keeps or loses."""

    name: str
    why: str
    minutes: float
    damage: float
    known: str


@dataclass(frozen=True)
class Comparison:
    """All of it for one job."""

    orders: tuple[RepairOrder, ...]
    sockets: tuple[School, ...]
    first_power: tuple[School, ...]


def comparison_of(moment: Moment) -> Comparison:
    """Every repair order over the open steps, and the schools."""
    return Comparison(orders_of(moment), *schools_of(moment))


@once
def open_tasks(moment: Moment) -> tuple[Task, ...]:
    """The open steps of the plan as tasks."""
    return tasks_for(moment, plan_of(moment).steps)


def orders_of(moment: Moment) -> tuple[RepairOrder, ...]:
    """Every repair order over the open steps. Above a dozen steps this takes tenths of a second."""
    tasks, diagnostics = open_tasks(moment), diagnostics_of(moment)
    return moment.memo.of(_key(tasks, diagnostics), lambda: compared(tasks, diagnostics))


def orders_at_hand(moment: Moment) -> bool:
    """Are the repair orders known already, or quickly found?"""
    tasks = open_tasks(moment)
    return len(tasks) <= EXACT_UP_TO or moment.memo.knows(_key(tasks, diagnostics_of(moment)))


def _key(tasks: tuple[Task, ...], diagnostics: Diagnostics | None) -> tuple[object, ...]:
    return ("repair orders", tasks, diagnostics)


@once
def schools_of(moment: Moment) -> tuple[tuple[School, ...], tuple[School, ...]]:
    """The schools of sockets and of the first power-up."""
    return _sockets(moment, open_tasks(moment)), _first_power(moment)


def diagnostics_of(moment: Moment) -> Diagnostics | None:
    """What can be run before the iron: the board's own self-test, else a test program in the boot socket."""
    if any(board.self_tests for board in moment.boards.values()):
        return Diagnostics(SELF_TEST_MINUTES, _SELF_TEST_NAMES)
    if any(board.rom_slots for board in moment.boards.values()):
        return Diagnostics(MINUTES["diagnose"], _TEST_PROGRAM_NAMES)
    return None


def _sockets(moment: Moment, tasks: tuple[Task, ...]) -> tuple[School, ...]:
    """Socket every chip on the way, those that are replaced, or none: a second change costs its unsoldering again."""
    steps = {step.id: step for step in plan_of(moment).steps}
    soldered = [t for t in tasks if steps[t.id].kind == "chip" and t.tool == "iron"]
    others = sum(
        part.is_chip and not part.socketed and part.number not in ("", "?")
        for board in moment.boards.values()
        for part in board.parts
    ) - len(soldered)
    again = len(soldered) * _WRONG_AGAIN
    return (
        School(
            EVERY,
            say("nothing is soldered twice, and every chip can be tried"),
            len(soldered) * _SOCKET_MINUTES + max(0, others) * (_UNSOLDER_MINUTES + _SOCKET_MINUTES),
            1 - (1 - _CHIP_DAMAGE) ** (len(soldered) + max(0, others)),
            say("chips without any evidence against them are put at risk"),
        ),
        School(
            SOME,
            say("what is replaced once may have to be replaced again"),
            len(soldered) * _SOCKET_MINUTES,
            1 - (1 - _CHIP_DAMAGE) ** len(soldered),
            say("the rest stays as it was made"),
        ),
        School(
            NEVER,
            say("the look of the factory, and no contact that can wear"),
            again * _UNSOLDER_MINUTES,
            1 - (1 - _CHIP_DAMAGE) ** (len(soldered) + again),
            say("a bad spare is soldered out again"),
        ),
    )


def _first_power(moment: Moment) -> tuple[School, ...]:
    """The three schools of the first power-up, with the risk of this board."""
    risk = _FIRST_DAMAGE * first_power_risk(moment).share
    known, unknown = say("what worked before is known"), say("what worked before is not known")
    return (
        School(AS_FOUND, FIRST_POWER[AS_FOUND], _TEST, risk, known),
        School(RENEW_FIRST, FIRST_POWER[RENEW_FIRST], 0.0, risk * _RENEWED_LEAVES, unknown),
        School(BY_RISK, FIRST_POWER[BY_RISK], _TEST + _CHECKED, risk * _CHECKED_LEAVES, known),
    )


@once
def sundries_of(moment: Moment) -> tuple[Sundry, ...]:
    """What the open steps need besides the parts; no sockets where the job decided against them."""
    sockets = sockets_choice(moment) != NEVER
    steps = plan_of(moment).steps
    return sundries(steps, lambda place: moment.part(place) if moment.has(place) else None, sockets)


def own_order_words(moment: Moment) -> str:
    """What the order of the plan breaks and costs against the soonest one, in words; empty for nothing."""
    steps = plan_of(moment).steps
    tasks = tasks_for(moment, steps)
    if not tasks:
        return ""
    found = breaks(tasks, [step.id for step in steps if not step.done])
    told = [
        say("{first} needs {second} done before it", first=first.name, second=second.name)
        for first, second in found.needs
    ]
    if found.later >= 1:
        told.append(say("the fault is found about {minutes:.0f} min later than it could be", minutes=found.later))
    return joined("; ", told)
