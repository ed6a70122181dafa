"""Builds the made-up workshop: the simulated bench with its hidden faults, and the job as work left it.

Every reading in the job is taken from the simulated bench here and now; none is typed in by hand.
"""

from collections.abc import Callable, Mapping
from datetime import UTC, datetime
from importlib.resources import files

import numpy as np

from loyal_trace.core.boards.alignment import reference_parts
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.boards.revisions import decision_name
from loyal_trace.core.job.entries import (
    Decided,
    Entry,
    ImageKnown,
    Measured,
    Observed,
    PhotoAligned,
    Photographed,
    PhotoPoint,
    PinsProbed,
    RomRead,
    Started,
    SymptomSeen,
    number_or_overload,
    pin_state,
)
from loyal_trace.core.simulation.bench import Drive, SimulatedBench, SupplyModel
from loyal_trace.demo.camera import camera_matrix, photograph
from loyal_trace.demo.common import DemoJob, boards_of, hidden_table, read_fault
from loyal_trace.demo.corvane import CORVANE_JOB, build_corvane, corvane_bench
from loyal_trace.demo.gullcry import GULLCRY_JOB, build_gullcry, gullcry_bench
from loyal_trace.demo.hollin import HOLLIN_JOB, build_hollin, hollin_bench
from loyal_trace.demo.images import CPU_SLOTS, TILE_SLOTS, reference_image, screen_content
from loyal_trace.formats.photos import upright
from loyal_trace.resources import chip_library
from loyal_trace.store.store import Store

JOB_ID = "gp-0147"
BOARD_IDS = ("tw-cpu", "tw-vid")
FIRMWARE = "B"
_WORKED_FROM = datetime(2026, 11, 21, 13, 5, tzinfo=UTC)
_LOOKED_AT = {
    "tw-cpu": ("J1", "J3", "2B", "6A", "6B", "4A", "4C", "C1", "REG1"),
    "tw-vid": ("J3", "1A", "5A", "5B", "5D"),
}
_PROBED = ("1A", "1B", "1C", "1D", "4G", "5A", "5B", "5F")


def demo_boards() -> dict[str, BoardDefinition]:
    """The Tidewrack boards, read like anybody's."""
    return boards_of(BOARD_IDS)


def demo_contents() -> dict[tuple[str, str], bytes]:
    """What every memory of the set should hold, RAM as the running game has filled it."""
    contents = {("tw-cpu", slot): reference_image("tw-cpu", slot, FIRMWARE) for slot in CPU_SLOTS}
    contents |= {("tw-vid", slot): reference_image("tw-vid", slot, FIRMWARE) for slot in (*TILE_SLOTS, "6E")}
    contents |= {("tw-cpu", "4A"): screen_content(False), ("tw-cpu", "4C"): screen_content(True)}
    return contents | {("tw-vid", "3A"): screen_content(False), ("tw-vid", "3C"): screen_content(True)}


def demo_bench(seed: int = 1984) -> SimulatedBench:
    """The simulated bench of the Tidewrack set, faults and all."""
    switches = {f"{kind}{line}": 1 for kind in ("SW", "DIP") for line in range(8)}
    through_plug = [f"VA{line}" for line in range(11)] + ["/VRD", "/VWR", "/VVRAM", "/VATTR", "VCLK"]
    drives = {
        "tw-cpu": Drive({"TEST": 0, "PORC": 1, **switches}, clock="XT1", cpu="2B"),
        "tw-vid": Drive(mated=tuple((net, "tw-cpu", net) for net in through_plug)),
    }
    return SimulatedBench(
        demo_boards(),
        chip_library(),
        demo_contents(),
        tuple(read_fault(row) for row in hidden_table("fault")),
        drives,
        SupplyModel(drop_to={"tw-cpu": 0.06, "tw-vid": 0.15}),
        seed,
        bad_spares={str(row["name"]): read_fault(row) for row in hidden_table("spare")},
    )


def build_demo(store: Store, bench: SimulatedBench, ids: Callable[[], str]) -> None:
    """Makes the Tidewrack job in a store as far as work had come, with readings from the bench."""
    (store.folder / "drawer.csv").write_bytes((files("loyal_trace.demo") / "drawer.csv").read_bytes())
    job = DemoJob(
        store,
        ids,
        JOB_ID,
        _WORKED_FROM,
        boards=BOARD_IDS,
        maker="Larkfield Amusements 1984",
        title="Tidewrack two-board set",
        complaint="Colours are wrong, the sound is faint, and it does not always start.",
    )
    for stage in (_intake, _photos, _rails, _roms, _probing):
        job.record_all(stage(job, bench))


