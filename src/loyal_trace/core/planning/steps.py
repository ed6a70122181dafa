"""The plan: what to renew, with which part, in which order, how long it takes and what can hurt.

Steps come from the verdicts (bad capacitors, suspects beyond doubt, ROMs to mend) and from the board's usual service
list; each names its reason. Order is a named school and can be chosen.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from loyal_trace.core.boards.model import Part, natural_key
from loyal_trace.core.case import Case
from loyal_trace.core.diagnosis.suspects import Suspect
from loyal_trace.core.logbook.state import Place
from loyal_trace.core.parts.capacitors import StockItem, SubstituteCheck, acceptable, check_substitute
from loyal_trace.core.planning.assumptions import not_holding
from loyal_trace.core.planning.away import away, rare_in_place
from loyal_trace.core.roms.verdicts import RomVerdict
from loyal_trace.core.units import format_percent

ORDER_SCHOOLS = {
    "least invasive": "least invasive first: no iron before iron, socketed before soldered, low parts before tall",
    "likely first": "most likely cause first, whatever it takes",
    "capacitors first": "renew the capacitors first: a reliable baseline to work from",
}
DECIDE_FROM = 0.5

CAUTIONS = {
    "reservoir": "Reservoir capacitors hold charge: switch off, discharge through a resistor, measure before touching.",
    "mains": "Mains is near: unplug. Mains wiring is for a qualified person under your local rules.",
    "solder": "Hot iron, lead and flux fumes: ventilate, wash hands; cut leads fly, shield your eyes.",
    "polarity": "Polarity: a reversed electrolytic or tantalum vents or burns. Check the mark against map and board.",
    "uv": "Eraser light at 254 nm harms eyes and skin: keep the lid closed. Cover the window afterwards.",
    "cell": "Lithium cell: never charge it, short it or solder to it; used ones go to the collecting point.",
    "fuse": "Fuses like for like: same rating, same speed, same voltage. Find out why the old one blew.",
    "static": "Touch ground first: memories and CMOS parts die of static.",
}
_TALL = {"regulator": 12.0, "amplifier": 12.0, "bridge": 12.0, "connector": 10.0, "control": 10.0}
_TOOLS = {
    "cell": "slide it out of its holder; tags are spot-welded, so a tagged cell is replaced by one with tags",
    "fuse": "by hand, power off, the reservoir discharged",
    "regulator": "screw to the heat sink first with fresh compound, then the joints",
    "bridge": "screw to the heat sink first with fresh compound, then the joints",
}
_MINUTES = {"capacitor": 8.0, "chip-socketed": 3.0, "chip-soldered": 25.0, "socket": 30.0, "leg": 3.0, "program": 12.0}


@dataclass(frozen=True)
class Step:
    """One card of the plan. `id` stays the same as long as place and kind do."""

    id: str
    kind: str
    place: Place
    what: str
    reason: str
    minutes: float
    part_number: str = ""
    from_drawer: str = ""
    checks: tuple[SubstituteCheck, ...] = ()
    cautions: tuple[str, ...] = ()
    tool: str = ""
    after: str = ""
    socketed: bool = False
    height: float = 4.0
    belief: float = 0.0
    done: bool = False
    skipped: bool = False


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
    """Steps in order, the parts they need, and the school that ordered them."""

    steps: tuple[Step, ...]
    parts: tuple[PartNeed, ...]
    school: str
    minutes_left: float = field(default=0.0)

    @property
    def done(self) -> int:
        return sum(1 for step in self.steps if step.done)


def build_plan(case: Case, suspects: tuple[Suspect, ...], school: str = "least invasive") -> Plan:
    """The whole plan from the verdicts; an unknown school falls back on least invasive first.

    What was done or skipped stays as it was recorded; what the evidence asks for now is open. A place that is accused
    again after its step gets a further one.
    """
    needed: dict[str, Step] = {}
    found = _capacitor_steps(case, suspects) + _rom_steps(case) + _suspect_steps(case, suspects) + _socket_steps(case)
    found += _away_steps(case)
    doubts = not_holding(case.state)
    for step in found:
        if step.place in doubts:
            step = replace(step, cautions=(f"{doubts[step.place]}.", *step.cautions))
        open_id = _open_id(case, step)
        if open_id:
            needed.setdefault(open_id, replace(step, id=open_id))
    known = school if school in ORDER_SCHOOLS else "least invasive"
    ordered = _recorded(case) + sorted(needed.values(), key=lambda s: _order(s, known))
    left = sum(s.minutes for s in ordered if not s.done)
    return Plan(tuple(ordered), _parts(case, ordered), known, left)


def _open_id(case: Case, step: Step) -> str:
    """The id of a needed step: numbered on when the same was done before, empty when it was skipped."""
    records = [r for key, r in case.state.steps.items() if key == step.id or key.startswith(step.id + "-")]
    if not records:
        return step.id
    return "" if records[-1].skipped else f"{step.id}-{len(records) + 1}"


def _recorded(case: Case) -> list[Step]:
    """The steps that were done or skipped, in the order it happened."""
    steps = []
    for key, record in case.state.steps.items():
        board, _, rest = key.partition("/")
        refdes, _, kind = rest.partition("/")
        done = Step(key, kind.split("-")[0], (board, refdes), record.what, record.note or "done", record.minutes)
        steps.append(replace(done, done=True, skipped=record.skipped))
    return steps


def _order(step: Step, school: str) -> tuple[object, ...]:
    """Sort key of an open step: the school decides, then the place."""
    moved = {"rescue": 0, "put-back": 2, "give-back": 2}.get(step.kind, 1)
    if moved != 1:
        return (moved, step.place[0], natural_key(step.place[1]))
    iron = step.kind not in ("leg", "program") and not step.socketed
    if school == "likely first":
        key: tuple[object, ...] = (-round(step.belief, 3), iron)
    elif school == "capacitors first":
        key = (step.kind != "capacitor", iron, not step.socketed, step.height)
    else:
        key = (iron, not step.socketed, step.height)
    return (moved, *key, step.place[0], natural_key(step.place[1]))


def _capacitor_steps(case: Case, suspects: tuple[Suspect, ...]) -> list[Step]:
    verdicts = case.capacitors()
    accused = {s.place: s for s in suspects if s.belief >= DECIDE_FROM and s.against}
    service = {(b, item.refdes): item.why for b, board in case.boards.items() for item in board.service}
    steps = []
    for place, verdict in verdicts.items():
        if verdict.verdict == "bad":
            steps.append(_capacitor(case, place, verdict.reason, 0.95))
        elif place in accused:
            steps.append(_capacitor(case, place, accused[place].against[0].text, accused[place].belief))
        elif place in service and verdict.verdict != "good" and not case.renewed(place):
            steps.append(_capacitor(case, place, f"usual service: {service[place]}", 0.3))
    return steps


def _capacitor(case: Case, place: Place, reason: str, belief: float) -> Step:
    part, board = case.part(place), case.boards[place[0]]
    choice, checks = choose_substitute(case, place)
    cautions = [CAUTIONS["polarity"], CAUTIONS["solder"]]
    if part.polarised and not case.photographed(place):
        cautions.insert(0, f"No aligned photo shows {part.refdes}: photograph its polarity mark before it comes out.")
    if "reservoir" in part.role:
        cautions[:0] = [CAUTIONS["mains"], CAUTIONS["reservoir"]]
    limit = board.height_limit_at(part)
    return Step(
        f"{place[0]}/{part.refdes}/capacitor",
        "capacitor",
        place,
        f"Renew {part.refdes}, {part.number}",
        reason,
        _MINUTES["capacitor"],
        choice.number if choice else part.number,
        choice.place if choice else "",
        checks,
        tuple(cautions),
        "iron 350 °C, fresh solder on both joints, heat both sides, rock gently along the pads",
        f"measure {part.refdes} before it goes in; then the rail or signal it serves",
        height=limit[0] if limit else (part.diameter or 5) * 1.6,
        belief=belief,
    )


def choose_substitute(case: Case, place: Place) -> tuple[StockItem | None, tuple[SubstituteCheck, ...]]:
    """The first drawer item that fits a capacitor's place, with its checks; else the nearest miss, for its reasons."""
    part, board = case.part(place), case.boards[place[0]]
    items = [i for i in case.drawer if i.kind == "capacitor" and case.in_stock(i)]
    judged = [(item, check_substitute(board, part, item)) for item in items]
    for item, checks in judged:
        if acceptable(checks):
            return item, checks
    misses = sorted(judged, key=lambda j: sum(c.verdict == "bad" for c in j[1]))
    return None, misses[0][1] if misses else ()


