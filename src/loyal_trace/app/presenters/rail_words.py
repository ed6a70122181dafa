"""What is said of a supply: which point to measure next, why one is bad, and what to check there."""

from collections.abc import Mapping

from loyal_trace.core.power.findings import Explanation
from loyal_trace.core.power.rails import PathReport, PointVerdict
from loyal_trace.core.vocabulary.phrases import capital, say, template, term

_CHECK: Mapping[str, str] = {
    "capacitor": template("Measure capacitance and ESR of {part} at Plan (Ctrl+7)."),
    "bridge": template("Diode-test {part} pin by pin, power off."),
    "proved": template("Replace {part}; the step is at Plan (Ctrl+7)."),
    "fuse": template("Find out why it failed before you replace {part} with the same rating and type."),
    "regulator": template("Disconnect the load of {part} and measure its output again."),
    "short": template("Find the short before any power is applied (Alt+S)."),
    "connector": template("Clean and reseat {part}, then measure again."),
}
_CHECK_PATH = template("Measure the path to {part} and {part} itself, power off.")
_CHECK_SOURCE = template(
    "Measure {rail} where it comes in or at its regulator; described in three lines (Alt+D), it is followed from there."
)


def measure_words(wanted: PointVerdict, here: PointVerdict | None, powerless: bool) -> str:
    """The point to measure next, with its supply where another is in view, and how to get there."""
    place = wanted.point
    power = "" if place.powered else say(", power off")
    supply = say(" ({path})", path=place.path) if here is not None and place.path != here.point.path else ""
    told = place.note.removesuffix("power off").removesuffix(", ")
    note = say(": {told}", told=told) if told else ""
    jump = "" if powerless else say(" Alt+N shows it.")
    return say(
        "Measure {quantity} at {point}{supply}{power}{note}.{jump}",
        quantity=term(place.quantity),
        point=place.point,
        supply=supply,
        power=power,
        note=note,
        jump=jump,
    )


def why_bad(path: PathReport, bad: PointVerdict, culprit: Explanation | None) -> str:
    """Why a supply is wrong: what explains it, else what was read, and up to where it is good."""
    good = path.last_good
    before = say(" {point} before it is good.", point=good.point.point) if good else ""
    why = (
        say("{culprit}.", culprit=culprit.text)
        if culprit
        else say("{why}: {shown}, expected {expected}.", why=bad.why, shown=bad.shown, expected=bad.expected)
    )
    return say("{why}{before}", why=capital(why), before=before)


def part_check(kind: str, part: str) -> str:
    """What to check at a part of that kind."""
    return say(_CHECK.get(kind, _CHECK_PATH), part=part)


def source_check(rail: str) -> str:
    """What to check of a rail of which nothing but its voltage is known."""
    return say(_CHECK_SOURCE, rail=rail)
