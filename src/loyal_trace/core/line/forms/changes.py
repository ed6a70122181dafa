"""Removed, fitted, repaired: `5D removed`, `C1 replaced with 6800u 35V from tray F`, `board washed, drying`."""

from collections.abc import Callable, Iterable, Iterator, Sequence

from loyal_trace.core.boards.model import Part
from loyal_trace.core.job.entries import (
    CONTACT_REPAIRED,
    NEW_SOCKET,
    OWN_PART,
    RE_PROGRAMMED,
    Connected,
    Fitted,
    GaveBack,
    NamedPart,
    PlannedUse,
    Removed,
    TimerStarted,
    Worked,
)
from loyal_trace.core.line.context import Planned, Refusal, Said
from loyal_trace.core.line.registry import Match, Scope, about, at, form, said
from loyal_trace.core.line.values import spellings
from loyal_trace.core.parts.marking import parse_marking
from loyal_trace.core.vocabulary.stages import Stage

_STORE = "tray|drawer|box|bag|bin|shelf|tube|rack|reel|stock|shop|order|donor|spare|cabinet"
ORIGIN = rf"(?:(?:{_STORE})(?:\s+[\w#./-]{{1,16}}){{0,3}})"
_WHAT = r"(?P<what>(?:type\s+)?[^\s:]\S*(?:\s+[^\s:]\S*){0,11}?)"
_FROM = rf"(?:\s+from\s+(?P<origin>{ORIGIN}))?"
_WITH = rf"(?:\s+with\s+{_WHAT})?{_FROM}"
SAFETY = "stored safely"
_NO_TYPE = frozenset(
    (
        "a",
        "an",
        "the",
        "another",
        "brand",
        "new",
        "fresh",
        "good",
        "tested",
        "used",
        "nos",
        "one",
        "same",
        "type",
        "kind",
    )
)


def _is_electrolytic(part: Part) -> bool:
    """A bipolar one is an electrolytic too."""
    return part.kind == "capacitor" and (part.polarised or part.technology == "aluminium")


_CLASSES: dict[str, Callable[[Part], bool]] = {
    "electrolytics": _is_electrolytic,
    "electrolytic capacitors": _is_electrolytic,
    "tantalums": lambda part: part.kind == "capacitor" and part.technology == "tantalum",
    "capacitors": lambda part: part.kind == "capacitor",
    "fuses": lambda part: part.kind == "fuse",
}
_CLASS = "|".join(sorted((name.replace(" ", r"\s+") for name in _CLASSES), key=len, reverse=True))


def number_of(scope: Scope, part: NamedPart) -> str:
    """The type that is in a place now: what was fitted, else what the board says."""
    fitted = scope.context.snapshot.parts.fitted.get(part.part)
    return fitted.number if fitted else scope.context.boards[part.board].part(part.refdes).number


def _new_number(scope: Scope, part: NamedPart, text: str | None) -> str | None:
    """The type that goes in, as far as it was said; None when the words are no type."""
    old = scope.context.boards[part.board].part(part.refdes)
    words = " ".join((text or "").split())
    if words.lower().startswith("type "):
        return words[5:]
    # “a new 74LS166”, “the same one”: what is no type is not written down as part of one.
    words = " ".join(word for word in words.split() if word.lower() not in _NO_TYPE)
    if not words:
        return number_of(scope, part) or old.number
    if words.upper() == old.number.upper():
        return old.number
    found = parse_marking(words, old.kind, scope.context.library)
    return found.number if found else None


def _new_numbers(
    scope: Scope, parts: Sequence[NamedPart], text: str | None
) -> Iterator[tuple[str | None, tuple[str, ...]]]:
    """What the words can mean, each with the types that go into the places; nothing where the words are no type."""
    for what in spellings(text) if text else (text,):
        numbers = [_new_number(scope, part, what) for part in parts]
        known = tuple(number for number in numbers if number is not None)
        if len(known) == len(numbers):
            yield what, known


