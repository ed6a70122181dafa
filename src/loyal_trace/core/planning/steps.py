"""The plan as a thing of its own: steps, the parts they need, cautions, tools and times, and the repair orders."""

from dataclasses import dataclass, field

from loyal_trace.core.parts.fitting import SubstituteCheck
from loyal_trace.core.vocabulary.cautions import Caution
from loyal_trace.core.vocabulary.identity import PartRef, natural_key
from loyal_trace.core.vocabulary.phrases import before, say

SOONEST = "soonest found"
REPAIR_ORDERS = {
    "least invasive": say("least invasive first: no iron before iron, socketed before soldered, low parts before tall"),
    "likely first": say("most likely cause first, at any effort"),
    "capacitors first": say("replace the capacitors first: a reliable baseline to work from"),
    SOONEST: say("what finds the fault soonest at the bench, minutes, tools and post counted"),
}
DECIDE_FROM = 0.5
# From where a chip is replaced, as the job decides; below it, from where an exchange is worth its time.
REPLACE_FROM = {
    "50 %": say("replace what is more likely faulty than not"),
    "70 %": say("below that, exchange the part first and see"),
    "90 %": say("below that, exchange the part first and see"),
}
PROVE_FROM = 0.3

TALL = {"regulator": 12.0, "amplifier": 12.0, "bridge": 12.0, "connector": 10.0, "control": 10.0}
TOOLS = {
    "cell": say("slide it out of its holder; replace a cell with welded tags by one with tags"),
    "fuse": say("by hand, power off, the reservoir discharged"),
    "regulator": say("screw to the heat sink first with fresh compound, then the joints"),
    "bridge": say("screw to the heat sink first with fresh compound, then the joints"),
}
MINUTES = {
    "capacitor": 8.0,
    "chip-socketed": 3.0,
    "chip-soldered": 25.0,
    "socket": 30.0,
    "leg": 3.0,
    "program": 12.0,
    "reflow": 4.0,
    "socketing": 30.0,
    "diagnose": 15.0,
    "track": 12.0,
}


@dataclass(frozen=True)
class Step:
    """One card of the plan. `id` stays the same as long as place and kind do.

    `before` are sentences on what has to be known or done first; `cautions` what can hurt at this work.
    """

    id: str
    kind: str
    place: PartRef
    what: str
    reason: str
    minutes: float
    part_number: str = ""
    from_drawer: str = ""
    checks: tuple[SubstituteCheck, ...] = ()
    before: tuple[str, ...] = ()
    cautions: tuple[Caution, ...] = ()
    tool: str = ""
    after: str = ""
    socketed: bool = False
    height: float = 4.0
    probability: float = 0.0
    done: bool = False
    skipped: bool = False

    @property
    def title(self) -> str:
        """What is done, without its details."""
        return before(":", self.what)


@dataclass(frozen=True)
class PartNeed:
    """One line of the parts list."""

    number: str
    needed: int
    in_drawer: int
    places: tuple[str, ...]

    @property
    def to_order(self) -> int:
        return max(0, self.needed - self.in_drawer)


@dataclass(frozen=True)
class Plan:
    """Steps in order, the parts they need, and the repair order that sorted them."""

    steps: tuple[Step, ...]
    parts: tuple[PartNeed, ...]
    order: str
    minutes_left: float = field(default=0.0)

    @property
    def done(self) -> int:
        return sum(1 for step in self.steps if step.done)


def order_key(step: Step, order: str) -> tuple[object, ...]:
    """Sort key of an open step: the repair order decides, then the place."""
    moved = {"diagnose": -1, "rescue": 0, "put-back": 2, "give-back": 2}.get(step.kind, 1)
    if moved != 1:
        return (moved, step.place.board, natural_key(step.place.refdes))
    iron = step.kind not in ("leg", "program") and not step.socketed
    if order == "likely first":
        key: tuple[object, ...] = (-round(step.probability, 3), iron)
    elif order == "capacitors first":
        key = (step.kind != "capacitor", iron, not step.socketed, step.height)
    else:
        key = (iron, not step.socketed, step.height)
    return (moved, *key, step.place.board, natural_key(step.place.refdes))
