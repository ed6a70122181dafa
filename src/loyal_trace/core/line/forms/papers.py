"""The job and the bench: owner, complaint, serial, what the bench has and lacks, the drawer, decisions."""

from collections.abc import Iterable

from loyal_trace.core.job.entries import Decided, Offered, Stocked
from loyal_trace.core.job.settings import meant, settings
from loyal_trace.core.line.context import Planned, Refusal, Said
from loyal_trace.core.line.registry import Match, Scope, about, form, said
from loyal_trace.core.parts.spec import DESCRIBING
from loyal_trace.core.proving.bench import LACKS, SUPPLIES, parse_supplies
from loyal_trace.core.roms.devices import access_budget
from loyal_trace.core.roms.signature import check_symbols, register_from
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.units import parse_quantity

_ON = r"(?:(?P<on><board>)\s+)?"
# What a part costs in luck on its way off a donor board where nobody said: from practice, stated and not counted.
_DONOR_RISK = 10
# A type, or a capacitor by its value, its rating and what else its sleeve says.
_ARTICLE = rf"(?P<number>[\w./+-]{{2,24}}(?:\s+\d+(?:[.,]\d+)?\s*V)?(?:\s+{DESCRIBING}){{0,6}})"
_STATES = {
    "new": "unknown",
    "untested": "unknown",
    "unknown": "unknown",
    "good": "proven",
    "proven": "proven",
    "tested": "proven",
    "bad": "bad",
}


def decided(canonical: str, what: str, choice: str, board: str = "", reason: str = "") -> Said:
    """A decision of the job."""
    return said(canonical, about(Decided, board, what=what, choice=choice, reason=reason))


@form(
    r"(?P<what>owner|complaint|firmware|promise)\s*:\s*(?P<text>\S.*)",
    "owner: Gannet Point Pier Collection",
    "complaint: no sound",
    stage=Stage.INTAKE,
)
def told_of_the_job(m: Match, scope: Scope) -> Iterable[Said]:
    """Whose it is, what is wrong in the owner's words, which firmware, what was promised."""
    what, text = m["what"].lower(), m["text"].strip()
    yield decided(f"{what}: {text}", what, text)


@form(rf"{_ON}serial\s*:\s*(?P<text>\S.*)", "serial: 1042", stage=Stage.INTAKE)
def serial(m: Match, scope: Scope) -> Iterable[Said]:
    """The serial number of a board."""
    for board in scope.boards(m["on"], free=False):
        text = m["text"].strip()
        yield decided(f"{scope.board_words(board)}serial: {text}", f"serial {board}", text, board)


@form(r"label\s+(?:of\s+)?(?P<at><part>)\s*:\s*(?P<text>\S.*)", "label 3A: CS8-0 A", stage=Stage.INTAKE)
def label(m: Match, scope: Scope) -> Iterable[Said]:
    """What stands on the label of a chip."""
    for one in scope.places.find(m["at"]):
        text = m["text"].strip()
        yield decided(f"label {scope.named(one.one)}: {text}", f"label {one.board}/{one.one.refdes}", text, one.board)


@form(
    r"(?P<what>value|hour\s+rate)\s*:\s*(?P<amount>\d{1,7}(?:[.,]\d{1,2})?)",
    "value: 250",
    "hour rate: 40",
    stage=Stage.INTAKE,
)
def amount(m: Match, scope: Scope) -> Iterable[Said]:
    """What it is worth, and what an hour costs."""
    what, number = " ".join(m["what"].lower().split()), m["amount"].replace(",", ".")
    yield decided(f"{what}: {number}", what, number)


@form(r"bench\s+lacks\s*:\s*(?P<text>\S.*)", "bench lacks: 12 V AC, harness", stage=Stage.INTAKE)
def bench_lacks(m: Match, scope: Scope) -> Iterable[Said]:
    """What this bench cannot do: what needs it is not tested."""
    told = ", ".join(word.strip() for word in m["text"].split(",") if word.strip())
    choice = "" if told.lower() == "nothing" else told
    yield decided(f"bench lacks: {told}", LACKS, choice)


