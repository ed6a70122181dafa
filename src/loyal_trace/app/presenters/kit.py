"""The capacitor kit: groups with what goes in, the room of a place and its candidates, repair orders as timelines."""

from dataclasses import dataclass

from loyal_trace.app.presenters.model import Action, Cell, Meaning, Page, Question, Row, Rows, Target
from loyal_trace.app.presenters.purchase import ORDER, OrderPage, write_order
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.assess.capacitors import estimated_rest
from loyal_trace.core.assess.extra_steps import DIAGNOSTICS
from loyal_trace.core.assess.kit import KIT, candidates_for, kit_choice, kit_of, kit_place
from loyal_trace.core.assess.orders import STEP_ORDER_DECISION, delivery_days
from loyal_trace.core.boards.model import Part
from loyal_trace.core.boards.outline import body_size
from loyal_trace.core.job.entries import Decided, PlannedUse
from loyal_trace.core.parts.fitting import FIT_WORDS, Fit, Fits
from loyal_trace.core.parts.places import runs_hot
from loyal_trace.core.parts.spec import spec_of_part
from loyal_trace.core.parts.survival import GroupEstimate
from loyal_trace.core.planning.choices import DIAGNOSTICS_FIRST, KIT_CHOICES
from loyal_trace.core.planning.kit import Candidate, Kit, KitGroup
from loyal_trace.core.planning.orders import RepairOrder
from loyal_trace.core.planning.sequencing import Grouping, Priority
from loyal_trace.core.planning.steps import SOONEST
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import joined, say, term
from loyal_trace.core.vocabulary.units import count_of, format_percent, marked_quantity

GROUPS, ROOM, ORDERS = say("groups of the kit"), say("room and candidates"), say("repair orders")
_HINT = "C1 use 6800u 35V from tray F; kit: all electrolytics; C1 room 12 mm"
FIT_GLYPHS = {Fits.FITS: "good", Fits.WITH_CARE: "doubtful", Fits.NO: "bad"}
_SHOWN_CARDS, _NEAR, _NEIGHBOURS = 3, 45.0, 4
ORDER_OF_PRIORITY = {
    Priority.BEST: SOONEST,
    Priority.EASY: "least invasive",
    Priority.LIKELY: "likely first",
    Priority.DIAGNOSE: SOONEST,
}
TESTING = "testing"


@dataclass(frozen=True)
class Card:
    """One candidate: what, where and how many, how it fits, why."""

    number: str
    where: str
    glyph: str
    verdict: str
    reason: str


@dataclass(frozen=True)
class Neighbour:
    """A part beside the place: its middle from that of the place and its drawn size (mm), the gap to the new part."""

    name: str
    dx: float
    dy: float
    width: float
    height: float
    gap: float
    hot: bool


@dataclass(frozen=True)
class RoomView:
    """A place drawn to scale: room, old and new part (mm; None where nobody said), height and its limit, candidates."""

    name: str
    about: str
    room: float | None = None
    old: float | None = None
    new: float | None = None
    height: float | None = None
    limit: float | None = None
    limit_why: str = ""
    placed: bool = False
    neighbours: tuple[Neighbour, ...] = ()
    cards: tuple[Card, ...] = ()
    chosen: int = -1


@dataclass(frozen=True)
class BlockView:
    """A piece of a timeline: replace, test or wait; what stands in it; minutes or days."""

    kind: str
    label: str
    minutes: float
    days: float


@dataclass(frozen=True)
class OrderView:
    """One repair order: its timeline and its four figures in words."""

    name: str
    blocks: tuple[BlockView, ...]
    found_at: float
    figures: tuple[str, str, str, str]
    chosen: bool


@dataclass(frozen=True)
class OrdersView:
    """The repair orders side by side; `longest` minutes is the width of the scale."""

    orders: tuple[OrderView, ...]
    longest: float
    legend: str


