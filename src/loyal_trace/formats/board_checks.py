"""What has to fit together in a board folder: names that exist, supplies and limits that make sense, marks, clocks."""

from collections.abc import Collection, Mapping
from typing import Any

from loyal_trace.core.boards.cells import Chemistry, chemistry_named
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.power.expected import limits_at
from loyal_trace.core.power.formulas import reservoir
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.formats.board_defects import DefectReader, line_of

_REFERENCES = {
    "block": ("parts", "rails"),
    "self_test": ("parts",),
    "service": ("refdes",),
    "chain": ("part",),
    "supply": ("reservoir", "crowbar", "shares_sink_with"),
    "clock": ("part", "net", "c1", "c2"),
    "cell": ("part", "holder", "decoupling"),
    "reset": ("part", "resistor", "capacitor"),
    "rail": ("net",),
    "siblings": ("parts",),
}


def _dicts(table: dict[str, Any], name: str) -> dict[int, dict[str, Any]]:
    """The items of a `[[table]]` that have the right shape, by their number."""
    items = table.get(name)
    return {n: i for n, i in enumerate(items) if isinstance(i, dict)} if isinstance(items, list) else {}


def check_references(
    reader: DefectReader, text: str, table: dict[str, Any], parts: Mapping[str, Any], nets: Mapping[str, Any]
) -> None:
    """Every part, rail and net that board.toml mentions has to exist."""
    rails = {str(r.get("name")) for r in _dicts(table, "rail").values()}
    known: dict[str, Collection[str]] = {"rails": rails, "net": nets}
    for name, keys in _REFERENCES.items():
        for index, item in _dicts(table, name).items():
            for key in keys:
                value = item.get(key, ())
                wanted = [value] if isinstance(value, str) else value if isinstance(value, list) else []
                for one in wanted:
                    if one and one not in known.get(key, parts) and not (key == "net" and not nets):
                        what = f"[[{name}]] names {key.rstrip('s')} {one}, which this board does not have"
                        reader.bad("board.toml", line_of(text, name, index, key), what, "correct the name or add it")


def check_chain(reader: DefectReader, text: str, board: BoardDefinition) -> None:
    """Supplies and cells make sense; every chain point has limits, its own or computed from how its path is fed."""
    for index, cell in enumerate(board.cells):
        if cell.chemistry and chemistry_named(cell.chemistry) is None:
            known = ", ".join(one.value for one in Chemistry if one is not Chemistry.UNKNOWN)
            what = f"the cell {cell.part} is of unknown chemistry “{cell.chemistry}”"
            reader.bad(
                "board.toml", line_of(text, "cell", index, "chemistry"), what, f"known: {known}; or leave it out"
            )
    for index, supply in enumerate(board.supplies):
        if supply.dc > 0 and not supply.ac_rms:
            continue
        try:
            reservoir(supply.ac_rms, supply.diode_drop, supply.rectifier, supply.current, 1e-3, supply.mains)
        except RequestError as error:
            what = f"the supply of path “{supply.path}”: {error}"
            reader.bad("board.toml", line_of(text, "supply", index), what, "correct the value")
    for index, point in enumerate(board.chain):
        line = line_of(text, "chain", index)
        if (point.low is None) != (point.high is None):
            reader.bad("board.toml", line, f"{point.point} has only one of low and high", "give both, or neither")
            continue
        try:
            found = limits_at(board, point)
        except RequestError as error:
            reader.bad("board.toml", line, str(error), "give low and high, or describe the [[supply]] of its path")
            continue
        if found.low > found.high:
            reader.bad("board.toml", line, f"{point.point}: low is above high", "exchange them")


def check_marks(reader: DefectReader, text: str, board: BoardDefinition) -> None:
    """Every answer to a mark names revisions that the board has; warnings belong to answers."""
    known = {"board": board.revisions, "firmware": board.firmwares}
    for index, mark in enumerate(board.marks):
        line = line_of(text, "mark", index)
        if mark.of not in known:
            reader.bad("board.toml", line, f"mark “{mark.name}” is of “{mark.of}”", "write board or firmware")
            continue
        if mark.where and not board.has(mark.where):
            reader.bad(
                "board.toml", line, f"mark “{mark.name}” is at {mark.where}, which parts.csv does not list", "add it"
            )
        named = {revision for answer in mark.answers for revision in mark.allowed(answer)}
        for revision in sorted(named - set(known[mark.of])):
            what = f"mark “{mark.name}” names {mark.of} revision {revision}, which [board] does not list"
            reader.bad("board.toml", line, what, "add the revision or correct it")
        for answer in sorted(set(mark.warn) - set(mark.answers)):
            reader.bad(
                "board.toml", line, f"mark “{mark.name}” warns of an answer “{answer}” it does not have", "add it"
            )
        if any(other.name == mark.name for other in board.marks[:index]):
            reader.bad("board.toml", line, f"mark “{mark.name}” is listed twice", "give each a name of its own")
