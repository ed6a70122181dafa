"""What is said of capacitors, kits and stand-ins: measured ones, those that could go there, those that are bought."""

import random
from dataclasses import replace
from itertools import product

from loyal_trace.core.parts.ageing import Years, age_of
from loyal_trace.core.parts.equivalents import equivalents_of
from loyal_trace.core.parts.fitting import judge_fit, plain_place
from loyal_trace.core.parts.judging import CapacitorReading, judge, old_against_new
from loyal_trace.core.parts.marking import parse_marking
from loyal_trace.core.parts.marks import capacitor_marking
from loyal_trace.core.parts.roles import Role, role_said
from loyal_trace.core.parts.spec import parse_spec
from loyal_trace.core.parts.stock import Offer, State, StockItem
from loyal_trace.core.parts.survival import estimate_rest
from loyal_trace.core.planning.buying import Wish, plan_purchase
from loyal_trace.core.planning.kit import KitPlace, candidates, check_kit, plan_kit, spec_to_buy, standard_value
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.resources import chip_library, default_tables, families, memory_types
from tests.helpers.ledger import hold, tried

LIMITS = default_tables().capacitors
OLD = (
    "100u/16V",
    "6800u/25V",
    "10u/16V tantalum",
    "100n/50V ceramic X7R",
    "33p/50V C0G",
    "1u film",
    "47u/25V axial",
    "22u/50V BP",
    "220u/6.3V polymer",
    "470n/63V",
    "2200u/35V 16x25",
)
NEW = (
    "100u/16V",
    "100u/25V 8x11 105C",
    "150u 35V",
    "82u/16V",
    "10u/25V tantalum",
    "10u/35V polymer",
    "47u/50V radial 5x11",
    "100n/100V X7R",
    "33p/100V C0G",
    "1u/100V film",
    "220u/10V 10x16 low ESR",
    "6800u/35V 22x40",
    "22u/25V SMD",
)
MARKINGS = (
    "4n7",
    "104",
    "104K",
    "0.1",
    "2A104J",
    "476 16V",
    "47/16",
    "100u 35v",
    "33p",
    "A7",
    "107A",
    "226C",
    "1.5uF",
    "2R2",
    "4,7k",
    "100k 1%",
    "LM339",
    "74LS161",
    "27C128-15",
    "7805",
    "10 MHz",
    "T2A 250V",
    "100u/16V 200C",
    "100u/16V 201C",
    "100u 40C",
    "100u/16V 39C",
    "330n",
    "470n/50V",
    "469n",
    "1N4148",
    "BC547",
)


def measured():
    draw = random.Random(5)
    for marked in OLD:
        spec = parse_spec(marked)
        for number in range(9):
            read = CapacitorReading(
                spec.value * draw.choice((0.0, 0.5, 0.79, 0.95, 1.2, 1.6, 3.2)) if draw.random() < 0.8 else None,
                draw.choice((None, 0.03, 0.2, 0.9, 4.0, 30.0)),
                draw.choice((None, 100.0, 1e5)),
                draw.random() < 0.4,
                draw.choice((None, 0.01, 0.06, 0.15, 0.4)),
                draw.choice((None, 1e-7, 4e-6, 1e-4)),
                draw.choice((None, 0.05, 0.3)),
                draw.choice((None, 3.0, 5e3, 2e6)),
                draw.choice((None, 5.0, 20.0, 60.0)),
                draw.choice((0.0, spec.value / 2)),
            )
            yield f"{marked} measured {number}", judge(spec, read, LIMITS)
            newer = CapacitorReading(spec.value, 0.05 if read.esr else None)
            yield f"{marked} against a new one {number}", old_against_new(read, newer)


