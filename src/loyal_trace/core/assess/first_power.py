"""The risk of the first power-up, and what each school of it makes of the order of work.

The risk is a sum of stated points, not a statistic: each line names what it comes from and how much it counts. It is
never above 1 and never nothing. Neutral starting values, chosen so that a forty-year-old board with a leak and a low
rail is high, and a young one with every rail measured is low.
"""

from dataclasses import dataclass

from loyal_trace.core.assess.looking import leaks_on
from loyal_trace.core.assess.moment import Moment, places_of
from loyal_trace.core.assess.parts import absent, replaced
from loyal_trace.core.assess.rails import judged_rails
from loyal_trace.core.planning.choices import AS_FOUND, BY_RISK, FIRST_POWER_ALIASES, RENEW_FIRST
from loyal_trace.core.power.expected import NO_SHORT
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import joined, say, term
from loyal_trace.core.vocabulary.quantities import GROUND

HIGH, LOW = 0.6, 0.3
REPAIR_ORDER_DECISION = "repair order"


@dataclass(frozen=True)
class PowerRisk:
    """The risk (0 to 1), its word (low, middle, high), the lines it is made of, and the school that fits it."""

    share: float
    word: str
    lines: tuple[tuple[float, str], ...]
    advice: str

    @property
    def points(self) -> int:
        """The risk as points of 100: a sum of weights, no probability."""
        return round(100 * self.share)

    @property
    def reason(self) -> str:
        """The lines that count, most first, as a reason for a decision."""
        told = joined("; ", (text for points, text in sorted(self.lines, key=lambda line: -line[0]) if points > 0))
        return say(
            "risk {word} ({points} of 100 points){told}",
            word=term(self.word),
            points=self.points,
            told=": " + told if told else "",
        )


def first_power_choice(moment: Moment) -> str:
    """The school of the first power-up as decided; empty while it is open."""
    decided = moment.snapshot.decision("first power")
    return FIRST_POWER_ALIASES.get(decided, decided)


def repair_order(moment: Moment) -> str:
    """The order of work: as decided, else the one that follows from how power is first applied."""
    decided = moment.snapshot.decision(REPAIR_ORDER_DECISION)
    if decided:
        return decided
    choice = first_power_choice(moment)
    if choice == BY_RISK:
        choice = first_power_risk(moment).advice
    return say("capacitors first") if choice == RENEW_FIRST else say("least invasive")


def first_power_risk(moment: Moment) -> PowerRisk:
    """Age, leaks, rails to ground, kind of supply and missing parts, added up."""
    lines = (_age(moment), _leaks(moment), _ground(moment), _supply(moment), _missing(moment))
    share = min(1.0, max(0.02, sum(points for points, _ in lines)))
    word = say("high") if share >= HIGH else say("low") if share < LOW else say("middle")
    advice = RENEW_FIRST if word == "high" else AS_FOUND if word == "low" else BY_RISK
    return PowerRisk(share, word, lines, advice)


def _age(moment: Moment) -> tuple[float, str]:
    """Electrolytics older than a quarter of a century count, more with every decade."""
    opened = moment.snapshot.opened
    years = [opened.time.year - b.year for b in moment.boards.values() if b.year and opened]
    aging = sum(
        p.polarised and not replaced(moment, PartRef(b, p.refdes))
        for b, board in moment.boards.items()
        for p in board.capacitors
    )
    if not years or not aging:
        return 0.05, say("age or electrolytics not known") if not years else say("no original electrolytics left")
    oldest = max(years)
    return min(0.25, max(0.0, (oldest - 25) * 0.0125)), say(
        "{aging} electrolytics of {oldest} years", aging=aging, oldest=oldest
    )


def _leaks(moment: Moment) -> tuple[float, str]:
    open_leaks = [
        leak for board_id in moment.boards for leak in leaks_on(moment, board_id) if leak.open or not leak.replaced
    ]
    if open_leaks:
        return 0.3, say(
            "{open_leaks} leaking: electrolyte conducts", open_leaks=joined(", ", (leak.refdes for leak in open_leaks))
        )
    return 0.0, say("no leak recorded")


def _ground(moment: Moment) -> tuple[float, str]:
    """Rails to ground: measured and low is worst, not measured is a risk of its own."""
    read = [p for report in judged_rails(moment).values() for p in report.points if p.point.quantity in GROUND]
    low = [p for p in read if p.reading and p.reading.value is not None and p.reading.value < NO_SHORT]
    if low:
        return 0.4, say(
            "{fromkeys} reads {shown} to ground",
            fromkeys=joined(", ", dict.fromkeys(p.point.point for p in low)),
            shown=low[0].shown,
        )
    if not read or any(p.reading is None for p in read):
        return 0.15, say("not every rail was measured to ground")
    return -0.1, say("no rail measured is shorted to ground")


def _supply(moment: Moment) -> tuple[float, str]:
    """A board that carries its own mains supply can do damage that a bench supply with a limit cannot."""
    own = [s for board in moment.boards.values() for s in board.supplies if s.ac_rms]
    wrong = [
        p
        for report in judged_rails(moment).values()
        for p in report.against_own_part
        if p.point.quantity in ("rating", "diode")
    ]
    if wrong:
        return 0.3, say(
            "{point} is outside its limits ({quantity})",
            point=wrong[0].point.point,
            quantity=term(wrong[0].point.quantity),
        )
    if own:
        return (
            0.1,
            say("fed by its own transformer, without current limit"),
        )
    return 0.0, say("a bench supply with a current limit can feed it")


def _missing(moment: Moment) -> tuple[float, str]:
    gone = [place.refdes for place in places_of(moment) if absent(moment, place)]
    if gone:
        return min(0.2, 0.05 * len(gone)), say(
            "{gone} missing: lines they drive can float", gone=joined(", ", gone[:5])
        )
    return 0.0, say("no missing part recorded")
