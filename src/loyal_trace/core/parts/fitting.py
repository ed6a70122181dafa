"""May this capacitor take the place of that one? Every aspect with its reason; the worst of them decides.

What is not known of either is said and holds nobody up: nothing is called a fit or a misfit by a size that nobody gave.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

from loyal_trace.core.boards.model import Part
from loyal_trace.core.parts.limits import CapacitorLimits, kind_of_capacitor
from loyal_trace.core.parts.roles import VALUES, Role, RoleOf, role_of
from loyal_trace.core.parts.spec import LOW_IMPEDANCE, CapacitorSpec
from loyal_trace.core.vocabulary.eseries import E12, nearest_in
from loyal_trace.core.vocabulary.phrases import capital, joined, say, term
from loyal_trace.core.vocabulary.units import format_percent, format_quantity, marked_quantity

_STANDARD_NEAR = 0.075
# Share of its rating that a part of another kind than before may carry (makers' guides for both).
_DERATING = {"tantalum": 0.5, "polymer": 0.8}
_ROUNDING = 1e-9
_TIGHT, _PITCH_SAME, _PITCH_FORMED = 0.5, 0.6, 4.0
_RIPPLE_OF_LOAD = 1.6


class Fit(StrEnum):
    """Of one aspect: in order, with care, not at all, or not known."""

    GOOD = "good"
    CARE = "doubtful"
    BAD = "bad"
    UNKNOWN = "not known"


class Fits(StrEnum):
    """Of the whole: as the command line says it."""

    FITS = "fits"
    WITH_CARE = "with-care"
    NO = "no"


# The best first.
RANK = {Fits.FITS: 0, Fits.WITH_CARE: 1, Fits.NO: 2}
FIT_WORDS = {Fits.FITS: say("fits"), Fits.WITH_CARE: say("fits with care"), Fits.NO: say("does not fit")}


@dataclass(frozen=True)
class SubstituteCheck:
    """One aspect of a substitute: value, voltage, polarity, room, … with its verdict and reason."""

    aspect: str
    verdict: str
    reason: str


@dataclass(frozen=True)
class Place:
    """Where a capacitor goes: what was there, its role, the room (mm), what it is exposed to.

    `volts` is the direct voltage on it as far as known, `current` the load (ampere) that a reservoir carries, `celsius`
    how warm it gets there. `room_why` says what limits the height.
    """

    old: CapacitorSpec
    role: RoleOf
    room_diameter: float | None = None
    room_height: float | None = None
    room_why: str = ""
    volts: float | None = None
    current: float | None = None
    warmer: float = 0.0


@dataclass(frozen=True)
class Judged:
    """All aspects of one candidate in one place."""

    checks: tuple[SubstituteCheck, ...]
    fits: Fits = field(init=False)

    def __post_init__(self) -> None:
        worst = {check.verdict for check in self.checks}
        found = Fits.NO if Fit.BAD in worst else Fits.WITH_CARE if Fit.CARE in worst else Fits.FITS
        object.__setattr__(self, "fits", found)

    @property
    def reasons(self) -> tuple[str, ...]:
        """The reasons, those that decide first."""
        order = (Fit.BAD, Fit.CARE, Fit.GOOD, Fit.UNKNOWN)
        return tuple(c.reason for c in sorted(self.checks, key=lambda c: order.index(Fit(c.verdict))))

    @property
    def deciding(self) -> str:
        """What decides in few words; empty for a plain fit."""
        wanted = Fit.BAD if self.fits is Fits.NO else Fit.CARE
        return joined("; ", (c.reason for c in self.checks if c.verdict == wanted))


def judge_fit(place: Place, new: CapacitorSpec, limits: CapacitorLimits) -> Judged:
    """Everything that decides whether a candidate may go into a place."""
    found = [
        *_value(place, new, limits),
        *_voltage(place, new),
        *_polarity(place, new),
        *_technology(place, new),
        *_resistance(place, new, limits),
        *_ripple(place, new),
        *_temperature(place, new),
        *_room(place, new),
        *_leads(place, new),
    ]
    return Judged(tuple(found))


def acceptable(checks: Sequence[SubstituteCheck]) -> bool:
    """Does nothing speak against it altogether?"""
    return all(check.verdict != Fit.BAD for check in checks)


# value


def _value(place: Place, new: CapacitorSpec, limits: CapacitorLimits) -> Iterator[SubstituteCheck]:
    old = place.old.value
    if not old or not new.value:
        yield SubstituteCheck("value", Fit.UNKNOWN, say("a value is not known: read both markings"))
        return
    left = limits.left_under_bias(new, place.volts if place.volts is not None else (place.old.voltage or 0.0))
    ratio = new.value * left / old
    shown = say("{new} for {old}", new=marked_quantity(new.value, "F"), old=marked_quantity(old, "F"))
    if left < 1.0:
        shown = say("{shown}, of which {left} is left under its direct voltage", shown=shown, left=format_percent(left))
    yield SubstituteCheck("value", *_of_ratio(place.role, ratio, old, shown))


def _of_ratio(role: RoleOf, ratio: float, old: float, shown: str) -> tuple[Fit, str]:
    allowed = VALUES[role.role]
    named = _named(role)
    if abs(ratio - 1) <= 0.05:
        return Fit.GOOD, say("{shown}: the same value", shown=shown)
    if abs(ratio - 1) <= _STANDARD_NEAR and not _is_standard(old):
        return Fit.GOOD, say("{shown}: the nearest value that is made", shown=shown)
    if allowed.fits[0] <= ratio <= allowed.fits[1]:
        return Fit.GOOD, say("{shown}: allowed for {role}", shown=shown, role=named)
    if allowed.care[0] <= ratio <= allowed.care[1]:
        return Fit.CARE, say("{shown} for {role}, where {why}", shown=shown, role=named, why=allowed.why)
    size = say("too large") if ratio > 1 else say("too small")
    return Fit.BAD, say(
        "{shown} is {size} for {role}, because {why}", shown=shown, size=size, role=named, why=allowed.why
    )


def _named(role: RoleOf) -> str:
    if role.role is Role.UNKNOWN:
        return say("an unknown role")
    word = term(role.role.value)
    return say("{role} (guessed)", role=word) if role.guessed else word


def _is_standard(farad: float) -> bool:
    return abs(farad / nearest_in(E12, farad) - 1) < 0.02


# voltage


def _voltage(place: Place, new: CapacitorSpec) -> Iterator[SubstituteCheck]:
    rated, old = new.voltage, place.old.voltage
    if rated is None or (old is None and place.volts is None):
        yield SubstituteCheck("voltage", Fit.UNKNOWN, say("a voltage rating is not known: read both markings"))
        return
    share = 1.0 if new.technology == place.old.technology else _DERATING.get(new.technology, 1.0)
    carried = place.volts if place.volts is not None else (old or 0.0)
    needed = max(old or 0.0, carried / share)
    if rated >= needed - _ROUNDING:
        told = say("{rated:g} V for {old:g} V", rated=rated, old=old if old is not None else carried)
        yield SubstituteCheck("voltage", Fit.GOOD, told)
    elif share < 1.0:
        told = say(
            "{kind} is used at {share} of its rating at most: {needed:g} V needed, it has {rated:g} V",
            kind=capital(term(new.technology)),
            share=format_percent(share),
            needed=needed,
            rated=rated,
        )
        yield SubstituteCheck("voltage", Fit.BAD, told)
    else:
        told = say("{rated:g} V is below the {needed:g} V fitted", rated=rated, needed=needed)
        yield SubstituteCheck("voltage", Fit.BAD, told)


# kind


def _polarity(place: Place, new: CapacitorSpec) -> Iterator[SubstituteCheck]:
    if not new.technology and not place.old.technology:
        return
    if new.has_plus and not place.old.has_plus:
        told = say("a polarised part where the board has an unpolarised one")
        yield SubstituteCheck("polarity", Fit.BAD, told)
    elif new.has_plus:
        told = say("polarised: compare its mark with the plus on the board")
        yield SubstituteCheck("polarity", Fit.GOOD, told)
    elif place.old.has_plus:
        yield SubstituteCheck("polarity", Fit.GOOD, say("unpolarised, which fits either way round"))


def _technology(place: Place, new: CapacitorSpec) -> Iterator[SubstituteCheck]:
    old, kind, role = kind_of_capacitor(place.old), kind_of_capacitor(new), place.role.role
    if kind == old:
        return
    rule = next((rule for rule in _OTHER_KIND if rule.holds(kind, old, role)), None)
    if rule is not None:
        yield SubstituteCheck("kind", rule.fit, rule.why)


@dataclass(frozen=True)
class _Rule:
    """What another dielectric changes: for which new and old kinds, in which roles (empty: in all)."""

    new: tuple[str, ...]
    old: tuple[str, ...]
    roles: tuple[Role, ...]
    fit: Fit
    why: str

    def holds(self, new: str, old: str, role: Role) -> bool:
        """Does it hold in this case?"""
        return new in self.new and (not self.old or old in self.old) and (not self.roles or role in self.roles)


_WET, _STEADY = ("aluminium", "tantalum", "polymer"), ("film", "class 1", "mica")
# The first that holds decides. From the guides of makers on replacing one dielectric by another.
_OTHER_KIND = (
    _Rule(
        ("tantalum",),
        (),
        (Role.RESERVOIR,),
        Fit.BAD,
        say("no tantalum behind a rectifier: the current at switching on can set it on fire"),
    ),
    _Rule(_WET, (), (Role.CRYSTAL, Role.SNUBBER, Role.MOTOR), Fit.BAD, say("no electrolytic does in that role")),
    _Rule(
        ("tantalum",),
        (),
        (Role.BULK, Role.DECOUPLING, Role.UNKNOWN),
        Fit.CARE,
        say("a tantalum on a supply that can give much current can burn: only behind a resistor or fuse"),
    ),
    _Rule(("polymer",), (), (Role.TIMING, Role.RESET), Fit.BAD, say("a polymer part leaks too much to set a time")),
    _Rule(
        ("polymer",),
        (),
        (),
        Fit.CARE,
        say("a polymer part has so little resistance that an old regulator can oscillate"),
    ),
    _Rule(
        ("ceramic",),
        (),
        (Role.TIMING, Role.RESET, Role.CRYSTAL, Role.SNUBBER, Role.MOTOR),
        Fit.BAD,
        say("the value of a class 2 ceramic moves with voltage and warmth"),
    ),
    _Rule(
        ("ceramic",),
        (),
        (Role.COUPLING, Role.VIDEO, Role.FILTER),
        Fit.CARE,
        say("a class 2 ceramic distorts signals and turns vibration into voltage"),
    ),
    _Rule(
        ("aluminium",),
        (*_STEADY, "paper", "ceramic", "trimmer"),
        (),
        Fit.BAD,
        say("an electrolytic leaks and drifts where a part without electrolyte was"),
    ),
    _Rule(
        ("aluminium",),
        ("tantalum",),
        (Role.TIMING, Role.RESET),
        Fit.CARE,
        say("an aluminium part leaks and drifts more than the tantalum that set the time"),
    ),
    _Rule(_STEADY, (*_WET, "ceramic", "paper"), (), Fit.GOOD, say("neither dries out nor leaks")),
    _Rule(
        ("ceramic",), _WET, (), Fit.CARE, say("a ceramic damps no ringing, which the resistance of the old part did")
    ),
    _Rule(("ceramic",), _STEADY, (), Fit.CARE, say("a class 2 ceramic is less stable than what was there")),
)


def _resistance(place: Place, new: CapacitorSpec, limits: CapacitorLimits) -> Iterator[SubstituteCheck]:
    if place.old.series == LOW_IMPEDANCE and new.is_electrolytic and new.series != LOW_IMPEDANCE:
        told = say("the old part is of a low-impedance series, this one is not said to be")
        yield SubstituteCheck("ESR", Fit.CARE if new.esr is None else Fit.GOOD, told)
    if new.esr is None:
        return
    limit = limits.esr_limit(place.old, limits.esr.handheld, None)
    if limit is None:
        return
    words = say("ESR {esr}, up to {ohm}", esr=format_quantity(new.esr, "Ω"), ohm=format_quantity(limit.ohm, "Ω"))
    yield SubstituteCheck("ESR", Fit.GOOD if new.esr <= limit.ohm else Fit.BAD, words)


def _ripple(place: Place, new: CapacitorSpec) -> Iterator[SubstituteCheck]:
    """Behind a rectifier the RMS ripple current is 1.5 to 2 times the load (Schade's curves)."""
    if place.role.role is not Role.RESERVOIR or not new.is_electrolytic:
        return
    if new.ripple is None or place.current is None:
        told = say("ripple current not compared: give the rating of the new part and the load")
        yield SubstituteCheck("ripple", Fit.UNKNOWN, told)
        return
    needed = _RIPPLE_OF_LOAD * place.current
    words = say(
        "ripple current {ripple} for about {needed}",
        ripple=format_quantity(new.ripple, "A"),
        needed=format_quantity(needed, "A"),
    )
    good = Fit.GOOD if new.ripple >= needed else Fit.CARE if new.ripple >= 0.6 * needed else Fit.BAD
    yield SubstituteCheck("ripple", good, words)


def _temperature(place: Place, new: CapacitorSpec) -> Iterator[SubstituteCheck]:
    if new.temperature is None or not new.is_electrolytic:
        return
    wanted = max(place.old.temperature or 85.0, 105.0 if place.warmer >= 10.0 else 0.0)
    if new.temperature >= wanted:
        yield SubstituteCheck("temperature", Fit.GOOD, say("rated to {celsius:g} °C", celsius=new.temperature))
        return
    near = place.warmer >= 10.0
    told = (
        say("rated to {celsius:g} °C beside a part that runs hot", celsius=new.temperature)
        if near
        else say("rated to {celsius:g} °C where {wanted:g} °C was fitted", celsius=new.temperature, wanted=wanted)
    )
    yield SubstituteCheck("temperature", Fit.CARE if new.temperature >= 85.0 else Fit.BAD, told)


# room


def _room(place: Place, new: CapacitorSpec) -> Iterator[SubstituteCheck]:
    lying = new.mounting == "axial" and place.old.mounting in ("", "axial")
    if new.diameter is not None and place.room_diameter is not None and not lying:
        free = place.room_diameter - new.diameter
        words = say("{new:g} mm across where {room:g} mm are free", new=new.diameter, room=place.room_diameter)
        if 0 <= free < _TIGHT:
            yield SubstituteCheck("room", Fit.CARE, say("{words}, so it fills its room", words=words))
        else:
            yield SubstituteCheck("room", Fit.GOOD if free >= 0 else Fit.BAD, words)
    yield from _height(place, new)
    if new.diameter is None and new.height is None:
        yield SubstituteCheck("room", Fit.UNKNOWN, say("its size is not known: measure before ordering"))


def _height(place: Place, new: CapacitorSpec) -> Iterator[SubstituteCheck]:
    if new.height is None or place.room_height is None:
        return
    words = say("{height:g} mm tall, limit {limit:g} mm", height=new.height, limit=place.room_height)
    words += say(" ({why})", why=place.room_why) if place.room_why else ""
    if new.height <= place.room_height:
        yield SubstituteCheck("room", Fit.GOOD, words)
    elif new.diameter is not None and new.diameter <= place.room_height and new.mounting in ("", "radial"):
        told = say("{words}, so it would have to lie down: {long:g} mm of board", words=words, long=new.height)
        # Lying down needs room along the board that nobody has measured; where the room is known it is too long.
        known = place.room_diameter is not None and new.height > place.room_diameter
        yield SubstituteCheck("room", Fit.BAD if known else Fit.CARE, told)
    else:
        yield SubstituteCheck("room", Fit.BAD, words)


def _leads(place: Place, new: CapacitorSpec) -> Iterator[SubstituteCheck]:
    old, now = place.old.mounting, new.mounting
    if old == "axial" and now == "radial":
        yield SubstituteCheck("leads", Fit.CARE, say("radial for axial: one lead has to reach over, insulated"))
    elif old == "smd" and now in ("radial", "axial"):
        yield SubstituteCheck("leads", Fit.CARE, say("leads formed to stand on surface pads, and held against a knock"))
    elif old in ("radial", "axial", "snap-in") and now == "smd":
        yield SubstituteCheck("leads", Fit.BAD, say("a surface-mount part over holes"))
    elif now in ("snap-in", "chassis") and old not in ("", now):
        yield SubstituteCheck("leads", Fit.BAD, say("{now} terminals do not go into these holes", now=term(now)))
    elif now == "axial" and old == "radial":
        yield SubstituteCheck("leads", Fit.CARE, say("axial for radial: it stands on end, the upper lead insulated"))
    if new.pitch is None or place.old.pitch is None or old == "smd":
        return
    apart = abs(new.pitch - place.old.pitch)
    if apart > _PITCH_SAME:
        words = say("leads {new:g} mm apart, holes {old:g} mm: form the leads", new=new.pitch, old=place.old.pitch)
        rigid = now in ("snap-in", "chassis") or apart > _PITCH_FORMED + place.old.pitch
        yield SubstituteCheck("pitch", Fit.BAD if rigid else Fit.CARE, words)


def plain_place(old: CapacitorSpec, role: Role | None = None) -> Place:
    """A place of which only the old part is known, and its role if it was said."""
    part = Part("", "", kind="capacitor", value=old.value, polarised=old.has_plus, technology=old.technology)
    return Place(old, RoleOf(role) if role is not None else role_of(None, part))
