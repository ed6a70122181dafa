"""Trials: `swap 5D and 5A: moves`, `5D out: gone`, `5D.13 lifted: gone`, `pressed 6D: comes back`."""

from collections.abc import Iterable, Iterator, Sequence

from loyal_trace.core.boards.model import Part
from loyal_trace.core.job.entries import NamedPart, Swapped, Trial
from loyal_trace.core.line.context import Refusal, Said
from loyal_trace.core.line.forms.changes import ORIGIN, number_of
from loyal_trace.core.line.registry import Match, Scope, about, at, form, said
from loyal_trace.core.vocabulary.stages import Stage

_OUTCOMES = {
    "moves": "moves",
    "moved": "moves",
    "stays": "stays",
    "stayed": "stays",
    "no change": "stays",
    "gone": "gone",
    "partly": "partly",
    "partly gone": "partly",
    "comes back": "comes back",
    "came back": "comes back",
    "better": "better",
    "worse": "worse",
}
_OUTCOME = "|".join(sorted((word.replace(" ", r"\s+") for word in _OUTCOMES), key=len, reverse=True))
_ENDS = rf"(?:\s*[:,]\s*(?:the\s+)?(?:fault\s+)?(?P<end>{_OUTCOME}|goes))?"
_STIMULI = ("pressed", "wobbled", "tapped", "flexed", "cooled", "warmed", "heated", "piggyback")
_STIMULUS = "|".join(_STIMULI)
_SPARE = rf"(?:(?:a\s+|the\s+)?(?:spare|known\s+good(?:\s+one)?|good\s+one)(?:\s+[\w#-]{{1,12}})?|{ORIGIN})"


def _ends(text: str | None, moves: bool) -> list[str]:
    """The outcomes that the words can mean. “goes” is gone or goes along: asked where both can be."""
    if not text:
        return [""]
    words = " ".join(text.lower().split())
    if words == "goes":
        return ["gone", "moves"] if moves else ["gone"]
    return [_OUTCOMES[words]]


def _shown(end: str) -> str:
    return f": {end}" if end else ""


def exchangeable(scope: Scope, one: NamedPart, other: NamedPart) -> None:
    """Refusal when two parts can not take each other's place: another kind, another size, other pins."""
    if one.part == other.part:
        raise Refusal("same-part", place=one.refdes)
    first, second = _part(scope, one), _part(scope, other)
    if first.kind != second.kind and "unknown" not in (first.kind, second.kind):
        raise Refusal("other-kind", one=one.refdes, first=first.kind, other=other.refdes, second=second.kind)
    numbers = number_of(scope, one), number_of(scope, other)
    library = scope.context.library
    if all(library.knows(number) for number in numbers):
        pins = [tuple(pin.name for pin in library.find(number).pins) for number in numbers]
        if pins[0] != pins[1]:
            raise Refusal("other-pins", one=one.refdes, first=numbers[0], other=other.refdes, second=numbers[1])
    if first.kind == "capacitor" and None not in (first.value, second.value) and first.value != second.value:
        raise Refusal("other-value", one=one.refdes, first=first.number, other=other.refdes, second=second.number)


def _part(scope: Scope, named: NamedPart) -> Part:
    return scope.context.boards[named.board].part(named.refdes)


@form(
    rf"swap(?:ped)?\s+(?P<one><part>)\s+(?:and|with)\s+(?P<other><part>){_ENDS}",
    "swap 5D and 5A: moves",
    stage=Stage.SUSPECTS,
)
def swapped(m: Match, scope: Scope) -> Iterable[Said]:
    """Two parts exchanged with each other."""
    others = scope.places.find(m["other"])
    for one in scope.places.find(m["one"]):
        beside = [o for o in others if o.board == one.board] or others
        for other in beside:
            exchangeable(scope, one.one, other.one)
            for end in _ends(m["end"], moves=True):
                canonical = f"swap {scope.named(one.one)} and {scope.named(other.one)}{_shown(end)}"
                yield said(canonical, at(Swapped, one.one, other=other.one, result=end))


