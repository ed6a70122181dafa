"""Rails: are the supplies right, and where do they stop being right? Pages for shorts, the clock, a new supply."""

from dataclasses import replace

from loyal_trace.app.commands import Setting, guard_words, holds_for, went_on
from loyal_trace.app.presenters.base import StagePresenter
from loyal_trace.app.presenters.chain import (
    KIND_OF,
    ChainPicture,
    feeds_words,
    limit_rows,
    path_row,
    ripple_of,
    sentence_row,
    stop,
)
from loyal_trace.app.presenters.clock import ClockPage
from loyal_trace.app.presenters.model import Action, Meaning, Page, Row, Rows, Target, heading
from loyal_trace.app.presenters.rail_words import measure_words, part_check, source_check, why_bad
from loyal_trace.app.presenters.short import ShortPage
from loyal_trace.app.presenters.strip import hold_words
from loyal_trace.app.presenters.supply import SupplyPage
from loyal_trace.app.presenters.supply_cautions import caution_at
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.assess.rails import around
from loyal_trace.core.job.entries import (
    GOOD_BOARD,
    ChainDescribed,
    Decided,
    Entry,
    Measured,
    number_or_overload,
)
from loyal_trace.core.line.context import AskedPoint, Planned
from loyal_trace.core.power.blocks import dead_blocks
from loyal_trace.core.power.explain import explain
from loyal_trace.core.power.findings import Explanation
from loyal_trace.core.power.guard import guard_decision
from loyal_trace.core.power.rails import SUPPLY_LIMITS, PathReport, PointVerdict, RailReport
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.core.vocabulary.phrases import capital, say, term
from loyal_trace.core.vocabulary.quantities import GROUND, Quantity
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.units import count_of

CHAIN, RIPPLE, TREE = say("supply chain"), say("ripple on the reservoir"), say("clock tree")
BLOCKS, SHORTS, FACTS, SUPPLY = (
    say("supply limits and blocks"),
    say("what may be shorted"),
    say("crystal and cells"),
    say("supply in lines"),
)
_HINT = say("{value} for the point shown; {others}", value="4.87V", others="J1 ac 8.6V; F1 0.08 ohm")


