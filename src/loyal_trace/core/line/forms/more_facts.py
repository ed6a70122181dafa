"""Further facts of a board: what has to be checked, its class, settings as found, rare parts, sizes, changes to it."""

from collections.abc import Iterable

from loyal_trace.core.boards.classes import CHECKS_OF_CLASS
from loyal_trace.core.boards.kinds import kind_of
from loyal_trace.core.job.entries import CheckTold, ClockTold, LampTold, NamedPart, PartTold, SettingTold, Worked
from loyal_trace.core.line.context import Refusal, Said
from loyal_trace.core.line.places import Alternative
from loyal_trace.core.line.registry import Match, Scope, about, at, form, said
from loyal_trace.core.line.values import VALUE, read_values, typed_value
from loyal_trace.core.parts.roles import Role
from loyal_trace.core.parts.spec import POLARISED
from loyal_trace.core.vocabulary.quantities import Quantity
from loyal_trace.core.vocabulary.stages import Stage

_ON = r"(?:(?P<on><board>)\s+)?"
_CLASSES = "|".join(CHECKS_OF_CLASS)


@form(rf"{_ON}to\s+check:\s*(?P<items>\S.*)", "to check: keyboard, all colours", stage=Stage.VERIFY)
def checks_told(m: Match, scope: Scope) -> Iterable[Said]:
    """What has to be proved on this board, before it is tried."""
    items = tuple(dict.fromkeys(" ".join(item.split()) for item in m["items"].split(",") if item.strip()))
    for board in scope.boards(m["on"], free=False):
        entry = about(CheckTold, board, items=items)
        yield said(f"{scope.board_words(board)}to check: {', '.join(items)}", entry)


@form(rf"{_ON}board\s+is\s+a\s+(?P<kind>{_CLASSES})\s+board", "board is a sound board", stage=Stage.INTAKE)
def board_class(m: Match, scope: Scope) -> Iterable[Said]:
    """What kind of board it is: the checks that such boards usually need join the checklist."""
    kind = m["kind"].lower()
    for board in scope.boards(m["on"], free=False):
        entry = about(CheckTold, board, items=tuple(map(str, CHECKS_OF_CLASS[kind])), of=kind)
        yield said(f"{scope.board_words(board)}board is a {kind} board", entry)


@form(
    r"(?P<at><part>)\s+as\s+found:\s*(?P<how>\S.*)",
    "JP1 as found: 1-2",
    "SW1 as found: 1 on, 2 off",
    stage=Stage.INTAKE,
)
def as_found(m: Match, scope: Scope) -> Iterable[Said]:
    """How a jumper or switch was set when the board came in; it goes back the same."""
    how = " ".join(m["how"].split())
    for one in scope.places.find(m["at"], new_ok=True):
        yield said(f"{scope.named(one.one)} as found: {how}", at(SettingTold, one.one, setting=how), new=one)


@form(r"(?P<parts><parts>)\s+(?:is|are)\s+rare", "U7 is rare", stage=Stage.INTAKE)
def part_is_rare(m: Match, scope: Scope) -> Iterable[Said]:
    """A part that cannot be bought again: out first, on a shelf of its own."""
    for one in scope.places.several(m["parts"], new_ok=True):
        verb = "is" if len(one.parts) == 1 else "are"
        entries = (at(PartTold, part, rare=True) for part in one.parts)
        yield said(f"{scope.listed(one.parts)} {verb} rare", *entries, new=one)


_ROLES = "|".join(role.value for role in Role if role is not Role.UNKNOWN)
_DIELECTRICS = ("aluminium", "tantalum", "polymer", "ceramic", "film", "mica", "paper")


@form(
    rf"(?P<parts><parts>)\s+(?:is|are)\s+(?:for\s+(?:the\s+)?(?P<role>{_ROLES})|(?:a\s+)?(?P<what>{_ROLES})\s+capacitors?)",
    "C1 is for timing",
    "C2-C9 are for decoupling",
    stage=Stage.PLAN,
)
def part_has_role(m: Match, scope: Scope) -> Iterable[Said]:
    """What a capacitor does: how near another value has to be."""
    role = (m["role"] or m["what"]).lower()
    for one in scope.places.several(m["parts"], new_ok=True, fill=True):
        verb = "is" if len(one.parts) == 1 else "are"
        entries = (at(PartTold, part, role=role) for part in one.parts)
        yield said(f"{scope.listed(one.parts)} {verb} for {role}", *entries, new=one)


