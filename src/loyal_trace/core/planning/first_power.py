"""The risk of the first power-up, and what each school of it makes of the order of work.

The risk is a sum of stated points, not a statistic: each line names what it comes from and how much it counts. It is
never above 1 and never nothing. Neutral starting values, chosen so that a forty-year-old board with a leak and a low
rail is high, and a young one with every rail measured is low.
"""

from dataclasses import dataclass

from loyal_trace.core.case import Case
from loyal_trace.core.power.expected import GROUND, NO_SHORT

AS_FOUND, RENEW_FIRST, BY_RISK = "test as found", "renew capacitors first", "by risk"
FIRST_POWER = {
    AS_FOUND: "a baseline first: what worked before is known",
    RENEW_FIRST: "forty-year-old electrolytics can do damage; a reliable baseline to work from",
    BY_RISK: "rails checked with a current limit, then a short test",
}
_ALIASES = {"decide by risk": BY_RISK, "renew first": RENEW_FIRST}
HIGH, LOW = 0.6, 0.3


@dataclass(frozen=True)
class PowerRisk:
    """The risk (0 to 1), its word (low, middle, high), the lines it is made of, and the school that fits it."""

    share: float
    word: str
    lines: tuple[tuple[float, str], ...]
    advice: str

    @property
    def reason(self) -> str:
        """The lines that count, most first, as a reason for a decision."""
        told = "; ".join(text for points, text in sorted(self.lines, key=lambda line: -line[0]) if points > 0)
        return f"risk {self.word} ({self.share:.0%}): {told or 'nothing speaks against it'}"


def school_of(case: Case) -> str:
    """The school of the first power-up as decided; empty while it is open."""
    decided = case.state.decision("first power")
    return _ALIASES.get(decided, decided)


def order_school(case: Case) -> str:
    """The order of work: as decided, else the one that follows from how power is first applied."""
    decided = case.state.decision("order school")
    if decided:
        return decided
    school = school_of(case)
    if school == BY_RISK:
        school = first_power_risk(case).advice
    return "capacitors first" if school == RENEW_FIRST else "least invasive"


def first_power_risk(case: Case) -> PowerRisk:
    """Age, leaks, rails to ground, kind of supply and missing parts, added up."""
    lines = (_age(case), _leaks(case), _ground(case), _supply(case), _missing(case))
    share = min(1.0, max(0.02, sum(points for points, _ in lines)))
    word = "high" if share >= HIGH else "low" if share < LOW else "middle"
    advice = RENEW_FIRST if word == "high" else AS_FOUND if word == "low" else BY_RISK
    return PowerRisk(share, word, lines, advice)


def _age(case: Case) -> tuple[float, str]:
    """Electrolytics older than a quarter of a century count, more with every decade."""
    opened = case.state.opened
    years = [opened.time.year - b.year for b in case.boards.values() if b.year and opened]
    aging = sum(p.polarised and not case.renewed((b, p.refdes)) for b, board in case.boards.items()
                for p in board.capacitors)  # fmt: skip
    if not years or not aging:
        return 0.05, "age or electrolytics not known" if not years else "no electrolytics left from its time"
    oldest = max(years)
    return min(0.25, max(0.0, (oldest - 25) * 0.0125)), f"{aging} electrolytics of {oldest} years"


def _leaks(case: Case) -> tuple[float, str]:
    open_leaks = [leak for board_id in case.boards for leak in case.leaks(board_id) if leak.open or not leak.renewed]
    if open_leaks:
        return 0.3, f"{', '.join(leak.refdes for leak in open_leaks)} leaking: electrolyte conducts"
    return 0.0, "no leak seen"


def _ground(case: Case) -> tuple[float, str]:
    """Rails to ground: measured and low is worst, not measured is a risk of its own."""
    read = [p for report in case.rails().values() for p in report.points if p.point.quantity in GROUND]
    low = [p for p in read if p.reading and p.reading.value is not None and p.reading.value < NO_SHORT]
    if low:
        return 0.4, f"{', '.join(dict.fromkeys(p.point.point for p in low))} reads {low[0].shown} to ground"
    if not read or any(p.reading is None for p in read):
        return 0.15, "not every rail was measured to ground"
    return -0.1, "no rail is short to ground"


def _supply(case: Case) -> tuple[float, str]:
    """A board that carries its own mains supply can do damage that a bench supply with a limit cannot."""
    own = [s for board in case.boards.values() for s in board.supplies if s.ac_rms]
    wrong = [p for report in case.rails().values() for p in report.accusing if p.point.quantity in ("rating", "diode")]
    if wrong:
        return 0.3, f"{wrong[0].point.point} is not right ({wrong[0].point.quantity})"
    if own:
        return (
            0.1,
            "its own transformer feeds it: no current limit by itself",
        )
    return 0.0, "a bench supply with a current limit can feed it"


def _missing(case: Case) -> tuple[float, str]:
    absent = [p.refdes for b, board in case.boards.items() for p in board.parts if case.absent((b, p.refdes))]
    if absent:
        return min(0.2, 0.05 * len(absent)), f"{', '.join(absent[:5])} missing: what they held may float"
    return 0.0, "nothing is missing as far as seen"
