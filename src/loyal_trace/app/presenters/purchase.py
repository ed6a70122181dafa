"""What is ordered from which shop: for this job, or for every open job of the workshop in one order."""

import csv
import io
from dataclasses import dataclass
from pathlib import Path

from loyal_trace.app.drawer import bought_items
from loyal_trace.app.job import OpenJob
from loyal_trace.app.presenters.model import NO_ROWS, Action, Cell, Question, Row, Rows, heading
from loyal_trace.app.workshop import keep_offers
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.assess.capacitors import limits_of
from loyal_trace.core.assess.kit import kit_place, wanted_capacitors
from loyal_trace.core.assess.plan import plan_of
from loyal_trace.core.assess.purchase import Needed, offers_of, purchase_of, wishes_of
from loyal_trace.core.planning.buying import Bought, Purchase, Wish
from loyal_trace.core.planning.kit import Kit, KitCheck, check_kit
from loyal_trace.core.roms.candidates import Watch
from loyal_trace.core.vocabulary.errors import LoyalTraceError, RequestError
from loyal_trace.core.vocabulary.phrases import capital, joined, say
from loyal_trace.core.vocabulary.units import count_of
from loyal_trace.formats.rom_files import read_file
from loyal_trace.formats.whole_file import write_whole
from loyal_trace.store.store import Store

ORDER = say("orders to shops")
_MOST_JOBS = 50


@dataclass(frozen=True)
class Gathered:
    """What other jobs need, and which could not be opened."""

    needed: tuple[Needed, ...]
    unread: tuple[str, ...] = ()


class OrderPage:
    """The part of the kit page that orders."""

    def __init__(self, workspace: Workspace) -> None:
        self.workspace = workspace
        self.others: Gathered | None = None

    def purchase(self) -> Purchase | None:
        """The cheapest orders, for the other jobs too when they were counted in."""
        plan = self.workspace.assessment().plan
        return purchase_of(self.workspace.moment, plan, self.others.needed if self.others is not None else ())

    def actions(self) -> tuple[Action, ...]:
        """The buttons: a list of offers, the other jobs."""
        ask = Question(say("Offers of shops (CSV: shop, number, price, minimum, shipping, days, trust)"), load=True)
        read = Action(
            "S", say("Read shop offers"), self.read, say("They count for every job of this workshop"), asks=ask
        )
        kit = Question(
            say("What came in a kit (CSV as the drawer's, or a line such as 2x 10u 16V for each bag)"), load=True
        )
        check = Action(
            "D", say("Check a bought kit"), self.check, say("What is missing, left over, or does not fit"), asks=kit
        )
        read_both = (read, check)
        if self.others is None:
            return (*read_both, Action("J", say("Order for all jobs"), self.gather, say("One order saves shipping")))
        return (*read_both, Action("J", say("Order for this job"), self.alone, say("Leaves the other jobs out again")))

    def read(self, path: str) -> None:
        """A list of offers becomes that of the workshop."""

        def act() -> list[str]:
            source = Path(path)
            count = keep_offers(self.workspace.job.store.folder, read_file(source), source.name)
            self.workspace.job.read_workshop()
            return [say("{offers} read from {name}", offers=count_of(count, "offer"), name=source.name)]

        if self.workspace.attempt(act):
            self.workspace.show()

    def check(self, path: str) -> None:
        """Holds a bought kit against the places that it is for."""

        def act() -> list[str]:
            moment, source = self.workspace.moment, Path(path)
            limits = limits_of(moment)
            places = [kit_place(moment, wanted.place) for wanted in wanted_capacitors(moment)]
            if limits is None or not places:
                raise RequestError(say("No capacitor is to be replaced so far."))
            return [kit_words(check_kit(places, bought_items(read_file(source), source.name), limits))]

        self.workspace.attempt(act)

    def gather(self) -> None:
        """What the other open jobs need, looked up beside the window."""
        here, folder = self.workspace.job.id, self.workspace.job.store.folder
        words = say("looking through the other jobs")

        def work(watch: Watch) -> Gathered:
            with Store(folder, read_only=True) as store:
                return needs_of_others(store, here, watch)

        self.workspace.tasks.run(words, work, self._gathered)

    def _gathered(self, found: Gathered) -> None:
        self.others = found
        told = say("{jobs} counted in", jobs=count_of(len(found.needed), "other job"))
        if found.unread:
            told = say("{told}. Not read: {jobs}", told=told, jobs=joined(", ", found.unread))
        self.workspace.show()
        self.workspace.say(told, bool(found.unread))

    def alone(self) -> None:
        """This job only."""
        self.others = None
        self.workspace.show()

    def rows(self) -> Rows:
        """Each line of the orders, what no shop has, and the sum."""
        found = self.purchase()
        if found is None:
            return NO_ROWS if not self._needs() else self._no_offers()
        rows = [heading(self._title(found), 26), *(_line(line) for line in found.lines)]
        rows += [_missing(wish) for wish in found.missing]
        rows += _on_arrival(found)
        return Rows(tuple(rows))

    def _needs(self) -> bool:
        return bool(wishes_of(self.workspace.moment, self.workspace.assessment().plan))

    def _no_offers(self) -> Rows:
        """How offers get in, where something has to be bought and there are none."""
        if offers_of(self.workspace.moment):
            return NO_ROWS
        told = say("Read a shop's list (Alt+S), or type offer: 100u 25V from Marsh Quay Parts at 0.40, 3 days")
        return Rows((heading(say("Orders to shops"), 26), Row("unknown", (Cell(36, 0, told),), height=24)))

    def _title(self, found: Purchase) -> str:
        jobs = say("this job") if self.others is None else count_of(1 + len(self.others.needed), "job")
        return say(
            "Orders for {jobs}: {total:.2f} in all (parts {parts:.2f}, shipping {shipping:.2f}, time {work:.2f}), "
            "here in {days:g} days",
            jobs=jobs,
            total=found.total,
            parts=found.parts,
            shipping=found.shipping,
            work=found.work,
            days=found.days,
        )


