"""The short page of Rails: which parts to lift next, readings with them lifted, and where the track reads least."""

from loyal_trace.app.presenters.model import NO_ROWS, Action, Cell, Meaning, Row, Rows, Target, heading
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.assess.rails import short_on
from loyal_trace.core.boards.supplies import Rail
from loyal_trace.core.job.entries import Lifted, Measured, number_or_overload
from loyal_trace.core.line.context import AskedLift
from loyal_trace.core.power.expected import NO_SHORT
from loyal_trace.core.power.shorts import ShortSearch, parts_on
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.core.vocabulary.identity import PointRef
from loyal_trace.core.vocabulary.phrases import capital, joined, say
from loyal_trace.core.vocabulary.quantities import Quantity
from loyal_trace.core.vocabulary.units import count_of, format_percent

_SHOWN = 14
_MANY = 4


class ShortPage:
    """One rail at a time: candidates with their probability, and the next parts to lift."""

    def __init__(self, workspace: Workspace) -> None:
        self.workspace = workspace
        self.path = ""  # of the supply in view, as the page sets it
        self._listed: list[str] = []

    def rail(self) -> Rail | None:
        """The rail of the path in view, else the first whose net is known."""
        board = self.workspace.definition
        rails = [r for r in board.rails if r.net in dict(board.nets)] if board else []
        far = {p.point for p in board.chain if p.path == self.path} if board else set()
        return next((r for r in rails if r.far in far), rails[0] if rails else None)

    def hunt(self) -> ShortSearch | None:
        """Where the short is, as far as it is known; None where the rail is not known or not measured."""
        rail = self.rail()
        return short_on(self.workspace.moment, self.workspace.board, rail.net) if rail else None

    def asked(self) -> AskedLift | None:
        """Ohms typed alone are of the rail with the proposed parts lifted, or with everything in place."""
        rail, found = self.rail(), self.hunt()
        if rail is None:
            return None
        lift = found.lift if found is not None and not found.culprit else ()
        return AskedLift(self.workspace.board, rail.net, rail.far, lift)

    def actions(self) -> tuple[Action, ...]:
        """What can be done on this page."""
        if self.rail() is None:
            return ()
        return (
            Action(
                "M",
                say("Read the meter"),
                self.from_meter,
                say("Reads the rail to ground with the proposed parts lifted"),
                main=True,
            ),
            Action(
                "O",
                say("Enter OL"),
                lambda: self._record(float("inf"), "hand"),
                say("Records that the short is gone with these parts lifted"),
            ),
        )

    def rows(self) -> Rows:
        """The candidates and the readings so far."""
        rail, found = self.rail(), self.hunt()
        if rail is None:
            return NO_ROWS
        net = say(" ({net})", net=rail.net) if rail.net != rail.name else ""
        title = heading(say("Parts that can short {rail}{net}", rail=rail.name, net=net))
        return Rows((title, *self._candidates(rail, found), *self._tests(rail)))

    def meaning(self) -> Meaning:
        """What is known of the short, and the next reading."""
        rail, found = self.rail(), self.hunt()
        if rail is None:
            why = say("No rail of this board has a net, so the parts on it are not known.")
            return Meaning(why, say("Type what a rail feeds, such as rail +5 feeds 1A, 5F."))
        words = say("{rail} to ground at {far}", rail=rail.name, far=rail.far)
        if found is None:
            return Meaning(
                say("{words} is not measured yet (power off).", words=words),
                say("Measure {words} with everything in place.", words=words),
            )
        if found.instead:
            return Meaning(say("{why}.", why=capital(found.why)), say("{instead}.", instead=capital(found.instead)))
        if found.culprit:
            return Meaning(
                say("{why}.", why=capital(found.why)),
                say("Replace {culprit}, then measure again.", culprit=found.culprit),
                "bad",
            )
        lift = say("ift {lift} and measure {far} to ground.", lift=joined(", ", found.lift), far=rail.far)
        if found.track:
            example = say("{track}.1 track 32m", track=found.track[0])
            cheaper = say(
                "Faster: measure the track in milliohms at {track} (such as {example})",
                track=joined(", ", found.track),
                example=example,
            )
            return Meaning(say("{why}.", why=found.why), say("{cheaper}. Or l{lift}", cheaper=cheaper, lift=lift))
        return Meaning(say("{why}.", why=found.why), say("L{lift}", lift=lift))

    def target(self) -> Target:
        """What is measured next, in large type."""
        rail, found = self.rail(), self.hunt()
        hint = say("a value alone is with these parts lifted; or 5F, 5D lifted: 430 ohm; or C5.1 track 32m")
        if rail is None:
            return Target(say("job"), "", "")
        if found is None or found.culprit or found.instead:
            return Target(rail.far, say("to ground, power off"), hint)
        names = joined(" ", found.lift) if len(found.lift) <= _MANY else count_of(len(found.lift), "part")
        return Target(names, say("lifted, to ground"), hint)

    def _candidates(self, rail: Rail, found: ShortSearch | None) -> list[Row]:
        board = self.workspace.definition
        if board is None:
            return []
        ranked = found.candidates if found else tuple((p.refdes, 0.0) for p in parts_on(board, rail.net))
        self._listed = [refdes for refdes, _ in ranked[:_SHOWN]]
        rows = []
        for refdes, share in ranked[:_SHOWN]:
            part = board.part(refdes)
            lift = found is not None and refdes in found.lift
            kind = "bad" if found and refdes == found.culprit else "doubtful" if lift else "unknown"
            cells = (
                Cell(40, 54, refdes, bold=True, mono=True),
                Cell(98, 130, part.number),
                Cell(232, 90, say("in a socket") if part.socketed else say("soldered")),
                Cell(440, 60, format_percent(share) if found else ""),
                Cell(506, 0, say("lift now") if lift else "", "doubtful", bold=True),
            )
            rows.append(Row(kind, cells, (330, 100, share, "copper") if found else None, height=23))
        if len(ranked) > _SHOWN:
            rows.append(Row("", (Cell(40, 0, say("and {count} more", count=len(ranked) - _SHOWN)),), height=22))
        return rows

    def _tests(self, rail: Rail) -> list[Row]:
        """The readings so far, newest last."""
        lifts = self.workspace.snapshot.readings.lifts.get(PointRef(self.workspace.board, rail.net), ())
        rows = [heading(say("Readings so far"), 26)] if lifts else []
        for lift in lifts:
            gone = lift.value is None or lift.value > NO_SHORT * 5
            cells = (
                Cell(40, 330, say("{parts} lifted", parts=joined(" ", lift.parts))),
                Cell(376, 90, say("OL") if lift.value is None else say("{lift_value:.3g} Ω", lift_value=lift.value)),
                Cell(470, 0, say("the short is gone") if gone else say("still shorted")),
            )
            rows.append(Row("good" if gone else "unknown", cells, height=23))
        return rows

    def row_picked(self, row: int) -> None:
        """A candidate."""
        if 0 < row <= len(self._listed):
            self.workspace.pick(self.workspace.board, self._listed[row - 1])

    def move(self, step: int) -> None:
        """The next candidate."""
        if self._listed:
            at = self._listed.index(self.workspace.part) if self.workspace.part in self._listed else -1
            self.workspace.pick(self.workspace.board, self._listed[(at + step) % len(self._listed)])

    def from_meter(self) -> None:
        """The rail to ground from the meter, with the proposed parts lifted."""
        meter, asked = self.workspace.instruments.meter, self.asked()
        if meter is None or asked is None:
            self.workspace.say(say("No meter is connected. Type the reading."), True)
            return
        try:
            self._record(meter.to_ground(asked.board, asked.far, asked.parts), "meter")
        except LoyalTraceError as error:
            self.workspace.say(str(error), True)

    def _record(self, ohms: float, source: str) -> None:
        asked = self.asked()
        if asked is None:
            return
        value, overload = number_or_overload(ohms)
        if asked.parts:
            self.workspace.record(Lifted, board=asked.board, place=asked.net, parts=asked.parts, value=value)
            return
        fields = {"quantity": Quantity.TO_GROUND, "value": value, "overload": overload, "source": source}
        self.workspace.record(Measured, board=asked.board, place=asked.far, **fields)
