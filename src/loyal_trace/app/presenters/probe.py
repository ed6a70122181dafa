"""Probe: can this chip do what its pins do? The pin in hand, the verdict on each output, what is worth probing next."""

from loyal_trace.app.commands import Setting, guard_words
from loyal_trace.app.presenters.base import StagePresenter
from loyal_trace.app.presenters.chip_picture import chip_picture, good_words, signed_words
from loyal_trace.app.presenters.model import (
    NO_TRACE,
    Action,
    Cap,
    Cell,
    Meaning,
    Page,
    Row,
    Rows,
    Trace,
    heading,
)
from loyal_trace.app.presenters.screen import ScreenDesk
from loyal_trace.app.presenters.trace import TraceDesk
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.assess.chips import judged_chip, pin_readings
from loyal_trace.core.assess.free_runs import expected_at, expected_words
from loyal_trace.core.chips.model import ChipType
from loyal_trace.core.job.entries import Entry, Measured, PinsProbed, number_or_overload, pin_state
from loyal_trace.core.job.free_run import free_run_is_on
from loyal_trace.core.line.asked import pins_from
from loyal_trace.core.probing.states import STATE_WORDS, PinReading
from loyal_trace.core.probing.verdicts import ChipVerdict, OutputVerdict
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.core.vocabulary.identity import PartRef, PinRef, in_order
from loyal_trace.core.vocabulary.phrases import capital, joined, say, term
from loyal_trace.core.vocabulary.quantities import Quantity
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.units import format_percent
from loyal_trace.core.vocabulary.verdicts import OutputWord

CHIP, WORTH = say("chip from above"), say("worth probing next")
_STATES = {state: words for state, words in STATE_WORDS.items() if state != "?"}
_SKIP = " "
_EDGE = {OutputWord.IMPOSSIBLE: "bad", OutputWord.UNUSUAL: "doubtful", OutputWord.POSSIBLE: "good"}
_HINT = say("{states} for the pins from here on; or {other}", states="L, LHPPL, 4.1V, 6MHz", other="5D.13 low")


