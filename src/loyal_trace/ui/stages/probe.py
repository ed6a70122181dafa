"""Probe: can this chip do what its pins do? States with single keys; the next pin comes by itself."""

import re

from loyal_trace.core.assess.chips import judged_chip, pin_readings
from loyal_trace.core.chips.model import ChipType
from loyal_trace.core.job.entries import (
    OWN_BOARD,
    Measured,
    PartTold,
    PinsProbed,
    number_or_overload,
    pin_state,
)
from loyal_trace.core.probing.check import ChipVerdict, OutputVerdict
from loyal_trace.core.probing.states import NOT_PROBED, PinReading, parse_state
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.core.vocabulary.identity import PartRef, PinRef, in_order
from loyal_trace.core.vocabulary.units import format_percent, parse_quantity
from loyal_trace.ui.desk import Desk
from loyal_trace.ui.widgets.chip_view import ChipPicture, ChipView, PinView
from loyal_trace.ui.widgets.rows import Cell, Row, RowList
from loyal_trace.ui.widgets.stage_frame import KeyHint, StageFrame, column

_OHMS = re.compile(r".*(Ω|ohm)", re.IGNORECASE)
_EDGE = {"impossible": "bad", "unusual": "doubtful", "possible": "good"}


class ProbeStage:
    """The picked chip, its pins, and the verdict on each output as it is typed."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self.pin = 1
        self._shown: PartRef = PartRef("", "")
        self.chip_view, self.worth = ChipView(), RowList("worth probing next")
        self.frame = StageFrame(column(self.chip_view, self.worth))
        self.frame.meaning.keep_steady()
        self.chip_view.pin_picked.connect(self._pick_pin)
        self.worth.picked.connect(self._worth_picked)
        self.frame.entry.submitted.connect(self._submitted)
        self._worth: list[PartRef] = []

    def hints(self) -> tuple[KeyHint, ...]:
        states = [("L", "low"), ("H", "high"), ("P", "pulsing"), ("X", "invalid"), ("Z", "floating")]
        typed = tuple(KeyHint(key, word, lambda key=key: self._enter(PinReading(key))) for key, word in states)
        return (
            *typed,
            KeyHint("␣", "skip", lambda: self._advance(1)),
            KeyHint("R", "probe it", self._from_probe),
            KeyHint("A", "all", self._all_pins),
            KeyHint("G", "to ground", self._to_ground),
            KeyHint("N", "next chip", self._next_chip),
            KeyHint("↑", "", lambda: self._advance(-1)),
            KeyHint("↓", "", lambda: self._advance(1)),
        )

    def overlay_trace(self) -> tuple[tuple[tuple[str, int], ...], str]:
        """The net of the pin in hand."""
        place, board = self._place(), self.desk.definition
        if board is None or place[0] != self.desk.board:
            return (), ""
        net = board.net_of(place[1], self.pin)
        if not net or net in ("VCC", "GND"):
            return (), ""
        others = board.others_on_net(place[1], self.pin)
        pins = ", ".join(f"{r}.{p}" for r, p in others[:6]) + (" …" if len(others) > 6 else "")
        return ((place[1], self.pin), *others), f"{net}: {place[1]}.{self.pin} to {pins}"

    def _place(self) -> PartRef:
        """The picked chip, else the last one probed, else the first the library knows."""
        moment = self.desk.job.moment
        board, part = self.desk.place
        definition = self.desk.definition
        if definition is not None and part and definition.has(part) and moment.chip_type(PartRef(board, part)):
            return PartRef(board, part)
        probed = [p for p in self.desk.job.snapshot.readings.pins if p[0] in self.desk.job.boards]
        if probed:
            return probed[-1]
        known = [p.refdes for p in definition.chips if moment.chip_type(PartRef(board, p.refdes))] if definition else []
        return PartRef(board, in_order(known)[0] if known else "")

    def _chip(self) -> ChipType | None:
        place = self._place()
        return self.desk.job.moment.chip_type(place) if place[1] else None

    def refresh(self) -> None:
        place, chip = self._place(), self._chip()
        self.frame.entry.set_hints(self.hints())
        if chip is None:
            self.frame.head("Can this chip do what its pins do?", "no chip the library knows is picked")
            self.chip_view.show_chip(None)
            self.frame.meaning.say(
                "Pick a chip on the map, or probe one on its own: its type and its own pins are enough.",
                "Type its number, for instance 74LS166.",
            )
            self.frame.entry.set_target("", "the number on the chip, such as 74LS00")
            return
        if place != self._shown:
            self._shown = place
            self.pin = self._first_open(chip)
        verdict = judged_chip(self.desk.job.moment, place)
        readings = pin_readings(self.desk.job.moment, place)
        pins = sum(1 for p in chip.pins if p.role != "unused")
        probed = sum(1 for r in readings.values() if r.state != "?")
        title = self.desk.job.boards[place[0]].title
        self.frame.head(
            f"Can {place[1]} do what its pins do?",
            f"{chip.name}, {chip.title} · {probed} of {pins} pins probed · {title}",
        )
        self.chip_view.show_chip(self._picture(place, chip, verdict, readings))
        pin = chip.pin_number(self.pin)
        self.frame.entry.set_target(
            f"{place[1]}.{pin.number} {pin.name}", "a key, a voltage, 6MHz, 4k3Ω to ground, or a chip number"
        )
        self._meaning(place, chip, verdict)
        self._show_worth()

    def picked(self) -> None:
        self.refresh()

    def _picture(
        self, place: PartRef, chip: ChipType, verdict: ChipVerdict | None, readings: dict[int, PinReading]
    ) -> ChipPicture:
        outputs = {o.pin: o for o in verdict.outputs} if verdict else {}
        pins = []
        for pin in chip.pins:
            reading = readings.get(pin.number, NOT_PROBED)
            shown = reading.words if reading.voltage is None else f"{reading.voltage:.2f} V"
            output = outputs.get(pin.number)
            word, expected = (output.verdict, output.expected) if output else ("", "")
            word = "" if word == "not probed" else word
            pins.append(PinView(pin.number, pin.name, reading.state, shown, word, expected))
        return ChipPicture(place[1], chip.name, tuple(pins), self.pin)

    def _meaning(self, place: PartRef, chip: ChipType, verdict: ChipVerdict | None) -> None:
        suspect = self.desk.assessment().suspect_at(place)
        aside = f"Belief now: {place[1]} bad {format_percent(suspect.belief)}" if suspect else ""
        if verdict is None or all(o.verdict == "not probed" for o in verdict.outputs):
            why = f"No output of {place[1]} has been judged yet. Inputs first, then each output is judged as you type."
            self.frame.meaning.say(why, f"Put the probe on pin {self.pin}.", "unknown", aside)
            return
        worst = min(verdict.outputs, key=lambda o: _rank(o, self.pin))
        following = {
            "impossible": self._after_impossible(place, worst.pin),
            "unusual": "Look at these signals with an analyser or scope, or probe what drives them.",
            "possible": "Go on with the next pin, or the next chip (N).",
        }  # fmt: skip
        reason = verdict.supply or f"{worst.reason[0].upper()}{worst.reason[1:]}."
        self.frame.meaning.say(reason, following.get(worst.verdict, ""), _EDGE.get(worst.verdict, "unknown"), aside)

    def _after_impossible(self, place: PartRef, pin: int) -> str:
        if self.desk.job.snapshot.latest(place[0], f"{place[1]}.{pin}", "resistance"):
            return f"Weigh it against the rest in Suspects (Ctrl+6), then renew {place[1]} (Ctrl+8)."
        return f"Measure {place[1]}.{pin} to ground, power off (G)."

    def _show_worth(self) -> None:
        things = self.desk.assessment().probing
        self._worth = [t.place for t in things]
        rows = [Row("", (), heading="Worth probing next", height=24)] if things else []
        top = max((t.bits for t in things), default=1.0)
        for number, thing in enumerate(things, start=1):
            cells = (
                Cell(4, 20, str(number), bold=True), Cell(26, 330, self._elsewhere(thing.place) + thing.text),
                Cell(514, 76, f"{thing.bits:.2f} bit"), Cell(592, 60, f"{thing.minutes:.1f} min"),
            )  # fmt: skip
            rows.append(Row("", cells, (360.0, 146.0, thing.bits / top, "copper"), height=24))
        self.worth.set_rows(tuple(rows), -1)

    def _elsewhere(self, place: PartRef) -> str:
        """The board's name when a thing is to be done on another board than the one in view."""
        return "" if place[0] == self.desk.board else self.desk.job.boards[place[0]].name + ": "

    def _worth_picked(self, index: int) -> None:
        if 0 < index <= len(self._worth):
            self.desk.pick(*self._worth[index - 1])

    def _first_open(self, chip: ChipType) -> int:
        readings = pin_readings(self.desk.job.moment, self._shown)
        left = [p.number for p in chip.pins if p.role != "unused" and readings.get(p.number, NOT_PROBED).state == "?"]
        return left[0] if left else 1

    def _advance(self, step: int) -> None:
        chip = self._chip()
        if chip is None:
            return
        self.pin = self._beside(chip, step)
        self.desk.picked.emit()

    def _beside(self, chip: ChipType, step: int) -> int:
        """The next pin in that direction that is used."""
        pin = self.pin
        for _ in chip.pins:
            pin = (pin - 1 + step) % len(chip.pins) + 1
            if chip.pin_number(pin).role != "unused":
                break
        return pin

    def _pick_pin(self, pin: int) -> None:
        self.pin = pin
        self.desk.picked.emit()

    def _enter(self, reading: PinReading) -> None:
        """Records a reading of the pin in hand and goes on to the next."""
        place, chip, here = self._place(), self._chip(), self.pin
        if chip is None:
            return
        self.pin = self._beside(chip, 1)  # first, so that what follows the record shows the next pin already
        if not self.desk.record(PinsProbed, board=place[0], place=place[1], pins=(pin_state(here, reading),)):
            self.pin = here
            self.refresh()

    def _submitted(self, text: str) -> None:
        chip = self._chip()
        if self.desk.job.library.knows(text):
            self._loose_chip(text.strip().upper())
            return
        if chip is None or not text.strip():
            self._advance(1)
            return
        ohms = _OHMS.fullmatch(text.strip())
        if ohms:
            self.frame.entry.edit.clear()
            self._record_resistance(text.strip())
            return
        try:
            reading = parse_state(text, chip.family)
        except LoyalTraceError as error:
            self.desk.said.emit(str(error), True)
            return
        self.frame.entry.edit.clear()
        self._enter(reading)

    def _loose_chip(self, number: str) -> None:
        """A chip type was typed: a chip to probe on its own, on no board."""
        loose = [place for place in self.desk.job.snapshot.facts.parts if place.board == OWN_BOARD]
        refdes = f"U{len(loose) + 1}"
        if self.desk.record(PartTold, board=OWN_BOARD, place=refdes, number=number, sort="chip"):
            self.frame.entry.edit.clear()
            self.desk.pick(OWN_BOARD, refdes)

    def _record_resistance(self, text: str) -> None:
        """A typed resistance to ground, power off: `4k3Ω`, `2 ohm`, `OL ohm`."""
        place = self._place()
        try:
            number = float("inf") if text.upper().startswith("OL") else parse_quantity(text, "Ω")
        except LoyalTraceError as error:
            self.desk.said.emit(str(error), True)
            return
        value, overload = number_or_overload(number)
        self.desk.record(
            Measured,
            board=place[0],
            place=f"{place[1]}.{self.pin}",
            quantity="resistance",
            value=value,
            overload=overload,
        )

    def _to_ground(self) -> None:
        """The resistance of the pin in hand (of the impossible output, if there is one) to ground, power off."""
        if self._chip() is None:
            return
        place, verdict = self._place(), judged_chip(self.desk.job.moment, self._place())
        if self.desk.instruments.probe is None:
            self.desk.said.emit("no meter is connected: type the reading with its unit, such as 4k3Ω", True)
            return
        if verdict is not None and verdict.impossible:
            self.pin = verdict.impossible[0].pin
        number = self.desk.instruments.meter.measure(place[0], f"{place[1]}.{self.pin}", "resistance")
        self._record_resistance("OL ohm" if number == float("inf") else f"{number:.4g}Ω")

    def _from_probe(self) -> None:
        """The pin in hand from the probe."""
        if self._chip() is not None:
            self._probe_pins([self.pin], advance=True)

    def _all_pins(self) -> None:
        chip = self._chip()
        if chip is not None:
            self._probe_pins([p.number for p in chip.pins if p.role != "unused"], advance=False)

    def _probe_pins(self, pins: list[int], advance: bool) -> None:
        if self.desk.instruments.probe is None:
            self.desk.said.emit("no probe is connected: type what yours shows", True)
            return
        place = self._place()
        try:
            states = tuple(pin_state(n, self.desk.instruments.probe.probe(PinRef(*place, n))) for n in pins)
        except LoyalTraceError as error:
            self.desk.said.emit(str(error), True)
            return
        done = self.desk.record(PinsProbed, board=place[0], place=place[1], pins=states, source="probe")
        if done and advance:
            self._advance(1)

    def _next_chip(self) -> None:
        """The next chip on this board that has not been probed, else simply the next."""
        if self._chip() is None:
            return
        board, part = self._place()
        definition, moment = self.desk.job.boards[board], self.desk.job.moment
        chips = in_order(p.refdes for p in definition.chips if moment.chip_type(PartRef(board, p.refdes)))
        after = chips[chips.index(part) + 1 :] + chips[: chips.index(part)]
        open_ones = [c for c in after if (board, c) not in self.desk.job.snapshot.readings.pins]
        if after:
            self.desk.pick(board, (open_ones or after)[0])


def _rank(output: OutputVerdict, pin: int) -> tuple[int, bool]:
    order = {"impossible": 0, "unusual": 1, "possible": 2, "not probed": 3}
    return order[output.verdict], output.pin != pin