def _rom_steps(case: Case) -> list[Step]:
    steps = []
    for place, slot in case.roms().items():
        verdict = slot.verdict.verdict if slot.verdict else ""
        if slot.verdict and verdict in ("stuck-address", "stuck-data", "unstable"):
            steps.append(_leg_step(place, slot.verdict))
        elif slot.verdict and verdict in ("few-bytes", "blank", "unknown"):
            steps.append(_program_step(case, place, slot.verdict.reason, bool(slot.truth)))
    return steps


def _leg_step(place: Place, verdict: RomVerdict) -> Step:
    what = f"Mend the contact of {place[1]}"
    return Step(
        f"{place[0]}/{place[1]}/leg", "leg", place, what, verdict.reason, _MINUTES["leg"],
        cautions=(CAUTIONS["static"],), tool=f"{verdict.next} Flat pliers, isopropyl alcohol ≥ 90 %",
        after=f"read {place[1]} again, three times", socketed=True, height=0.0, belief=0.9,
    )  # fmt: skip


def _program_step(case: Case, place: Place, reason: str, truth: bool) -> Step:
    part = case.part(place)
    how = "from the true image at hand" if truth else "once the true image is found"
    return Step(
        f"{place[0]}/{place[1]}/program", "program", place, f"Programme {place[1]} anew {how}", reason,
        _MINUTES["program"], part_number=part.number, cautions=(CAUTIONS["uv"], CAUTIONS["static"]),
        tool="eraser if bits must go from 0 to 1, programmer, window label",
        after=f"verify twice, then read {place[1]} again", socketed=part.socketed, height=1.0, belief=0.9,
    )  # fmt: skip


