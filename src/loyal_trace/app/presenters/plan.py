"""Plan: what to replace, with what, in which order; what to order; the capacitors; continuity of what it assumes."""

from dataclasses import replace

from loyal_trace.app.cautions import caution_words
from loyal_trace.app.commands import Setting
from loyal_trace.app.presenters.base import StagePresenter
from loyal_trace.app.presenters.continuity import ContinuityPage, summary
from loyal_trace.app.presenters.extras import EXTRAS, extra_rows, tick_extra
from loyal_trace.app.presenters.kit import (
    FIT_GLYPHS,
    GROUPS,
    ORDERS,
    ROOM,
    KitPage,
    choose_order,
    orders_view,
    rest_words,
)
from loyal_trace.app.presenters.model import NO_ROWS, Action, Cell, Meaning, Page, Row, Rows, heading
from loyal_trace.app.presenters.schools import choose_school, school_rows
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.assess.assumptions import assumptions
from loyal_trace.core.assess.capacitors import life_of, old_beside_new
from loyal_trace.core.assess.compare import own_order_words, sundries_of
from loyal_trace.core.assess.orders import BEFORE_DECISION, LAST
from loyal_trace.core.job.entries import Decided, Entry, Measured
from loyal_trace.core.parts.fitting import FIT_WORDS
from loyal_trace.core.planning.steps import REPAIR_ORDERS, PartNeed, Plan, Step
from loyal_trace.core.planning.sundries import Sundry
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.core.vocabulary.identity import PartRef, natural_key
from loyal_trace.core.vocabulary.phrases import capital, joined, say, stacked, term
from loyal_trace.core.vocabulary.quantities import Quantity
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.units import count_of, format_percent, parse_quantity

STEPS, PARTS, CAPACITORS, PAIRS = say("steps"), say("parts list"), say("capacitors"), say("pairs to check")
SCHOOLS = say("ways of working")
STAND_INS = say("what can stand in")
_SHOWN_STAND_INS = 4
_HINT = "C1 measures 3200u esr 0.4; C1 use 6800u 35V from tray F"
_ASKS = (Quantity.CAPACITANCE, Quantity.ESR)


