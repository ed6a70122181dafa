"""What has to fit together in a board folder: names that exist, supplies and limits that make sense, marks, clocks."""

from collections.abc import Collection, Mapping
from typing import Any

from loyal_trace.core.boards.cells import Chemistry, chemistry_named
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.power.expected import limits_at
from loyal_trace.core.power.formulas import reservoir
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import joined, say
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
                        what = say(
                            "[[{name}]] names {kind} {one}, which this board does not have",
                            name=name,
                            kind=key.rstrip("s"),
                            one=one,
                        )
                        reader.bad(
                            "board.toml", line_of(text, name, index, key), what, say("correct the name or add it")
                        )


def check_chain(reader: DefectReader, text: str, board: BoardDefinition) -> None:
    """Supplies and cells make sense; every chain point has limits, its own or computed from how its path is fed."""
    for index, cell in enumerate(board.cells):
        if cell.chemistry and chemistry_named(cell.chemistry) is None:
            known = joined(", ", (one.value for one in Chemistry if one is not Chemistry.UNKNOWN))
            what = say(
                "the cell {part} is of unknown chemistry “{chemistry}”", part=cell.part, chemistry=cell.chemistry
            )
            reader.bad(
                "board.toml",
                line_of(text, "cell", index, "chemistry"),
                what,
                say("known: {known}; or leave it out", known=known),
            )
    for index, supply in enumerate(board.supplies):
        if supply.dc > 0 and not supply.ac_rms:
            continue
        try:
            reservoir(supply.ac_rms, supply.diode_drop, supply.rectifier, supply.current, 1e-3, supply.mains)
        except RequestError as error:
            what = say("the supply of path “{path}”: {error}", path=supply.path, error=error)
            reader.bad("board.toml", line_of(text, "supply", index), what, say("correct the value"))
    for index, point in enumerate(board.chain):
        line = line_of(text, "chain", index)
        if (point.low is None) != (point.high is None):
            reader.bad(
                "board.toml",
                line,
                say("{point} has only one of low and high", point=point.point),
                say("give both, or neither"),
            )
            continue
        try:
            found = limits_at(board, point)
        except RequestError as error:
            reader.bad("board.toml", line, str(error), say("give low and high, or describe the [[supply]] of its path"))
            continue
        if found.low > found.high:
            reader.bad("board.toml", line, say("{point}: low is above high", point=point.point), say("exchange them"))


def check_marks(reader: DefectReader, text: str, board: BoardDefinition) -> None:
    """Every answer to a mark names revisions that the board has; warnings belong to answers."""
    known = {"board": board.revisions, "firmware": board.firmwares}
    for index, mark in enumerate(board.marks):
        line = line_of(text, "mark", index)
        if mark.of not in known:
            reader.bad(
                "board.toml",
                line,
                say("mark “{mark}” is of “{of}”", mark=mark.name, of=mark.of),
                say("write board or firmware"),
            )
            continue
        if mark.where and not board.has(mark.where):
            reader.bad(
                "board.toml",
                line,
                say("mark “{mark}” is at {where}, which parts.csv does not list", mark=mark.name, where=mark.where),
                say("add it"),
            )
        named = {revision for answer in mark.answers for revision in mark.allowed(answer)}
        for revision in sorted(named - set(known[mark.of])):
            what = say(
                "mark “{mark}” names {of} revision {revision}, which [board] does not list",
                mark=mark.name,
                of=mark.of,
                revision=revision,
            )
            reader.bad("board.toml", line, what, say("add the revision or correct it"))
        for answer in sorted(set(mark.warn) - set(mark.answers)):
            reader.bad(
                "board.toml",
                line,
                say("mark “{mark}” warns of an answer “{answer}” it does not have", mark=mark.name, answer=answer),
                say("add it"),
            )
        if any(other.name == mark.name for other in board.marks[:index]):
            reader.bad(
                "board.toml",
                line,
                say("mark “{mark}” is listed twice", mark=mark.name),
                say("give each a name of its own"),
            )