def fitted():
    places = [
        plain_place(parse_spec(old), role) for old in OLD for role in (None, Role.BULK, Role.TIMING, Role.COUPLING)
    ]
    for number, (place, new) in enumerate(product(places, NEW)):
        if number % 3 == 0:
            found = replace(
                place, room_diameter=(None, 8.0, 12.0)[number % 9 // 3], room_height=(None, 13.0)[number % 2]
            )
            yield f"{new}, place {number}", judge_fit(found, parse_spec(new), LIMITS)


def marked():
    for text in MARKINGS:
        found = [
            parse_marking(text, kind, chip_library()) for kind in ("capacitor", "resistor", "chip", "fuse", "crystal")
        ]
        yield f"marked {text}", (capacitor_marking(text), found, tried(parse_spec, text))
    for text in ("reset", "timing", "bulk", "reservoir", "coupling", "decoupling", "crystal", "nothing"):
        yield f"role {text}", role_said(text)
    for farad in (1e-12, 4.9e-6, 51e-6, 6.5e-3):
        yield f"made of {farad:g}", standard_value(farad)


def aged():
    for used, warm, shelf, rated in product((0.0, 4000.0), (35.0, 65.0), (0.0, 38.0), (None, 5000.0)):
        age = age_of(LIMITS.life, Years(used, warm, shelf), rated, 105.0 if rated else None)
        yield f"{used:g} h at {warm:g} °C, {shelf:g} years, {rated}", (age, age.word)
    draw = random.Random(8)
    for count in (0, 3, 10):
        known = [(draw.choice("ab"), draw.random() < 0.4) for _ in range(count)]
        yield f"rest after {count}", estimate_rest(known, ["a"] * 3 + ["b"] * 12 + ["c"])


def test_capacitors():
    hold("capacitors", [*measured(), *fitted(), *marked(), *aged()])


def kits():
    draw = random.Random(11)
    for number in range(12):
        places = [
            KitPlace(
                PartRef("b", f"C{n}"),
                words,
                plain_place(parse_spec(words), draw.choice((None, Role.BULK, Role.RESERVOIR))),
                draw.choice(("", "", words, NEW[n % 3])),
                draw.choice(("", "tray 1", "tray 2")),
            )
            for n, words in enumerate(draw.choices(OLD, k=8), start=1)
        ]
        stock = [
            StockItem(
                words,
                "capacitor",
                draw.randint(1, 3),
                place=f"tray {n}",
                state=draw.choice(list(State)),
                donor=draw.choice(("", "", "an old board")),
                risk=draw.choice((0.0, 0.2)),
            )
            for n, words in enumerate(draw.choices(NEW, k=7))
        ]
        held = [(one, one.count) for one in stock]
        yield f"kit {number}", plan_kit(places, held, LIMITS)
        yield f"candidates {number}", candidates(places[0].place, held, LIMITS)
        yield f"to buy {number}", spec_to_buy(places[0].place)
        bought = [StockItem(words, "capacitor", 2) for words in draw.sample(NEW, 4)]
        yield f"bought {number}", tried(check_kit, places, bought, LIMITS)


def orders():
    draw = random.Random(13)
    shops = ("Quay Supplies", "Brine & Co", "Lantern Parts")
    for number in range(24):
        wishes = [Wish(words, draw.randint(1, 5)) for words in draw.sample(("74LS161", "27C128", "4164", "LM339"), 2)]
        wishes.append(Wish("100u/25V", draw.randint(1, 9), plain_place(parse_spec("100u/25V"), Role.BULK)))
        offers = [
            Offer(
                shop,
                wish.name,
                round(draw.uniform(0.2, 4), 2),
                draw.choice((1, 1, 2, 10)),
                3.5,
                draw.choice((2, 3, 20)),
                draw.choice((0.95, 0.8, 0.6)),
                "chip" if wish.place is None else "capacitor",
            )
            for wish in wishes
            for shop in shops
            if draw.random() < 0.8
        ]
        yield f"order {number}", tried(plan_purchase, wishes, offers, LIMITS, draw.choice((0.0, 30.0)))


def stand_ins():
    for number, name in enumerate((*chip_library().type_names, *(one.name for one in memory_types().all))):
        if number % 4 == 0:
            found = tried(equivalents_of, name, chip_library(), families(), memory_types(), 4e6, False)
            shown = [(one.number, one) for one in getattr(found, "found", ())[:3]]
            yield f"instead of {name}", (shown, getattr(found, "sections", found))


def test_kits_orders_and_stand_ins():
    hold("kits", [*kits(), *orders(), *stand_ins()])