@form(r"bench\s+suppl(?:y|ies)\s*:\s*(?P<text>\S.*)", "bench supplies: 5 V 3 A, 12 V 1 A", stage=Stage.INTAKE)
def bench_supplies(m: Match, scope: Scope) -> Iterable[Said]:
    """The supplies of this bench with their limits."""
    try:
        told = ", ".join(supply.words for supply in parse_supplies(m["text"]))
    except RequestError as error:
        raise Refusal("bench-supplies", why=str(error)) from None
    yield decided(f"bench supplies: {told}", SUPPLIES, told)


@form(
    rf"drawer:\s*(?:(?P<count>\d{{1,5}})\s*[x×]?\s+)?{_ARTICLE}"
    r"(?:\s+in\s+(?P<place>[^,]{1,40}?))?(?:\s*,\s*(?P<state>new|untested|unknown|good|proven|tested|bad))?",
    "drawer: 3x 74LS166 in tray 3, untested",
    stage=Stage.PLAN,
)
def drawer(m: Match, scope: Scope) -> Iterable[Said]:
    """Something that lies in the drawer."""
    count, place = int(m["count"] or 1), (m["place"] or "").strip()
    state = _STATES[(m["state"] or "untested").lower()]
    words = {"unknown": "untested", "proven": "good", "bad": "bad"}[state]
    number = " ".join(m["number"].split()).upper() if " " not in m["number"].strip() else " ".join(m["number"].split())
    canonical = f"drawer: {count}x {number}{f' in {place}' if place else ''}, {words}"
    yield said(canonical, Planned(Stocked, {"number": number, "count": count, "place": place, "state": state}))


@form(
    rf"offer:\s*{_ARTICLE}\s+from\s+(?P<shop>[A-Za-z][^,:]{{0,39}}?)\s+at\s+"
    r"(?P<price>\d{1,6}(?:[.,]\d{1,2})?)(?:\s+each)?(?:\s*,\s*shipping\s+(?P<shipping>\d{1,5}(?:[.,]\d{1,2})?))?"
    r"(?:\s*,\s*at\s+least\s+(?P<minimum>\d{1,5}))?(?:\s*,\s*(?P<days>\d{1,3})\s+days?)?",
    "offer: 100u 25V from Marsh Quay Parts at 0.40, shipping 4.50, 3 days",
    stage=Stage.PLAN,
)
def offer(m: Match, scope: Scope) -> Iterable[Said]:
    """What a shop offers: price each, shipping of the whole order, the least number sold, days until it is here."""

    def number(name: str) -> float:
        return float((m[name] or "0").replace(",", "."))

    what, shop = " ".join(m["number"].split()), " ".join(m["shop"].split())
    fields = {
        "shop": shop,
        "number": what,
        "price": number("price"),
        "shipping": number("shipping"),
        "minimum": max(1, int(m["minimum"] or 1)),
        "days": number("days"),
    }
    told = f"offer: {what} from {shop} at {number('price'):.2f}"
    told += f", shipping {number('shipping'):.2f}" if m["shipping"] else ""
    told += f", at least {int(m['minimum'])}" if m["minimum"] else ""
    told += f", {int(m['days'])} days" if m["days"] else ""
    yield said(told, Planned(Offered, fields))


@form(
    r"donor:\s*(?P<number>[\w./+-]{2,24}(?:\s+\d+(?:[.,]\d+)?\s*V)?)\s+at\s+(?P<refdes>[\w-]{1,12})\s+of\s+(?P<board>[\w-]{1,24})"
    r"(?:\s*,\s*risk\s+(?P<risk>\d{1,3})\s*%)?",
    "donor: 74LS166 at 5D of GP-0099, risk 10 %",
    stage=Stage.PLAN,
)
def donor(m: Match, scope: Scope) -> Iterable[Said]:
    """A part that a donor board could give: its state is unknown, and it may be spoiled on its way out."""
    number, risk = " ".join(m["number"].split()).upper(), int(m["risk"] or _DONOR_RISK)
    if risk > 100:
        raise Refusal("impossible-value", value=m["risk"], quantity="risk")
    place = f"donor {m['board']} {m['refdes']}"
    fields = {"number": number, "place": place, "donor": m["board"], "risk": risk / 100}
    yield said(f"donor: {number} at {m['refdes']} of {m['board']}, risk {risk} %", Planned(Stocked, fields))


