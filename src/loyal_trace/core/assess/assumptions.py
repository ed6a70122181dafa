"""Continuity: what a plan assumes of the board, as pairs that must or must not ring, held against what was rung."""

from collections.abc import Iterable
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.job.entries import Assumed
from loyal_trace.core.job.snapshot import JobSnapshot
from loyal_trace.core.planning.assumptions import Pair
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import joined, say

RINGS_BELOW = 5.0
QUANTITY = "continuity"


@dataclass(frozen=True)
class PairResult:
    """One pair: must it ring, and does it? `verdict`: good, bad or not measured; `ohms` None for OL or not taken."""

    pair: Pair
    must_ring: bool
    verdict: str
    ohms: float | None = None

    @property
    def words(self) -> str:
        return say("{pair} {it} {pair2}", pair=self.pair[0], it="=" if self.must_ring else "!", pair2=self.pair[1])


@dataclass(frozen=True)
class AssumptionVerdict:
    """What a plan rests on: `holds`, `does not hold` or `open`, with a sentence and every pair."""

    name: str
    board: str
    verdict: str
    reason: str
    pairs: tuple[PairResult, ...]


def place_of_pair(pair: Pair) -> str:
    """Under which place the reading of a pair is kept: the same either way round."""
    return joined(" ", sorted(pair))


def suggested(board: BoardDefinition, refdes: str, most: int = 12) -> dict[str, Any] | None:
    """What the netlist says of a part's pins, as pairs to ring out before another part goes in there; None if nothing.

    Every pin against its nearest neighbour on the net must ring; pins beside each other on different nets must not.
    """
    pins = sorted(pin for pin in (p for _, ps in board.nets for p in ps) if pin[0] == refdes)
    together: list[Pair] = []
    for pin in pins:
        others = [other for other in board.others_on_net(*pin) if other[0] != refdes]
        if others:
            here = board.part(refdes)
            near = min(others, key=lambda o: abs(board.part(o[0]).x - here.x) + abs(board.part(o[0]).y - here.y))
            together.append((f"{refdes}.{pin[1]}", f"{near[0]}.{near[1]}"))
    beside = [(a, b) for a, b in pairwise(pins) if b[1] == a[1] + 1]
    apart = [(f"{a[0]}.{a[1]}", f"{b[0]}.{b[1]}") for a, b in beside if board.net_of(*a) != board.net_of(*b)]
    if not together and not apart:
        return None
    half = most // 2
    return {
        "name": say("footprint of {refdes}", refdes=refdes),
        "together": tuple(together[:half]),
        "apart": tuple(apart[:half]),
    }


def judge_assumption(assumed: Assumed, state: JobSnapshot) -> AssumptionVerdict:
    """Holds when every pair is as it must be; one that is not is enough to say that it does not."""
    pairs = [*_judged(assumed.together, True, assumed, state), *_judged(assumed.apart, False, assumed, state)]
    wrong = [p for p in pairs if p.verdict == "bad"]
    still = [p for p in pairs if p.verdict == "not measured"]
    if wrong:
        told = joined(
            "; ",
            (
                say(
                    "{pair} and {pair2} are not connected" if p.must_ring else "{pair} and {pair2} are connected",
                    pair=p.pair[0],
                    pair2=p.pair[1],
                )
                for p in wrong
            ),
        )
        return AssumptionVerdict(assumed.name, assumed.board, say("does not hold"), told, tuple(pairs))
    if still:
        return AssumptionVerdict(
            assumed.name,
            assumed.board,
            "open",
            say("{count} pairs to check for continuity", count=len(still)),
            tuple(pairs),
        )
    return AssumptionVerdict(
        assumed.name, assumed.board, "holds", say("all {count} pairs are as required", count=len(pairs)), tuple(pairs)
    )


def _judged(pairs: Iterable[Pair], must_ring: bool, assumed: Assumed, state: JobSnapshot) -> list[PairResult]:
    found = []
    for pair in pairs:
        reading = state.latest(assumed.board, place_of_pair(pair), QUANTITY)
        if reading is None:
            found.append(PairResult(pair, must_ring, say("not measured")))
            continue
        rings = reading.value is not None and reading.value < RINGS_BELOW
        found.append(PairResult(pair, must_ring, "good" if rings == must_ring else "bad", reading.value))
    return found


def assumptions(state: JobSnapshot) -> tuple[AssumptionVerdict, ...]:
    """Every assumption of the job, judged, the newest last."""
    return tuple(judge_assumption(assumed, state) for assumed in state.facts.assumed.values())


def not_holding(state: JobSnapshot) -> dict[PartRef, str]:
    """Parts (board, refdes) about which an assumption does not hold, with the sentence."""
    found: dict[PartRef, str] = {}
    for verdict in assumptions(state):
        if verdict.verdict == "does not hold":
            for pair in verdict.pairs:
                for pin in pair.pair:
                    found[PartRef(verdict.board, pin.partition(".")[0])] = say(
                        "{verdict} does not hold: {reason}", verdict=verdict.name, reason=verdict.reason
                    )
    return found
