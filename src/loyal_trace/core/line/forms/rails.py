"""Rails by their names: `rail +5 to ground 4.2 ohm`, `rail +5 4.87V`, and with parts lifted off them."""

from collections.abc import Iterable
from itertools import product

from loyal_trace.core.boards.supplies import plain_rail
from loyal_trace.core.job.entries import RailTold
from loyal_trace.core.line.context import AskedLift, Planned, Refusal, Said
from loyal_trace.core.line.forms.facts import nominal_of
from loyal_trace.core.line.forms.measured import OHMS, lifted_entry, ohms_of, reading
from loyal_trace.core.line.registry import Match, Scope, about, form, said
from loyal_trace.core.line.values import VALUE, possible, read_values, typed_value
from loyal_trace.core.vocabulary.quantities import Quantity
from loyal_trace.core.vocabulary.stages import Stage


@form(
    rf"(?:(?P<on><board>)\s+)?rail\s+(?P<rail>[+-]?[\w.,]+(?:\s*V)?)\s+to\s+ground\s+(?P<red>{OHMS})(?:\s+red)?"
    rf"(?:\s*,?\s*(?P<black>{OHMS})\s+black)?",
    "rail +5 to ground 4.2 ohm red, 0.9 ohm black",
    stage=Stage.RAILS,
)
def rail_to_ground(m: Match, scope: Scope) -> Iterable[Said]:
    """A rail to ground, power off, in one or both polarities: red is the probe that lies on the rail."""
    for board in scope.boards(m["on"], free=False):
        name, point, new = rail_of(scope, board, m["rail"])
        readings = [(Quantity.TO_GROUND, m["red"]), (Quantity.TO_GROUND_REVERSED, m["black"])]
        options = [[(q, v) for v in ohms_of(q, text)] for q, text in readings if text]
        for chosen in product(*options):
            told = ", ".join(f"{typed_value(v, q)} {'red' if q is Quantity.TO_GROUND else 'black'}" for q, v in chosen)
            yield said(
                f"{scope.board_words(board)}rail {name} to ground {told}",
                *new,
                *(reading(board, point, q, v) for q, v in chosen),
            )


@form(
    rf"(?:(?P<on><board>)\s+)?(?:rail\s+(?P<rail>[+-]?[\w.,]+(?:\s*V)?)|(?P<known>[+-]\d[\d.,]*\s*V?))"
    rf"\s+(?:is\s+|reads\s+|at\s+|=\s*)?(?P<value>{VALUE}\s*V)",
    "rail +5 4.87V",
    stage=Stage.RAILS,
)
def rail_voltage(m: Match, scope: Scope) -> Iterable[Said]:
    """The voltage of a rail: at its far chip where one is known."""
    for board in scope.boards(m["on"], free=False):
        name, point, new = rail_of(scope, board, m["rail"] or m["known"])
        if new and not m["rail"]:
            continue  # a signed number is a rail only where the board has it
        for value in (v for v in read_values(m["value"], "V") if possible(Quantity.VOLTAGE, v)):
            told = f"{scope.board_words(board)}rail {name} {typed_value(value, Quantity.VOLTAGE)}"
            yield said(told, *new, reading(board, point, Quantity.VOLTAGE, value))


def rail_of(scope: Scope, board: str, text: str) -> tuple[str, str, tuple[Planned, ...]]:
    """(name as typed, point, the fact of a new one) of a rail: its far point where known, else the rail's name."""
    wanted = text.upper().replace(" ", "").removesuffix("V")
    known = scope.context.boards.get(board)
    for rail in known.rails if known else ():
        if plain_rail(rail.name) == plain_rail(wanted):
            return wanted, rail.far or rail.name, ()
    nominal = nominal_of(wanted)
    if nominal is None:
        return wanted, wanted, ()
    name = f"{nominal:+g} V"
    return wanted, name, (about(RailTold, board, name=name, nominal=nominal, members=()),)


@form(rf"(?P<parts><parts>)\s+lifted\s*:?\s+(?P<value>{OHMS})", "5F, 5D lifted: 430 ohm", stage=Stage.RAILS)
def lifted_off_a_rail(m: Match, scope: Scope) -> Iterable[Said]:
    """The resistance of a shorted rail to ground with some parts lifted off it."""
    for one in scope.places.several(m["parts"]):
        nets = _shared_rails(scope, one.board, [part.refdes for part in one.parts])
        if not nets:
            raise Refusal("no-rail", parts=scope.listed(one.parts))
        for net, value in product(nets[:1], ohms_of(Quantity.TO_GROUND, m["value"])):
            yield lifted_entry(scope, one.board, net, tuple(part.refdes for part in one.parts), value)


def _shared_rails(scope: Scope, board_id: str, parts: list[str]) -> list[str]:
    """The rails whose nets have all of these parts; the one that is being looked at first."""
    board, asked = scope.context.boards[board_id], scope.context.asked
    nets = dict(board.nets)
    rails = [rail.net for rail in board.rails if {refdes for refdes, _ in nets.get(rail.net, ())} >= set(parts)]
    hunted = asked.net if isinstance(asked, AskedLift) else ""
    return sorted(rails, key=lambda net: net != hunted)
