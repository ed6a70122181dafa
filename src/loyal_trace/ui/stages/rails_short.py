"""The short page of Rails: which parts to lift next, readings with them lifted, and where the track reads least."""

from loyal_trace.core.assess.rails import short_on
from loyal_trace.core.boards.supplies import Rail
from loyal_trace.core.job.entries import Lifted, Measured, number_or_overload
from loyal_trace.core.power.expected import NO_SHORT
from loyal_trace.core.power.shorts import TRACK, ShortHunt, parts_on
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.core.vocabulary.identity import in_order
from loyal_trace.core.vocabulary.quantities import GROUND
from loyal_trace.core.vocabulary.units import format_percent, parse_reading
from loyal_trace.ui.desk import Desk
from loyal_trace.ui.widgets.rows import Cell, Row, RowList
from loyal_trace.ui.widgets.stage_frame import KeyHint, StageFrame

_SHOWN = 14


class ShortPage:
    """One rail at a time: candidates with their share of the blame, and the next parts to lift."""

    def __init__(self, desk: Desk, frame: StageFrame) -> None:
        self.desk, self.frame = desk, frame
        self.list = RowList("what may be shorted")
        self.list.picked.connect(self._row_picked)
        self.path = ""
        self._listed: list[str] = []

    def hints(self) -> tuple[KeyHint, ...]:
        return (
            KeyHint("M", "from the meter", self._from_meter),
            KeyHint("O", "OL, gone", lambda: self.submitted("OL")),
        )

    def rail(self) -> Rail | None:
        """The rail of the path in view, else the first whose net is known."""
        board = self.desk.definition
        rails = [r for r in board.rails if r.net in dict(board.nets)] if board else []
        far = {p.point for p in board.chain if p.path == self.path} if board else set()
        return next((r for r in rails if r.far in far), rails[0] if rails else None)

    def _hunt(self) -> ShortHunt | None:
        rail = self.rail()
        return short_on(self.desk.job.moment, self.desk.board, rail.net) if rail else None

    def refresh(self) -> None:
        """Shows the candidates and asks for the next reading."""
        rail, found = self.rail(), self._hunt()
        if rail is None:
            self.list.set_rows((), -1)
            self.frame.meaning.say("No rail of this board names its net, so the parts on it are not known.",
                                   "Add nets.csv and the net of the rail to the board folder.")  # fmt: skip
            self.frame.entry.set_target("", "no rail to hunt on")
            return
        rows = [Row("", (), heading=f"What may short {rail.name} ({rail.net})", height=28)]
        rows += self._candidates(rail, found)
        rows += self._tests(rail)
        self.list.set_rows(tuple(rows), -1)
        if found is None:
            words = f"{rail.name} to ground at {rail.far}"
            self.frame.meaning.say(
                f"{words} is not measured yet, power off.", f"Measure {words} with everything in place."
            )
            self.frame.entry.set_target(rail.far, "resistance to ground in Ω, power off, everything in place")
        elif found.culprit:
            self.frame.meaning.say(
                f"{found.why[:1].upper()}{found.why[1:]}.", f"Renew {found.culprit}, then measure again.", "bad"
            )
            self.frame.entry.set_target(
                found.culprit, "a further reading: parts lifted and ohms, or @part and milliohms"
            )
        else:
            lift = f"ift {', '.join(found.lift)} and measure {rail.far} to ground."
            at = f"{', '.join(found.track)} (@{found.track[0]} 32m)" if found.track else ""
            cheaper = f"Cheaper: read the track in milliohms at {at}" if at else ""
            self.frame.meaning.say(f"{found.why}.", f"{cheaper}. Or l{lift}" if cheaper else f"L{lift}")
            prompt = " ".join(found.lift) if len(found.lift) < 5 else f"{len(found.lift)} parts lifted"
            self.frame.entry.set_target(prompt, "ohms with these lifted; 5F 5G 430 for others; @C5 32m along the track")

    def _candidates(self, rail: Rail, found: ShortHunt | None) -> list[Row]:
        board = self.desk.definition
        ranked = found.candidates if found else tuple((p.refdes, 0.0) for p in parts_on(board, rail.net))
        self._listed = [refdes for refdes, _ in ranked[:_SHOWN]]
        rows = []
        for refdes, share in ranked[:_SHOWN]:
            part = board.part(refdes)
            lift = found is not None and refdes in found.lift
            kind = "bad" if found and refdes == found.culprit else "doubtful" if lift else "unknown"
            how = "in a socket" if part.socketed else "soldered"
            cells = (
                Cell(40, 54, refdes, bold=True, mono=True), Cell(98, 130, part.number), Cell(232, 90, how),
                Cell(440, 60, format_percent(share) if found else ""),
                Cell(506, 0, "lift now" if lift else "", "doubtful", bold=True),
            )  # fmt: skip
            rows.append(Row(kind, cells, (330, 100, share, "copper") if found else None, height=23))
        if len(ranked) > _SHOWN:
            rows.append(Row("", (Cell(40, 0, f"and {len(ranked) - _SHOWN} more"),), height=22))
        return rows

    def _tests(self, rail: Rail) -> list[Row]:
        """The readings so far, newest last."""
        lifts = self.desk.job.snapshot.readings.lifts.get((self.desk.board, rail.net), [])
        rows = [Row("", (), heading="Readings so far", height=26)] if lifts else []
        for lift in lifts:
            shown = "OL" if lift.value is None else f"{lift.value:.3g} Ω"
            gone = lift.value is None or lift.value > NO_SHORT * 5
            cells = (Cell(40, 330, f"{' '.join(lift.parts)} lifted"), Cell(376, 90, shown),
                     Cell(470, 0, "the short is gone" if gone else "still there"))  # fmt: skip
            rows.append(Row("good" if gone else "unknown", cells, height=23))
        return rows

    def _row_picked(self, row: int) -> None:
        if 0 < row <= len(self._listed):
            self.desk.pick(self.desk.board, self._listed[row - 1])

    def _from_meter(self) -> None:
        rail, found = self.rail(), self._hunt()
        if self.desk.instruments.meter is None or rail is None:
            self.desk.said.emit("no meter is connected: type what yours shows", True)
            return
        try:
            lifted = found.lift if found else ()
            self._record(rail, lifted, self.desk.instruments.meter.to_ground(self.desk.board, rail.far, lifted))
        except LoyalTraceError as error:
            self.desk.said.emit(str(error), True)

    def submitted(self, text: str) -> None:
        """A reading: ohms with the proposed parts lifted, others named before it, or `@part` along the track."""
        rail, found, words = self.rail(), self._hunt(), text.split()
        if rail is None or not words:
            return
        try:
            number = parse_reading(words[-1], "Ω")
            named = [word.lstrip("@") for word in words[:-1]]
            on_rail = {p.refdes for p in parts_on(self.desk.definition, rail.net)}
            lost = [word for word in named if word not in on_rail]
            if lost:
                self.desk.said.emit(f"{lost[0]} is not on {rail.net}: {', '.join(in_order(on_rail)[:8])} … are", True)
                return
            if text.strip().startswith("@"):
                self._record_track(rail, named[0], number)
            else:
                self._record(rail, tuple(named) or (found.lift if found else ()), number)
        except LoyalTraceError as error:
            self.desk.said.emit(str(error), True)

    def _record(self, rail: Rail, lifted: tuple[str, ...], number: float) -> None:
        value, overload = number_or_overload(number)
        here = {"board": self.desk.board}
        if lifted:
            recorded = self.desk.record(Lifted, place=rail.net, parts=lifted, value=value, **here)
        else:
            taken = {"quantity": GROUND[0], "value": value, "overload": overload}
            recorded = self.desk.record(Measured, place=rail.far, **taken, **here)
        if recorded:
            self.frame.entry.edit.clear()

    def _record_track(self, rail: Rail, refdes: str, number: float) -> None:
        pin = next(pin for name, pin in dict(self.desk.definition.nets)[rail.net] if name == refdes)
        taken = {"place": f"{refdes}.{pin}", "quantity": TRACK, "value": number}
        if self.desk.record(Measured, board=self.desk.board, **taken):
            self.frame.entry.edit.clear()