def _all_replaced(
    scope: Scope, parts: Sequence[NamedPart], numbers: Sequence[str], origin: str | None
) -> Iterator[Planned]:
    source = " ".join((origin or "").split())
    for part, number in zip(parts, numbers, strict=True):
        yield from _replaced(scope, part, number, source)


def _replaced(scope: Scope, part: NamedPart, number: str, origin: str) -> tuple[Planned, ...]:
    """Old part out, new part in."""
    out = at(Removed, part, number=number_of(scope, part), reason="replaced")
    return out, at(Fitted, part, number=number, origin=origin)


def _tail(number: str, text: str | None, origin: str | None) -> str:
    shown = ""
    if text:
        shown = f" with {' '.join(text.split())}" if not text.lower().startswith("type ") else f" with type {number}"
    return shown + (f" from {' '.join(origin.split())}" if origin else "")


def _ask_when(scope: Scope, now: str | None) -> bool:
    """At Intake, “replaced” can be found so or just done: both are offered."""
    return scope.context.stage is Stage.INTAKE and not now


def _replacements(scope: Scope, m: Match) -> Iterator[Said]:
    for one in scope.places.several(m["parts"]):
        names, now = scope.listed(one.parts), "now: " if scope.context.stage is Stage.INTAKE else ""
        for what, numbers in _new_numbers(scope, one.parts, m["what"]):
            tail = _tail(numbers[0], what, m["origin"])
            if _ask_when(scope, m["now"]):
                yield said(f"before: {names} replaced{tail}", _before(one.board, one.parts, "replaced", tail.strip()))
            yield said(f"{now}{names} replaced{tail}", *_all_replaced(scope, one.parts, numbers, m["origin"]))


@form(
    rf"(?P<now>now:\s*)?(?P<parts><parts>)\s+replaced{_WITH}",
    "C1 replaced with 6800u 35V from tray F",
    "5D replaced",
    stage=Stage.REPAIR,
)
def replaced(m: Match, scope: Scope) -> Iterable[Said]:
    """Parts replaced: the old ones out, new ones in."""
    yield from _replacements(scope, m)


@form(
    rf"(?P<now>now:\s*)?(?:(?P<on><board>)\s+)?all\s+(?P<sort>{_CLASS})\s+replaced{_WITH}",
    "all electrolytics replaced",
    stage=Stage.REPAIR,
)
def class_replaced(m: Match, scope: Scope) -> Iterable[Said]:
    """A whole class of parts replaced."""
    wanted = _CLASSES[" ".join(m["sort"].lower().split())]
    boards = scope.boards(m["on"])
    where = boards if boards != [""] else list(scope.context.boards)
    parts = [
        NamedPart(board=b, refdes=part.refdes)
        for b in where
        if b in scope.context.boards
        for part in scope.context.boards[b].parts
        if wanted(part)
    ]
    if not parts:
        raise Refusal("none-of-class", sort=m["sort"])
    on = scope.board_words(where[0]) if len(where) == 1 else ""
    now = "now: " if scope.context.stage is Stage.INTAKE else ""
    for what, numbers in _new_numbers(scope, parts, m["what"]):
        tail = _tail(numbers[0], what, m["origin"])
        told = f"{on}all {' '.join(m['sort'].lower().split())} replaced{tail}"
        if _ask_when(scope, m["now"]):
            yield said(f"before: {told}", _before(parts[0].board, tuple(parts), "replaced", tail.strip()))
        yield said(f"{now}{told}", *_all_replaced(scope, parts, numbers, m["origin"]))


def _before(board: str, parts: tuple[NamedPart, ...], action: str, detail: str) -> Planned:
    return about(Worked, board, action=action, parts=parts, detail=detail, before=True)


@form(
    rf"before:\s*(?P<parts><parts>)\s+(?P<action>replaced|removed|reflowed|repaired|cleaned|socketed){_WITH}",
    "before: C1 replaced",
    stage=Stage.INTAKE,
)
def found_done(m: Match, scope: Scope) -> Iterable[Said]:
    """Work that somebody did before this job."""
    for one in scope.places.several(m["parts"]):
        tail = _tail((m["what"] or "").removeprefix("type "), m["what"], m["origin"])
        action = m["action"].lower()
        canonical = f"before: {scope.listed(one.parts)} {action}{tail}"
        yield said(canonical, _before(one.board, one.parts, action, tail.strip()))