@form(r"order:\s*(?P<first><part>)\s+before\s+(?P<second><part>)", "order: C1 before 5D", stage=Stage.PLAN)
def order_moved(m: Match, scope: Scope) -> Iterable[Said]:
    """A step of the plan that is to be done before another, by their places."""
    for one in scope.places.find(m["first"]):
        for other in scope.places.find(m["second"]):
            if one.one.part != other.one.part:
                told = f"order: {scope.named(one.one)} before {scope.named(other.one)}"
                what = f"before {one.board}/{one.one.refdes}"
                yield decided(told, what, f"{other.board}/{other.one.refdes}", one.board)


@form(r"order:\s*(?P<at><part>)\s+last", "order: C1 last", stage=Stage.PLAN)
def order_last(m: Match, scope: Scope) -> Iterable[Said]:
    """A step of the plan that is to be done after all others, by its place."""
    for one in scope.places.find(m["at"]):
        yield decided(f"order: {scope.named(one.one)} last", f"before {one.board}/{one.one.refdes}", "last", one.board)


_BOARD_TYPES = {
    "single-sided": "single-sided",
    "single sided": "single-sided",
    "plated": "plated holes",
    "plated holes": "plated holes",
    "multilayer": "planes",
    "planes": "planes",
    "pads without plating": "pads without plating",
}


@form(
    rf"{_ON}board\s+(?:is|has)\s+(?P<what>{'|'.join(k.replace(' ', chr(92) + 's+') for k in _BOARD_TYPES)})",
    "board is single-sided",
    "board has plated holes",
    stage=Stage.PLAN,
)
def board_is_made(m: Match, scope: Scope) -> Iterable[Said]:
    """How a board is made: which way of taking parts off is kind to it."""
    kind = _BOARD_TYPES[" ".join(m["what"].lower().split())]
    verb = "is" if kind == "single-sided" else "has"
    for board in scope.boards(m["on"], free=False):
        yield decided(f"{scope.board_words(board)}board {verb} {kind}", f"board type {board}", kind, board)


@form(rf"{_ON}board\s+is\s+(?P<bare>not\s+)?coated", "board is coated", "board is not coated", stage=Stage.PLAN)
def board_is_coated(m: Match, scope: Scope) -> Iterable[Said]:
    """A lacquer over the board: it comes off before a joint is heated."""
    choice = "bare" if m["bare"] else "coated"
    for board in scope.boards(m["on"], free=False):
        told = f"{scope.board_words(board)}board is {'not ' if m['bare'] else ''}coated"
        yield decided(told, f"coating of {board}", choice, board)


@form(r"(?P<parts><parts>)\s+arrives?\s+in\s+(?P<days>\d{1,3})\s+days?", "C21 arrives in 5 days", stage=Stage.PLAN)
def arrives(m: Match, scope: Scope) -> Iterable[Said]:
    """When the ordered part of a place is here: the order of work counts it."""
    days = f"{int(m['days'])} days"
    for one in scope.places.several(m["parts"]):
        verb = "arrives" if len(one.parts) == 1 else "arrive"
        entries = (
            about(Decided, p.board, what=f"arrives {p.board}/{p.refdes}", choice=days, reason="") for p in one.parts
        )
        yield said(f"{scope.listed(one.parts)} {verb} in {days}", *entries)


@form(r"delivery:\s*(?P<days>\d{1,3})(?:\s+days?)?", "delivery: 5 days", stage=Stage.PLAN)
def delivery(m: Match, scope: Scope) -> Iterable[Said]:
    """How many days ordered parts take: the order of work counts them."""
    yield decided(f"delivery: {int(m['days'])} days", "delivery", f"{int(m['days'])} days")


