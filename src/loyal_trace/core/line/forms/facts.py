"""Facts of the board: `5D is 74LS166`, `5D.13 = 4E.15`, `rail +5 feeds 1A, 5F`, `supply +5: from J1 5 V DC 3 A`.

Only these make places new.
"""

import re
from collections.abc import Iterable

from loyal_trace.core.boards.cells import CHEMISTRY_WORDS
from loyal_trace.core.boards.kinds import kind_of
from loyal_trace.core.boards.supplies import plain_rail
from loyal_trace.core.job.entries import (
    Assumed,
    ChainDescribed,
    CodeTold,
    Connected,
    LineTold,
    NamedPart,
    PartTold,
    PathTold,
    PinTold,
    RailTold,
    ServiceTold,
    TwinsTold,
)
from loyal_trace.core.job.snapshot import SupplyKey
from loyal_trace.core.line.context import Refusal, Said
from loyal_trace.core.line.places import Alternative
from loyal_trace.core.line.registry import Match, Scope, about, at, form, said
from loyal_trace.core.line.values import spellings
from loyal_trace.core.parts.marking import WATTS, parse_marking
from loyal_trace.core.parts.marks import Marking
from loyal_trace.core.parts.spec import DESCRIBING
from loyal_trace.core.planning.assumptions import parse_assumption
from loyal_trace.core.power.described import describe_chain
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.stages import Stage

_ON = r"(?:(?P<on><board>)\s+)?"
_PLACEHOLDER = {"from": "from J1 9 V DC", "through": "through C1 1000u", "to": "to REG1 5 V, U1.14"}
# A value whose unit stands apart: 10 uF, 8 MHz, 2 A.
_SPACED = r"\d[\d.,]*\s+(?:[pnuµμm]?F|[kM]?Hz|m?A|[kM]?(?:ohms?|Ω)|[kM])"
_VOLTS = re.compile(r"([+-]?\d+(?:[.,]\d+)?)\s*V?", re.IGNORECASE)


def marked(scope: Scope, part: NamedPart, found: Marking) -> Said:
    """A part with the marking on it."""
    return marked_alike(scope, Alternative((part,)), [found])


def marked_alike(scope: Scope, alike: Alternative, found: list[Marking]) -> Said:
    """Parts with the same marking on them."""
    verb = "is" if len(alike.parts) == 1 else "are"
    entries = (
        at(
            PartTold,
            part,
            number=one.number,
            sort=one.kind,
            value=one.value,
            voltage=one.voltage,
            technology=one.technology,
            polarised=one.polarised,
            **{name: size for name in ("diameter", "height", "pitch") if (size := getattr(one, name)) is not None},
        )
        for part, one in zip(alike.parts, found, strict=True)
    )
    return said(f"{scope.listed(alike.parts)} {verb} {found[0].number}", *entries, new=alike)


def _kind(scope: Scope, part: NamedPart) -> str:
    board = scope.context.boards.get(part.board)
    return board.part(part.refdes).kind if board and board.has(part.refdes) else kind_of(part.refdes)


@form(
    rf"(?P<parts><parts>)\s+(?:is|are)\s+(?:a\s+|an\s+)?(?P<what>(?:{_SPACED}|{CHEMISTRY_WORDS}|\S+)(?:\s+(?:\d+(?:[.,]\d+)?\s*V|BP|NP|slow|fast)){{0,2}}(?:\s+(?:{DESCRIBING}|{WATTS})){{0,6}})",
    "5D is 74LS166",
    "C1 is 6800u 25V",
    "C3 is 10u 16V tantalum",
    "C2-C9 are 100n",
    "BT1 is NiCd 3.6V",
    stage=Stage.INTAKE,
)
def part_is(m: Match, scope: Scope) -> Iterable[Said]:
    """The type or value of one or more parts: whatever a marking can say."""
    for one in scope.places.several(m["parts"], new_ok=True, fill=True):
        for what in spellings(m["what"]):
            found = [parse_marking(what, _kind(scope, part), scope.context.library) for part in one.parts]
            known = [marking for marking in found if marking is not None]
            if len(known) == len(one.parts):
                yield marked_alike(scope, one, known)


_WORDS = {"plug": "connector", "coil": "inductor", "battery": "cell", "potentiometer": "control", "trimmer": "control"}
_KINDS = "connector|crystal|fuse|diode|transistor|switch|relay|bridge|transformer|regulator|resistor|capacitor"


