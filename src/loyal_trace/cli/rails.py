"""`rails check`: supply readings judged along the chain of a board."""

import argparse
from collections.abc import Iterable
from datetime import UTC, datetime, timedelta
from math import isfinite
from typing import Any

from loyal_trace.cli.output import print_json, print_table, tell
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.job.entries import Measured, number_or_overload
from loyal_trace.core.power.explain import explain
from loyal_trace.core.power.findings import Explanation
from loyal_trace.core.power.rails import PathReport, PointVerdict, judge_rails
from loyal_trace.core.power.under_load import SupplyContext
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say, term
from loyal_trace.core.vocabulary.quantities import Quantity
from loyal_trace.core.vocabulary.readings import Latest
from loyal_trace.formats.board_folder import load_board
from loyal_trace.formats.readings import Reading, read_readings
from loyal_trace.resources import chip_library, current_table

_START = datetime(2000, 1, 1, tzinfo=UTC)


def rails_check(options: argparse.Namespace) -> int:
    """Judges readings; 1 when any point is not good."""
    board = load_board(options.board, chip_library())
    if not board.chain:
        raise RequestError(
            say("{title} has no supply chain; add [[chain]] points to its board.toml", title=board.title)
        )
    latest = _latest(board, read_readings(options.readings, board))
    draw = current_table().draw(board.chips)
    report = judge_rails(board.id, board, latest, options.limits, draw)
    said = {path.path: explain(board, path, SupplyContext(draw=draw)) for path in report.paths}
    if options.json:
        print_json(_document(board, report.paths, said))
    else:
        _print(board, report.paths, said)
    return 0 if all(p.verdict in ("good", "not measured") for p in report.points) else 1


def _latest(board: BoardDefinition, readings: Iterable[Reading]) -> Latest:
    """The newest reading of each point and quantity, as in a job that holds these and nothing else."""
    taken: dict[tuple[str, str], Measured] = {}
    for number, reading in enumerate(readings):
        value, overload = number_or_overload(reading.value)
        taken[(reading.point.point, reading.point.quantity)] = Measured(
            id=f"r{number}",
            time=_START + timedelta(seconds=number),
            board=board.id,
            place=reading.point.point,
            quantity=Quantity(reading.point.quantity),
            value=value,
            overload=overload,
            powered=reading.point.powered,
        )
    return lambda point, quantity: taken.get((point, quantity))


def _finite(value: float) -> float | None:
    return value if isfinite(value) else None


def _point(point: PointVerdict) -> dict[str, Any]:
    reading = point.reading
    return {
        "path": point.point.path,
        "point": point.point.point,
        "quantity": point.point.quantity,
        "part": point.point.part,
        "value": reading.value if reading else None,
        "overload": bool(reading and reading.overload),
        "low": _finite(point.limits.low),
        "high": _finite(point.limits.high),
        "limits_from": point.limits.source or say("the board"),
        "verdict": point.verdict,
        "reason": point.why,
    }


def _boundary(path: PathReport) -> dict[str, Any] | None:
    bad, good = path.first_bad, path.last_good
    if bad is None:
        return None
    return {
        "path": path.path,
        "last_good": good.point.point if good else None,
        "first_bad": bad.point.point,
        "quantity": bad.point.quantity,
        "part": bad.point.part,
    }


def _document(
    board: BoardDefinition, paths: tuple[PathReport, ...], said: dict[str, tuple[Explanation, ...]]
) -> dict[str, Any]:
    boundaries = [found for path in paths if (found := _boundary(path))]
    return {
        "board": board.id,
        "points": [_point(p) for path in paths for p in path.points],
        "boundary": boundaries[0] if boundaries else None,
        "boundaries": boundaries,
        "explanation": [
            {"path": path, "part": line.part, "kind": line.kind, "text": line.text}
            for path, lines in said.items()
            for line in lines
        ],
    }


def _print(board: BoardDefinition, paths: tuple[PathReport, ...], said: dict[str, tuple[Explanation, ...]]) -> None:
    for path in paths:
        tell(say("{title}{path}", title=board.title, path=", " + path.path if path.path else ""))
        rows = [
            (say("  {point}", point=p.point.point), p.point.quantity, p.shown, p.verdict, p.expected, p.why)
            for p in path.points
        ]
        print_table(rows)
        bad, good = path.first_bad, path.last_good
        if bad:
            tell(
                say("  first bad: {point}", point=bad.point.point)
                + (say(", after {point} was good", point=good.point.point) if good else "")
            )
        for line in said[path.path]:
            tell(say("  {kind}: {line}", kind=term(line.kind), line=line.text))
