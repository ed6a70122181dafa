"""Which rails are bad, which blocks of the board that takes down, and which symptoms it explains."""

from dataclasses import dataclass

from loyal_trace.core.boards.model import Block, BoardDefinition
from loyal_trace.core.power.rails import RailReport
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.quantities import GROUND


@dataclass(frozen=True)
class DeadBlock:
    """A block that cannot work, the bad rails that it needs, and the symptoms that this explains."""

    block: Block
    rails: tuple[str, ...]

    @property
    def words(self) -> str:
        needs = say(
            "{block} needs {rails}: its parts are not suspected while that is bad",
            block=self.block.name,
            rails=joined(say(" and "), self.rails),
        )
        return needs + (
            say("; explains “{symptoms}”", symptoms=joined("”, “", self.block.symptoms)) if self.block.symptoms else ""
        )


def dead_rails(board: BoardDefinition, report: RailReport) -> tuple[str, ...]:
    """Rails whose path stops being right: at the far end itself, or open or shorted on the way there.

    A reading that is off but still leaves the far end good (a high ripple) kills no rail.
    """
    found = []
    for rail in board.rails:
        path = next((p for p in report.paths if any(q.point.point == rail.far for q in p.points)), None)
        if path is None:
            continue
        # Resistance to ground at the far end is no voltage: it counts among the cuts.
        ends = [p for p in path.points if p.point.point == rail.far and p.point.quantity not in GROUND]
        cut = [p for p in path.points if p.verdict == "bad" and (p.point.quantity in GROUND or p.overload)]
        measured = [p for p in ends if p.reading is not None]
        if any(p.verdict == "bad" for p in ends) or (cut and not measured):
            found.append(rail.name)
    return tuple(found)


def dead_blocks(board: BoardDefinition, report: RailReport) -> tuple[DeadBlock, ...]:
    """The blocks that need a bad rail."""
    bad = dead_rails(board, report)
    needing = [(block, tuple(r for r in block.rails if r in bad)) for block in board.blocks]
    return tuple(DeadBlock(block, rails) for block, rails in needing if rails)