@form(
    rf"(?P<parts><parts>)\s+(?:is|are)\s+(?:a\s+|an\s+)?(?P<word>{_KINDS}|{'|'.join(_WORDS)})(?:s|es)?",
    "J1 is a connector",
    stage=Stage.INTAKE,
)
def part_is_of_kind(m: Match, scope: Scope) -> Iterable[Said]:
    """The kind of a part, when its designator does not say it or no type is known."""
    word = m["word"].lower()
    for one in scope.places.several(m["parts"], new_ok=True, fill=True):
        verb = f"is a {word}" if len(one.parts) == 1 else f"are {word}{'es' if word.endswith('ch') else 's'}"
        entries = (at(PartTold, part, sort=_WORDS.get(word, word)) for part in one.parts)
        yield said(f"{scope.listed(one.parts)} {verb}", *entries, new=one)


@form(
    r"(?P<parts><parts>)\s+(?:is|are)\s+type\s+(?P<what>\S{1,32}(?:\s+\S{1,16})?)",
    "5D is type HYB-3",
    stage=Stage.INTAKE,
)
def part_is_type(m: Match, scope: Scope) -> Iterable[Said]:
    """A type that no series knows, taken as it is written."""
    number = " ".join(m["what"].split())
    for one in scope.places.several(m["parts"], new_ok=True, fill=True):
        kinds = ((part, _kind(scope, part), part.part in one.new) for part in one.parts)
        entries = (
            at(PartTold, part, number=number, sort="unknown" if new and kind == "chip" else kind)
            for part, kind, new in kinds
        )
        verb = "is" if len(one.parts) == 1 else "are"
        yield said(f"{scope.listed(one.parts)} {verb} type {number}", *entries, new=one)


def socketed_fact(scope: Scope, part: NamedPart, socketed: bool, new: Alternative | None = None) -> Said:
    """A part sits in a socket, or is soldered."""
    words = "socketed" if socketed else "soldered"
    return said(f"{scope.named(part)} is {words}", at(PartTold, part, socketed=socketed), new=new)


@form(
    r"(?P<parts><parts>)\s+(?:is|are)\s+(?P<how>socketed|soldered|in\s+(?:a\s+)?sockets?)",
    "5D is socketed",
    stage=Stage.INTAKE,
)
def part_is_socketed(m: Match, scope: Scope) -> Iterable[Said]:
    """In a socket, or soldered."""
    socketed = not m["how"].lower().startswith("soldered")
    for one in scope.places.several(m["parts"], new_ok=True):
        words = "socketed" if socketed else "soldered"
        verb = "is" if len(one.parts) == 1 else "are"
        entries = (at(PartTold, part, socketed=socketed) for part in one.parts)
        yield said(f"{scope.listed(one.parts)} {verb} {words}", *entries, new=one)


@form(
    r"(?P<at><part>)\s+(?:is\s+)?at\s+row\s+(?P<row>\w{1,3})(?:\s*,?\s*column\s+(?P<column>\w{1,3}))?",
    "5D at row 5 column D",
    stage=Stage.INTAKE,
)
def part_at(m: Match, scope: Scope) -> Iterable[Said]:
    """Where a part is in the grid of the board."""
    for one in scope.places.find(m["at"], new_ok=True):
        row, column = m["row"].upper(), (m["column"] or "").upper()
        tail = f" column {column}" if column else ""
        yield said(f"{scope.named(one.one)} at row {row}{tail}", at(PartTold, one.one, row=row, column=column), new=one)


@form(r"(?P<at><part>)\s+(?:is\s+)?(?P<mm>\d{1,3}(?:[.,]\d+)?)\s*mm\s+(?:high|tall)", "C1 25 mm high", stage=Stage.PLAN)
def part_height(m: Match, scope: Scope) -> Iterable[Said]:
    """How high a part is."""
    height = float(m["mm"].replace(",", "."))
    if height <= 0:
        raise Refusal("impossible-value", value=m["mm"], quantity="height")
    for one in scope.places.find(m["at"], new_ok=True):
        yield said(f"{scope.named(one.one)} {height:g} mm high", at(PartTold, one.one, height=height), new=one)