@form(
    rf"before:\s*(?:(?P<on><board>)\s+)?all\s+(?P<sort>{_CLASS})\s+replaced{_WITH}",
    "before: all electrolytics replaced",
    stage=Stage.INTAKE,
)
def class_found_replaced(m: Match, scope: Scope) -> Iterable[Said]:
    """A class of parts that somebody replaced before this job."""
    for board in scope.boards(m["on"], free=False):
        known = scope.context.boards.get(board)
        wanted = _CLASSES[" ".join(m["sort"].lower().split())]
        parts = tuple(NamedPart(board=board, refdes=p.refdes) for p in (known.parts if known else ()) if wanted(p))
        if not parts:
            raise Refusal("none-of-class", sort=m["sort"])
        tail = _tail((m["what"] or "").removeprefix("type "), m["what"], m["origin"])
        told = f"{scope.board_words(board)}all {' '.join(m['sort'].lower().split())} replaced{tail}"
        yield said(f"before: {told}", _before(board, parts, "replaced", tail.strip()))


@form(r"(?P<parts><parts>)\s+(?:was\s+|were\s+)?(?:removed|taken\s+out|pulled)", "5D removed", stage=Stage.REPAIR)
def removed(m: Match, scope: Scope) -> Iterable[Said]:
    """Parts that came out."""
    for one in scope.places.several(m["parts"]):
        entries = (at(Removed, part, number=number_of(scope, part)) for part in one.parts)
        yield said(f"{scope.listed(one.parts)} removed", *entries)


@form(
    r"(?P<parts><parts>)\s+(?:removed\s+to\s+|to\s+|on\s+|in\s+)?shelf:?\s+(?P<shelf>\S.{0,60})",
    "2B shelf: box 3",
    stage=Stage.INTAKE,
)
def stored(m: Match, scope: Scope) -> Iterable[Said]:
    """Parts taken out to safety: they come back as they are, from where they are stored."""
    for one in scope.places.several(m["parts"]):
        shelf = m["shelf"].strip()
        entries = (at(Removed, part, number=number_of(scope, part), reason=SAFETY, shelf=shelf) for part in one.parts)
        yield said(f"{scope.listed(one.parts)} shelf: {shelf}", *entries)


@form(rf"(?P<at><part>)\s+fitted{_WITH}", "5D fitted with 74LS166 from drawer 3", stage=Stage.REPAIR)
def fitted(m: Match, scope: Scope) -> Iterable[Said]:
    """A part that went into an empty place."""
    for one in scope.places.find(m["at"]):
        origin = " ".join((m["origin"] or "").split())
        for what, (number,) in _new_numbers(scope, (one.one,), m["what"]):
            told = f"{scope.named(one.one)} fitted{_tail(number, what, m['origin'])}"
            yield said(told, at(Fitted, one.one, number=number, origin=origin))


@form(r"(?P<at><part>)\s+put\s+back", "2B put back", stage=Stage.REPAIR)
def put_back(m: Match, scope: Scope) -> Iterable[Said]:
    """A part that had been taken out goes back into its place."""
    for one in scope.places.find(m["at"]):
        out = scope.context.snapshot.parts.removed.get(one.one.part)
        if out is None:
            raise Refusal("never-removed", place=one.one.refdes)
        number = out.number or number_of(scope, one.one)
        yield said(f"{scope.named(one.one)} put back", at(Fitted, one.one, number=number, origin=OWN_PART))


@form(r"(?P<at><part>)\s+borrowed\s+from\s+(?P<lender>\S.{0,60})", "4A borrowed from the spare set", stage=Stage.INTAKE)
def borrowed(m: Match, scope: Scope) -> Iterable[Said]:
    """A stand-in that goes back to where it came from."""
    lender = m["lender"].strip()
    for one in scope.places.find(m["at"]):
        entry = at(Fitted, one.one, number=number_of(scope, one.one), origin=lender, lender=lender)
        yield said(f"{scope.named(one.one)} borrowed from {lender}", entry)


