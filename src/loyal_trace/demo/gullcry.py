"""Gullcry SB-2, a sound board known only from a parts list and two photos, in mid-repair.

The simulated bench has the real board: where its parts are and which of them each sound needs. The job has neither.
"""

from collections.abc import Callable, Mapping
from dataclasses import replace
from datetime import UTC, datetime
from importlib.resources import files

import numpy as np

from loyal_trace.core.boards.model import BoardDefinition, FunctionPath, Part
from loyal_trace.core.boards.outline import pin_places
from loyal_trace.core.boards.placing import cornered, laid_over, placed
from loyal_trace.core.job.entries import (
    OWN_BOARD,
    Decided,
    Entry,
    FunctionSeen,
    NamedPart,
    Observed,
    OutlineTold,
    PartTold,
    PathTold,
    PhotoAligned,
    Photographed,
    PhotoPoint,
    Swapped,
    SymptomSeen,
)
from loyal_trace.core.simulation.bench import Drive, SimulatedBench, SupplyModel
from loyal_trace.demo.camera import camera_matrix, photograph
from loyal_trace.demo.common import DemoJob, hidden_table, read_fault
from loyal_trace.formats.part_table import guess_columns, listed_parts
from loyal_trace.formats.photos import upright
from loyal_trace.formats.tables import read_table
from loyal_trace.resources import chip_library
from loyal_trace.store.store import Store

GULLCRY_JOB = "gp-0161"
LIST = "sb-2.csv"
FRONT, BACK = "SB-2 A.jpg", "SB-2 B.jpg"
_WORKED_FROM = datetime(2026, 11, 23, 15, 40, tzinfo=UTC)
_WIDTH, _HEIGHT = 168.0, 122.0
# Where the parts really are (mm) and how they lie; the job learns of some of them from the photo.
_PLACES: Mapping[str, tuple[float, float, int]] = {
    "U1": (30, 24, 0),
    "U2": (68, 24, 0),
    "U3": (104, 24, 0),
    "U4": (31, 48, 0),
    "U5": (59, 48, 0),
    "U6": (88, 48, 0),
    "U7": (64, 76, 0),
    "U8": (30, 76, 0),
    "U9": (118, 48, 0),
    "U10": (98, 76, 0),
    "U11": (128, 76, 0),
    "U12": (128, 98, 0),
    "C1": (150, 26, 0),
    "C2": (150, 44, 0),
    "C3": (46, 62, 0),
    "C4": (78, 62, 0),
    "C5": (112, 62, 0),
    "C6": (50, 90, 0),
    "C7": (143, 88, 0),
    "C8": (150, 108, 0),
    "C9": (82, 90, 0),
    "Q1": (64, 96, 0),
    "Q2": (74, 96, 0),
    "Q3": (84, 96, 0),
    "VR1": (96, 96, 0),
    "VR2": (110, 98, 0),
    "J1": (12, 92, 90),
    "J2": (152, 68, 90),
    "Z1": (36, 98, 0),
}
_PATHS: Mapping[str, str] = {
    "bell": "U1 U4 U7 U9 U12 J2",
    "foghorn": "U1 U5 U7 U10 U12 J2",
    "thunder": "U2 U3 U6 U7 C7 U11 U12 J2",
    "gull cry": "U1 U4 U8 U9 U12 J2",
    "waves": "U2 U3 U6 U8 U10 U12 J2",
    "engine": "U2 U5 U8 U10 U12 J2",
}
# What the person took from the schematic of another board of that maker: the path of thunder without its capacitor.
_TOLD = {**_PATHS, "thunder": "U2 U3 U6 U7 U11 U12 J2"}
_CLICKED = ("U1", "U2", "U3", "U4", "U5", "U6", "U8", "C1", "C2", "C7", "J1")
_TRIED_SPARE = "spare 1"


def gullcry_list() -> bytes:
    """The parts list as it came with the board."""
    return (files("loyal_trace.demo") / LIST).read_bytes()


def real_board() -> BoardDefinition:
    """The board as it really is; only the camera and the simulated bench know it."""
    library = chip_library()
    table = read_table(gullcry_list(), LIST)
    rows = listed_parts(table, guess_columns(table), LIST, library).rows
    parts = []
    for refdes, (x, y, rotation) in _PLACES.items():
        row = rows[refdes]
        value, voltage = (float(row[name]) if row.get(name) else None for name in ("value", "voltage"))
        package = row["package"] or ("DIP-8" if row["part"] in ("555", "1458", "LM386") else "DIP-14")
        part = Part(refdes, row["part"], package if row["kind"] == "chip" else "", row["kind"], x, y, rotation)
        polarised = row.get("polarised") == "yes"
        parts.append(replace(part, value=value, voltage=voltage, polarised=polarised))
    functions = tuple(FunctionPath(name, tuple(path.split())) for name, path in _PATHS.items())
    return BoardDefinition(
        OWN_BOARD, "Gullcry SB-2", width=_WIDTH, height=_HEIGHT, parts=tuple(parts), functions=functions
    )


def gullcry_bench(seed: int = 1884) -> SimulatedBench:
    """The simulated bench with the sound board on it, faults and bad spare included."""
    return SimulatedBench(
        {OWN_BOARD: real_board()},
        chip_library(),
        {},
        tuple(read_fault(row) for row in hidden_table("gullcry")),
        {OWN_BOARD: Drive()},
        SupplyModel(dc=12.0, nominal=5.0),
        seed,
        bad_spares={str(row["name"]): read_fault(row) for row in hidden_table("gullcry_spare")},
    )


