"""Parts lists and netlists as facts of a board: every part and net an entry with its origin."""

from collections.abc import Collection, Mapping

from loyal_trace.app.imported import Imports
from loyal_trace.app.job import OpenJob
from loyal_trace.core.job.entries import (
    OWN_BOARD,
    Entry,
    Net,
    NetsTold,
    OutlineTold,
    PartTold,
)
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.units import count_of
from loyal_trace.formats.netlists import Netlist
from loyal_trace.formats.part_table import listed_parts
from loyal_trace.formats.tables import PartTable


def part_facts(job: OpenJob, table: PartTable, columns: Mapping[str, int], source: str, board: str = "") -> Imports:
    """Every part of a list as a fact, not recorded yet; what was not understood is named. Errors as `listed_parts`."""
    listed = listed_parts(table, columns, source, job.library)
    board = board or _board_listed(job, listed.rows)
    entries: list[Entry] = [_part_fact(job, board, row, source) for row in listed.rows.values()]
    done = [say("{source}: {parts} imported", source=source, parts=count_of(len(entries), "part"))]
    done += [say("{source}, {unclear}", source=source, unclear=one) for one in listed.unclear]
    return Imports(done, entries)


def net_facts(job: OpenJob, listed: Netlist, source: str, board: str = "") -> Imports:
    """Everything of a netlist as facts, not recorded yet, and what could not be used."""
    places = {*listed.parts, *(refdes for pins in listed.nets.values() for refdes, _ in pins)}
    board = board or _board_listed(job, places)
    entries: list[Entry] = [_part_fact(job, board, row, source, "netlist") for row in listed.parts.values()]
    if listed.outline is not None:
        width, height = listed.outline
        told = {"width": width, "height": height, "origin": "netlist", "source": source}
        entries.append(job.make(OutlineTold, board=board, **told))
    nets = tuple(Net(name=name, pins=tuple(pins)) for name, pins in listed.nets.items())
    entries.append(job.make(NetsTold, board=board, source=source, nets=nets))
    unused = [say("{source}, not used: {unused}", source=source, unused=one) for one in listed.unused]
    return Imports([say("{source}: {words}", source=source, words=listed.words), *unused], entries)


def _board_listed(job: OpenJob, places: Collection[str]) -> str:
    """The board that a list without a board's name is of: the job's only one, if it can be; else the own board."""
    if len(job.boards) != 1:
        return OWN_BOARD
    only, board = next(iter(job.boards.items()))
    here = {part.refdes.casefold() for part in board.parts}
    return only if only not in job.defined or any(place.casefold() in here for place in places) else OWN_BOARD


def _part_fact(job: OpenJob, board: str, row: Mapping[str, str], source: str, origin: str = "list") -> PartTold:
    def number(name: str) -> float | None:
        return float(row[name]) if row.get(name) else None

    placed = "x" in row and "y" in row
    turned = round(number("rotation") or 0) // 90 * 90 % 360
    known = job.boards.get(board)
    names = {part.refdes.casefold(): part.refdes for part in known.parts} if known is not None else {}
    return job.make(
        PartTold,
        board=board,
        place=names.get(row["refdes"].casefold(), row["refdes"]),
        number=row["part"],
        sort=row["kind"],
        value=number("value"),
        voltage=number("voltage"),
        technology=row.get("technology", ""),
        polarised=True if row.get("polarised") == "yes" else None,
        socketed=True if row.get("socketed") == "yes" else None,
        package=row.get("package", ""),
        pitch=number("pitch"),
        diameter=number("diameter"),
        room=number("room_diameter"),
        height=number("room_height"),
        role=row.get("role", ""),
        x=number("x") if placed else None,
        y=number("y") if placed else None,
        rotation=turned if placed else None,
        origin=origin,
        source=source,
    )
