"""`board signatures`, `board dictionary`, `board diagnose`: a board simulated, and judged from a file of lines."""

import argparse
import os
import tempfile
from pathlib import Path

from loyal_trace.app.commands import Setting, enter_line
from loyal_trace.app.dictionaries import cache_folder, fault_dictionary
from loyal_trace.app.job import OpenJob, open_new_job
from loyal_trace.cli.jobs import complete_dictionaries, print_suspects, suspects_document
from loyal_trace.cli.output import print_json, print_table, tell
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.roms.signature import Register, register_from
from loyal_trace.core.simulation.board_faults import fault_of
from loyal_trace.core.simulation.dictionary import Dictionary
from loyal_trace.core.simulation.free_run import free_run, signatures
from loyal_trace.core.simulation.netlist import PinFault
from loyal_trace.core.simulation.screen import change_of, clocks_of, with_test_pattern
from loyal_trace.core.vocabulary.errors import RequestError, UserFileError
from loyal_trace.core.vocabulary.phrases import capital, joined, say
from loyal_trace.core.vocabulary.units import count_of
from loyal_trace.formats.board_folder import load_board
from loyal_trace.formats.checksum_lists import decode_text
from loyal_trace.formats.pictures import png_of
from loyal_trace.formats.rom_files import read_file
from loyal_trace.formats.whole_file import write_whole
from loyal_trace.resources import chip_library
from loyal_trace.store.store import Store

_MOST_CLOCKS = 1 << 20
_NAMED = 12


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


def board_screen(options: argparse.Namespace) -> int:
    """What one fault does to the picture, in sentences, and as a picture beside the healthy one."""
    library = chip_library()
    board = load_board(options.folder, library)
    if not board.screens:
        raise RequestError(say("{board} describes no screen (a table screen in board.toml)", board=board.id))
    faults = fault_of(options.fault, board, library).pins
    if len(faults) != 1:
        raise RequestError(say("the picture is drawn for a fault of one pin"))
    contents = with_test_pattern(board, library, _contents(board, options.images))
    machine = free_run(board, library, clocks_of(board.screens[0]), (), contents)
    found = change_of(board, machine, faults[0])
    if options.out:
        write_whole(options.out, png_of(found.healthy, found.faulty), "picture")
    if options.json:
        print_json({"board": board.id, "words": list(found.words), "blocks": list(found.reached)})
        return 0
    for words in found.words:
        tell(capital(words) + ".")
    if found.reached:
        tell(say("Blocks that it reaches: {blocks}.", blocks=joined(", ", found.reached)))
    return 0


def board_dictionary(options: argparse.Namespace) -> int:
    """What every pin stuck low or high changes: which nets, and how many faults the signatures tell apart."""
    library, register = chip_library(), register_from(options.register)
    board = load_board(options.folder, library)
    folder = None if options.no_cache else cache_folder()
    found = fault_dictionary(
        board, library, _contents(board, options.images), folder, _clocks(options), register, os.cpu_count() or 1
    )
    if options.json:
        print_json(_dictionary_document(board.id, found, register))
        return 0
    silent = sum(1 for fault in range(len(found.pin)) if found.starts[fault] == found.starts[fault + 1])
    told = {"faults": count_of(len(found.pin), "fault"), "nets": count_of(len(found.nets), "net")}
    tell(say("{faults} over {nets}: {apart} groups that signatures tell apart", apart=found.groups(), **told))
    tell(say("without effect on any net: {count}", count=silent))
    unsure = [str(net) for net in found.nets[found.unsure]]
    if unsure:
        names = joined(", ", [*unsure[:_NAMED], "…"] if len(unsure) > _NAMED else unsure)
        tell(say("nets that depend on the state at power-on or on chips without a model: {names}", names=names))
    return 0


def _dictionary_document(board: str, found: Dictionary, register: Register) -> dict[str, object]:
    changes = {_named(fault): found.changes(place) for place, fault in enumerate(found.faults)}
    goods = {net: found.good(net) for net in found.number_of}
    clocks = int(found.clocks[0])
    return {
        "board": board,
        "clocks": clocks,
        "nets": len(goods),
        "faults": len(changes),
        "told_apart": found.groups(),
        "without_effect": [name for name, row in changes.items() if not row],
        "unpredictable": [str(net) for net in found.nets[found.unsure]],
        "good": {
            net: {"signature": register.shown(one.signature), "state": one.state, "frequency": one.rises / clocks}
            for net, one in goods.items()
        },
        "changes": {
            name: {net: register.shown(one.signature) for net, one in row.items()} for name, row in changes.items()
        },
        "states": {
            name: {net: one.state for net, one in row.items() if one.state != goods[net].state}
            for name, row in changes.items()
        },
        "frequencies": {
            name: {net: one.rises / clocks for net, one in row.items() if one.rises != goods[net].rises}
            for name, row in changes.items()
        },
    }


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
        complete_dictionaries(job)
        document = suspects_document(job)
    print_json(document) if options.json else print_suspects(document)
    return 0
