"""What is not where it belongs: missing parts, parts on a shelf for safety, stand-ins that have to go back."""

from dataclasses import dataclass

from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.assess.parts import absent
from loyal_trace.core.vocabulary.findings import Finding
from loyal_trace.core.vocabulary.identity import PartRef, natural_key
from loyal_trace.core.vocabulary.phrases import say, term

SAFETY = say("stored safely")
# How a part came off that nobody meant to take away: something has to go in again.
KNOCKED_OFF, CUT_OUT = say("knocked off"), say("cut out")
UNASKED = (KNOCKED_OFF, CUT_OUT)


@dataclass(frozen=True)
class Away:
    """One place: `missing`, `off`, `on the shelf` or `borrowed`, and how it came off, where it is or came from."""

    place: PartRef
    what: str
    where: str = ""

    @property
    def words(self) -> str:
        told = {
            "missing": say("is missing"),
            "off": say("was {how}", how=term(self.where)),
            "on the shelf": say("is stored at {where}", where=self.where),
            "borrowed": say("is borrowed from {where} and has to go back", where=self.where),
        }[self.what]
        return say("{place} {told}", place=self.place[1], told=told)


def away(moment: Moment) -> tuple[Away, ...]:
    """Everything of this job that is away or on loan, by board and place."""
    state, found = moment.snapshot, []
    for place, seen in state.seen.findings.items():
        if place[0] in moment.boards and seen[-1].finding is Finding.MISSING and place not in state.parts.fitted:
            found.append(Away(place, "missing"))
    for place, out in state.parts.removed.items():
        if out.shelf and place not in state.parts.fitted:
            found.append(Away(place, say("on the shelf"), out.shelf))
        elif out.reason in UNASKED and place not in state.parts.fitted:
            found.append(Away(place, "off", out.reason))
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
