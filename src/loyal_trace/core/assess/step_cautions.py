"""Which cautions stand at a step: by what the part is, how it is held, and whether the mains feeds its supply."""

from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.boards.cells import chemistry_of
from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.power.guard import is_mains_fed
from loyal_trace.core.vocabulary.cautions import Caution
from loyal_trace.core.vocabulary.identity import PartRef

_STATIC_KINDS = ("chip", "transistor", "amplifier", "regulator")
COATING_DECISION, COATED = "coating of ", "coated"
_HELD = ("cell", "fuse")
_MOVES = ("rescue", "put-back", "give-back")


def cautions_at(moment: Moment, place: PartRef, kind: str) -> tuple[Caution, ...]:
    """The cautions of a step of some kind at a part: what can kill first, then burns, then spoiled parts."""
    if not moment.has(place):
        return (Caution.STATIC,)  # a part of no board in this job: what it is, nobody has said
    part, board = moment.part(place), moment.boards[place.board]
    found: list[Caution] = []
    if in_mains_supply(board, part):
        found += [Caution.MAINS, Caution.RESERVOIR]
    if part.kind == "cell":
        found.append(chemistry_of(board, part.refdes).caution)
    if part.kind == "fuse":
        found.append(Caution.FUSE)
    if part.kind == "capacitor" and part.polarised:
        found.append(Caution.POLARITY)
    if not part.socketed and part.kind not in _HELD and kind not in _MOVES:
        found += [Caution.SOLDERING, Caution.LEAD, Caution.CUT_LEADS]
        found += [Caution.ALCOHOL] if is_coated(moment, place.board) else []
    if part.kind in _STATIC_KINDS:
        found.append(Caution.STATIC)
    return tuple(found)


def is_coated(moment: Moment, board: str) -> bool:
    """Is there a lacquer over the board, that solvents take off?"""
    return moment.snapshot.decision(f"{COATING_DECISION}{board}") == COATED


def in_mains_supply(board: BoardDefinition, part: Part) -> bool:
    """Does the part belong to a supply that a mains transformer feeds?

    Chips that the supply only feeds do not: their pins carry the regulated voltage.
    """
    if part.kind in ("chip", "transistor"):
        return False
    paths = {p.path for p in board.chain if p.part == part.refdes}
    paths |= {s.path for s in board.supplies if part.refdes in (s.reservoir, s.crowbar)}
    return any(is_mains_fed(board, path) for path in paths)
