"""What is not where it belongs: missing parts, parts on a shelf for safety, stand-ins that have to go back."""

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from loyal_trace.core.boards.model import natural_key
from loyal_trace.core.case import MISSING, Case
from loyal_trace.core.errors import RequestError
from loyal_trace.core.logbook.entries import OWN_PART, AnyEntry, Decided, Fitted, GaveBack, Observed, Removed
from loyal_trace.core.logbook.state import Place
from loyal_trace.core.proving.bench import SUPPLIES, parse_supplies

SAFETY = "taken out to safety"
PRESENT = "present"


@dataclass(frozen=True)
class Away:
    """One place: `missing`, `on the shelf` or `borrowed`, and where it is or came from."""

    place: Place
    what: str
    where: str = ""

    @property
    def words(self) -> str:
        told = {"missing": "is missing", "on the shelf": f"lies at {self.where}",
                "borrowed": f"is a stand-in from {self.where}, to go back"}[self.what]  # fmt: skip
        return f"{self.place[1]} {told}"


def away(case: Case) -> tuple[Away, ...]:
    """Everything of this job that is away or on loan, by board and place."""
    state, found = case.state, []
    for place, seen in state.findings.items():
        if place[0] in case.boards and seen[-1].finding == MISSING and place not in state.fitted:
            found.append(Away(place, "missing"))
    for place, out in state.removed.items():
        if out.shelf and place not in state.fitted:
            found.append(Away(place, "on the shelf", out.shelf))
    found += [Away(place, "borrowed", loan.lender) for place, loan in state.loans.items()]
    return tuple(sorted(found, key=lambda a: (a.place[0], natural_key(a.place[1]))))


def rare_in_place(case: Case) -> tuple[Place, ...]:
    """Rare parts that sit on a board still: they come out first and get a shelf place, before any risk is taken."""
    return tuple(
        (board_id, part.refdes)
        for board_id, board in case.boards.items()
        for part in board.parts
        if part.rare
        and part.socketed
        and not case.absent((board_id, part.refdes))
        and (board_id, part.refdes) not in case.state.removed
    )


_PHRASES = (
    (re.compile(r"(\S+) (?:is )?(?:missing|robbed|gone)"), "missing"),
    (re.compile(r"(\S+) (?:is )?present"), "present"),
    (re.compile(r"(\S+) borrowed from (.+)"), "borrowed"),
    (re.compile(r"(\S+) (?:given back|returned)"), "returned"),
    (re.compile(r"(\S+) (?:to |on )?shelf (.+)"), "shelf"),
    (re.compile(r"(\S+) put back"), "put back"),
)
Decide = Callable[[re.Match[str], Case, str], dict[str, Any]]


def _label(match: re.Match[str], case: Case, board: str) -> dict[str, Any]:
    where, refdes = find_place(match[1], case, board)
    return {"board": where, "what": f"label {where}/{refdes}", "choice": match[2].strip()}


def _supplies(match: re.Match[str], case: Case, board: str) -> dict[str, Any]:
    return {"what": SUPPLIES, "choice": ", ".join(supply.words for supply in parse_supplies(match[1]))}


def _serial(match: re.Match[str], case: Case, board: str) -> dict[str, Any]:
    return {"board": board, "what": f"serial {board}", "choice": match[1].strip()}


def _amount(match: re.Match[str], case: Case, board: str) -> dict[str, Any]:
    return {"what": match[1].lower(), "choice": match[2].replace(",", ".")}


def _told(match: re.Match[str], case: Case, board: str) -> dict[str, Any]:
    return {"what": match[1].lower(), "choice": match[2].strip()}


_DECISIONS: tuple[tuple[re.Pattern[str], Decide], ...] = (
    (re.compile(r"label (\S+) (.+)", re.IGNORECASE), _label),
    (re.compile(r"(?:bench )?suppl(?:y|ies) (.+)", re.IGNORECASE), _supplies),
    (re.compile(r"serial (.+)", re.IGNORECASE), _serial),
    (re.compile(r"(value|hour rate) ([\d.,]+)", re.IGNORECASE), _amount),
    (re.compile(r"(owner|complaint)[: ] *(.+)", re.IGNORECASE), _told),
)


def parse_phrase(text: str, case: Case, board: str) -> tuple[type[AnyEntry], dict[str, Any]] | None:
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
            return Decided, decide(match, case, board)
    for pattern, kind in _PHRASES:
        match = pattern.fullmatch(words)
        if match and any(letter.isdigit() for letter in match[1]):
            place = find_place(match[1], case, board)
            return _entry(kind, place, case, match[2].strip() if match.re.groups > 1 else "")
    return None


def find_place(refdes: str, case: Case, board: str) -> Place:
    """The place that a typed refdes means: on the board in view, else on the only other one that has it."""
    for wanted in (refdes, refdes.upper()):
        having = [b for b in (board, *case.boards) if b in case.boards and case.boards[b].has(wanted)]
        if having:
            return having[0], wanted
    raise RequestError(f"no board of this job has a part {refdes}")


def _entry(kind: str, place: Place, case: Case, rest: str) -> tuple[type[AnyEntry], dict[str, Any]]:
    board, refdes = place
    here = {"board": board, "place": refdes}
    number = case.part(place).number
    if kind in ("missing", "present"):
        return Observed, {**here, "finding": MISSING if kind == "missing" else PRESENT}
    if kind == "borrowed":
        return Fitted, {**here, "number": number, "origin": rest, "lender": rest}
    if kind == "returned":
        if place not in case.state.loans:
            raise RequestError(f"{refdes} is not on loan")
        return GaveBack, here
    if kind == "shelf":
        return Removed, {**here, "number": number, "reason": SAFETY, "shelf": rest}
    if place not in case.state.removed:
        raise RequestError(f"{refdes} was never taken out")
    return Fitted, {**here, "number": case.state.removed[place].number or number, "origin": OWN_PART}