_KITS = {
    "what is bad": "what is bad",
    "bad": "what is bad",
    "measured bad": "what is bad",
    "electrolytics": "electrolytics",
    "electrolytic capacitors": "electrolytics",
    "tantalums": "tantalums",
    "capacitors": "capacitors",
}


@form(
    rf"kit:\s*(?:all\s+|every\s+)?(?P<what>{'|'.join(k.replace(' ', chr(92) + 's+') for k in _KITS)})",
    "kit: all electrolytics",
    "kit: what is bad",
    stage=Stage.PLAN,
)
def kit(m: Match, scope: Scope) -> Iterable[Said]:
    """Which capacitors are replaced: a whole class, or only what is bad, suspected or on the service list."""
    choice = _KITS[" ".join(m["what"].lower().split())]
    told = choice if choice == "what is bad" else f"all {choice}"
    yield decided(f"kit: {told}", "kit", choice)


@form(r"good\s+enough\s*:\s*(?P<why>\S.*)", "good enough: the scratch on the lid stays", stage=Stage.VERIFY)
def good_enough(m: Match, scope: Scope) -> Iterable[Said]:
    """The decision that it is good enough, with what remains."""
    why = m["why"].strip()
    yield decided(f"good enough: {why}", "good enough", "good enough", reason=why)


@form(r"register\s*:\s*(?P<text>\S.*)", "register: CRC16-ARC", stage=Stage.ROMS)
def register(m: Match, scope: Scope) -> Iterable[Said]:
    """The register of the tester: a name of the catalogue, or polynomial, start value and final XOR."""
    text = " ".join(m["text"].split())
    try:
        register_from(text)
    except RequestError as error:
        raise Refusal("register", why=str(error)) from None
    yield decided(f"register: {text}", "register", text)


@form(r"symbols\s*:\s*(?P<text>\S+)", "symbols: 0123456789ABCDEF", stage=Stage.ROMS)
def tester_symbols(m: Match, scope: Scope) -> Iterable[Said]:
    """The sixteen symbols in which the tester prints."""
    try:
        text = check_symbols(m["text"])
    except RequestError as error:
        raise Refusal("symbols", why=str(error)) from None
    yield decided(f"symbols: {text}", "symbols", text)


@form(r"(?:processor\s+)?clock\s*:\s*(?P<text>\S.*)", "clock: 4MHz", stage=Stage.ROMS)
def processor_clock(m: Match, scope: Scope) -> Iterable[Said]:
    """The processor's clock, by which memories are judged fast enough."""
    text = m["text"].strip()
    try:
        access_budget(parse_quantity(text, "Hz"))
    except RequestError as error:
        raise Refusal("clock", why=str(error)) from None
    yield decided(f"clock: {text}", "processor clock", text)


@form(r"lamp\s*:\s*(?P<text>\S.*)", "lamp: 12m", stage=Stage.ROMS)
def lamp(m: Match, scope: Scope) -> Iterable[Said]:
    """The irradiance of the eraser lamp (W/cm² at 253.7 nm)."""
    text = m["text"].strip()
    try:
        if parse_quantity(text) <= 0:
            raise Refusal("impossible-value", value=text, quantity="irradiance")
    except RequestError as error:
        raise Refusal("lamp", why=str(error)) from None
    yield decided(f"lamp: {text}", "lamp", text)


@form(r"decide\s+(?P<what>[\w ]{2,40}?)\s*:\s*(?P<choice>\S.*)", "decide supply limits: strict", stage=Stage.INTAKE)
def decision(m: Match, scope: Scope) -> Iterable[Said]:
    """Any other setting of the job; of what is none, a decision in words."""
    what, choice = " ".join(m["what"].lower().split()), m["choice"].strip()
    if (instead := meant(what)) is not None:
        raise Refusal("setting-name", what=what, instead=instead)
    setting = settings().get(what)
    if setting is not None:
        kept = setting.kept(choice)
        if kept is None:
            raise Refusal("setting-choice", what=what, choice=choice, choices=setting.words)
        choice = kept
    yield decided(f"decide {what}: {choice}", what, choice)