class RailsPresenter(StagePresenter):
    """The chain of the board in view, point after point."""

    stage = Stage.RAILS

    def __init__(self, workspace: Workspace) -> None:
        super().__init__(workspace)
        self.current = 0
        self.short, self.clock, self.supply = ShortPage(workspace), ClockPage(workspace), SupplyPage(workspace)
        self.open: ShortPage | ClockPage | SupplyPage | None = None
        self._board = ""
        self._part = ""
        self._good_board = False

    # what is in hand

    def _report(self) -> RailReport:
        return self.workspace.assessment().rails.get(self.workspace.board, RailReport())

    def _follow(self) -> None:
        """Another board or part was picked: to its first point, where it has one."""
        report = self._report()
        if self._board != self.workspace.board:
            self._board, self._part = self.workspace.board, ""
            self.current = _first_wanted(report, self._went_on())
        if self._part != self.workspace.part:
            self._part = self.workspace.part
            own = [n for n, p in enumerate(report.points) if p.point.part == self.workspace.part]
            still = sorted(
                (n for n in own if report.points[n].reading is None), key=lambda n: report.points[n].point.powered
            )
            self.current = next(iter(still or own), self.current)
        self.current = min(self.current, max(0, len(report.points) - 1))

    def _point(self) -> PointVerdict | None:
        """The selected point; none when a part is picked that is no point of a supply."""
        self._follow()
        points = self._report().points
        point = points[self.current] if points else None
        picked = self.workspace.picked_part
        elsewhere = (
            picked is not None and point is not None and picked.refdes not in (point.point.part, point.point.point)
        )
        return None if elsewhere else point

    def _path(self) -> PathReport:
        """The supply path of the point in hand."""
        self._follow()
        report = self._report()
        return report.path_of(report.points[self.current]) if report.points else PathReport("", ())

    def setting(self) -> Setting:
        if isinstance(self.open, ShortPage | ClockPage):
            return replace(self.plain_setting(), asked=self.open.asked())
        point = self._point() if self.open is None else None
        if point is None:
            return self.plain_setting()
        place = point.point
        asked = AskedPoint(
            self.workspace.board, place.point, place.quantity, place.powered, self._good_board, place.part
        )
        return replace(self.plain_setting(), asked=asked)

    # what is shown

    def page(self) -> Page:
        self._follow()
        report = self._report()
        self.short.path = self._path().path
        if self.open is not None:
            return self._further(report, self.open)
        path, point, board = self._path(), self._point(), self.workspace.definition
        explained, culprit = self._explained(path)
        others = [one for one in explained if one is not culprit]
        return Page(
            say("Supply voltages"),
            self._about(report),
            self._elsewhere() if point is None else self._meaning(path, culprit),
            self._target(point),
            self._actions(report, point),
            caution_at(self.workspace.job, self.workspace.board, path, explained),
            lists={BLOCKS: self._rows(report, path, others)},
            figures={CHAIN: self._chain(report, path, point), RIPPLE: ripple_of(board, path) if board else None},
        )

    def _further(self, report: RailReport, page: ShortPage | ClockPage | SupplyPage) -> Page:
        """One of the further pages."""
        lists = {SHORTS: page.rows()} if isinstance(page, ShortPage) else {}
        lists |= {SUPPLY: page.rows()} if isinstance(page, SupplyPage) else {}
        lists |= {FACTS: page.fact_rows()} if isinstance(page, ClockPage) else {}
        figures = {TREE: page.view()} if isinstance(page, ClockPage) else {}
        return Page(
            say("Supply voltages"),
            self._about(report),
            page.meaning(),
            page.target(),
            (*page.actions(), *self._turns()),
            caution_at(self.workspace.job, self.workspace.board, self._path()),
            lists=lists,
            figures=figures,
        )

    def _about(self, report: RailReport) -> str:
        title = self.workspace.definition.title if self.workspace.definition else ""
        limits = SUPPLY_LIMITS[self.workspace.snapshot.decision("supply limits", "maker")]
        return say(
            "{title} · {measured} of {count} points measured · limits: {limits}",
            title=title,
            measured=report.measured,
            count=len(report.points),
            limits=limits,
        )

    def _turns(self) -> tuple[Action, ...]:
        """To the further pages, or back to the chain."""
        pages: tuple[tuple[str, ShortPage | ClockPage | SupplyPage, str, str], ...] = (
            ("S", self.short, say("Find a short"), say("Which parts to lift next")),
            ("C", self.clock, say("Check the clock"), say("Clock, dividers and their frequencies")),
            ("D", self.supply, say("Describe a supply"), say("A supply in three typed lines")),
        )
        return tuple(
            Action(key, say("Show the chain") if self.open is page else label, lambda page=page: self.turn(page), tip)
            for key, page, label, tip in pages
        )

    def _actions(self, report: RailReport, point: PointVerdict | None) -> tuple[Action, ...]:
        found = []
        if point is not None:
            found += [
                Action("M", say("Read the meter"), self.from_meter, say("The selected point"), main=True),
                Action(
                    "O",
                    say("Enter OL"),
                    lambda: self._record(float("inf"), "hand"),
                    say("The meter shows OL at the selected point"),
                ),
            ]
        if report.points:
            found.append(
                Action(
                    "N",
                    say("Next point"),
                    self.next_point,
                    say("Goes to the next point to be measured, power off first"),
                )
            )
        if len(report.paths) > 1:
            found.append(Action("P", say("Next supply"), self.next_path, say("Goes to another supply of this board")))
        found += self._holding(point)
        whose = say("Measure this board") if self._good_board else say("Use a good board")
        found += [
            Action("L", say("Change limits"), self.next_limits, say("maker, strict, clean")),
            Action("A", whose, self.other_board, say("Enters readings of a board known to work, for comparison")),
        ]
        return (*found, *self._turns())

    def _holding(self, point: PointVerdict | None) -> list[Action]:
        """What stands before a reading with power on: the caution to sign, the readings that come first."""
        found = [*self.signing(self._path())]
        if point is not None and (point.point.powered or point is self._report().hazard) and self._blocked():
            found.append(
                Action(
                    "Y",
                    say("Go on anyway"),
                    self.go_on_anyway,
                    say("Applies power without those readings; this is recorded"),
                )
            )
        return found

    def _target(self, point: PointVerdict | None) -> Target:
        if point is None:
            return self.target(_HINT)
        place = point.point
        power = say("powered") if place.powered else say("power off")
        whose = say("good board, ") if self._good_board else ""
        return Target(
            place.point,
            say("{whose}{quantity}, {power}", whose=whose, quantity=term(place.quantity), power=power),
            _HINT,
        )

    def _blocked(self) -> str:
        """What comes before power, and what its lack risks; empty when nothing stands before."""
        return guard_words(self.workspace.job, self.workspace.board)

    def _explained(self, path: PathReport) -> tuple[list[Explanation], Explanation | None]:
        """What the readings say together, and the one that names the faulty part."""
        board = self.workspace.definition
        if board is None or not path.points:
            return [], None
        found = list(explain(board, path, around(self.workspace.moment, self.workspace.board)))
        culprit = next((one for one in found if one.kind == "bad"), None) if path.first_bad else None
        return found, culprit

    def _chain(self, report: RailReport, path: PathReport, point: PointVerdict | None) -> ChainPicture | None:
        if not path.points:
            return None
        board = self.workspace.definition
        stops = tuple(stop(p, p is path.first_bad) for p in path.points)
        here = path.points.index(report.points[self.current]) if point is not None else -1
        return ChainPicture(stops, here, feeds_words(board, path) if board else "")

    def _rows(self, report: RailReport, path: PathReport, others: list[Explanation]) -> Rows:
        """Further conclusions from the readings, all supplies, the far end by each of the limits, dead blocks."""
        board = self.workspace.definition
        if board is None or not report.points:
            return Rows()
        rows: list[Row] = [heading(say("Further conclusions from the readings"))] if others else []
        rows += [sentence_row(one.text, KIND_OF.get(one.kind, "unknown"), 96) for one in others]
        if len(report.paths) > 1:
            rows += [heading(say("Supplies"), 26), *(path_row(one, one is path) for one in report.paths)]
        rows += limit_rows(self.workspace.moment, self.workspace.board, path)
        rows += [sentence_row(dead.words, "doubtful", 92) for dead in dead_blocks(board, report)]
        return Rows(tuple(rows))

    def _elsewhere(self) -> Meaning:
        """Why nothing is asked for here, and what can be done."""
        picked = self.workspace.picked_part
        if not self._report().points:
            why = say("No supply is described for this board.")
            return Meaning(why, say("Describe one in three lines (Alt+D), or type readings such as 5D.16 4.87V."))
        name = picked.refdes if picked else say("Nothing")
        why = say("{name} is not a point of a described supply.", name=name)
        return Meaning(
            why,
            say("Type a reading with its place, such as {name}.16 4.87V, or take the next point (Alt+N).", name=name),
        )

    def _meaning(self, path: PathReport, culprit: Explanation | None) -> Meaning:
        """What the readings of this supply say, and the one next thing: the same that the line asks for."""
        report, bad = self._report(), path.first_bad
        if bad is not None:
            why, advice = self._of_bad(path, bad, culprit)
            return Meaning(why, self._next_words(report, advice, bad), "bad")
        left = [p for p in path.points if p.reading is None]
        if left:
            why = say(
                "{points} within limits, {count} not measured yet.",
                points=count_of(path.measured, "point"),
                count=len(left),
            )
            return Meaning(why, self._next_words(report))
        if report.wanted(self._went_on()) is not None:
            return Meaning(say("Every point of this supply is within its limits."), self._next_words(report), "good")
        return Meaning(
            say("Every point of this supply is within its limits."), say("Go on to the ROMs (Ctrl+4)."), "good"
        )

    def _next_words(self, report: RailReport, advice: str = "", bad: PointVerdict | None = None) -> str:
        """The selected point, or the one that comes before it; what is wrong is repaired before power goes on."""
        went_on = self._went_on()
        off_bad = report.hazard
        if not went_on and off_bad is not None and not report.power_off_missing:
            first = advice if bad is off_bad else say("{why}.", why=capital(off_bad.why))
            return say("{first} Then measure {point} again, power off.", first=first, point=off_bad.point.point)
        here = self._point()
        powerless = here is not None and here.reading is None and (not here.point.powered or report.may_power(went_on))
        wanted = here if powerless else report.wanted(went_on)
        if wanted is None:
            return advice
        measure = measure_words(wanted, here, powerless)
        return say("{measure} Then: {advice}", measure=measure, advice=advice) if advice else measure

    def _of_bad(self, path: PathReport, bad: PointVerdict, culprit: Explanation | None) -> tuple[str, str]:
        """Why this supply is wrong, and what to do about it."""
        board, why = self.workspace.definition, why_bad(path, bad, culprit)
        part = culprit.part if culprit else bad.point.part or bad.point.point
        kind = board.part(part).kind if board and board.has(part) else ""
        if bad.point.quantity == Quantity.DIODE:
            kind = "proved"
        kind = "short" if bad.point.quantity in GROUND else kind
        self.short.path = path.path
        hunt = self.short.hunt() if kind == "short" else None
        if hunt is not None and hunt.instead:
            return why, say("{why}.", why=capital(hunt.why))
        return why, source_check(path.path) if culprit is not None and not culprit.part else part_check(kind, part)

    # what is done

    @property
    def further(self) -> bool:
        return self.open is not None

    def leave(self) -> bool:
        opened, self.open = self.open is not None, None
        if opened:
            self.workspace.show()
        return opened

    def turn(self, page: ShortPage | ClockPage | SupplyPage) -> None:
        """A further page, or back to the chain when it is in view already."""
        self.open = None if self.open is page else page
        self.workspace.show()

    def move(self, step: int) -> None:
        if self.open is not None:
            self.open.move(step)
            return
        self.go_to(self.current + step)

    def next_point(self) -> None:
        """The next point that is still to be measured, those with the power off first; else simply the next."""
        report, point = self._report(), self._point()
        after = report.wanted(self._went_on(), point.point) if point is not None and not self._good_board else None
        if after is not None:
            self.go_to(report.points.index(after))
        else:
            self.go_to(self.current + 1 if point is not None else _first_wanted(report, self._went_on()))

    def go_to(self, index: int) -> None:
        """Another point; its part is picked."""
        points = self._report().points
        if not points:
            return
        self.current = index % len(points)
        part = points[self.current].point.part
        self._part = part or self.workspace.part
        if part and part != self.workspace.part:
            self.workspace.pick(self.workspace.board, part)
        else:
            self.workspace.show()

    def figure_picked(self, name: str, *at: float) -> None:
        if name == TREE:
            self.clock.go_to(int(at[0]))
            return
        report, path = self._report(), self._path()
        self.go_to(report.points.index(path.points[int(at[0])]))

    def row_picked(self, name: str, index: int) -> None:
        if name == SHORTS:
            self.short.row_picked(index)

    def next_path(self) -> None:
        """The first point that is still wanted of the next supply."""
        report = self._report()
        names = [path.path for path in report.paths]
        following = report.paths[(names.index(self._path().path) + 1) % len(names)]
        still = sorted((p for p in following.points if p.reading is None), key=lambda p: p.point.powered)
        self.go_to(report.points.index((still or list(following.points))[0]))

    def from_meter(self) -> None:
        """The selected point from the meter."""
        point, meter = self._point(), self.workspace.instruments.meter
        if point is None or meter is None:
            self.workspace.say(say("No meter is connected. Type the reading."), True)
            return
        try:
            number = meter.measure(self.workspace.board, point.point.point, point.point.quantity)
        except LoyalTraceError as error:
            self.workspace.say(str(error), True)
            return
        self._record(number, "meter")

    def _record(self, number: float, source: str) -> None:
        point = self._point()
        if point is None:
            return
        value, overload = number_or_overload(number)
        fields = {
            "board": self.workspace.board,
            "place": point.point.point,
            "quantity": Quantity(point.point.quantity),
            "value": value,
            "overload": overload,
            "powered": point.point.powered,
            "source": GOOD_BOARD if self._good_board else source,
        }
        held = holds_for(self.workspace.job, [Planned(Measured, fields)])
        if held:
            self.workspace.say(hold_words(held[0].caution, held[0].words), True)
            return
        if self.workspace.record(Measured, **fields):
            self.go_to(self._following(point))

    def recorded(self, entries: tuple[Entry, ...]) -> None:
        """After the reading of the point in hand: the next one. After the end of a described supply: its chain."""
        if any(isinstance(e, ChainDescribed) and e.line == "to" for e in entries):
            self.open = None
            self.current = _first_wanted(self._report(), self._went_on())
            self.workspace.show()
        measured = [e for e in entries if isinstance(e, Measured)]
        if isinstance(self.open, ClockPage) and measured:
            self.open.move(1)
        point = self._point() if self.open is None else None
        if point is not None and any(
            (e.board, e.place, e.quantity) == (self.workspace.board, point.point.point, point.point.quantity)
            for e in measured
        ):
            self.go_to(self._following(point))

    def _following(self, point: PointVerdict) -> int:
        """The next point: all those with the power off before any other; of a good board simply the next."""
        points = self._report().points
        if self._good_board:
            return self.current + 1
        after = self._report().wanted(self._went_on(), point.point)
        path = self._path()
        if after is not None and path.first_bad is not None and after not in path.points:
            # What is wrong with this supply stays in view; the button leads on to the next.
            return self.current
        return points.index(after) if after is not None else self.current + 1

    def _went_on(self) -> bool:
        return went_on(self.workspace.job, self.workspace.board)

    def sign(self, name: str = "") -> None:
        """The cautions of this supply were read by the person, whose name is asked once."""
        self.sign_for(self._path(), name)

    def go_on_anyway(self) -> None:
        """Power without what should have been measured first: a decision, with its reason."""
        blocked = self._blocked()
        if blocked:
            what = guard_decision(self.workspace.board)
            self.workspace.record(
                Decided, board=self.workspace.board, what=what, choice=say("go on anyway"), reason=blocked
            )

    def other_board(self) -> None:
        """Readings from now on are of a good board, or of this one again."""
        self._good_board = not self._good_board
        self.workspace.show()
        words = say("a board known to work, for comparison") if self._good_board else say("this board again")
        self.workspace.say(say("readings are of {words}", words=words))

    def next_limits(self) -> None:
        """The next of the supply limits."""
        names = list(SUPPLY_LIMITS)
        now = self.workspace.snapshot.decision(say("supply limits"), "maker")
        choice = names[(names.index(now) + 1) % len(names)]
        self.workspace.record(Decided, what=say("supply limits"), choice=choice, reason=SUPPLY_LIMITS[choice])


def _first_wanted(report: RailReport, went_on: bool) -> int:
    """Where to begin: what is wanted next, or what is bad when everything was measured."""
    first = report.wanted(went_on) or next(iter(report.first_bads), None)
    return report.points.index(first) if first is not None else 0