def orders_view(workspace: Workspace, most: int | None = None) -> OrdersView | None:
    """The repair orders of the job, the first `most` of them; None when nothing is open."""
    orders = workspace.orders()
    found = orders[:most]
    if not found:
        return None
    chosen = _chosen(workspace)
    views = tuple(_order_view(order, n == chosen) for n, order in enumerate(found))
    days = max(order.days for order in found)
    wait = say(", {days:g} days for the post", days=days) if days else ""
    legend = say("expected time until the fault is found{wait}", wait=wait)
    if workspace.ordering:
        legend = say("computing again for the steps as they are now")
    return OrdersView(views, max(order.minutes for order in found), legend)


def _chosen(workspace: Workspace) -> int:
    """Which of the orders the job goes by; −1 for one that is not among them."""
    testing = workspace.snapshot.decision(TESTING, Grouping.ONE)
    order = workspace.assessment().plan.order
    for n, one in enumerate(workspace.orders()):
        diagnosed = one.sequence is Priority.DIAGNOSE
        if diagnosed != (workspace.snapshot.decision(DIAGNOSTICS) == DIAGNOSTICS_FIRST):
            continue
        if one.grouping == testing and ORDER_OF_PRIORITY.get(one.sequence) == order:
            return n
    return -1


def _order_view(order: RepairOrder, chosen: bool) -> OrderView:
    names = {
        Grouping.ONE: say("One part, one test"),
        Grouping.GROUP: say("One group, one test"),
        Grouping.ALL: say("All off, then all on"),
    }
    named = {
        Priority.EASY: say("Easy first"),
        Priority.LIKELY: say("Likely first"),
        Priority.GIVEN: say("As planned"),
        Priority.DIAGNOSE: say("Diagnostics first"),
    }
    blocks = tuple(BlockView(b.kind, b.letter or _count(b.tasks), b.minutes, b.days) for b in order.blocks)
    figures = (
        say("{minutes:.0f} min", minutes=order.minutes),
        say("{minutes:.0f} min", minutes=order.found),
        format_percent(order.known),
        format_percent(order.mix_up),
    )
    return OrderView(named.get(order.sequence, names[order.grouping]), blocks, order.found, figures, chosen)


def _count(tasks: tuple[object, ...]) -> str:
    return count_of(len(tasks), "part") if tasks else ""


def choose_order(workspace: Workspace, index: int) -> bool:
    """The job goes by that repair order from now on."""
    found = workspace.orders()
    if workspace.ordering or not 0 <= index < len(found):
        return False
    order = found[index]
    entries = [workspace.job.make(Decided, what=TESTING, choice=str(order.grouping))]
    if order.sequence in ORDER_OF_PRIORITY:
        choice = ORDER_OF_PRIORITY[order.sequence]
        entries.append(workspace.job.make(Decided, what="repair order", choice=choice))
    # The order as it is now is kept: after each result only what must move is moved.
    soonest = order.sequence in (Priority.BEST, Priority.DIAGNOSE)
    ids = joined(" ", (task.id for task in order.tasks)) if soonest else ""
    first = DIAGNOSTICS_FIRST if order.sequence is Priority.DIAGNOSE else ""
    if first or workspace.snapshot.decision(DIAGNOSTICS):
        entries.append(workspace.job.make(Decided, what=DIAGNOSTICS, choice=first))
    entries.append(workspace.job.make(Decided, what=STEP_ORDER_DECISION, choice=ids))
    return workspace.record_all(entries, say("repair order: {name}", name=_order_view(order, True).name))