def _intake(job: DemoJob, bench: SimulatedBench) -> list[Entry]:
    make = job.make
    entries: list[Entry] = [
        make(SymptomSeen, board="tw-vid", text="colours wrong, one plane missing"),
        make(SymptomSeen, board="tw-cpu", text="sometimes does not start"),
        make(SymptomSeen, board="tw-cpu", text="sound faint"),
        make(Decided, board="tw-cpu", what=decision_name("tw-cpu", "etched beside J1"), choice="TW-CPU C"),
        make(Decided, board="tw-cpu", what=decision_name("tw-cpu", "at 1G"), choice="a capacitor, 47 µF"),
        make(Decided, board="tw-cpu", what=decision_name("tw-cpu", "last letter on the ROM labels"), choice="all B"),
        make(Decided, what="firmware", choice=FIRMWARE, reason="all labels end in B"),
        make(Decided, what="first power", choice="test as found", reason="a baseline is wanted; no leak, no smell"),
        make(Decided, what="bench lacks", choice="harness", reason="the cabinet stayed at the pier"),
    ]
    for board, places in _LOOKED_AT.items():
        entries += [
            make(Observed, board=board, place=p, finding="clean" if p[0] == "J" else "looks good") for p in places
        ]
    return entries


def _photos(job: DemoJob, bench: SimulatedBench) -> list[Entry]:
    """One photo of the processor board from above, aligned by four clicks of an ordinary hand."""
    board = job.boards["tw-cpu"]
    data = photograph(board)
    sha = job.store.put_attachment(data)
    taken = upright(data, "tw-cpu")
    rng, points = np.random.default_rng(7), []
    for part in reference_parts(board):
        u, v, w = camera_matrix(board) @ np.array([part.x, part.y, 1.0])
        off = rng.normal(0, 1.5, 2)
        points.append(PhotoPoint(x=part.x, y=part.y, u=float(u / w + off[0]), v=float(v / w + off[1])))
    size = {"width": taken.width, "height": taken.height}
    return [
        job.make(Photographed, board="tw-cpu", attachment=sha, file_name="tw-cpu from above.jpg", **size),
        job.make(PhotoAligned, board="tw-cpu", attachment=sha, points=tuple(points)),
    ]


def _rails(job: DemoJob, bench: SimulatedBench) -> list[Entry]:
    entries: list[Entry] = []
    for board_id, board in job.boards.items():
        for point in board.chain:
            value, overload = number_or_overload(bench.measure(board_id, point.point, point.quantity))
            reading = job.make(
                Measured,
                board=board_id,
                place=point.point,
                quantity=point.quantity,
                value=value,
                overload=overload,
                powered=point.powered,
                source="meter",
            )
            entries.append(reading)
    return entries


def _roms(job: DemoJob, bench: SimulatedBench) -> list[Entry]:
    """True images from the workshop's other machine, then every slot read, the program ROMs twice."""
    entries: list[Entry] = []
    for board_id, board in job.boards.items():
        for slot in board.rom_slots:
            data = reference_image(board_id, slot.refdes, FIRMWARE)
            sha = job.store.put_attachment(data)
            entries.append(
                job.make(
                    ImageKnown, board=board_id, place=slot.refdes, firmware=FIRMWARE, attachment=sha, size=len(data)
                )
            )
    for board_id, board in job.boards.items():
        for slot in board.rom_slots:
            for _ in range(2 if board_id == "tw-cpu" else 1):
                data = bench.read_rom(board_id, slot.refdes)
                sha = job.store.put_attachment(data)
                entries.append(job.make(RomRead, board=board_id, place=slot.refdes, attachment=sha, size=len(data)))
    return entries


def _probing(job: DemoJob, bench: SimulatedBench) -> list[Entry]:
    """Starts counted as found, then the video path probed chip by chip, up to the plane that is missing."""
    entries: list[Entry] = []
    for _ in range(3):
        clean, code = bench.start()
        entries.append(job.make(Started, clean=clean, code=code, off_seconds=300.0))
    for refdes in _PROBED:
        chip = job.library.find(job.boards["tw-vid"].part(refdes).number)
        pins = [p.number for p in chip.pins if p.role != "unused"]
        entries.append(_probed(job, bench, "tw-vid", refdes, pins))
    entries.append(_probed(job, bench, "tw-vid", "5D", [1, 2, 3, 4]))
    return entries


def _probed(job: DemoJob, bench: SimulatedBench, board: str, refdes: str, pins: list[int]) -> Entry:
    states = tuple(pin_state(pin, bench.probe(board, refdes, pin)) for pin in pins)
    return job.make(PinsProbed, board=board, place=refdes, pins=states, source="probe")


def build_workshop(store: Store, ids: Callable[[], str]) -> None:
    """The whole demo workshop in an empty store; the job on the bench is Tidewrack."""
    build_gullcry(store, gullcry_bench(), ids)
    build_corvane(store, corvane_bench(), ids)
    build_hollin(store, hollin_bench(), ids)
    build_demo(store, demo_bench(), ids)


DEMO_BENCHES: Mapping[str, Callable[[], SimulatedBench]] = {
    JOB_ID: demo_bench,
    HOLLIN_JOB: hollin_bench,
    CORVANE_JOB: corvane_bench,
    GULLCRY_JOB: gullcry_bench,
}
