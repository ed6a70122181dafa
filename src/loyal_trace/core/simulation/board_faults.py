"""What can be wrong with a simulated board, as it is typed: pins, dead chips, memory cells, nets that touch."""

import re
from dataclasses import dataclass

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.chips.model import ChipType
from loyal_trace.core.simulation.netlist import Bridge, PinFault
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say


@dataclass(frozen=True)
class BoardFault:
    """Something wrong with a board: pins, nets that touch, memory cells (refdes, offset, bit, level)."""

    pins: tuple[PinFault, ...] = ()
    bridges: tuple[Bridge, ...] = ()
    cells: tuple[tuple[str, int, int, int], ...] = ()


def fault_of(text: str, board: BoardDefinition, library: ChipLibrary) -> BoardFault:
    """What a fault as typed is on a board; RequestError lists the kinds for one that is none of them.

    `4E.13 stuck 0`, `4E.13 open`, `4E.13 slow`, `4E.13 leaky`, `4E dead`, `6C cell 1A3.4 stuck 1` (offset in
    hexadecimal, bit), `NET1 bridge NET2` with `or` or `strong` behind it, `NET1 missing` (a clock that does not come).
    """
    words = " ".join(text.split())
    for pattern, made in _KINDS:
        match = pattern.fullmatch(words)
        if match is not None:
            return made(match, board, library)
    raise RequestError(say("“{text}” is not a fault: write {kinds}", text=text, kinds=FAULT_FORMS))


FAULT_FORMS = (
    "REFDES.PIN stuck 0 | stuck 1 | open | slow | leaky, REFDES dead, REFDES cell OFFSET.BIT stuck 0 | stuck 1, "
    "NET bridge NET [or | strong], NET missing"
)


def _chip_at(refdes: str, board: BoardDefinition, library: ChipLibrary) -> ChipType:
    if not board.has(refdes) or not library.knows(board.part(refdes).number):
        raise RequestError(say("there is no chip {refdes} of a known type on this board", refdes=refdes))
    return library.find(board.part(refdes).number)


def _pin_fault(match: re.Match[str], board: BoardDefinition, library: ChipLibrary) -> BoardFault:
    refdes, pin, kind = match[1], match[2], match[3].lower()
    chip = _chip_at(refdes, board, library)
    number = int(pin) if pin.isdecimal() else chip.pin(pin.upper()).number
    role = chip.pin_number(number).role
    if role not in ("input", "output", "bidirectional"):
        raise RequestError(say("{refdes}.{pin} is not a signal pin", refdes=refdes, pin=pin))
    if kind == "open":
        # An open input of a CMOS family may read as anything; low is the case that a probe beside it does not show.
        return BoardFault((PinFault(refdes, number, "open", int(chip.family.open_input_is_high or role != "input")),))
    if kind in ("slow", "leaky"):
        if kind == "slow" and role == "input":
            raise RequestError(say("{refdes}.{pin} is an input: only an output can be slow", refdes=refdes, pin=pin))
        return BoardFault((PinFault(refdes, number, kind, 0),))
    return BoardFault((PinFault(refdes, number, "input-stuck" if role == "input" else "output-stuck", int(kind[-1])),))


def _dead(match: re.Match[str], board: BoardDefinition, library: ChipLibrary) -> BoardFault:
    chip = _chip_at(match[1], board, library)
    return BoardFault(tuple(PinFault(match[1], pin.number, "open", 1) for pin in chip.output_pins))


def _cell(match: re.Match[str], board: BoardDefinition, library: ChipLibrary) -> BoardFault:
    memory = _chip_at(match[1], board, library).memory
    offset, bit = int(match[2], 16), int(match[3])
    if memory is None or offset >> len(memory.address) or bit >= len(memory.data):
        raise RequestError(say("{refdes} has no cell {cell}", refdes=match[1], cell=f"{match[2]}.{match[3]}"))
    return BoardFault(cells=((match[1], offset, bit, int(match[4])),))


def _bridge(match: re.Match[str], board: BoardDefinition, library: ChipLibrary) -> BoardFault:
    for net in (match[1], match[2]):
        if net not in dict(board.nets):
            raise RequestError(say("there is no net {net} on this board", net=net))
    return BoardFault(bridges=(Bridge(match[1], match[2], (match[3] or "and").lower()),))


def _missing(match: re.Match[str], board: BoardDefinition, library: ChipLibrary) -> BoardFault:
    if match[1] not in dict(board.nets):
        raise RequestError(say("there is no net {net} on this board", net=match[1]))
    return BoardFault(bridges=(Bridge("GND", match[1], "strong"),))


_KINDS = (
    (re.compile(r"(\S+)\.(\S+) (stuck [01]|open|slow|leaky)", re.IGNORECASE), _pin_fault),
    (re.compile(r"(\S+) dead", re.IGNORECASE), _dead),
    (re.compile(r"(\S+) cell ([0-9A-F]+)\.(\d+) stuck ([01])", re.IGNORECASE), _cell),
    (re.compile(r"(\S+) bridge (\S+?)(?: (and|or|strong))?", re.IGNORECASE), _bridge),
    (re.compile(r"(\S+) missing", re.IGNORECASE), _missing),
)