class KitPage:
    """The further page of Plan that shows the kit."""

    def __init__(self, workspace: Workspace) -> None:
        self.workspace = workspace
        self.order = OrderPage(workspace)

    @property
    def kit(self) -> Kit:
        """The kit of the moment."""
        return kit_of(self.workspace.moment)

    def opened(self) -> None:
        """The first place of the kit comes into view, unless a capacitor is picked."""
        place = self.place()
        if place is not None and place != self.workspace.picked_part:
            self.workspace.pick(*place)

    def place(self) -> PartRef | None:
        """The capacitor in view: the one that is picked, else the first of the kit."""
        picked = self.workspace.picked_part
        if picked is not None and self.workspace.moment.part(picked).kind == "capacitor":
            return picked
        return self.kit.groups[0].places[0] if self.kit.groups else None

    def page(self, back: Action) -> Page:
        """What the page shows."""
        kit, place = self.kit, self.place()
        short = kit.count - kit.from_drawer
        boards = len({ref.board for group in kit.groups for ref in group.places})
        told = say(
            "{parts} on {boards}, {groups} · {drawer} from the drawer, {short} to buy",
            parts=count_of(kit.count, "part"),
            boards=count_of(boards, "board"),
            groups=count_of(len(kit.groups), "group"),
            drawer=kit.from_drawer,
            short=short,
        )
        return Page(
            say("Capacitor kit"),
            told if kit.groups else KIT_CHOICES[kit_choice(self.workspace.moment)],
            self._meaning(kit, place),
            Target(self.workspace.place_name(place) if place else say("job"), say("what goes in"), _HINT),
            self._actions(place, back),
            lists={GROUPS: self._rows(kit, place), ORDER: self.order.rows()},
            figures={ROOM: self._room(place), ORDERS: orders_view(self.workspace, len(Grouping))},
        )

    def _actions(self, place: PartRef | None, back: Action) -> tuple[Action, ...]:
        cards = self._candidates(place)
        choose = Action("R", say("Choose the part"), self.choose_next, say("Plans the next candidate for this place"))
        save = Action(
            "P",
            say("Write the order list"),
            lambda path: write_order(self.workspace, self.kit, self.order.purchase(), path),
            say("Writes what has to be bought, with sizes, as a CSV list"),
            asks=Question(say("Order list"), say("order.csv"), save=True),
        )
        change = Action("W", say("Change the class"), self.next_choice, say("What is bad, a class, or all"))
        chosen = (choose,) if len(cards) > 1 else ()
        return (*chosen, *((save,) if self.kit.groups else ()), change, *self.order.actions(), back)

    def _candidates(self, place: PartRef | None) -> tuple[Candidate, ...]:
        return candidates_for(self.workspace.moment, place)[:_SHOWN_CARDS] if place is not None else ()

    def _rows(self, kit: Kit, place: PartRef | None) -> Rows:
        rows = [self._row(group) for group in kit.groups]
        current = next((n for n, group in enumerate(kit.groups) if place in group.places), -1)
        return Rows(tuple(rows), current)

    def _row(self, group: KitGroup) -> Row:
        items = list(dict.fromkeys(_item_words(c.item.number, c.item.place) for c in group.choices if c.item))
        if group.buy:
            items.append(say("buy {count}", count=group.to_order))
        verdict = say("to buy") if group.buy == len(group.choices) else FIT_WORDS[group.fits]
        spare = say("{spares} spare of them", spares=group.spares) if group.buy and group.spares else ""
        names = joined(" ", (self.workspace.place_name(ref) for ref in group.places))
        kind = "unknown" if group.buy == len(group.choices) else FIT_GLYPHS[group.fits]
        cells = (
            Cell(34, 20, group.letter, bold=True, mono=True),
            Cell(56, 36, say("{count} ×", count=len(group.choices)), bold=True),
            Cell(92, 116, group.marked, bold=True),
            Cell(212, 112, names),
            Cell(328, 126, joined(", ", items)),
            Cell(458, 92, verdict, kind.replace("unknown", ""), bold=True),
            Cell(554, 0, _in_short(group) or spare),
        )
        return Row(kind, cells, height=25)

    def _meaning(self, kit: Kit, place: PartRef | None) -> Meaning:
        if not kit.groups:
            return Meaning(
                say("No capacitor is to be replaced so far."),
                say("Measure some, or press Alt+W to plan all electrolytics."),
            )
        estimate = rest_words(self.workspace)
        group = kit.group_of(place) if place is not None else None
        why = say("{name}: {reason}.", name=place.refdes, reason=self._reason(group, place)) if place and group else ""
        lacking = [g for g in kit.groups if g.buy]
        if lacking:
            words = joined(", ", (say("{count} × {what}", count=g.to_order, what=_short(g)) for g in lacking[:3]))
            more = say(" and {count} more", count=len(lacking) - 3) if len(lacking) > 3 else ""
            days = delivery_days(self.workspace.moment)
            following = say("Buy {words}{more} ({days:g} days).", words=words, more=more, days=days)
        else:
            first = next((step for step in self.workspace.assessment().plan.steps if not step.done), None)
            following = say("Everything is in the drawer. Begin with {name}.", name=first.place.refdes) if first else ""
        return Meaning(joined(" ", (text for text in (why, estimate) if text)), following)

    def _reason(self, group: KitGroup, place: PartRef) -> str:
        choice = self.kit.choice_at(place)
        if choice is None or choice.item is None or choice.judged is None:
            return say("nothing in the drawer fits, so it is bought as {order}", order=group.order)
        told = choice.judged.deciding or say("it fits in every respect that is known")
        return say("{number} from {place}, {told}", number=choice.item.number, place=choice.item.place, told=told)

    def _room(self, place: PartRef | None) -> RoomView | None:
        if place is None:
            return None
        moment = self.workspace.moment
        part, board = moment.part(place), moment.boards[place.board]
        at = kit_place(moment, place).place
        found = self._candidates(place)
        choice = self.kit.choice_at(place)
        chosen = next((n for n, c in enumerate(found) if choice is not None and c.item is choice.item), -1)
        new = found[chosen].item.spec if chosen >= 0 else None
        across = (new.diameter if new else None) or part.diameter
        role = term(at.role.role.value)
        about = say("{role} (guessed)", role=role) if at.role.guessed else role
        return RoomView(
            self.workspace.place_name(place),
            say("{role}, {marked}", role=about, marked=kit_place(moment, place).marked),
            at.room_diameter,
            part.diameter,
            new.diameter if new else None,
            new.height if new else None,
            at.room_height,
            at.room_why,
            part.placed,
            _neighbours(board.parts, part, across or 0.0) if part.placed else (),
            tuple(_card(one) for one in found),
            chosen,
        )

    # what can be done

    def row_picked(self, index: int) -> None:
        """The first place of a group; again, the next one."""
        if 0 <= index < len(self.kit.groups):
            places = self.kit.groups[index].places
            now = self.workspace.picked_part
            at = places.index(now) + 1 if now in places else 0
            self.workspace.pick(*places[at % len(places)])

    def card_picked(self, index: int) -> None:
        """A candidate is planned for the place in view."""
        place, found = self.place(), self._candidates(self.place())
        if place is None or not 0 <= index < len(found):
            return
        item = found[index].item
        fields = {"board": place.board, "place": place.refdes, "number": item.number, "origin": item.place}
        self.workspace.record(PlannedUse, **fields)

    def choose_next(self) -> None:
        """The next candidate that fits is planned."""
        place = self.place()
        found, choice = self._candidates(place), self.kit.choice_at(place) if place is not None else None
        at = next((n for n, c in enumerate(found) if choice is not None and c.item is choice.item), -1)
        fitting = [n for n, c in enumerate(found) if c.judged.fits is not Fits.NO]
        later = [n for n in fitting if n > at] or fitting
        if later:
            self.card_picked(later[0])

    def next_choice(self) -> None:
        """Which capacitors are replaced: the next of the classes."""
        names = list(KIT_CHOICES)
        choice = names[(names.index(kit_choice(self.workspace.moment)) + 1) % len(names)]
        self.workspace.record(Decided, what=KIT, choice=choice, reason=KIT_CHOICES[choice])


