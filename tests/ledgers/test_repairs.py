"""Repairs of boards that were told line by line: facts, readings, exchanges and changes in any order, all answers held."""

import random
from datetime import timedelta

from loyal_trace.core.assess.assessment import Assessment
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.job.settings import settings
from tests.helpers.builders import START, made, moment_with
from tests.helpers.ledger import all_said_of, hold_wide
from tests.helpers.lines import context, read

BOARD = {"own": BoardDefinition(id="own", name="Own", parts=())}
PARTS = (
    "U1 is 74LS00", "U2 is 74LS04", "U3 is 74LS166", "U4 is 74LS374", "U5 is 74LS374", "U6 is LM339", "U7 is 27C128",
    "U8 is type HYB-3", "C1 is 6800u 25V", "C2 is 100u 16V", "C3 is 10u 16V tantalum", "C4-C5 are 100n", "REG1 is 7805",
    "R1 is 4k7", "F1 is 2A slow", "BR1 is a bridge", "D1 is 1N4148", "Q1 is BC547", "BT1 is NiCd 3.6V", "J1 is a connector",
    "J2 is a connector", "Y1 is 8 MHz", "SW1 is a switch", "RV1 is a trimmer", "AMP1 is type HYB-9", "LD1 is a diode",
)  # fmt: skip
CHIPS, SMALL = (
    [f"U{n}" for n in range(1, 9)],
    ["C1", "C2", "C3", "C4", "REG1", "R1", "F1", "BR1", "D1", "Q1", "BT1", "J1", "Y1", "RV1", "AMP1"],
)
FUNCTIONS = ("speech", "engine", "bell", "lamps")
OUTCOMES = ("moves", "stays", "gone", "partly")
LEVELS = (*"LHPPX", "0.2V", "1.4V", "4.1V", "2MHz")
CHANGED = ("gone", "stays", "comes back", "better", "worse")


