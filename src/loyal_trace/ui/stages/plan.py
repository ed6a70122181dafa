"""Plan: what to renew, with what, in which order, and what to order."""

from loyal_trace.core.assess.assumptions import assumptions
from loyal_trace.core.job.entries import Decided, Measured
from loyal_trace.core.planning.steps import REPAIR_ORDERS, Plan, Step
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.core.vocabulary.identity import PartRef, natural_key
from loyal_trace.core.vocabulary.units import count_of, parse_quantity
from loyal_trace.ui.desk import Desk
from loyal_trace.ui.stages.plan_continuity import ContinuityPage, summary
from loyal_trace.ui.widgets.rows import Cell, Row, RowList
from loyal_trace.ui.widgets.stage_frame import KeyHint, StageFrame, column


class PlanStage:
    """Steps, the parts they need, and the capacitors with their verdicts."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self.steps, self.parts, self.capacitors = RowList("steps"), RowList("parts list"), RowList("capacitors")
        self.frame = StageFrame(column())
        self.continuity = ContinuityPage(desk, self.frame)
        self._plan = column(self.steps, self.parts, self.capacitors, spacing=10)
        self._pairs = column(self.continuity.list)
        for widget in (self._plan, self._pairs):
            self.frame.evidence.layout().insertWidget(0, widget)
        self._ringing = False
        self.steps.picked.connect(self._step_picked)
        self.capacitors.picked.connect(self._capacitor_picked)
        self.frame.entry.submitted.connect(self._submitted)
        self._capacitors: list[PartRef] = []

    def hints(self) -> tuple[KeyHint, ...]:
        ring = KeyHint("C", "the plan" if self._ringing else "continuity", self._turn)
        if self._ringing:
            return (*self.continuity.hints(), ring)
        return (
            ring,
            KeyHint("M", "measure the picked capacitor", self._from_meter),
            KeyHint("O", "order of work", self._next_school),
            KeyHint("↑↓", "capacitor", None),
            KeyHint("↑", "", lambda: self._move(-1)),
            KeyHint("↓", "", lambda: self._move(1)),
        )

    def _turn(self) -> None:
        """The pairs to ring out, or the plan."""
        self._ringing = not self._ringing
        self.refresh()

    def overlay_trace(self) -> tuple[tuple[tuple[str, int], ...], str]:
        return (), ""

    def picked(self) -> None:
        self.refresh()

    def _listed(self) -> list[PartRef]:
        """Polarised capacitors, unmeasured ones first: those that age."""
        found = self.desk.assessment().capacitors
        aging = [p for p in found if self.desk.job.moment.part(p).polarised]
        return sorted(aging, key=lambda p: (found[p].verdict != "not measured", p[0], natural_key(p[1])))

    def _current(self) -> PartRef | None:
        listed = self._listed()
        return self.desk.place if self.desk.place in listed else (listed[0] if listed else None)

    def refresh(self) -> None:
        plan = self.desk.assessment().plan
        left = [s for s in plan.steps if not s.done]
        self._plan.setVisible(not self._ringing)
        self._pairs.setVisible(self._ringing)
        rests = summary(assumptions(self.desk.job.snapshot))
        told = f"{count_of(len(left), 'step')} to do, about {plan.minutes_left:.0f} min"
        if self._ringing:
            self.frame.head("What does the plan assume of the board, and does it hold?", rests or told)
            self.frame.caution.say("")
            self.frame.entry.set_hints(self.hints())
            self.continuity.refresh()
            return
        school = REPAIR_ORDERS[plan.order]
        self.frame.head(
            "What is renewed, with what, and in which order?", f"{told} · {f'{rests} · ' if rests else ''}{school}"
        )
        rows = [self._step_row(number, step) for number, step in enumerate(plan.steps, start=1)]
        picked = next((i for i, s in enumerate(plan.steps) if s.place == self.desk.place), -1)
        self.steps.set_rows(tuple(rows), picked)
        self._show_parts(plan)
        self._show_capacitors()
        self._meaning(plan)
        current = self._current()
        self.frame.entry.set_hints(self.hints())
        name = current[1] if current else ""
        self.frame.entry.set_target(name, "measured: capacitance, then ESR if known, such as 3200u 0.4")

    def _step_row(self, number: int, step: Step) -> Row:
        place = self.desk.place_name(step.place)
        glyph = "good" if step.done else "unknown"
        what = step.what.split(":")[0]
        origin = f"{step.part_number}" + (f", {step.from_drawer}" if step.from_drawer else "")
        cells = (
            Cell(36, 24, str(number), mono=True), Cell(62, 76, place, bold=True, mono=True),
            Cell(142, 250, what), Cell(398, 190, origin), Cell(594, 0, f"{step.minutes:.0f} min", mono=True),
        )  # fmt: skip
        return Row(glyph, cells, height=25)

    def _show_parts(self, plan: Plan) -> None:
        rows = [Row("", (), heading="Parts list", height=26)] if plan.parts else []
        for need in plan.parts:
            kind = "doubtful" if need.to_order else "good"
            word = f"order {need.to_order}" if need.to_order else "in the drawer"
            cells = (
                Cell(36, 220, need.number), Cell(262, 50, f"{need.needed} ×", mono=True),
                Cell(316, 110, word, kind, bold=True), Cell(430, 0, "for " + ", ".join(need.places)),
            )  # fmt: skip
            rows.append(Row(kind, cells, height=24))
        self.parts.set_rows(tuple(rows), -1)

    def _show_capacitors(self) -> None:
        found = self.desk.assessment().capacitors
        self._capacitors = self._listed()
        rows = [Row("", (), heading="Electrolytic capacitors", height=26)] if self._capacitors else []
        for place in self._capacitors:
            part, verdict = self.desk.job.moment.part(place), found[place]
            name = self.desk.place_name(place)
            kind = verdict.verdict if verdict.verdict in ("good", "bad", "doubtful") else "unknown"
            cells = (
                Cell(36, 84, name, bold=True, mono=True), Cell(124, 92, part.number, mono=True),
                Cell(220, 100, verdict.verdict, kind.replace("unknown", ""), bold=True), Cell(322, 0, verdict.reason),
            )  # fmt: skip
            rows.append(Row(kind, cells, height=24))
        current = self._current()
        index = self._capacitors.index(current) + 1 if current else -1
        self.capacitors.set_rows(tuple(rows), index)
        if current == self.desk.place:
            self.frame.scroll.ensureVisible(10, self.capacitors.y() + self.capacitors.top_of(index) + 24, 0, 30)

    def _meaning(self, plan: Plan) -> None:
        here = next((s for s in plan.steps if s.place == self.desk.place), None) or next(
            (s for s in plan.steps if not s.done), None
        )
        if here is None:
            self.frame.meaning.say("Nothing needs to be renewed by what is known.", "Measure the electrolytics (M).")
            self.frame.caution.say("")
            return
        current = self._current()
        if current == self.desk.place and here.place != current:
            verdict = self.desk.assessment().capacitors[current]
            advice = "Measure it: M, or type capacitance and ESR." if verdict.verdict == "not measured" else "Leave it."
            self.frame.meaning.say(f"{current[1]}: {verdict.reason}.", advice, verdict.verdict)
            self.frame.caution.say(here.cautions[0] if here.kind == "capacitor" else "")
            return
        checks = "; ".join(f"{c.aspect} {c.verdict}: {c.reason}" for c in here.checks)
        self.frame.meaning.say(f"{here.what}: {here.reason}.", f"{here.tool}. After: {here.after}.", "unknown", checks)
        self.frame.caution.say(" ".join(here.cautions[:2]))

    def _step_picked(self, index: int) -> None:
        self.desk.pick(*self.desk.assessment().plan.steps[index].place)

    def _capacitor_picked(self, index: int) -> None:
        if 0 < index <= len(self._capacitors):
            self.desk.pick(*self._capacitors[index - 1])

    def _move(self, step: int) -> None:
        listed, current = self._listed(), self._current()
        if current:
            self.desk.pick(*listed[(listed.index(current) + step) % len(listed)])

    def _from_meter(self) -> None:
        current = self._current()
        if current is None or self.desk.instruments.meter is None:
            self.desk.said.emit("no meter is connected: type what yours shows", True)
            return
        try:
            numbers = [self.desk.instruments.meter.measure(*current, quantity) for quantity in ("capacitance", "esr")]
        except LoyalTraceError as error:
            self.desk.said.emit(str(error), True)
            return
        self._record(current, numbers)

    def _record(self, place: PartRef, numbers: list[float]) -> None:
        following = [p for p in self._listed() if p != place]
        entries = [
            self.desk.job.make(Measured, board=place[0], place=place[1], quantity=quantity, value=value)
            for quantity, value in zip(("capacitance", "esr"), numbers, strict=False)
        ]
        if self.desk.record_all(entries, f"{place[1]} measured") and following:
            self.desk.pick(*following[0])

    def _submitted(self, text: str) -> None:
        if self._ringing:
            self.continuity.submitted(text)
            return
        current = self._current()
        words = text.split()
        if current is None or not words:
            self._move(1)
            return
        try:
            numbers = [parse_quantity(w, u) for w, u in zip(words[:2], ("F", "Ω"), strict=False)]
        except LoyalTraceError as error:
            self.desk.said.emit(str(error), True)
            return
        self.frame.entry.edit.clear()
        self._record(current, numbers)

    def _next_school(self) -> None:
        names = list(REPAIR_ORDERS)
        now = self.desk.assessment().plan.order
        choice = names[(names.index(now) + 1) % len(names)]
        self.desk.record(Decided, what="repair order", choice=choice, reason=REPAIR_ORDERS[choice])