def _item_words(number: str, place: str) -> str:
    return say("{number}, {place}", number=number, place=place) if place else number


_SHORT = {
    "value": say("another value"),
    "kind": say("another kind"),
    "room": say("fills its room"),
    "leads": say("leads to be led"),
    "pitch": say("form the leads"),
    "temperature": say("a warm place"),
    "ripple": say("little ripple rating"),
    "ESR": say("not low impedance"),
}


def _in_short(group: KitGroup) -> str:
    """What has to be cared for in a group, in two or three words each."""
    checks = [check for choice in group.choices if choice.judged for check in choice.judged.checks]
    told = dict.fromkeys(_SHORT.get(c.aspect, term(c.aspect)) for c in checks if c.verdict == Fit.CARE)
    return joined(", ", told)


def _short(group: KitGroup) -> str:
    value = marked_quantity(group.spec.value, "F") if group.spec.value else group.marked
    return say("{value} {volts:g} V", value=value, volts=group.spec.voltage) if group.spec.voltage else value


def _card(one: Candidate) -> Card:
    where = say("{place}, {left} left", place=one.item.place or say("drawer"), left=one.left)
    reason = one.judged.deciding or joined("; ", one.judged.reasons[:2])
    return Card(one.item.number, where, FIT_GLYPHS[one.judged.fits], FIT_WORDS[one.judged.fits], reason)


