"""How a board is fed and set going: rails, supply chains, clocks, back-up cells, resets. Data of the definition."""

from dataclasses import dataclass


def plain_rail(name: str) -> str:
    """A rail's name as it is compared: `+5 V`, `5V` and `+5` are one."""
    return name.upper().replace(" ", "").removesuffix("V").removeprefix("+")


@dataclass(frozen=True)
class Rail:
    """A supply: nominal voltage, limits (volt) at the far end, where it is measured, ripple limit (volt p-p)."""

    name: str
    nominal: float
    low: float
    high: float
    net: str = ""
    source: str = ""
    far: str = ""
    ripple_limit: float = 0.1


@dataclass(frozen=True)
class ChainPoint:
    """One point of a supply chain, in order from the source: what to measure and what is right there.

    `path` names the supply when a board has several; points of one `branch` hang side by side behind the others.
    Limits left out are computed from the path's `Supply`.
    """

    point: str
    quantity: str
    low: float | None = None
    high: float | None = None
    part: str = ""
    note: str = ""
    powered: bool = True
    path: str = ""
    branch: str = ""


@dataclass(frozen=True)
class Supply:
    """How one path is fed: winding (volt RMS) or `dc` (volt), load (ampere), rectifier, reservoir, regulator.

    `nominal` and `dropout` (volt) belong to a linear regulator; `nominal` 0 is an unregulated supply. The thermal
    resistances (kelvin per watt) are those of the regulator: junction to case, case to sink, sink to air; 0 is unknown.
    `shares_sink_with` is another part on its heat sink; `crowbar` the part that shorts the rail above
    `crowbar_voltage`.
    """

    ac_rms: float = 0.0
    current: float = 0.5
    path: str = ""
    dc: float = 0.0
    mains: float = 50.0
    rectifier: str = "bridge"
    diode_drop: float = 0.85
    reservoir: str = ""
    nominal: float = 0.0
    dropout: float = 2.0
    theta_jc: float = 0.0
    theta_cs: float = 0.0
    theta_sa: float = 0.0
    shares_sink_with: str = ""
    crowbar: str = ""
    crowbar_voltage: float = 0.0


@dataclass(frozen=True)
class Clock:
    """Where a clock comes from: the net that carries it, its crystal, or its frequency (hertz) when it has none here.

    `c1` and `c2` are the load capacitors at the crystal, `stray` and `load` (farad) what tracks add and what the
    crystal was cut for; `load` 0 is unknown.
    """

    net: str
    part: str = ""
    frequency: float = 0.0
    c1: str = ""
    c2: str = ""
    stray: float = 5e-12
    load: float = 0.0


@dataclass(frozen=True)
class Lamp:
    """A lamp that is lit while a fuse, or another part of a supply, is intact and fed."""

    part: str
    shows: tuple[str, ...]


@dataclass(frozen=True)
class Cell:
    """A back-up cell: capacity (ampere-hour), the current it feeds with the power off (ampere), and its loss a year.

    `low` (volt) is where what it feeds forgets; `holder` and `decoupling` are the parts beside it. `chemistry` is
    lithium, lithium rechargeable, NiCd, NiMH, alkaline or lead; empty is not known.
    """

    part: str
    nominal: float
    low: float
    capacity_ah: float
    current: float
    self_discharge: float = 0.01
    chemistry: str = ""
    holder: str = ""
    decoupling: str = ""


@dataclass(frozen=True)
class Reset:
    """A power-on reset: where it is seen, its active level, the parts that time it, and the watchdog beside it.

    The time follows from resistor and capacitor charging from 0 to `threshold` out of `supply` (volt), or is given by
    `low` and `high` (second). `watchdog` (second) is the period at which an unfed watchdog fires; 0 is none.
    """

    point: str
    part: str = ""
    active: str = "low"
    resistor: str = ""
    capacitor: str = ""
    threshold: float = 1.4
    supply: float = 5.0
    low: float = 0.0
    high: float = 0.0
    watchdog: float = 0.0