@form(
    r"(?P<at><part>)\.(?P<pin>\d{1,3})\s*:\s*(?P<name>/?[A-Za-z0-9_/+-]{1,16})"
    r"(?:\s+(?P<way>in|out|both|power|ground))?",
    "U9.3: RESET in",
    stage=Stage.PROBE,
)
def pin_name(m: Match, scope: Scope) -> Iterable[Said]:
    """The name of a pin (in capitals, so that no sentence is taken for one), and its direction."""
    if m["name"] != m["name"].upper() or int(m["pin"]) < 1:
        return
    for one in scope.places.find(m["at"], new_ok=True):
        scope.places.pin(one.board, one.one.refdes, m["pin"]) if not one.new else None
        way = (m["way"] or "").lower()
        entry = at(PinTold, one.one, pin=int(m["pin"]), name=m["name"], direction=way)
        yield said(f"{scope.named(one.one)}.{int(m['pin'])}: {m['name']}{f' {way}' if way else ''}", entry, new=one)


# A test point has one pin, which nobody types.
_TEST_POINT = re.compile(r"TP\d{1,3}", re.IGNORECASE)


@form(
    r"(?P<first><pin>|TP\d{1,3})\s*(?P<sign>=|!)\s*(?P<second><pin>|TP\d{1,3})",
    "5D.13 = 4E.15",
    "5D.13 ! 5D.14",
    "TP1 = 5D.13",
    stage=Stage.PROBE,
)
def pins_connected(m: Match, scope: Scope) -> Iterable[Said]:
    """Two pins, or a pin and a test point, are connected, or are not."""
    joined = m["sign"] == "="
    first, second = (f"{text}.1" if _TEST_POINT.fullmatch(text) else text for text in (m["first"], m["second"]))
    for one in scope.places.find(first, new_ok=True):
        others = scope.places.find(second, new_ok=True)
        for other in [o for o in others if o.board == one.board] or others:
            if one.one == other.one:
                raise Refusal("same-pin", pin=one.one.name)
            entry = about(Connected, one.board, first=one.one, second=other.one, joined=joined)
            both = Alternative((one.one, other.one), (*one.new, *other.new))
            yield said(f"{scope.named(one.one)} {m['sign']} {scope.named(other.one)}", entry, new=both)


_MEMBERS = r"(?:<pin>|<parts>)(?:(?:\s*,\s*(?:and\s+)?|\s+and\s+|\s+)(?:<pin>|<parts>))*"


def _members(scope: Scope, text: str) -> list[Alternative]:
    """Parts and pins of a list, ranges written out, on each board that has all of them."""
    found = [scope.places.several(name, new_ok=True) for name in scope.places.pieces(text)]
    boards = [one.board for one in found[0] if all(any(o.board == one.board for o in options) for options in found)]
    whole = []
    for board in boards or [found[0][0].board]:
        chosen = [next((o for o in options if o.board == board), options[0]) for options in found]
        news = tuple(dict.fromkeys(new for one in chosen for new in one.new))
        whole.append(Alternative(tuple(dict.fromkeys(part for one in chosen for part in one.parts)), news))
    return whole


@form(
    rf"(?P<bus>data|address|control)\s+(?:line\s+)?(?P<name>/?[A-Z]{{1,6}}\d{{0,3}})\s*:\s*(?P<members>{_MEMBERS})",
    "data D2: 4F.11, 5F",
    stage=Stage.PROBE,
)
def line_members(m: Match, scope: Scope) -> Iterable[Said]:
    """What is on a data or address line."""
    bus, name = m["bus"].lower(), m["name"].upper()
    for one in _members(scope, m["members"]):
        entry = about(LineTold, one.board, bus=bus, name=name, members=one.parts)
        yield said(f"{bus} {name}: {scope.listed(one.parts)}", entry, new=one)


def nominal_of(rail: str) -> float | None:
    """The voltage that a rail's name says; None where it says none."""
    volts = _VOLTS.fullmatch(rail)
    return float(volts[1].replace(",", ".")) if volts else None


@form(
    rf"rail\s+(?P<rail>[+-]?[\w.,]{{1,8}}(?:\s*V)?)\s+feeds\s+(?P<members>{_MEMBERS})",
    "rail +5 feeds 1A, 5F",
    stage=Stage.RAILS,
)
def rail_feeds(m: Match, scope: Scope) -> Iterable[Said]:
    """Which parts a rail feeds."""
    typed = m["rail"].replace(" ", "").upper().removesuffix("V")
    nominal = nominal_of(typed)
    for one in _members(scope, m["members"]):
        known = scope.context.boards.get(one.board)
        rails = {plain_rail(r.name): r.name for r in (known.rails if known else ())}
        name = rails.get(plain_rail(typed)) or (f"{nominal:+g} V" if nominal is not None else typed)
        entry = about(RailTold, one.board, name=name, nominal=nominal, members=one.parts)
        yield said(f"rail {typed} feeds {scope.listed(one.parts)}", entry, new=one)