@form(
    rf"swap(?:ped)?\s+(?P<one><part>)\s+with\s+(?P<spare>{_SPARE}){_ENDS}",
    "swap 6A with spare 2: stays",
    stage=Stage.SUSPECTS,
)
def swapped_with_spare(m: Match, scope: Scope) -> Iterable[Said]:
    """A part exchanged with a spare."""
    spare = " ".join(m["spare"].split())
    for one in scope.places.find(m["one"]):
        for end in _ends(m["end"], moves=True):
            yield said(
                f"swap {scope.named(one.one)} with {spare}{_shown(end)}", at(Swapped, one.one, spare=spare, result=end)
            )


@form(r"(?:swapped\s+back|swap\s+back)(?:\s+(?P<one><part>))?", "swapped back", stage=Stage.SUSPECTS)
def swapped_back(m: Match, scope: Scope) -> Iterable[Said]:
    """The last exchange undone (the parts, not the record)."""
    swaps = scope.context.snapshot.parts.swaps
    open_ones = [swap for n, swap in enumerate(swaps) if not swap.back and not _ended(swap, swaps[n + 1 :])]
    wanted = [one.one.part for one in scope.places.find(m["one"])] if m["one"] else None
    found = [s for s in reversed(open_ones) if wanted is None or s.part in wanted]
    if not found:
        raise Refusal("no-swap")
    last = found[0]
    named = NamedPart(board=last.board, refdes=last.place)
    yield said(f"swapped back {scope.named(named)}", at(Swapped, named, spare=last.spare, other=last.other, back=True))


def _ended(swap: Swapped, later: Sequence[Swapped]) -> bool:
    return any(s.back and s.part == swap.part and (s.spare, s.other) == (swap.spare, swap.other) for s in later)


def _trial(scope: Scope, parts: tuple[NamedPart, ...], action: str, end: str) -> Said:
    names = scope.listed(parts)
    stimulus = action in _STIMULI
    canonical = f"{action} {names}{_shown(end)}" if stimulus else f"{names} {action}{_shown(end)}"
    return said(canonical, about(Trial, parts[0].board, action=action, parts=parts, result=end))


def _trials(scope: Scope, parts: str, action: str, end: str | None) -> Iterator[Said]:
    for one in scope.places.several(parts):
        for outcome in _ends(end, moves=False):
            yield _trial(scope, one.parts, action, outcome)


@form(rf"(?P<parts><parts>)\s+(?P<action>out|back){_ENDS}", "5D out: gone", "5D back", stage=Stage.SUSPECTS)
def taken_out_to_see(m: Match, scope: Scope) -> Iterable[Said]:
    """A part taken out to see whether the fault goes, or put in again."""
    yield from _trials(scope, m["parts"], m["action"].lower(), m["end"])


@form(
    rf"(?P<at><pin>)\s+(?P<action>lifted|resoldered){_ENDS}",
    "5D.13 lifted: gone",
    "5D.13 resoldered",
    stage=Stage.SUSPECTS,
)
def pin_lifted(m: Match, scope: Scope) -> Iterable[Said]:
    """A pin lifted off its pad to see what the fault does, or soldered again."""
    for one in scope.places.find(m["at"]):
        for end in _ends(m["end"], moves=False):
            yield _trial(scope, one.parts, m["action"].lower(), end)


@form(rf"(?P<parts><parts>)\s+(?P<action>lifted|resoldered){_ENDS}", "R5 lifted", stage=Stage.SUSPECTS)
def part_lifted(m: Match, scope: Scope) -> Iterable[Said]:
    """A part lifted off its pads to see what the fault does, or soldered again."""
    yield from _trials(scope, m["parts"], m["action"].lower(), m["end"])


@form(
    rf"(?P<action>{_STIMULUS})\s+(?P<parts><parts>){_ENDS}",
    "pressed 6D: comes back",
    "cooled 4A: gone",
    "piggyback 3C: better",
    stage=Stage.SUSPECTS,
)
def stimulus(m: Match, scope: Scope) -> Iterable[Said]:
    """A part pressed, cooled, warmed, or a good chip held on top of it."""
    yield from _trials(scope, m["parts"], m["action"].lower(), m["end"])


@form(rf"(?P<parts><parts>)\s+(?P<action>{_STIMULUS}){_ENDS}", "6D pressed: comes back", stage=Stage.SUSPECTS)
def stimulus_after(m: Match, scope: Scope) -> Iterable[Said]:
    """The same with the part first."""
    yield from _trials(scope, m["parts"], m["action"].lower(), m["end"])
