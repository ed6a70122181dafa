"""The chemistry of back-up cells: as it was entered, as the board file says, or as the printed designation tells."""

import re
from enum import StrEnum

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.vocabulary.cautions import Caution
from loyal_trace.core.vocabulary.phrases import joined


class Chemistry(StrEnum):
    """What a cell is made of. Advice on charging, leaking and disposal follows from it."""

    LITHIUM = "lithium"
    LITHIUM_RECHARGEABLE = "lithium rechargeable"
    NICD = "NiCd"
    NIMH = "NiMH"
    ALKALINE = "alkaline"
    LEAD = "lead"
    UNKNOWN = "unknown"

    @property
    def caution(self) -> Caution:
        """The caution that stands at such a cell."""
        return _CAUTIONS[self]

    @property
    def leaks(self) -> Caution | None:
        """What comes out when it leaks; None where it is not known."""
        return _LEAKS.get(self)


_CAUTIONS = {
    Chemistry.LITHIUM: Caution.CELL_LITHIUM,
    Chemistry.LITHIUM_RECHARGEABLE: Caution.CELL_LITHIUM_RECHARGEABLE,
    Chemistry.NICD: Caution.CELL_NICD,
    Chemistry.NIMH: Caution.CELL_NIMH,
    Chemistry.ALKALINE: Caution.CELL_ALKALINE,
    Chemistry.LEAD: Caution.CELL_LEAD,
    Chemistry.UNKNOWN: Caution.CELL_UNKNOWN,
}
_LEAKS = {
    Chemistry.NICD: Caution.LEAKED_ALKALI,
    Chemistry.NIMH: Caution.LEAKED_ALKALI,
    Chemistry.ALKALINE: Caution.LEAKED_ALKALI,
    Chemistry.LEAD: Caution.LEAKED_ACID,
}
_NAMES = {
    Chemistry.LITHIUM_RECHARGEABLE: r"(?:rechargeable\s+lithium|lithium\s+rechargeable|li-?ion)",
    Chemistry.LITHIUM: r"(?:primary\s+lithium|lithium(?:\s+primary)?)",
    Chemistry.NICD: r"(?:ni-?cad|ni-?cd|nickel[\s-]cadmium)",
    Chemistry.NIMH: r"(?:ni-?mh|nickel[\s-]metal[\s-]hydride)",
    Chemistry.ALKALINE: r"alkaline",
    Chemistry.LEAD: r"lead(?:[\s-]acid)?",
}
# Letters of the designations printed on cells: IEC 60086-1 and -3 for primary, IEC 61951 and 61960 for others.
_DESIGNATIONS = {
    Chemistry.LITHIUM: r"(?:CR|BR)\d{3,5}\w*",
    Chemistry.LITHIUM_RECHARGEABLE: r"(?:ML|VL|LIR|ICR|INR)\d{3,5}\w*",
    Chemistry.ALKALINE: r"(?:[468]?LR\d{1,3}\w*)",
    Chemistry.NICD: r"(?:KR|KB)\d+\S*",
    Chemistry.NIMH: r"HR\d+\S*",
}
CHEMISTRY_WORDS = "|".join(_NAMES.values())


def chemistry_named(text: str) -> Chemistry | None:
    """The chemistry that words (`NiCd`, `lithium`) or a printed designation (`CR2032`) say; None for neither."""
    words = joined(" ", text.split())
    for pattern_of in (_NAMES, _DESIGNATIONS):
        for chemistry, pattern in pattern_of.items():
            if re.fullmatch(pattern, words, re.IGNORECASE):
                return chemistry
    return None


def chemistry_of(board: BoardDefinition, refdes: str) -> Chemistry:
    """The chemistry of the cell in a place: what was entered counts before the file, and both before the marking."""
    part = board.part(refdes) if board.has(refdes) else None
    said = chemistry_named(part.technology) if part is not None else None
    filed = next((chemistry_named(cell.chemistry) for cell in board.cells if cell.part == refdes), None)
    marked = [chemistry_named(word) for word in part.number.split()] if part is not None else []
    return said or filed or next((found for found in marked if found), None) or Chemistry.UNKNOWN