def _suspect_steps(case: Case, suspects: tuple[Suspect, ...]) -> list[Step]:
    steps = []
    slots = {(b, s.refdes) for b, board in case.boards.items() for s in board.rom_slots}
    for suspect in suspects:
        part = case.part(suspect.place)
        if part.kind == "capacitor" or suspect.belief < DECIDE_FROM:
            continue
        if suspect.place not in slots:
            steps.append(_chip_step(case, suspect, part))
        elif any(line.kind == "fails-in-circuit" for line in suspect.evidence):
            steps.append(_socket_step(suspect.place, part, suspect.against[0].text))
    return steps


def _chip_step(case: Case, suspect: Suspect, part: Part) -> Step:
    spare = next((i for i in case.drawer if i.number == part.number and case.in_stock(i)), None)
    reason = f"belief {format_percent(suspect.belief)}: {suspect.against[0].text}"
    fitted = case.state.fitted.get(suspect.place)
    if fitted:
        reason = f"the one from {fitted.origin} does it too, so mark it bad or doubt the line; {reason}"
    loose = "chip puller" if part.is_chip else "by hand"
    iron = (
        "cut the legs or clear the holes, then fit a turned-pin socket" if part.is_chip else "iron, fresh solder first"
    )
    tool = _TOOLS.get(part.kind, loose if part.socketed else iron)
    checks: tuple[SubstituteCheck, ...] = ()
    if spare:
        verdict = "good" if spare.state == "proven" else "doubtful"
        checks = (SubstituteCheck("spare", verdict, f"{spare.number} from {spare.place}: {spare.state} until proven"),)
    return Step(
        f"{suspect.place[0]}/{part.refdes}/chip", "chip", suspect.place, f"Renew {part.refdes}, {part.number}", reason,
        _MINUTES["chip-socketed" if part.socketed else "chip-soldered"], part.number, spare.place if spare else "",
        checks, _cautions_for(part), tool,
        f"probe {part.refdes} again", part.socketed, _TALL.get(part.kind, 4.0), suspect.belief,
    )  # fmt: skip