def _neighbours(parts: tuple[Part, ...], part: Part, across: float) -> tuple[Neighbour, ...]:
    """The nearest parts around a place, with the gap between their drawn bodies and a part of that width (mm)."""
    found = []
    for other in parts:
        if other is part or not other.placed:
            continue
        width, height = body_size(other)
        dx, dy = other.x - part.x, other.y - part.y
        beside_x, beside_y = max(0.0, abs(dx) - width / 2), max(0.0, abs(dy) - height / 2)
        gap = (beside_x**2 + beside_y**2) ** 0.5 - across / 2
        if gap <= _NEAR / 2 and max(abs(dx), abs(dy)) <= _NEAR:
            found.append(Neighbour(other.refdes, dx, dy, width, height, gap, runs_hot(other)))
    return tuple(sorted(found, key=lambda one: one.gap)[:_NEIGHBOURS])


def rest_words(workspace: Workspace, place: PartRef | None = None) -> str:
    """What the measured electrolytics say of the unmeasured ones like a part, else of the worst group."""
    found = estimated_rest(workspace.moment)
    if place is not None:
        spec = spec_of_part(workspace.moment.part(place))
        found = tuple(one for one in found if one.group == (spec.value, spec.voltage))
    return _rest(max(found, key=lambda one: one.expected)) if found else ""


def _rest(one: GroupEstimate) -> str:
    value, voltage = one.group if isinstance(one.group, tuple) else (None, None)
    name = marked_quantity(value, "F") if isinstance(value, float) else say("electrolytics")
    name += say(" {volts:g} V", volts=voltage) if isinstance(voltage, float | int) else ""
    low, high = one.expected_range
    advice = term(one.advice.value)
    if (low, high) == (0, one.unmeasured):
        # A count that may be anything says nothing; the probability of each does.
        told = say(
            "Each of the {count} unmeasured {name} is bad with a probability of {share}. Advice: {advice}.",
            count=one.unmeasured,
            name=name,
            share=format_percent(one.share),
            advice=advice,
        )
        one_left = say(
            "The unmeasured {name} is bad with a probability of {share}. Advice: {advice}.",
            name=name,
            share=format_percent(one.share),
            advice=advice,
        )
        return told if one.unmeasured > 1 else one_left
    return say(
        "{low} to {high} of the {count} unmeasured {name} are probably bad ({share} each). Advice: {advice}.",
        count=one.unmeasured,
        name=name,
        low=low,
        high=high,
        share=format_percent(one.share),
        advice=advice,
    )