class Teller:
    """Draws lines as somebody might type them, about few parts, so that what is said of them meets."""

    def __init__(self, seed):
        self.draw = random.Random(f"repair {seed}")
        # Few parts come up again and again.
        self.chips = self.draw.sample(CHIPS, 4)
        self.few = [*self.chips, *self.draw.sample(SMALL, 4)]

    def chip(self):
        return self.draw.choice(self.chips)

    def part(self):
        return self.draw.choice(self.few)

    def pin(self):
        return f"{self.chip()}.{self.draw.randint(1, 14)}"

    def function(self):
        return self.draw.choice(FUNCTIONS)

    def of(self, *words):
        return self.draw.choice(words)

    def decision(self):
        name, setting = self.of(*settings().items())
        return (
            f"decide {name}: {self.of(*setting.choices) if setting.choices else self.of('0.1', '5 %', '4096', 'xyz')}"
        )

    def line(self):
        ways = [way for way in dir(self) if way.startswith("say_")]
        return getattr(self, self.draw.choice(ways))()

    def say_path(self):
        return f"path {self.function()}: {' '.join(self.draw.sample(self.few, self.draw.randint(2, 4)))} {self.of('J1', 'J2')}"

    say_path_again = say_path

    def say_function(self):
        return f"{self.of('works', 'fails', 'fails')}: {self.function()}{self.of('', '', f' at {self.chip()}')}"

    say_function_again = say_function

    def say_symptom(self):
        return f"{self.of('symptom', 'symptom', 'symptom gone', 'symptom partly')}: {self.of('no sound', 'hum', 'dim lamps')}"

    def say_swap(self):
        return (
            f"swap {self.chip()} {self.of(f'and {self.chip()}', 'with spare 1', 'with spare 2')}: {self.of(*OUTCOMES)}"
        )

    def say_swapped_back(self):
        return "swapped back"

    def say_trial(self):
        part = self.part()
        return self.of(
            f"{part} out: {self.of(*CHANGED)}", f"{part} back", f"pressed {part}: {self.of(*CHANGED)}",
            f"cooled {part}: {self.of(*CHANGED)}", f"piggyback {self.chip()}: {self.of(*CHANGED)}",
            f"{self.pin()} lifted: {self.of(*CHANGED)}", f"{self.pin()} resoldered",
        )  # fmt: skip

    def say_changed(self):
        part = self.part()
        return self.of(
            f"{part} replaced", f"{part} replaced", f"{part} removed", f"{part} fitted", f"{part} put back",
            f"{part} reflowed", f"{part} reseated", f"{self.chip()} socket fitted", f"{self.chip()} contact repaired",
            f"C1 replaced with {self.of('6800u 35V', '4700u 25V', '10000u 16V')}", f"U3 replaced with {self.of('74LS166', '74HC166')}",
            f"{part} knocked off", "all electrolytics replaced", f"before: {part} replaced", f"{self.chip()} is socketed",
        )  # fmt: skip

    def say_seen(self):
        finding = self.of(
            "corroded", "leaking", "scorched", "loose", "cracked joint", "ok", "missing", "hot", "bent pins"
        )
        return f"{self.of(self.part(), self.pin(), f'socket of {self.chip()}')} {finding}"

    def say_pins(self):
        chip = self.chip()
        some = sorted(self.draw.sample(range(1, 15), self.draw.randint(1, 10)))
        return " ".join([chip, *(f"{pin}={self.of(*LEVELS)}" for pin in some)])

    say_pins_again = say_pins

    def say_volts(self):
        return f"{self.of(f'{self.chip()}.14', f'{self.chip()}.7', self.pin(), 'REG1.3')} {self.of('4.98V', '4.7V', '3.1V', '0.1V', '0V', '5.4V')}"

    def say_resistance(self):
        return self.of(
            f"rail +5 to ground {self.of('0.3', '4.2', '45', '800')} ohm", f"F1 {self.of('0.08 ohm', 'OL', '3 ohm')}",
            f"{self.part()} lifted: {self.of('0.4', '30', '70', '500')} ohm", f"R1 {self.of('4k6', '9k', 'OL')}",
            f"D1 diode {self.of('0.55', '0', 'OL')}", f"{self.pin()} to {self.pin()} {self.of('0.2 ohm', 'OL')}",
        )  # fmt: skip

    def say_capacitor(self):
        place = self.of("C1", "C2", "C3")
        share = self.of(0.2, 0.7, 0.95, 1.1, 2.5) * {"C1": 6800, "C2": 100, "C3": 10}[place]
        where = self.of("", " out of circuit", " in circuit")
        return f"{place} measures {share:g}u esr {self.of('0.02', '0.3', '1.5', '12')}{where}"

    def say_supply(self):
        return self.of(
            "supply +5: from J1 9 V AC 1 A", "supply +5: from J1 9 V DC 2 A", "supply +5: through F1/2A, BR1, C1, REG1",
            "supply +5: to U3.16", "rail +5 feeds U1, U2, U3, U4", f"J1 {self.of('ac 8.6V', '9.1V', 'ac 2V')}",
        )  # fmt: skip

    def say_net(self):
        return self.of(f"{self.pin()} = {self.pin()}", f"{self.pin()} = {self.pin()}", f"{self.pin()} ! {self.pin()}")

    def say_good(self):
        point = self.of(f"{self.chips[0]}.14", f"{self.chips[1]}.3", "REG1.3", "U1.14")
        values = ("4.98V", "4.1V", "0.2V", "2MHz", "to ground 300 ohm", "to ground 40 ohm", "sig 7A5F", "sig 1234")
        return f"{self.of('good board ', '')}{point} {self.of(*values)}"

    say_good_again = say_good

    def say_damage(self):
        return self.of(
            f"track {self.pin()} to {self.pin()} cut", f"track {self.pin()}-{self.pin()} repaired with wire", f"{self.pin()} pad lifted",
            "off: 4 M3x8 screws, bottom shield", "off: ribbon, J3, red stripe left", "back on: 3 of screws", "lamp LD1 shows F1",
            f"LD1 {self.of('lit', 'dark')}", "control RV1 0%=12k 50%=51k 100%=99k", "control RV1 0%=0.1k 50%=90k 100%=99k",
            f"assume spare: {self.pin()}={self.pin()}, {self.pin()}!{self.pin()}", "free run: on", "free run: off", "clock at Y1.1: 8 MHz",
            f"timer: drying {self.of('20', '90')} min", "REG1 modified: diode from output to input; back: unsolder the diode",
            f"{self.chip()} borrowed from the spare set", f"{self.chip()} given back", f"{self.chip()} shelf: box 3", "SW1 as found: 1 on, 2 off",
            f"reflow: {self.of('J1', 'J2')}", "heat sink in: REG1", "AMP1 dissipates 2.5 W", f"{self.chip()}.{self.draw.randint(1, 14)}: RESET in",
        )  # fmt: skip

    def say_start(self):
        return self.of(
            "start ok",
            "start failed",
            "start failed code 3",
            "start failed off 10 min",
            "5 starts ok",
            "code 3 = U7",
            "code 3 = U4",
        )

    def say_check(self):
        return f"check: {self.of('keyboard', 'all lamps', self.function())} {self.of('ok', 'ok', 'fails', 'fails, left dead')}"

    def say_code(self):
        sent = self.draw.randrange(256)
        return f"sent {sent:02X} shown {self.of(sent & 0xFB, sent & 0xFB, sent | 0x20, sent):02X}"

    def say_plan(self):
        return self.of(
            "twins U4 U5", "C2 is for timing", "C1 is for reservoir", f"order: {self.part()} before {self.part()}",
            f"order: {self.part()} last", f"{self.chip()} is rare", "service: C1, C2", "kit: all electrolytics", "kit: what is bad",
            f"{self.part()} arrives in 5 days", "board is coated", "board is single-sided", self.decision(), self.decision(), self.decision(),
            "drawer: 2x 74LS374 in tray 3, untested", "drawer: 1x 74LS166 in tray 1, tested", "drawer: 4x 100u 25V in tray 2, new",
            "REG1 has no heat sink", "C1 25 mm high", "bench lacks: 12 V AC", "to check: keyboard, all lamps", "good enough: hum stays",
            "not testable: keyboard, no harness", "board washed with water, drying", "improve REG1: diode across; back: unsolder it",
        )  # fmt: skip


def told(seed, most):
    """The entries of one repair, each line read where the ones before it left the job; lines that are refused stay out."""
    teller = Teller(seed)
    entries, lines = [], [*PARTS, *(teller.line() for _ in range(most))]
    for number, line in enumerate(lines):
        now = START + timedelta(minutes=7 * number)
        found = read(line, context(BOARD, entries, now=now))
        said = found.said or (teller.draw.choice(found.choices) if found.choices else None)
        if said is not None and found.status.value in ("recorded", "unclear"):
            entries += [made(one.kind, **{"time": now, **one.fields}) for one in said.entries]
    return entries


def cases():
    for seed in range(60):
        yield from all_said_of(Assessment(moment_with(BOARD, told(seed, 12 + 2 * (seed % 9)))), few=100)


def test_repairs_told_line_by_line():
    hold_wide("repairs", cases(), 1)
