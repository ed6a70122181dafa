"""A chip type: its pins, its logic, its logic family."""

from dataclasses import dataclass
from functools import cached_property

from loyal_trace.core.chips.expressions import Expr, Tree, control_names, leaf_names
from loyal_trace.core.chips.levels import Family
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say


@dataclass(frozen=True)
class Pin:
    """One pin. `role` is one of: input, output, bidirectional, power, ground, unused."""

    number: int
    name: str
    role: str


@dataclass(frozen=True, eq=False)
class Output:
    """How an output pin gets its level. `enable` None means always driven; open collector never drives high."""

    name: str
    value: Expr
    enable: Expr | None = None
    open_collector: bool = False


@dataclass(frozen=True, eq=False)
class Register:
    """One bit of stored state.

    On a rising edge of `clock` the bit takes the value of `sync`; with no clock it follows `sync` at all times (a
    transparent latch, whose tree reads its own bit to hold). `overrides` (condition, value) come first, always;
    `all_bits` names every stored bit of the chip.
    """

    bit: str
    sync: Tree
    clock: Expr | None = None
    overrides: tuple[tuple[Expr, Expr], ...] = ()
    all_bits: frozenset[str] = frozenset()

    @cached_property
    def controls(self) -> frozenset[str]:
        names = control_names(self.sync)
        for condition, _ in self.overrides:
            names |= set(condition.names)
        return frozenset(names)

    @cached_property
    def reads(self) -> frozenset[str]:
        names = set(self.controls) | leaf_names(self.sync)
        for _, value in self.overrides:
            names |= set(value.names)
        return frozenset(names)


@dataclass(frozen=True, eq=False)
class Memory:
    """Address and data pin names (least significant first), the condition under which it drives its data pins, and the
    one under which it takes what they show (None: it cannot be written in circuit)."""

    address: tuple[str, ...]
    data: tuple[str, ...]
    select: Expr
    write: Expr | None = None


# From here on (volt) a rail is the higher one of a chip that has two.
_HIGH_RAIL = 7.0


@dataclass(frozen=True, eq=False)
class ChipType:
    """A chip as the library knows it; everything is looked up by pin name or number."""

    name: str
    title: str
    pins: tuple[Pin, ...]
    family: Family
    outputs: tuple[Output, ...] = ()
    registers: tuple[Register, ...] = ()
    memory: Memory | None = None
    cpu_address: tuple[str, ...] = ()
    notes: str = ""

    @cached_property
    def _names(self) -> dict[str, Pin]:
        return {pin.name: pin for pin in self.pins}

    def pin(self, name: str) -> Pin:
        """The pin with that name; RequestError when there is none."""
        try:
            return self._names[name]
        except KeyError:
            raise RequestError(say("{name} has no pin called {name2}", name=self.name, name2=name)) from None

    def pin_number(self, number: int) -> Pin:
        """The pin with that number (from 1); RequestError when out of range."""
        if not 1 <= number <= len(self.pins):
            raise RequestError(
                say(
                    "{name} has {count} pins; there is no pin {number}",
                    name=self.name,
                    count=len(self.pins),
                    number=number,
                )
            )
        return self.pins[number - 1]

    def supply_pins(self, nominal: float | None) -> tuple[int, ...]:
        """The pins that a rail of that voltage feeds; all of one name, and none where the names do not say which.

        Of chips with several supplies (4116, 2708, 8080; data sheets): VCC is +5 V, VDD +12 V, VBB or VEE negative. VPP
        belongs to programming.
        """
        named: dict[str, list[int]] = {}
        for pin in self.pins:
            if pin.role == "power":
                named.setdefault(pin.name, []).append(pin.number)
        if nominal is not None and nominal < 0:
            wanted: tuple[str, ...] = ("VBB", "VEE")
        elif len(named) == 1:
            wanted = tuple(named)
        elif nominal is not None and nominal >= _HIGH_RAIL and "VDD" in named:
            wanted = ("VDD",)
        else:
            wanted = ("VCC", "VDD")
        return next((tuple(named[name]) for name in wanted if name in named), ())

    @property
    def is_rom(self) -> bool:
        """Whether it holds content that can be read out and cannot be written in circuit."""
        return self.memory is not None and not any(pin.name.strip("/") in ("WE", "W", "RW") for pin in self.pins)

    @cached_property
    def output_of(self) -> dict[str, Output]:
        return {output.name: output for output in self.outputs}

    @property
    def input_names(self) -> tuple[str, ...]:
        return tuple(pin.name for pin in self.pins if pin.role in ("input", "bidirectional"))

    @property
    def output_pins(self) -> tuple[Pin, ...]:
        return tuple(pin for pin in self.pins if pin.role in ("output", "bidirectional"))