@form(r"(?P<at><part>)\s+(?:given\s+back|returned)", "4A given back", stage=Stage.REPAIR)
def given_back(m: Match, scope: Scope) -> Iterable[Said]:
    """A stand-in went back."""
    for one in scope.places.find(m["at"]):
        if one.one.part not in scope.context.snapshot.parts.loans:
            raise Refusal("not-on-loan", place=one.one.refdes)
        yield said(f"{scope.named(one.one)} given back", at(GaveBack, one.one))


@form(
    r"(?:(?P<at><part>)\s+(?:new\s+)?socket\s+(?:fitted|replaced)|(?:the\s+|a\s+|new\s+)?socket\s+(?:of\s+(?P<of><part>)\s+)?"
    r"(?:fitted|replaced)(?:\s+(?:at|in|for)\s+(?P<in><part>))?)",
    "5D socket fitted",
    stage=Stage.REPAIR,
)
def socket_fitted(m: Match, scope: Scope) -> Iterable[Said]:
    """A new socket; the chip in it is the same."""
    named = [name for name in (m["at"], m["of"], m["in"]) if name]
    if len(named) != 1:
        return
    for one in scope.places.find(named[0]):
        entry = at(Fitted, one.one, number=number_of(scope, one.one), origin=NEW_SOCKET)
        yield said(f"{scope.named(one.one)} socket fitted", entry)


@form(r"(?P<at><part>)\s+contact\s+repaired", "6C contact repaired", stage=Stage.REPAIR)
def contact_repaired(m: Match, scope: Scope) -> Iterable[Said]:
    """A bent pin straightened, a contact made good; the chip is the same."""
    for one in scope.places.find(m["at"]):
        entry = at(Fitted, one.one, number=number_of(scope, one.one), origin=CONTACT_REPAIRED)
        yield said(f"{scope.named(one.one)} contact repaired", entry)


@form(r"(?P<at><part>)\s+socketed", "5D socketed", stage=Stage.REPAIR)
def socketed(m: Match, scope: Scope) -> Iterable[Said]:
    """It has a socket, or got one now: both are offered."""
    from loyal_trace.core.line.forms.facts import socketed_fact

    for one in scope.places.find(m["at"]):
        entry = at(Fitted, one.one, number=number_of(scope, one.one), origin=NEW_SOCKET)
        yield said(f"{scope.named(one.one)} socket fitted", entry)
        yield socketed_fact(scope, one.one, True)


@form(
    r"(?P<at><part>)\s+re-?programmed(?:\s+with\s+(?P<file>\S+))?", "6F re-programmed with 6f.bin", stage=Stage.REPAIR
)
def re_programmed(m: Match, scope: Scope) -> Iterable[Said]:
    """A chip programmed again: its old reads no longer speak of it."""
    for one in scope.places.find(m["at"]):
        name = m["file"] or ""
        entry = at(Fitted, one.one, number=number_of(scope, one.one), origin=RE_PROGRAMMED, note=name)
        yield said(f"{scope.named(one.one)} re-programmed{f' with {name}' if name else ''}", entry)


@form(r"(?P<parts><parts>)\s+(?P<action>reflowed|repaired|modified)", "J1 reflowed", stage=Stage.REPAIR)
def worked_on(m: Match, scope: Scope) -> Iterable[Said]:
    """Work on parts in their places."""
    for one in scope.places.several(m["parts"]):
        action = m["action"].lower()
        yield said(f"{scope.listed(one.parts)} {action}", about(Worked, one.board, action=action, parts=one.parts))


