"""What is not where it belongs: missing parts, parts on a shelf for safety, stand-ins that have to go back."""

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.assess.parts import absent
from loyal_trace.core.job.entries import OWN_PART, AnyEntry, Decided, Fitted, GaveBack, Observed, Removed
from loyal_trace.core.proving.bench import SUPPLIES, parse_supplies
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.findings import Finding
from loyal_trace.core.vocabulary.identity import PartRef, natural_key

SAFETY = "taken out to safety"


@dataclass(frozen=True)
class Away:
    """One place: `missing`, `on the shelf` or `borrowed`, and where it is or came from."""

    place: PartRef
    what: str
    where: str = ""

    @property
    def words(self) -> str:
        told = {"missing": "is missing", "on the shelf": f"lies at {self.where}",
                "borrowed": f"is a stand-in from {self.where}, to go back"}[self.what]  # fmt: skip
        return f"{self.place[1]} {told}"


def away(moment: Moment) -> tuple[Away, ...]:
    """Everything of this job that is away or on loan, by board and place."""
    state, found = moment.snapshot, []
    for place, seen in state.seen.findings.items():
        if place[0] in moment.boards and seen[-1].finding is Finding.MISSING and place not in state.parts.fitted:
            found.append(Away(place, "missing"))
    for place, out in state.parts.removed.items():
        if out.shelf and place not in state.parts.fitted:
            found.append(Away(place, "on the shelf", out.shelf))
    found += [Away(place, "borrowed", loan.lender) for place, loan in state.parts.loans.items()]
    return tuple(sorted(found, key=lambda a: (a.place[0], natural_key(a.place[1]))))


def rare_in_place(moment: Moment) -> tuple[PartRef, ...]:
    """Rare parts that sit on a board still: they come out first and get a shelf place, before any risk is taken."""
    placed = [(PartRef(b, part.refdes), part) for b, board in moment.boards.items() for part in board.parts]
    removed = moment.snapshot.parts.removed
    return tuple(
        place
        for place, part in placed
        if part.rare and part.socketed and not absent(moment, place) and place not in removed
    )


_PHRASES = (
    (re.compile(r"(\S+) (?:is )?(?:missing|robbed|gone)"), "missing"),
    (re.compile(r"(\S+) (?:is )?present"), "present"),
    (re.compile(r"(\S+) borrowed from (.+)"), "borrowed"),
    (re.compile(r"(\S+) (?:given back|returned)"), "returned"),
    (re.compile(r"(\S+) (?:to |on )?shelf (.+)"), "shelf"),
    (re.compile(r"(\S+) put back"), "put back"),
)
Decide = Callable[[re.Match[str], Moment, str], dict[str, Any]]


def _label(match: re.Match[str], moment: Moment, board: str) -> dict[str, Any]:
    where, refdes = find_place(match[1], moment, board)
    return {"board": where, "what": f"label {where}/{refdes}", "choice": match[2].strip()}


def _supplies(match: re.Match[str], moment: Moment, board: str) -> dict[str, Any]:
    return {"what": SUPPLIES, "choice": ", ".join(supply.words for supply in parse_supplies(match[1]))}


def _serial(match: re.Match[str], moment: Moment, board: str) -> dict[str, Any]:
    return {"board": board, "what": f"serial {board}", "choice": match[1].strip()}


def _amount(match: re.Match[str], moment: Moment, board: str) -> dict[str, Any]:
    return {"what": match[1].lower(), "choice": match[2].replace(",", ".")}


def _told(match: re.Match[str], moment: Moment, board: str) -> dict[str, Any]:
    return {"what": match[1].lower(), "choice": match[2].strip()}


_DECISIONS: tuple[tuple[re.Pattern[str], Decide], ...] = (
    (re.compile(r"label (\S+) (.+)", re.IGNORECASE), _label),
    (re.compile(r"(?:bench )?suppl(?:y|ies) (.+)", re.IGNORECASE), _supplies),
    (re.compile(r"serial (.+)", re.IGNORECASE), _serial),
    (re.compile(r"(value|hour rate) ([\d.,]+)", re.IGNORECASE), _amount),
    (re.compile(r"(owner|complaint)[: ] *(.+)", re.IGNORECASE), _told),
)


def parse_phrase(text: str, moment: Moment, board: str) -> tuple[type[AnyEntry], dict[str, Any]] | None:
    """The entry that a phrase stands for, as its type and fields; None when it is no such phrase.

    `5D missing`, `2B shelf box 3`, `4A borrowed from the spare set`, `4A given back`, `serial 1042`,
    `label 3A CS8-0 A`, `value 250`, `supplies 5 V 3 A, 12 V 1 A`,
    `owner …`, `complaint …`.
    RequestError for a part that no board has.
    """
    words = text.strip()
    for pattern, decide in _DECISIONS:
        match = pattern.fullmatch(words)
        if match:
            return Decided, decide(match, moment, board)
    for pattern, kind in _PHRASES:
        match = pattern.fullmatch(words)
        if match and any(letter.isdigit() for letter in match[1]):
            place = find_place(match[1], moment, board)
            return _entry(kind, place, moment, match[2].strip() if match.re.groups > 1 else "")
    return None


def find_place(refdes: str, moment: Moment, board: str) -> PartRef:
    """The place that a typed refdes means: on the board in view, else on the only other one that has it."""
    for wanted in (refdes, refdes.upper()):
        having = [b for b in (board, *moment.boards) if b in moment.boards and moment.boards[b].has(wanted)]
        if having:
            return PartRef(having[0], wanted)
    raise RequestError(f"no board of this job has a part {refdes}")


def _entry(kind: str, place: PartRef, moment: Moment, rest: str) -> tuple[type[AnyEntry], dict[str, Any]]:
    board, refdes = place
    here = {"board": board, "place": refdes}
    number = moment.part(place).number
    if kind in ("missing", "present"):
        return Observed, {**here, "finding": Finding.MISSING if kind == "missing" else Finding.PRESENT}
    if kind == "borrowed":
        return Fitted, {**here, "number": number, "origin": rest, "lender": rest}
    if kind == "returned":
        if place not in moment.snapshot.parts.loans:
            raise RequestError(f"{refdes} is not on loan")
        return GaveBack, here
    if kind == "shelf":
        return Removed, {**here, "number": number, "reason": SAFETY, "shelf": rest}
    if place not in moment.snapshot.parts.removed:
        raise RequestError(f"{refdes} was never taken out")
    return Fitted, {**here, "number": moment.snapshot.parts.removed[place].number or number, "origin": OWN_PART}
