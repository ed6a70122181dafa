"""The continuity page of Plan: what the plan assumes of the board, the pairs to check, and whether it holds."""

from loyal_trace.app.presenters.model import Action, Cell, Meaning, Row, Rows, Target, heading
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.assess.assumptions import (
    QUANTITY,
    AssumptionVerdict,
    PairResult,
    assumptions,
    place_of_pair,
    suggested,
)
from loyal_trace.core.job.entries import Assumed, Measured, number_or_overload
from loyal_trace.core.line.context import AskedPair
from loyal_trace.core.vocabulary.phrases import joined, say, term
from loyal_trace.core.vocabulary.units import count_of, format_quantity

_EXAMPLE = "assume spare footprint: 4A.3=4B.3, 4A.5!4B.6"
_KIND = {"holds": "good", "does not hold": "bad", "open": "unknown"}
_WORD = {"not measured": say("to be measured"), "good": say("as required")}
_FOLLOWING = {
    "holds": say("The plan can rely on it."),
    "does not hold": say("Change the plan, or find the reason, before you solder."),
}


class ContinuityPage:
    """Pair after pair: connected, not connected, or ohms in the line."""

    def __init__(self, workspace: Workspace) -> None:
        self.workspace = workspace
        self.current = 0
        self._row_of: list[int] = []

    def pairs(self) -> list[tuple[AssumptionVerdict, PairResult]]:
        """Every pair of the job, under what it belongs to, the newest assumption first."""
        return [(a, pair) for a in reversed(assumptions(self.workspace.snapshot)) for pair in a.pairs]

    def in_hand(self) -> tuple[AssumptionVerdict, PairResult] | None:
        """The pair that the next reading is of."""
        pairs = self.pairs()
        self.current = min(self.current, max(0, len(pairs) - 1))
        return pairs[self.current] if pairs else None

    def asked(self) -> AskedPair | None:
        """Ohms typed without a place belong to the pair in hand."""
        found = self.in_hand()
        return AskedPair(found[0].board, place_of_pair(found[1].pair)) if found else None

    def actions(self) -> tuple[Action, ...]:
        """What can be done on this page."""
        pairs = Action("P", say("Pairs of the part"), self.suggest, say("Pairs of the picked part, from the netlist"))
        if self.in_hand() is None:
            return (pairs,)
        return (
            Action(
                "K", say("Mark connected"), lambda: self.record(0.0), say("The selected pair is connected"), main=True
            ),
            Action(
                "N",
                say("Mark not connected"),
                lambda: self.record(float("inf")),
                say("The selected pair is not connected"),
            ),
            pairs,
        )

    def rows(self) -> Rows:
        """What is assumed, pair by pair."""
        found = self.in_hand()
        rows: list[Row] = []
        self._row_of, shown = [], ""
        for assumed, pair in self.pairs():
            if assumed.name != shown:
                shown = assumed.name
                rows.append(heading(say("{assumed}: {verdict}", assumed=assumed.name, verdict=term(assumed.verdict))))
            self._row_of.append(len(rows))
            rows.append(_pair_row(pair))
        return Rows(tuple(rows), self._row_of[self.current] if found else -1)

    def meaning(self) -> Meaning:
        """Whether what is assumed holds, and the next pair."""
        found = self.in_hand()
        if found is None:
            why = say("Check the assumptions of the plan (a free footprint, two joined pins) before work begins.")
            return Meaning(
                why,
                say(
                    "Type pairs that must be connected (=) or must not be (!), such as {example}; or press Alt+P.",
                    example=_EXAMPLE,
                ),
            )
        assumed, pair = found
        asks = say("Check {pair} to {pair2}: {must}.", pair=pair.pair[0], pair2=pair.pair[1], must=_must(pair))
        why = say(
            "{assumed} is open: {reason}." if assumed.verdict == "open" else "{assumed} {verdict}: {reason}.",
            assumed=assumed.name,
            verdict=term(assumed.verdict),
            reason=assumed.reason,
        )
        return Meaning(why, _FOLLOWING.get(assumed.verdict, asks), _KIND[assumed.verdict])

    def target(self) -> Target:
        """The pair in large type."""
        found = self.in_hand()
        if found is None:
            return Target(say("job"), "", _EXAMPLE)
        return Target(found[1].words, _must(found[1]), say("ohms, such as 0.2 ohm or OL; or a new assumption"))

    def row_picked(self, row: int) -> None:
        """Another pair."""
        if row in self._row_of:
            self.current = self._row_of.index(row)
            self.workspace.show()

    def move(self, step: int) -> None:
        """The next pair."""
        pairs = self.pairs()
        if pairs:
            self.current = (self.current + step) % len(pairs)
            self.workspace.show()

    def suggest(self) -> None:
        """Pairs of the picked part from the netlist."""
        board = self.workspace.definition
        fields = suggested(board, self.workspace.part) if board is not None and board.has(self.workspace.part) else None
        if fields is None:
            self.workspace.say(say("Pick a part whose pins are in the netlist, or type the pairs."), True)
            return
        self.current = 0
        self.workspace.record(Assumed, board=self.workspace.board, **fields)

    def record(self, ohms: float) -> None:
        """A reading of the pair in hand."""
        found = self.in_hand()
        if found is None:
            return
        assumed, pair = found
        value, overload = number_or_overload(ohms)
        place = place_of_pair(pair.pair)
        if self.workspace.record(
            Measured, board=assumed.board, place=place, quantity=QUANTITY, value=value, overload=overload
        ):
            self.go_on()

    def go_on(self) -> None:
        """To the next pair that was not measured."""
        left = [n for n, (_, p) in enumerate(self.pairs()) if p.verdict == "not measured"]
        self.current = next((n for n in left if n > self.current), left[0] if left else self.current)
        self.workspace.show()


def _must(pair: PairResult) -> str:
    return say("must be connected") if pair.must_ring else say("must not be connected")


def _pair_row(pair: PairResult) -> Row:
    read = "" if pair.verdict == "not measured" else "OL" if pair.ohms is None else format_quantity(pair.ohms, "Ω")
    kind = pair.verdict if pair.verdict in ("good", "bad") else "unknown"
    cells = (
        Cell(40, 100, pair.pair[0], mono=True),
        Cell(144, 160, _must(pair)),
        Cell(310, 100, pair.pair[1], mono=True),
        Cell(414, 84, read),
        Cell(502, 0, _WORD.get(pair.verdict, say("not so")), kind),
    )
    return Row(kind, cells, height=24)


def summary(found: tuple[AssumptionVerdict, ...]) -> str:
    """One line on all assumptions, for the head of the plan."""
    if not found:
        return ""
    wrong = [a.name for a in found if a.verdict == "does not hold"]
    if wrong:
        return say("{wrong} does not hold", wrong=joined(", ", wrong))
    still = sum(a.verdict == "open" for a in found)
    return (
        say("{assumptions} to check", assumptions=count_of(still, "assumption"))
        if still
        else say("its assumptions hold")
    )