@form(
    rf"{_ON}supply(?:\s+(?P<path>[+-]?[\w.,]{{1,10}}(?:\s*V)?))?\s*:\s*(?P<line>from|through|to)\s+(?P<rest>\S.*)",
    "supply +5: from J1 5 V DC 3 A",
    "supply +5: through F1/2A, C1, REG1",
    "supply +5: to 5D.16",
    stage=Stage.RAILS,
)
def supply_line(m: Match, scope: Scope) -> Iterable[Said]:
    """One of the three lines that describe a supply."""
    line, text = m["line"].lower(), f"{m['line'].lower()} {m['rest'].strip()}"
    path = (m["path"] or "").replace(" ", "").strip()
    head = f"supply {path}: " if path else "supply: "
    for board in scope.boards(m["on"], free=False):
        told = scope.context.snapshot.facts.supplies.get(SupplyKey(board, path), {})
        try:
            describe_chain({**_PLACEHOLDER, **told, line: text}, path, scope.context.boards.get(board))
        except RequestError as error:
            raise Refusal("supply-line", why=str(error)) from None
        yield said(
            f"{scope.board_words(board)}{head}{text}", about(ChainDescribed, board, line=line, text=text, path=path)
        )


@form(
    r"(?:twins:?\s+(?P<parts><parts>)|(?P<these><parts>)\s+are\s+twins)",
    "twins 4A 4B 4C",
    "4A 4B 4C are twins",
    stage=Stage.SUSPECTS,
)
def twins(m: Match, scope: Scope) -> Iterable[Said]:
    """Parts that do the same and should measure alike."""
    for one in scope.places.several(m["parts"] or m["these"], new_ok=True):
        if len(one.parts) < 2:
            raise Refusal("one-twin", place=one.one.refdes)
        yield said(f"twins {scope.listed(one.parts)}", about(TwinsTold, one.board, members=one.parts), new=one)


@form(r"path\s+(?P<name>[\w -]{1,40}?)\s*:\s*(?P<parts><parts>)", "path gun: U3 U7 J4", stage=Stage.SUSPECTS)
def path(m: Match, scope: Scope) -> Iterable[Said]:
    """The parts that a function needs, in the order of the signal."""
    for one in scope.places.several(m["parts"], new_ok=True):
        name = " ".join(m["name"].split())
        entry = about(PathTold, one.board, name=name, members=one.parts)
        yield said(f"path {name}: {scope.listed(one.parts)}", entry, new=one)


@form(r"code\s+(?P<code>[\w.-]{1,12}(?:\s+\d+)?)\s*=\s*(?P<parts><parts>)", "code 3 = 6D", stage=Stage.SUSPECTS)
def code_means(m: Match, scope: Scope) -> Iterable[Said]:
    """What a self-test code means."""
    for one in scope.places.several(m["parts"], new_ok=True):
        code = " ".join(m["code"].split())
        yield said(
            f"code {code} = {scope.listed(one.parts)}",
            about(CodeTold, one.board, code=code, members=one.parts),
            new=one,
        )


@form(r"service:\s*(?P<parts><parts>)", "service: C1, C2", stage=Stage.PLAN)
def service(m: Match, scope: Scope) -> Iterable[Said]:
    """Parts that are replaced as a matter of course on this board."""
    for one in scope.places.several(m["parts"], new_ok=True):
        yield said(f"service: {scope.listed(one.parts)}", about(ServiceTold, one.board, members=one.parts), new=one)


@form(
    rf"{_ON}assume\s+(?P<rest>[^:]{{1,60}}:\s*\S.*)", "assume spare footprint: 4A.3=4B.3, 4A.5!4B.6", stage=Stage.PLAN
)
def assumption(m: Match, scope: Scope) -> Iterable[Said]:
    """What a plan rests on: pairs of pins that must be connected, and pairs that must not."""
    try:
        fields = parse_assumption(m["rest"])
    except RequestError as error:
        raise Refusal("assumption", why=str(error)) from None
    pairs = [*(f"{a}={b}" for a, b in fields["together"]), *(f"{a}!{b}" for a, b in fields["apart"])]
    for board in scope.boards(m["on"], free=False):
        canonical = f"{scope.board_words(board)}assume {fields['name']}: {', '.join(pairs)}"
        yield said(canonical, about(Assumed, board, **fields))