def _cautions_for(part: Part) -> tuple[str, ...]:
    own = (CAUTIONS[part.kind],) if part.kind in CAUTIONS else ()
    if part.kind in ("bridge", "regulator", "fuse"):
        own = (*own, CAUTIONS["mains"])
    return (*own, CAUTIONS["static"]) if part.socketed else (*own, CAUTIONS["solder"], CAUTIONS["static"])


def _socket_steps(case: Case) -> list[Step]:
    steps = []
    for place, findings in case.state.findings.items():
        if place[0] not in case.boards or not case.boards[place[0]].has(place[1]):
            continue
        worn = findings[-1].finding in ("socket worn", "socket loose", "single-wipe socket")
        fitted = case.state.fitted.get(place)
        if worn and not (fitted and fitted.time >= findings[-1].time):
            steps.append(_socket_step(place, case.part(place), f"seen: {findings[-1].finding}"))
    return steps


def _socket_step(place: Place, part: Part, reason: str) -> Step:
    return Step(
        f"{place[0]}/{place[1]}/socket", "socket", place, f"Renew the socket of {place[1]}",
        f"{reason}; a worn contact fails now and then", _MINUTES["socket"],
        f"turned-pin socket, {part.package or 'same size'}", cautions=(CAUTIONS["solder"], CAUTIONS["static"]),
        tool="chip out first; never solder a socket with the chip in it", after="count starts again", height=5.0,
        belief=0.8,
    )  # fmt: skip


def _away_steps(case: Case) -> list[Step]:
    """Rare parts out first, missing ones fitted, and at the end everything back where it belongs."""
    steps = []
    for place in rare_in_place(case):
        what = f"Take {place[1]} out to safety and note its shelf"
        steps.append(_moved(case, place, "rescue", what, "rare: out before any risk is taken", f"{place[1]} shelf …"))
    for item in away(case):
        refdes = item.place[1]
        if item.what == "missing":
            fit = _fit_missing(case, item.place)
            steps.append(fit)
        elif item.what == "on the shelf":
            what = f"Put {refdes} back from {item.where}"
            steps.append(_moved(case, item.place, "put-back", what, "it was taken out to safety", f"{refdes} put back"))
        else:
            what = f"Give {refdes} back to {item.where}"
            steps.append(_moved(case, item.place, "give-back", what, "a borrowed stand-in", f"{refdes} given back"))
    return steps


def _moved(case: Case, place: Place, kind: str, what: str, reason: str, after: str) -> Step:
    return Step(
        f"{place[0]}/{place[1]}/{kind}", kind, place, what, reason, _MINUTES["chip-socketed"],
        cautions=(CAUTIONS["static"],), tool="chip puller, conductive foam", after=f"type “{after}”", socketed=True,
        height=0.0, belief=1.0,
    )  # fmt: skip


def _fit_missing(case: Case, place: Place) -> Step:
    part = case.part(place)
    spare = next((i for i in case.drawer if i.number == part.number and case.in_stock(i)), None)
    return Step(
        f"{place[0]}/{part.refdes}/missing", "missing", place, f"Fit {part.refdes}, {part.number}", "it is missing",
        _MINUTES["chip-socketed" if part.socketed else "capacitor"], part.number, spare.place if spare else "",
        cautions=(CAUTIONS["static"],) if part.socketed else (CAUTIONS["solder"],),
        tool="by hand, pin 1 to the mark" if part.socketed else "iron",
        after=f"look at {part.refdes}: pin 1, all legs in",
        socketed=part.socketed, belief=1.0,
    )  # fmt: skip


def _parts(case: Case, steps: list[Step]) -> tuple[PartNeed, ...]:
    needed: dict[str, list[str]] = {}
    for step in steps:
        if step.part_number and not step.done and step.kind != "program":
            needed.setdefault(step.part_number, []).append(step.place[1])
    stock: Mapping[str, int] = {
        number: sum(case.in_stock(i) for i in case.drawer if i.number == number) for number in needed
    }
    return tuple(PartNeed(n, len(places), stock[n], tuple(places)) for n, places in sorted(needed.items()))