class PlanPresenter(StagePresenter):
    """Steps, the parts they need, and the capacitors with their verdicts."""

    stage = Stage.PLAN

    def __init__(self, workspace: Workspace) -> None:
        super().__init__(workspace)
        self.continuity, self.kit = ContinuityPage(workspace), KitPage(workspace)
        self._kit_open = False
        self._checking = False
        self._capacitors: list[PartRef] = []

    def setting(self) -> Setting:
        if self._checking:
            return replace(self.plain_setting(), asked=self.continuity.asked())
        return super().setting()

    @property
    def further(self) -> bool:
        return self._checking or self._kit_open

    def leave(self) -> bool:
        opened = self.further
        self._checking = self._kit_open = False
        if opened:
            self.workspace.show()
        return opened

    def turn(self) -> None:
        """The pairs to check, or the plan."""
        self._checking = not self._checking
        self.workspace.show()

    def turn_kit(self) -> None:
        """The capacitor kit, or the plan."""
        self._kit_open = not self._kit_open
        if self._kit_open:
            self.kit.opened()
        self.workspace.show()

    def page(self) -> Page:
        if self._kit_open and not self._checking:
            return self.kit.page(Action("I", say("Show the repair plan"), self.turn_kit, say("Return to the steps")))
        plan = self.workspace.assessment().plan
        rests = summary(assumptions(self.workspace.snapshot))
        left = sum(not s.done for s in plan.steps)
        told = say(
            "{steps} to do, about {minutes_left:.0f} min", steps=count_of(left, "step"), minutes_left=plan.minutes_left
        )
        if self._checking:
            back = Action("C", say("Show the repair plan"), self.turn, say("Return to the steps"))
            return Page(
                say("Do the assumptions hold?"),
                rests or told,
                self.continuity.meaning(),
                self.continuity.target(),
                (*self.continuity.actions(), back),
                lists={PAIRS: self.continuity.rows()},
            )
        about = say(
            "{told} · {say}{repair_orders}",
            told=told,
            say=say("{rests} · ", rests=rests) if rests else "",
            repair_orders=REPAIR_ORDERS[plan.order],
        )
        here = self._step_in_view(plan)
        return Page(
            say("What to replace, and when?"),
            about,
            self._meaning(here),
            self.target(_HINT, self._detail()),
            self._actions(),
            self._caution(here),
            lists={
                STAND_INS: self._stand_ins(),
                STEPS: self._step_rows(plan),
                PARTS: _part_rows(plan.parts, sundries_of(self.workspace.moment)),
                EXTRAS: extra_rows(self.workspace),
                SCHOOLS: school_rows(self.workspace),
                CAPACITORS: self._capacitor_rows(),
            },
            figures={ORDERS: orders_view(self.workspace)},
        )

    def _detail(self) -> str:
        return say("capacitance, ESR") if self._is_capacitor(self.workspace.picked_part) else ""

    def _is_capacitor(self, place: PartRef | None) -> bool:
        return place is not None and self.workspace.moment.part(place).kind == "capacitor"

    def _actions(self) -> tuple[Action, ...]:
        measure = Action(
            "M",
            say("Measure the capacitor"),
            self.from_meter,
            say("Reads capacitance and ESR from the meter"),
            main=True,
        )
        earlier = Action(
            "U", say("Move the step up"), self.move_up, say("Puts the picked step before the one above it")
        )
        following = Action("N", say("Next capacitor"), lambda: self.move(1), say("Those not measured yet come first"))
        return (
            *((measure,) if self._is_capacitor(self.workspace.picked_part) else ()),
            *((following,) if self._listed() else ()),
            Action(
                "O",
                say("Change the repair order"),
                self.next_order,
                say("least invasive, likely first, capacitors first"),
            ),
            *((earlier,) if self._movable() else ()),
            Action("I", say("Show the capacitor kit"), self.turn_kit, say("Groups, room, candidates, what to buy")),
            Action("C", say("Check continuity"), self.turn, say("The assumptions of the plan, pair by pair")),
        )

    def _movable(self) -> list[Step]:
        """The step above the picked one and the picked one, both open; empty where there is nothing to move."""
        steps = [step for step in self.workspace.assessment().plan.steps if not step.done]
        at = next((n for n, step in enumerate(steps) if step.place == self.workspace.picked_part), 0)
        return steps[at - 1 : at + 1] if at > 0 else []

    def move_up(self) -> None:
        """The picked step goes before the one above it."""
        pair = self._movable()
        if len(pair) == 2:
            self._put_before(pair[1], pair[0])

    def row_moved(self, name: str, index: int, to: int) -> None:
        """A step was dragged to stand before another; what is done stays where it is."""
        steps = self.workspace.assessment().plan.steps
        if name != STEPS or steps[index].done:
            return
        behind = [step for step in steps[to:] if not step.done and step.place != steps[index].place]
        self._put_before(steps[index], behind[0] if behind else None)

    def _put_before(self, step: Step, other: Step | None) -> None:
        """An own order, with what it breaks."""
        what = f"{BEFORE_DECISION}{step.place.board}/{step.place.refdes}"
        choice = f"{other.place.board}/{other.place.refdes}" if other is not None else LAST
        if self.workspace.record(Decided, what=what, choice=choice):
            words = own_order_words(self.workspace.moment)
            if words:
                self.workspace.say(say("As planned now, {words}.", words=words))

    def _listed(self) -> list[PartRef]:
        """Polarised capacitors, unmeasured ones first: those that age."""
        found = self.workspace.assessment().capacitors
        aging = [p for p in found if self.workspace.moment.part(p).polarised]
        return sorted(aging, key=lambda p: (found[p].verdict != "not measured", p.board, natural_key(p.refdes)))

    def _step_rows(self, plan: Plan) -> Rows:
        rows = [self._step_row(number, step) for number, step in enumerate(plan.steps, start=1)]
        picked = next((i for i, s in enumerate(plan.steps) if s.place == self.workspace.place), -1)
        return Rows(tuple(rows), picked, movable=True)

    def _step_row(self, number: int, step: Step) -> Row:
        origin = step.part_number + (say(", {from_drawer}", from_drawer=step.from_drawer) if step.from_drawer else "")
        cells = (
            Cell(36, 24, str(number), mono=True),
            Cell(62, 76, self.workspace.place_name(step.place), bold=True, mono=True),
            Cell(142, 250, step.title),
            Cell(398, 190, origin),
            Cell(594, 0, say("{minutes:.0f} min", minutes=step.minutes), mono=True),
        )
        return Row("good" if step.done else "unknown", cells, height=25)

    def _capacitor_rows(self) -> Rows:
        found = self.workspace.assessment().capacitors
        self._capacitors = self._listed()
        rows = [heading(say("Electrolytic capacitors"), 26)] if self._capacitors else []
        for place in self._capacitors:
            verdict = found[place]
            kind = verdict.verdict if verdict.verdict in ("good", "bad", "doubtful") else "unknown"
            cells = (
                Cell(36, 84, self.workspace.place_name(place), bold=True, mono=True),
                Cell(124, 92, self.workspace.moment.part(place).number, mono=True),
                Cell(220, 100, term(verdict.verdict), kind.replace("unknown", ""), bold=True),
                Cell(322, 0, verdict.reason),
            )
            rows.append(Row(kind, cells, height=24))
        here = self._capacitors.index(self.workspace.place) + 1 if self.workspace.place in self._capacitors else -1
        return Rows(tuple(rows), here)

    def _stand_ins(self) -> Rows:
        """What could take the place of the picked chip, the best first, with what it gives up."""
        picked = self.workspace.picked_part
        part = self.workspace.moment.part(picked) if picked is not None else None
        if part is None or not part.is_chip or not self.workspace.job.library.knows(part.number):
            return NO_ROWS
        clock = self.workspace.snapshot.decision("processor clock")
        hertz = parse_quantity(clock, "Hz") if clock else None
        found = self.workspace.stand_ins(part.number, hertz).found
        rows = [heading(say("What can stand in for {number}", number=part.number), 26)]
        for one in found[:_SHOWN_STAND_INS]:
            cells = (
                Cell(36, 96, one.number, bold=True, mono=True),
                Cell(136, 104, FIT_WORDS[one.fits], FIT_GLYPHS[one.fits], bold=True),
                Cell(244, 0, joined("; ", one.gives_up) or one.relation),
            )
            rows.append(Row(FIT_GLYPHS[one.fits], cells, height=24))
        return Rows(tuple(rows)) if len(rows) > 1 else NO_ROWS

    def _step_in_view(self, plan: Plan) -> Step | None:
        """The step of the picked part; with nothing picked, the first that is open."""
        here = next((s for s in plan.steps if s.place == self.workspace.place), None)
        if here is None and self.workspace.picked_part is None:
            here = next((s for s in plan.steps if not s.done), None)
        return here

    def _meaning(self, here: Step | None) -> Meaning:
        picked = self.workspace.picked_part
        if here is not None:
            checks = joined(
                "; ",
                (
                    say("{aspect} {verdict}: {reason}", aspect=term(c.aspect), verdict=term(c.verdict), reason=c.reason)
                    for c in here.checks
                ),
            )
            return Meaning(
                say("{here}: {reason}.", here=here.what, reason=here.reason),
                say("{tool} After: {after}.", tool=_ended(here.tool), after=here.after),
                "unknown",
                checks,
            )
        if picked is not None and self._is_capacitor(picked):
            verdict = self.workspace.assessment().capacitors[picked]
            measure = say("Measure it (Alt+M), or type capacitance and ESR, such as 3200u 0.4.")
            advice = measure if verdict.verdict == "not measured" else say("Leave it in place.")
            aside = joined(
                " ", (text for text in (self._of_its_years(picked), rest_words(self.workspace, picked)) if text)
            )
            return Meaning(
                say("{refdes}: {reason}.", refdes=picked.refdes, reason=verdict.reason), advice, verdict.verdict, aside
            )
        if picked is not None:
            why = say("The plan has no step for {refdes}.", refdes=picked.refdes)
            return Meaning(
                why, say("Type what should go in, such as {refdes} use 74LS166 from drawer 3.", refdes=picked.refdes)
            )
        return Meaning(say("The evidence so far names no part to replace."), say("Measure the electrolytics (Alt+N)."))

    def _of_its_years(self, place: PartRef) -> str:
        """What the old part had lost against the new one, or how old it is by its years alone."""
        changed = old_beside_new(self.workspace.moment, place)
        if changed is not None:
            return say("{text}.", text=capital(changed.text))
        age = life_of(self.workspace.moment, place)
        if age is None:
            return ""
        low, high = format_percent(age.low), format_percent(age.high)
        return say("By its years alone {low} to {high} of its rated life is behind it.", low=low, high=high)

    def _caution(self, here: Step | None) -> str:
        return stacked(*here.before, caution_words(here.cautions[:2])) if here is not None else ""

    def row_picked(self, name: str, index: int) -> None:
        if name == STEPS:
            self.workspace.pick(*self.workspace.assessment().plan.steps[index].place)
        elif name == CAPACITORS and 0 < index <= len(self._capacitors):
            self.workspace.pick(*self._capacitors[index - 1])
        elif name == PAIRS:
            self.continuity.row_picked(index)
        elif name == GROUPS:
            self.kit.row_picked(index)
        elif name == EXTRAS:
            tick_extra(self.workspace, index)
        elif name == SCHOOLS:
            choose_school(self.workspace, index)

    def figure_picked(self, name: str, *at: float) -> None:
        if name == ORDERS and at:
            choose_order(self.workspace, int(at[0]))
        elif name == ROOM and at:
            self.kit.card_picked(int(at[0]))

    def move(self, step: int) -> None:
        if self._checking:
            self.continuity.move(step)
            return
        listed = self._listed()
        if listed:
            at = listed.index(self.workspace.place) if self.workspace.place in listed else (-1 if step > 0 else 0)
            self.workspace.pick(*listed[(at + step) % len(listed)])

    def from_meter(self) -> None:
        """Capacitance and ESR of the picked capacitor."""
        place, meter = self.workspace.picked_part, self.workspace.instruments.meter
        if place is None or meter is None:
            self.workspace.say(say("No meter is connected. Type the reading, such as 3200u 0.4."), True)
            return
        try:
            numbers = [meter.measure(place.board, place.refdes, quantity) for quantity in _ASKS]
        except LoyalTraceError as error:
            self.workspace.say(str(error), True)
            return
        fields = {"board": place.board, "place": place.refdes, "source": "meter"}
        entries = [
            self.workspace.job.make(Measured, quantity=quantity, value=value, **fields)
            for quantity, value in zip(_ASKS, numbers, strict=True)
        ]
        if self.workspace.record_all(entries, say("{refdes} measured", refdes=place.refdes)):
            self.recorded(tuple(entries))

    def recorded(self, entries: tuple[Entry, ...]) -> None:
        """After a reading of the picked capacitor: the next one that was not measured."""
        here = {PartRef(e.board, e.place) for e in entries if isinstance(e, Measured)}
        if self._checking:
            if here:
                self.continuity.go_on()
            return
        found = self.workspace.assessment().capacitors
        still = [p for p in self._listed() if found[p].verdict == "not measured"]
        if self.workspace.place in here and still and self.workspace.place in found:
            self.workspace.pick(*still[0])

    def next_order(self) -> None:
        """The next of the repair orders; the plan follows it."""
        names = list(REPAIR_ORDERS)
        now = self.workspace.assessment().plan.order
        choice = names[(names.index(now) + 1) % len(names)]
        self.workspace.record(Decided, what=say("repair order"), choice=choice, reason=REPAIR_ORDERS[choice])


def _ended(text: str) -> str:
    """A sentence with a capital and one stop at its end."""
    return capital(text) if not text or text.endswith(".") else say("{text}.", text=capital(text))


def _part_rows(parts: tuple[PartNeed, ...], more: tuple[Sundry, ...]) -> Rows:
    """What the steps need, what of it has to be ordered, and what else has to be at hand."""
    rows = [heading(say("Parts list"), 26)] if parts or more else []
    for need in parts:
        kind = "doubtful" if need.to_order else "good"
        bought = say("order {to_order}", to_order=need.to_order) if need.to_order else say("in the drawer")
        cells = (
            Cell(36, 220, need.number),
            Cell(262, 50, say("{needed} ×", needed=need.needed), mono=True),
            Cell(316, 110, bought, kind, bold=True),
            Cell(430, 0, say("for {places}", places=joined(", ", need.places))),
        )
        rows.append(Row(kind, cells, height=24))
    for one in more:
        count = say("{needed} ×", needed=one.count) if one.count else ""
        places = say("for {places}", places=joined(", ", one.places))
        short = (Cell(36, 220, one.what), Cell(262, 50, count, mono=True), Cell(430, 0, places))
        rows.append(Row("unknown", short, height=24))
    return Rows(tuple(rows))