@form(
    rf"(?P<parts><parts>)\s+(?:is|are)\s+(?:of\s+|a\s+)?(?P<kind>{'|'.join(_DIELECTRICS)}|bipolar)(?:\s+capacitors?)?",
    "C1 is tantalum",
    stage=Stage.PLAN,
)
def part_has_dielectric(m: Match, scope: Scope) -> Iterable[Said]:
    """Of what kind a capacitor is; a bipolar one is an electrolytic without plus and minus."""
    kind = m["kind"].lower()
    technology = "aluminium" if kind == "bipolar" else kind
    for one in scope.places.several(m["parts"]):
        if any(scope.context.boards[part.board].part(part.refdes).kind != "capacitor" for part in one.parts):
            continue
        verb = "is" if len(one.parts) == 1 else "are"
        polarised = kind in POLARISED
        entries = (at(PartTold, part, technology=technology, polarised=polarised) for part in one.parts)
        yield said(f"{scope.listed(one.parts)} {verb} {kind}", *entries)


@form(
    r"(?P<at><part>)\s+(?P<what>pitch|diameter|room)\s+(?P<mm>\d{1,3}(?:[.,]\d{1,2})?)\s*mm",
    "C1 pitch 5 mm",
    "C1 diameter 10 mm",
    "C1 room 12 mm",
    stage=Stage.PLAN,
)
def part_size(m: Match, scope: Scope) -> Iterable[Said]:
    """The hole pitch of a part, its diameter, or the room across its place: a substitute has to fit."""
    length, what = float(m["mm"].replace(",", ".")), m["what"].lower()
    if length <= 0:
        raise Refusal("impossible-value", value=m["mm"], quantity=what)
    for one in scope.places.find(m["at"], new_ok=True):
        yield said(f"{scope.named(one.one)} {what} {length:g} mm", at(PartTold, one.one, **{what: length}), new=one)


@form(
    rf"clock\s+(?:at\s+)?(?P<at><pin>)\s*(?:is|=|:)?\s+(?P<value>{VALUE}\s*Hz)",
    "clock at U3.6: 2 MHz",
    stage=Stage.RAILS,
)
def clock_told(m: Match, scope: Scope) -> Iterable[Said]:
    """The frequency that a healthy board shows at a pin; what is divided from it follows."""
    for one in scope.places.find(m["at"], new_ok=True):
        for value in (v for v in read_values(m["value"], "Hz") if v > 0):
            entry = about(ClockTold, one.board, at=one.one, frequency=value)
            yield said(f"clock at {scope.named(one.one)}: {typed_value(value, Quantity.FREQUENCY)}", entry, new=one)


# What may be a lamp without being called one.
_LAMPS = ("diode", "other", "unknown")


def _kind_of(scope: Scope, part: NamedPart) -> str:
    board = scope.context.boards.get(part.board)
    return board.part(part.refdes).kind if board and board.has(part.refdes) else kind_of(part.refdes)


@form(r"(?P<lamp>lamp\s+)?(?P<at><part>)\s+shows\s+(?P<parts><parts>)", "lamp LD1 shows F1", stage=Stage.RAILS)
def lamp_shows(m: Match, scope: Scope) -> Iterable[Said]:
    """A lamp that is lit while a fuse or a supply is intact; what it does is said by LD1 lit, or LD1 dark."""
    for lamp in scope.places.find(m["at"], new_ok=True):
        for one in (o for o in scope.places.several(m["parts"], new_ok=True) if o.board == lamp.board):
            if not m["lamp"] and _kind_of(scope, lamp.one) not in _LAMPS:
                continue  # a sentence about something else
            if lamp.one in one.parts:
                raise Refusal("lamp-itself", place=lamp.one.refdes)
            both = Alternative((lamp.one, *one.parts), (*lamp.new, *one.new))
            entry = at(LampTold, lamp.one, members=one.parts)
            yield said(f"lamp {scope.named(lamp.one)} shows {scope.listed(one.parts)}", entry, new=both)


@form(
    rf"{_ON}(?P<action>workaround|modified|added):\s*(?P<text>\S.*)",
    "workaround: U7.3 tied to U8.5",
    "added: 100n across U7.16 and U7.8",
    stage=Stage.REPAIR,
)
def changed_board(m: Match, scope: Scope) -> Iterable[Said]:
    """A change that stays on the board: a workaround, a modification, an added part. It stands in the report."""
    action, text = m["action"].lower(), " ".join(m["text"].split())
    for board in scope.boards(m["on"], free=False):
        entry = about(Worked, board, action=action, detail=text)
        yield said(f"{scope.board_words(board)}{action}: {text}", entry)
