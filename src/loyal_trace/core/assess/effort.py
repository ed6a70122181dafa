"""Value against effort: a plain estimate of hours, parts and success that narrows as the job is known better.

Hours spent are the gaps between entries of the logbook, none longer than a pause. Hours left are the minutes of the
open steps, of what is still unknown, and of proving. Every range widens with what is not known. It is an estimate and
never a judgement: nothing here says whether the job is worth it.
"""

from dataclasses import dataclass
from datetime import timedelta

from loyal_trace.core.assess.assessment import Assessment
from loyal_trace.core.assess.parts import spare_for
from loyal_trace.core.assess.progress import progress
from loyal_trace.core.planning.steps import DECIDE_FROM
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.units import format_percent

_SEARCH_MINUTES = 75.0
_LOOK, _RAIL, _ROM, _PROVE, _START = 0.1, 0.7, 3.0, 4.0, 1.5
_PRICES = {"capacitor": (0.3, 2.0), "chip": (1.5, 9.0), "socket": (0.5, 2.5), "other": (1.0, 8.0)}
_BASE_CHANCE, _FOUND_CHANCE, _GONE_CHANCE, _RARE_CHANCE = 0.72, 0.9, 0.985, 0.5
_WIDEST = 0.25


@dataclass(frozen=True)
class Effort:
    """Hours spent; hours left, cost of parts and chance of success as (low, high); how much of the job is known."""

    hours_spent: float
    hours_left: tuple[float, float]
    parts_cost: tuple[float, float]
    chance: tuple[float, float] | None
    known: float
    value: float | None = None
    hour_rate: float | None = None

    @property
    def sentences(self) -> tuple[str, ...]:
        """The estimate in words, without a judgement."""
        low, high = self.hours_left
        said = [
            say(
                "{hours_spent:.1f} h spent so far; {low:.1f} to {high:.1f} h more at the bench",
                hours_spent=self.hours_spent,
                low=low,
                high=high,
            )
        ]
        cheap, dear = self.parts_cost
        said.append(
            say("parts to buy: {cheap:.0f} to {dear:.0f} in your currency", cheap=cheap, dear=dear)
            if dear >= 0.5
            else say("no parts to buy so far")
        )
        if self.chance is not None:
            low_chance, high_chance = (format_percent(share) for share in self.chance)
            said.append(
                say(
                    "probability that every symptom goes: {low_chance} to {high_chance} (estimate)",
                    low_chance=low_chance,
                    high_chance=high_chance,
                )
            )
        if self.hour_rate:
            costs = [
                (self.hours_spent + hours) * self.hour_rate + parts
                for hours, parts in zip(self.hours_left, self.parts_cost, strict=True)
            ]
            said.append(
                say(
                    "{costs:.0f} to {costs2:.0f} in total at {hour_rate:g} an hour",
                    costs=costs[0],
                    costs2=costs[1],
                    hour_rate=self.hour_rate,
                )
            )
        if self.value:
            said.append(say("worth {value:g} to its owner in working order", value=self.value))
        return tuple(said)


def estimate(found: Assessment) -> Effort:
    """The estimate for a job as it stands."""
    known = _known(found)
    minutes = found.plan.minutes_left + _unknown_minutes(found) + _proving_minutes(found)
    spread = 1.0 - known
    left = (minutes / 60 * (1 - 0.35 * spread), minutes / 60 * (1.15 + 1.1 * spread))
    state = found.moment.snapshot
    return Effort(
        state.at_bench / timedelta(hours=1),
        left,
        _parts(found, spread),
        _chance(found, spread),
        known,
        _number(state.decision("value")),
        _number(state.decision("hour rate")),
    )


def _number(text: str) -> float | None:
    try:
        return float(text) if text else None
    except ValueError:
        return None


def _known(found: Assessment) -> float:
    """How much of looking, measuring, reading and probing is done (0 to 1)."""
    shares = [p.filled for p in progress(found) if Stage.INSPECT <= p.stage <= Stage.PROBE]
    return sum(shares) / len(shares) if shares else 0.0


def _unexplained(found: Assessment) -> list[str]:
    """Symptoms present that no strong suspect's block explains yet."""
    strong = {s.place for s in found.suspects if s.probability >= DECIDE_FROM}
    lost = []
    for symptom in found.moment.snapshot.proving.symptoms.values():
        board = found.moment.boards.get(symptom.board)
        if not symptom.present or board is None:
            continue
        parts = {PartRef(symptom.board, r) for b in board.blocks if symptom.text in b.symptoms for r in b.parts}
        if not parts & strong:
            lost.append(symptom.text)
    return lost


def _unknown_minutes(found: Assessment) -> float:
    """Looking, measuring and reading what is left, and a search for each symptom that nothing explains."""
    moment = found.moment
    unseen = sum(len(b.parts) for b in moment.boards.values()) - len(moment.snapshot.seen.findings)
    rails = sum(p.reading is None for report in found.rails.values() for p in report.points)
    unread = sum(slot.verdict is None for slot in found.roms.values())
    search = len(_unexplained(found)) * _SEARCH_MINUTES
    return max(0, unseen) * _LOOK + rails * _RAIL + unread * _ROM + search


def _proving_minutes(found: Assessment) -> float:
    items = sum(item.status == "open" for item in found.proof.items)
    return items * _PROVE + found.proof.starts.still_needed * _START


def _parts(found: Assessment, spread: float) -> tuple[float, float]:
    """What has to be bought, by kind; what is still unknown may add a chip."""
    kinds = {step.part_number: step.kind for step in found.plan.steps if not step.done}
    low = high = 0.0
    for need in found.plan.parts:
        cheap, dear = _PRICES.get(kinds.get(need.number, ""), _PRICES["other"])
        low += need.to_order * cheap
        high += need.to_order * dear
    return low, high + spread * _PRICES["chip"][1] * len(_unexplained(found))


def _chance(found: Assessment, spread: float) -> tuple[float, float] | None:
    """Every symptom has to go: each is gone, explained or open; a rare part in doubt without a spare weighs heavily.

    None while no symptom was entered or nothing was inspected, measured, read or probed: nothing supports a figure.
    """
    moment, lost = found.moment, set(_unexplained(found))
    if not moment.snapshot.proving.symptoms or spread >= 1.0:
        return None
    chance = 1.0
    for symptom in moment.snapshot.proving.symptoms.values():
        chance *= _GONE_CHANCE if not symptom.present else _BASE_CHANCE if symptom.text in lost else _FOUND_CHANCE
    for suspect in found.suspects:
        part = moment.part(suspect.place)
        spare = spare_for(moment, part.number) is not None
        if part.rare and suspect.probability >= DECIDE_FROM and not spare:
            chance *= _RARE_CHANCE
    return max(0.02, chance - _WIDEST * spread), min(0.99, chance + _WIDEST * spread * (1 - chance))
