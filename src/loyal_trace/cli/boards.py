"""`board signatures`, `board dictionary`, `board diagnose`: a board simulated, and judged from a file of lines."""

import argparse
import tempfile
from collections.abc import Iterator, Mapping
from pathlib import Path

from loyal_trace.app.commands import Setting, enter_line
from loyal_trace.app.job import OpenJob, open_new_job
from loyal_trace.cli.jobs import print_suspects, suspects_document
from loyal_trace.cli.output import print_json, print_table, tell
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.roms.signature import Register, register_from
from loyal_trace.core.simulation.free_run import (
    FaultyRuns,
    FreeRun,
    all_faults,
    fault_of,
    free_run,
    signature_of,
    signatures,
)
from loyal_trace.core.simulation.netlist import PinFault
from loyal_trace.core.vocabulary.errors import RequestError, UserFileError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.units import count_of
from loyal_trace.formats.board_folder import load_board
from loyal_trace.formats.checksum_lists import decode_text
from loyal_trace.formats.rom_files import read_file
from loyal_trace.resources import chip_library
from loyal_trace.store.store import Store

_MOST_CLOCKS = 1 << 20


def _images(folder: Path | None) -> dict[str, bytes]:
    """The contents of memories by their place: files named like it."""
    if folder is None:
        return {}
    if not folder.is_dir():
        raise UserFileError(str(folder), say("is not a folder of images named like their sockets"))
    return {path.stem.upper(): path.read_bytes() for path in sorted(folder.iterdir()) if path.is_file()}


def _contents(board: BoardDefinition, folder: Path | None) -> dict[str, bytes]:
    images = _images(folder)
    return {part.refdes: images[part.refdes.upper()] for part in board.chips if part.refdes.upper() in images}


def _clocks(options: argparse.Namespace) -> int:
    if not 1 <= options.clocks <= _MOST_CLOCKS:
        raise RequestError(say("clocks must be from 1 to {most}", most=_MOST_CLOCKS))
    return int(options.clocks)


def board_signatures(options: argparse.Namespace) -> int:
    """The signature of every net in free run, healthy or with one fault."""
    library = chip_library()
    board = load_board(options.folder, library)
    faults = tuple(fault_of(text, board, library) for text in options.fault)
    run = free_run(board, library, _clocks(options), faults, _contents(board, options.images))
    found = signatures(run, register_from(options.register))
    if options.json:
        print_json({"board": board.id, "clocks": options.clocks, "nets": found})
    else:
        print_table([(net, signature) for net, signature in found.items()])
    return 0


def board_dictionary(options: argparse.Namespace) -> int:
    """What every pin stuck low or high changes: which nets, and how many faults the signatures tell apart."""
    library, register = chip_library(), register_from(options.register)
    board = load_board(options.folder, library)
    contents = _contents(board, options.images)
    good = free_run(board, library, _clocks(options), (), contents)
    rows = dict(_dictionary(board, good, contents, register))
    apart = len({tuple(sorted(row.items())) for row in rows.values() if row})
    silent = [name for name, row in rows.items() if not row]
    document = {
        "board": board.id,
        "clocks": options.clocks,
        "nets": len(good.nets),
        "faults": len(rows),
        "told_apart": apart,
        "without_effect": silent,
        "changes": rows,
    }
    if options.json:
        print_json(document)
        return 0
    told = {"faults": count_of(len(rows), "fault"), "nets": count_of(len(good.nets), "net"), "apart": apart}
    tell(say("{faults} over {nets}: {apart} groups that signatures tell apart", **told))
    tell(say("without effect on any net: {count}", count=len(silent)))
    return 0


def _dictionary(
    board: BoardDefinition, good: FreeRun, contents: Mapping[str, bytes], register: Register
) -> Iterator[tuple[str, dict[str, str]]]:
    """(fault, net → signature where it differs) of every fault."""
    runs = FaultyRuns(board, chip_library(), good, contents)
    for fault in all_faults(board, chip_library()):
        changed = runs.changed(fault)
        yield _named(fault), {net: signature_of(stream, register) for net, stream in changed.items()}


def _named(fault: PinFault) -> str:
    return f"{fault.refdes}.{fault.pin} stuck {fault.level}"


def board_diagnose(options: argparse.Namespace) -> int:
    """The suspects of a board from a file of lines as they are typed; what was not understood is named."""
    lines = decode_text(read_file(options.evidence), str(options.evidence)).splitlines()
    with tempfile.TemporaryDirectory() as folder, Store(Path(folder) / "store") as store:
        job = OpenJob(store, open_new_job(store, "diagnosis", [options.folder]))
        for number, line in enumerate(lines, start=1):
            if line.strip() and not line.startswith("#"):
                result = enter_line(job, line.strip(), Setting())
                if result.status.value != "recorded":
                    why = result.why or result.status.value
                    tell(say("line {number}, “{line}”: {why}", number=number, line=line.strip(), why=why), error=True)
        document = suspects_document(job)
    print_json(document) if options.json else print_suspects(document)
    return 0