class ProbePresenter(StagePresenter):
    """The picked chip and the pin in hand. A part that has no pins to probe stays picked, and the page says why."""

    stage = Stage.PROBE

    def __init__(self, workspace: Workspace) -> None:
        super().__init__(workspace)
        self.pin = 1
        self._shown = PartRef("", "")
        self._worth: list[PartRef] = []
        self.screen, self.traced = ScreenDesk(workspace), TraceDesk(workspace)

    # what is in hand

    def _chip_place(self) -> PartRef | None:
        """The picked part, when it is a chip."""
        place = self.workspace.picked_part
        return place if place is not None and self.workspace.moment.part(place).is_chip else None

    def _chip(self) -> ChipType | None:
        place = self._chip_place()
        return self.workspace.moment.chip_type(place) if place is not None else None

    def _pins(self) -> tuple[int, ...]:
        """The used pins of the chip in hand, in order."""
        place, chip = self._chip_place(), self._chip()
        if place is None:
            return ()
        if chip is not None:
            return tuple(pin.number for pin in chip.pins if pin.role != "unused")
        return tuple(range(1, 65))

    def _follow(self) -> None:
        """Another chip was picked: begin at its first pin that was not probed."""
        place = self._chip_place()
        if place is not None and place != self._shown:
            self._shown = place
            self.pin = pins_from(self.context(), place, None)[0]

    def setting(self) -> Setting:
        self._follow()
        return self.setting_at(self.pin if self._chip_place() is not None else None)

    # what is shown

    def page(self) -> Page:
        self._follow()
        place, chip = self._chip_place(), self._chip()
        if place is None or chip is None:
            return self._nothing_to_judge(place)
        back = Action("C", say("Show the chip"), self.show_chip, say("Goes back to the pins"), main=True)
        target = self.target(_HINT, say("pin {number} {name}", number=self.pin, name=chip.pin_number(self.pin).name))
        further = self.traced.page(place, chip, target, back) or self.screen.page(
            place, chip, self.pin, target, (self._next_pin(), back)
        )
        if further is not None:
            return further
        verdict = judged_chip(self.workspace.moment, place)
        readings = pin_readings(self.workspace.moment, place)
        moment = self.workspace.moment
        signed = signed_words(moment, place)
        probed = sum(1 for r in readings.values() if r.state != "?")
        title = self.workspace.job.boards[place.board].title
        about = say(
            "{chip}, {title} · {probed} of {count} pins probed · {title2}",
            chip=chip.name,
            title=chip.title,
            probed=probed,
            count=len(self._pins()),
            title2=title,
        )
        pin = chip.pin_number(self.pin)
        return Page(
            say("Can {refdes} do what its pins do?", refdes=place.refdes),
            about,
            self._meaning(place, verdict),
            self.target(_HINT, say("pin {pin_number} {pin}", pin_number=pin.number, pin=pin.name)),
            self._actions(),
            guard_words(self.workspace.job, place.board),
            lists={WORTH: self._worth_rows()},
            figures={CHIP: chip_picture(place, chip, verdict, readings, self.pin, good_words(moment, place), signed)},
        )

    def show_chip(self) -> None:
        """Back to the pins."""
        self.screen.level, self.traced.shown = None, False
        self.workspace.show()

    def leave(self) -> bool:
        """Esc goes back to the pins."""
        if self.screen.level is None and not self.traced.shown:
            return False
        self.show_chip()
        return True

    def _nothing_to_judge(self, place: PartRef | None) -> Page:
        """Why nothing can be judged here, and what can be done instead."""
        picked = self.workspace.picked_part
        detail = say("pin {pin}", pin=self.pin) if place is not None else ""
        if picked is None:
            why, what = say("No chip is picked."), say("Pick one on the map, or type what it is, such as U1 is 74LS00.")
        elif place is None:
            part = self.workspace.moment.part(picked)
            why = say(
                "{refdes} is a {kind}: it has no logic pins to probe.", refdes=picked.refdes, kind=term(part.kind)
            )
            what = say("Measure it at Rails (Ctrl+3) or Plan (Ctrl+7), or take the next chip (Alt+N).")
        else:
            number = self.workspace.moment.number_at(place)
            why = say(
                "The chip library does not know the type {number}. Levels are recorded, but not judged.",
                number=number or say("of this chip"),
            )
            what = say(
                "Type its type, such as {refdes} is 74LS166, or go on with pin {pin}.",
                refdes=place.refdes,
                pin=self.pin,
            )
        return Page(
            say("Can this chip do what its pins do?"),
            "",
            Meaning(why, what),
            self.target(_HINT, detail),
            self._actions(),
            lists={WORTH: self._worth_rows()},
        )

    def _actions(self) -> tuple[Action, ...]:
        probing = [
            Action(
                "R",
                say("Read the probe"),
                self.read_probe,
                say("Reads the selected pin with the logic probe"),
                main=True,
            ),
            Action(
                "A", say("Probe all pins"), self.probe_all, say("Reads every used pin of the chip with the logic probe")
            ),
            Action("M", say("Measure to ground"), self.to_ground, say("Resistance of the pin to ground, power off")),
        ]
        following = Action("N", say("Next chip"), self.next_chip, say("Goes to the next chip that was not probed yet"))
        if self._chip_place() is None:
            return (following,)
        known = self._chip() is not None
        trace = self.traced.actions(self.workspace.place) if known else ()
        screen = self.screen.actions(self.workspace.place, self.pin) if known else ()
        return (*probing, *trace, following, *screen)

    def _next_pin(self) -> Action:
        return Action("P", say("Next pin"), lambda: self.move(1), say("Goes to the next pin of the chip"))

    def _meaning(self, place: PartRef, verdict: ChipVerdict | None) -> Meaning:
        suspect = self.workspace.assessment().suspect_at(place)
        aside = (
            say(
                "Probability that {refdes} is faulty: {probability}",
                refdes=place.refdes,
                probability=format_percent(suspect.probability),
            )
            if suspect
            else ""
        )
        if verdict is None or all(o.verdict == OutputWord.NOT_PROBED for o in verdict.outputs):
            why = say(
                "No output of {refdes} has been judged yet. Probe the inputs first, then the outputs.",
                refdes=place.refdes,
            )
            return Meaning(why, self._put_on(place), "unknown", aside)
        if verdict.word == OutputWord.NOT_JUDGED:
            why = say("{refdes} cannot be judged. {supply}.", refdes=place.refdes, supply=capital(verdict.supply))
            return Meaning(why, say("Find out why first: supply voltages (Ctrl+3)."), "doubtful", aside)
        worst = min(verdict.outputs, key=lambda o: _rank(o, self.pin))
        following = {
            OutputWord.IMPOSSIBLE: self._after_impossible(place, worst.pin),
            OutputWord.UNUSUAL: self._after_unusual(place),
            OutputWord.POSSIBLE: say("Go on with the next pin, or the next chip (Alt+N)."),
        }
        reason = verdict.supply or say("{reason}.", reason=capital(worst.reason))
        return Meaning(reason, following.get(worst.verdict, ""), _EDGE.get(worst.verdict, "unknown"), aside)

    def _put_on(self, place: PartRef) -> str:
        """What to do with the pin in hand, and what it shows when nothing is wrong."""
        expected = expected_at(self.workspace.moment, place, self.pin)
        if expected is None:
            return say("Put the probe on pin {pin}.", pin=self.pin)
        words = expected_words(self.workspace.moment, expected)
        return say("Put the probe on pin {pin}. When healthy it shows {words}.", pin=self.pin, words=words)

    def _after_unusual(self, place: PartRef) -> str:
        """Twins have the same use: what is unusual for one of them is a fault, for all of them it is none."""
        board, probed = self.workspace.job.boards[place.board], self.workspace.snapshot.readings.pins
        twins = [refdes for group in board.siblings if place.refdes in group for refdes in group]
        still = [refdes for refdes in twins if PartRef(place.board, refdes) not in probed]
        if still:
            return say("Probe {twins} the same way: twins do the same.", twins=joined(", ", still[:3]))
        if twins:
            return say("Its twins were probed: compare them in Suspects (Ctrl+6), or exchange it and see.")
        return say("Look at these signals with an analyser or oscilloscope, or probe what drives them.")

    def _after_impossible(self, place: PartRef, pin: int) -> str:
        if self.workspace.snapshot.latest(place.board, f"{place.refdes}.{pin}", Quantity.RESISTANCE):
            return say(
                "Compare it with the other suspects (Ctrl+6) before you replace {refdes} (Ctrl+8).", refdes=place.refdes
            )
        return say("Measure {refdes}.{pin} to ground, power off (Alt+M).", refdes=place.refdes, pin=pin)

    def _worth_rows(self) -> Rows:
        things = self.workspace.assessment().probing
        self._worth = [t.place for t in things]
        rows = [heading(say("Worth probing next"), 24)] if things else []
        top = max((t.bits for t in things), default=1.0)
        for number, thing in enumerate(things, start=1):
            cells = (
                Cell(4, 20, str(number), bold=True),
                Cell(26, 330, self._elsewhere(thing.place) + thing.text),
                Cell(514, 76, say("{bits:.2f} bit", bits=thing.bits)),
                Cell(592, 60, say("{minutes:.1f} min", minutes=thing.minutes)),
            )
            rows.append(Row("", cells, (360.0, 146.0, thing.bits / top, "copper"), height=24))
        return Rows(tuple(rows), acts=True)

    def _elsewhere(self, place: PartRef) -> str:
        """The board's name when a thing is to be done on another board than the one in view."""
        return "" if place.board == self.workspace.board else self.workspace.job.boards[place.board].name + ": "

    def trace(self) -> Trace:
        """The net of the pin in hand."""
        self._follow()
        place, board = self._chip_place(), self.workspace.definition
        if board is None or place is None:
            return NO_TRACE
        net = board.net_of(place.refdes, self.pin)
        if not net or net in ("VCC", "GND"):
            return NO_TRACE
        others = board.others_on_net(place.refdes, self.pin)
        pins = joined(", ", (f"{r}.{p}" for r, p in others[:6])) + (" …" if len(others) > 6 else "")
        return ((place.refdes, self.pin), *others), say(
            "{net}: {refdes}.{pin} to {pins}", net=net, refdes=place.refdes, pin=self.pin, pins=pins
        )

    # what is done

    def pad(self) -> tuple[Cap, ...]:
        states = tuple(Cap(key, word) for key, word in _STATES.items())
        return (*states, Cap(_SKIP, say("skip"))) if self._chip_place() is not None else ()

    def press(self, key: str) -> bool:
        """One state at the pin in hand, then the next pin; a blank only goes on."""
        if key == _SKIP:
            self.move(1)
            return True
        return self._record_states((self.pin,), (PinReading(key),), "hand")

    def move(self, step: int) -> None:
        pins = self._pins()
        if pins:
            at = pins.index(self.pin) if self.pin in pins else -step
            self.go_to(pins[(at + step) % len(pins)])

    def go_to(self, pin: int) -> None:
        """Another pin of the same chip."""
        self.pin = pin
        self.workspace.show()

    def figure_picked(self, name: str, *at: float) -> None:
        self.go_to(int(at[0]))

    def row_picked(self, name: str, index: int) -> None:
        if 0 < index <= len(self._worth):
            self.workspace.pick(*self._worth[index - 1])

    def recorded(self, entries: tuple[Entry, ...]) -> None:
        """After states at the pin in hand: the pin behind them."""
        place = self._chip_place()
        probed = [e for e in entries if isinstance(e, PinsProbed) and place == PartRef(e.board, e.place)]
        numbers = [state.pin for entry in probed for state in entry.pins]
        if self.pin in numbers:
            self.pin = self._after(max(numbers))
            self.workspace.show()

    def _after(self, pin: int) -> int:
        pins = self._pins()
        return next((number for number in pins if number > pin), pins[0])

    def _record_states(self, pins: tuple[int, ...], readings: tuple[PinReading, ...], source: str) -> bool:
        place, here = self._chip_place(), self.pin
        if place is None:
            return False
        states = tuple(pin_state(pin, reading) for pin, reading in zip(pins, readings, strict=True))
        if len(pins) == 1:
            self.pin = self._after(here)  # first, so that what follows the record shows the next pin already
        done = self.workspace.record(
            PinsProbed,
            board=place.board,
            place=place.refdes,
            pins=states,
            source=source,
            free_run=free_run_is_on(self.workspace.snapshot),
        )
        if not done:
            self.pin = here
        return done

    def read_probe(self) -> None:
        """The pin in hand from the probe."""
        self._from_probe((self.pin,))

    def probe_all(self) -> None:
        """Every used pin from the probe."""
        self._from_probe(self._pins())

    def _from_probe(self, pins: tuple[int, ...]) -> None:
        place, probe = self._chip_place(), self.workspace.instruments.probe
        if place is None:
            return
        if probe is None:
            self.workspace.say(say("No probe is connected. Type the reading."), True)
            return
        try:
            readings = tuple(probe.probe(PinRef(place.board, place.refdes, pin)) for pin in pins)
        except LoyalTraceError as error:
            self.workspace.say(str(error), True)
            return
        self._record_states(pins, readings, "probe")

    def to_ground(self) -> None:
        """The resistance of the pin in hand (of the output in doubt, if there is one) to ground, power off."""
        place, meter = self._chip_place(), self.workspace.instruments.meter
        if place is None:
            return
        if meter is None:
            self.workspace.say(say("No meter is connected. Type the reading, such as 5D.13 4k3 ohm."), True)
            return
        verdict = judged_chip(self.workspace.moment, place)
        doubted = verdict.impossible or verdict.unusual if verdict is not None else ()
        if doubted:
            self.pin = doubted[0].pin
        point = f"{place.refdes}.{self.pin}"
        try:
            value, overload = number_or_overload(meter.measure(place.board, point, Quantity.RESISTANCE))
        except LoyalTraceError as error:
            self.workspace.say(str(error), True)
            return
        self.workspace.record(
            Measured,
            board=place.board,
            place=point,
            quantity=Quantity.RESISTANCE,
            value=value,
            overload=overload,
            source="meter",
        )

    def next_chip(self) -> None:
        """The next chip on this board that was not probed, else simply the next."""
        board = self.workspace.definition
        if board is None:
            return
        chips = in_order(p.refdes for p in board.chips)
        here = chips.index(self.workspace.part) if self.workspace.part in chips else -1
        after = chips[here + 1 :] + chips[: max(here, 0)]
        probed = self.workspace.snapshot.readings.pins
        still = [c for c in after if PartRef(self.workspace.board, c) not in probed]
        if after:
            self.workspace.pick(self.workspace.board, (still or after)[0])


def _rank(output: OutputVerdict, pin: int) -> tuple[int, bool]:
    order = (OutputWord.IMPOSSIBLE, OutputWord.UNUSUAL, OutputWord.POSSIBLE, OutputWord.NOT_JUDGED)
    return order.index(output.verdict) if output.verdict in order else len(order), output.pin != pin