@form(
    r"track\s+(?P<first><pin>)\s*(?:-|to)\s*(?P<second><pin>)\s+repaired(?:\s+with\s+(?P<how>wire|a\s+wire|foil|solder|"
    r"copper\s+tape|conductive\s+paint))?",
    "track 5D.13-4E.15 repaired with wire",
    stage=Stage.REPAIR,
)
def track_repaired(m: Match, scope: Scope) -> Iterable[Said]:
    """A track mended between two pins."""
    for one in scope.places.find(m["first"]):
        others = [other for other in scope.places.find(m["second"]) if other.board == one.board]
        for other in others:
            how = " ".join((m["how"] or "").lower().split()).removeprefix("a ")
            tail = f" with {how}" if how else ""
            canonical = f"track {scope.named(one.one)} to {other.one.name} repaired{tail}"
            entry = about(Worked, one.board, action="track repaired", parts=(one.one, other.one), detail=how)
            yield said(canonical, entry, *_joined_again(scope, one.one, other.one))


def _joined_again(scope: Scope, first: NamedPart, second: NamedPart) -> Iterator[Planned]:
    """Two pins that were known to be apart are connected again by a repair; else the netlist says what they are."""
    known = [c for c in scope.context.snapshot.facts.connections if {c.first, c.second} == {first, second}]
    if known and not known[-1].joined:
        yield about(Connected, first.board, first=first, second=second, joined=True)


@form(
    r"(?:(?P<on><board>)\s+)?(?:the\s+)?board\s+(?P<action>washed|cleaned|dried)"
    r"(?:\s+with\s+(?P<what>water|IPA|isopropyl(?:\s+alcohol)?|alcohol|[\w-]{1,16}\s+cleaner))?(?:\s*,\s*(?P<then>drying|dried))?",
    "board washed, drying",
    "board washed with water, drying",
    stage=Stage.REPAIR,
)
def board_washed(m: Match, scope: Scope) -> Iterable[Said]:
    """The whole board washed, cleaned or dried."""
    for board in scope.boards(m["on"], free=False):
        action, then = m["action"].lower(), (m["then"] or "").lower()
        what = f" with {' '.join(m['what'].split())}" if m["what"] else ""
        canonical = f"{scope.board_words(board)}board {action}{what}{f', {then}' if then else ''}"
        detail = ", ".join(piece for piece in (what.strip(), then) if piece)
        yield said(canonical, about(Worked, board, action=f"board {action}", detail=detail))


_TIME_UNITS = {"s": 1.0, "sec": 1.0, "min": 60.0, "minutes": 60.0, "h": 3600.0, "hours": 3600.0}


@form(
    rf"timer:\s*(?P<what>\S.{{0,40}}?)\s+(?P<count>\d{{1,4}})\s*(?P<unit>{'|'.join(_TIME_UNITS)})",
    "timer: UV eraser 20 min",
    stage=Stage.REPAIR,
)
def timer(m: Match, scope: Scope) -> Iterable[Said]:
    """A time that begins to run: heat, erasing, a soak, drying."""
    unit, what = m["unit"].lower(), " ".join(m["what"].split())
    seconds = int(m["count"]) * _TIME_UNITS[unit]
    if not 0 < seconds <= 30 * 86_400:
        raise Refusal("impossible-value", value=m["count"], quantity="time")
    short = {"sec": "s", "minutes": "min", "hours": "h"}.get(unit, unit)
    yield said(f"timer: {what} {int(m['count'])} {short}", Planned(TimerStarted, {"what": what, "seconds": seconds}))


@form(
    rf"(?P<at><part>)\s+use\s+{_WHAT}{_FROM}",
    "C1 use 6800u 35V from tray F",
    stage=Stage.PLAN,
)
def to_be_used(m: Match, scope: Scope) -> Iterable[Said]:
    """What is to go into a place; nothing was done yet."""
    for one in scope.places.find(m["at"]):
        origin = " ".join((m["origin"] or "").split())
        for what, (number,) in _new_numbers(scope, (one.one,), m["what"]):
            told = f"{scope.named(one.one)} use{_tail(number, what, m['origin']).removeprefix(' with')}"
            yield said(told, at(PlannedUse, one.one, number=number, origin=origin))