def build_gullcry(store: Store, bench: SimulatedBench, ids: Callable[[], str]) -> None:
    """Makes the job as far as work had come: list, photos, every sound tried, one exchange that cured nothing."""
    job = DemoJob(
        store,
        ids,
        GULLCRY_JOB,
        _WORKED_FROM,
        boards=(),
        maker="Larkfield Amusements 1984",
        title="Gullcry SB-2",
        complaint="Bell, foghorn and thunder are silent.",
    )
    for stage in (_listed, _photos, _looked_at, _tried):
        job.record_all(stage(job, bench))


def _listed(job: DemoJob, bench: SimulatedBench) -> list[Entry]:
    table = read_table(gullcry_list(), LIST)
    rows = listed_parts(table, guess_columns(table), LIST, job.library).rows
    return [
        job.make(
            PartTold,
            board=OWN_BOARD,
            place=refdes,
            number=row["part"],
            sort=row["kind"],
            value=float(row["value"]) if row.get("value") else None,
            voltage=float(row["voltage"]) if row.get("voltage") else None,
            technology=row.get("technology", ""),
            polarised=True if row.get("polarised") == "yes" else None,
            origin="list",
            source=LIST,
        )
        for refdes, row in rows.items()
    ]


def _photos(job: DemoJob, bench: SimulatedBench) -> list[Entry]:
    """Both sides photographed; the corners clicked on both, eleven parts on the front, by an ordinary hand."""
    board, rng = real_board(), np.random.default_rng(11)
    entries: list[Entry] = [job.make(OutlineTold, board=OWN_BOARD, width=_WIDTH, height=_HEIGHT)]
    corners = ((0.0, 0.0), (_WIDTH, 0.0), (_WIDTH, _HEIGHT), (0.0, _HEIGHT))
    for name, solder_side in ((FRONT, False), (BACK, True)):
        data = photograph(board, solder_side=solder_side)
        sha, taken = job.store.put_attachment(data), upright(data, name)
        size = {"width": taken.width, "height": taken.height}
        entries.append(job.make(Photographed, board=OWN_BOARD, attachment=sha, file_name=name, **size))
        seen = [_seen(board, x, y, solder_side, rng) for x, y in corners]
        ties = cornered(seen, (_WIDTH, _HEIGHT))
        points = tuple(PhotoPoint(x=t.x, y=t.y, u=t.u, v=t.v) for t in ties)
        entries.append(job.make(PhotoAligned, board=OWN_BOARD, attachment=sha, points=points))
        if not solder_side:
            found = laid_over(ties)
            for refdes in _CLICKED:
                clicks = [_seen(board, x, y, False, rng) for x, y in _corner_pins(board.part(refdes))]
                here = placed(board.part(refdes), *(found.on_board(u, v) for u, v in clicks))
                where = {"x": round(here.x, 2), "y": round(here.y, 2), "diameter": here.diameter}
                about = {"rotation": here.rotation, "origin": "photo", "source": FRONT}
                entries.append(job.make(PartTold, board=OWN_BOARD, place=refdes, **where, **about))
    return entries


def _corner_pins(part: Part) -> tuple[tuple[float, float], tuple[float, float]]:
    """Where a hand clicks: pin 1 and the opposite corner, or two opposite edges."""
    pins = pin_places(part)
    if pins:
        return pins[1], pins[len(pins) // 2 + 1]
    if part.kind == "capacitor":
        return (part.x - 5, part.y), (part.x + 5, part.y)
    return (part.x, part.y - 18), (part.x, part.y + 18)


def _seen(
    board: BoardDefinition, x: float, y: float, solder_side: bool, rng: np.random.Generator
) -> tuple[float, float]:
    """The pixel at which a place is clicked, a pixel or two beside it."""
    u, v, w = camera_matrix(board) @ np.array([board.width - x if solder_side else x, y, 1.0])
    off = rng.normal(0, 1.2, 2)
    return float(u / w + off[0]), float(v / w + off[1])


def _looked_at(job: DemoJob, bench: SimulatedBench) -> list[Entry]:
    make = job.make
    return [
        make(SymptomSeen, board=OWN_BOARD, text="no bell, foghorn or thunder"),
        make(Decided, what="first power", choice="test as found", reason="the owner ran it last week"),
        make(Observed, board=OWN_BOARD, place="J1", finding="clean"),
        make(Observed, board=OWN_BOARD, place="U7", finding="looks good"),
        make(Observed, board=OWN_BOARD, place="C1", finding="looks good"),
        make(PartTold, board=OWN_BOARD, place="U7", socketed=True),
        make(PartTold, board=OWN_BOARD, place="U8", socketed=True),
    ]


def _tried(job: DemoJob, bench: SimulatedBench) -> list[Entry]:
    """Every sound as the bench plays it, the paths as the person knows them, and the first exchange."""
    entries: list[Entry] = []
    for name, path in _TOLD.items():
        members = tuple(NamedPart(board=OWN_BOARD, refdes=refdes) for refdes in path.split())
        entries.append(job.make(PathTold, board=OWN_BOARD, name=name, members=members))
    for name in _TOLD:
        entries.append(job.make(FunctionSeen, board=OWN_BOARD, name=name, state=bench.try_function(OWN_BOARD, name)))
    outcome = bench.try_exchange(OWN_BOARD, "U7", _TRIED_SPARE)
    entries.append(job.make(Swapped, board=OWN_BOARD, place="U7", spare=_TRIED_SPARE, result=outcome))
    entries.append(job.make(Swapped, board=OWN_BOARD, place="U7", spare=_TRIED_SPARE, back=True))
    return entries