def kit_words(found: KitCheck) -> str:
    """A checked kit in one sentence."""
    if found.complete and not found.left_over:
        return say("Every place gets its part, and nothing is left over.")
    told = [say("{count} × {marked} missing", count=count, marked=marked) for marked, count in found.missing]
    told += [
        say("{number} does not fit for {marked}: {why}", number=n, marked=m, why=why) for n, m, why in found.misfits
    ]
    told += [say("{count} × {number} left over", count=count, number=number) for number, count in found.left_over]
    return say("{told}.", told=capital(joined("; ", told)))


def needs_of_others(store: Store, here: str, watch: Watch) -> Gathered:
    """What the jobs of a store but one have to buy; those that were handed back need nothing."""
    needed: list[Needed] = []
    unread: list[str] = []
    others = [job for job in store.jobs() if job.id != here][:_MOST_JOBS]
    for number, one in enumerate(others, start=1):
        watch.said(one.title, number, len(others))
        if watch.cancelled():
            break
        try:
            moment = OpenJob(store, one.id).moment
            wishes = wishes_of(moment, plan_of(moment)) if not moment.snapshot.paper.handed_back else ()
        except LoyalTraceError:
            unread.append(one.title)
            continue
        if wishes:
            needed.append(Needed(one.title, wishes))
    return Gathered(tuple(needed), tuple(unread))


def _line(line: Bought) -> Row:
    glyph = "good" if line.judged is None or line.judged.fits == "fits" else "doubtful"
    spare = line.count - line.wish.count
    name = _wanted(line.wish)
    cells = (
        Cell(36, 130, line.offer.shop, bold=True),
        Cell(170, 180, say("{count} × {number}", count=line.count, number=line.offer.number)),
        Cell(354, 62, say("{price:.2f}", price=line.price), mono=True),
        Cell(420, 58, say("{days:g} days", days=line.offer.days)),
        Cell(482, 0, name if spare <= 0 else say("{name}, {spare} over", name=name, spare=spare)),
    )
    return Row(glyph, cells, height=24)


def _wanted(wish: Wish) -> str:
    """What is wanted, and for which other job."""
    return say("{name} for {job}", name=wish.name, job=wish.owner) if wish.owner else wish.name


def _on_arrival(found: Purchase) -> list[Row]:
    """One of each bag of capacitors is measured before any of it is fitted."""
    bags = dict.fromkeys(line.offer.number for line in found.lines if line.wish.place is not None)
    if not bags:
        return []
    told = say("On arrival measure one of each bag before any is fitted: {bags}", bags=joined(", ", bags))
    return [Row("", (Cell(36, 0, told),), height=31)]


def _missing(wish: Wish) -> Row:
    cells = (Cell(36, 130, say("no shop has it"), "bad", bold=True), Cell(170, 0, _wanted(wish)))
    return Row("bad", cells, height=24)


def write_order(workspace: Workspace, kit: Kit, found: Purchase | None, path: str) -> None:
    """Writes the order list: by shop where offers are known, else what the kit lacks."""

    def act() -> list[str]:
        target = Path(path)
        text = purchase_text(found) if found is not None else order_text(kit)
        write_whole(target, text.encode(), "order list")
        return [say("{name} written", name=target.name)]

    workspace.attempt(act)


def order_text(kit: Kit) -> str:
    """The order list as CSV: what, how many, how many of them spare, for which places."""
    rows = [
        (group.order, group.to_order, group.spares, joined(" ", (ref.refdes for ref in group.places)))
        for group in kit.groups
        if group.buy
    ]
    return _csv([("what", "count", "spares", "for"), *rows])


def purchase_text(found: Purchase) -> str:
    """The orders as CSV, shop by shop; what no shop has stands last without one."""
    rows = [
        (
            line.offer.shop,
            line.offer.number,
            line.count,
            f"{line.price:.2f}",
            f"{line.offer.days:g}",
            _wanted(line.wish),
        )
        for line in sorted(found.lines, key=lambda line: line.offer.shop)
    ]
    lacking = [("", wish.name, wish.count, "", "", _wanted(wish)) for wish in found.missing]
    return _csv([("shop", "number", "count", "price", "days", "for"), *rows, *lacking])


def _csv(rows: list[tuple[object, ...]]) -> str:
    out = io.StringIO()
    csv.writer(out, lineterminator="\n").writerows(rows)
    return out.getvalue()
