"""`roms slots`, `identify`, `substitutes` and `labels`: what boards and the store know of ROMs."""

import argparse
from collections.abc import Sequence
from typing import Any

from loyal_trace.app.known import known_of_store
from loyal_trace.cli.output import print_json, print_table, tell
from loyal_trace.cli.parsing import default_store
from loyal_trace.core.roms.devices import VERIFY, Fit, access_budget, fit
from loyal_trace.core.roms.identify import KnownImages, Match, likely_sources
from loyal_trace.core.roms.programming import CHANGED
from loyal_trace.core.roms.slots import SlotLine, find_slot, slot_table
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import after, say
from loyal_trace.core.vocabulary.units import count_of, format_percent, parse_quantity
from loyal_trace.formats.board_folder import load_board
from loyal_trace.formats.checksum_lists import read_checksums
from loyal_trace.formats.rom_check import checksums_of_board
from loyal_trace.formats.rom_files import image_paths, is_image_name, iter_images
from loyal_trace.resources import chip_library, memory_types
from loyal_trace.store.connection import DATABASE
from loyal_trace.store.store import Store


def _known(options: argparse.Namespace) -> KnownImages:
    """Lists, images, boards and stores to hold a dump against."""
    library = chip_library()
    folder = options.store or (None if options.known else default_store())
    known = KnownImages()
    if folder is not None:
        if not (folder / DATABASE).exists():
            raise RequestError(
                say("{folder}: there is no store here; give --known lists, images or boards", folder=folder)
            )
        with Store(folder, read_only=True) as store:
            known = known_of_store(store, library)
    for path in options.known:
        if path.is_dir() and (path / "board.toml").exists():
            known.lists.append(checksums_of_board(load_board(path, library)))
        elif path.is_dir() or is_image_name(path.name):
            for image in (image for file in image_paths(path) for image in iter_images(file)):
                known.add_image(image.name, str(path), image.data)
        else:
            known.lists.append(read_checksums(path))
    return known


def identify(options: argparse.Namespace) -> int:
    """Which known image each file is, and which board they come from together; 1 when one is not known."""
    known = _known(options)
    images = [image for path in options.files for file in image_paths(path) for image in iter_images(file)]
    found = [(image, known.identify(image.data)) for image in images]
    sources = likely_sources([matches for _, matches in found])
    if options.json:
        ranked = [{"source": s, "files": n, "fraction": round(share, 4)} for s, n, share in sources]
        print_json(
            {
                "images": [
                    {"name": i.name, "source": i.source, "size": i.size, "matches": _matches(m)} for i, m in found
                ],
                "boards": ranked,
                "searched": len(known),
            }
        )
        return 0 if all(matches for _, matches in found) else 1
    for image, matches in found:
        rows = [
            (image.name if not n else "", format_percent(m.fraction), m.name, m.firmware, m.source, m.how)
            for n, m in enumerate(matches[:4])
        ]
        print_table(rows or [(image.name, "", say("not known"), "", "", "")])
    if len(found) > 1 and sources:
        best, count, share = sources[0]
        tell(
            say(
                "{count} of {count2} are known from {best} (on average {share} of each)",
                count=count,
                count2=len(found),
                best=best,
                share=format_percent(share),
            )
        )
    return 0 if all(matches for _, matches in found) else 1


def _matches(matches: Sequence[Match]) -> list[dict[str, Any]]:
    return [
        {"name": m.name, "list": m.source, "firmware": m.firmware, "how": m.how, "fraction": round(m.fraction, 4)}
        for m in matches
    ]


def slots(options: argparse.Namespace) -> int:
    """The table of ROM sockets, or the one that a number, label, place or address means."""
    board = load_board(options.board, chip_library())
    only = find_slot(board, options.name) if options.name else None
    lines = [line for line in slot_table(board) if only is None or line.slot == only]
    if options.json:
        print_json({"board": board.title, "slots": [_slot_document(line) for line in lines]})
    else:
        head = ("number", "place", "label", "device", "bytes", "addresses", "lane", "firmware")
        told = [(x.slot, x) for x in lines]
        rows = [
            (x.number, s.refdes, s.label, s.device, say("{size:,}", size=s.size), x.addresses, x.lane, x.changes)
            for s, x in told
        ]
        print_table([head, *rows])
    return 0


def _slot_document(line: SlotLine) -> dict[str, Any]:
    slot = line.slot
    return {
        "number": slot.number,
        "place": slot.refdes,
        "label": slot.label,
        "device": slot.device,
        "size": slot.size,
        "addresses": line.addresses,
        "lane": slot.lane,
        "lanes": slot.lanes,
        "firmwares": list(slot.firmwares),
        "differs": line.changes.startswith("differs"),
    }


def substitutes(options: argparse.Namespace) -> int:
    """What can stand in for a memory; 1 when nothing can, or the one asked for is too slow."""
    types = memory_types()
    old = types.find(options.device)
    clock = parse_quantity(options.clock, "Hz") if options.clock else None
    budget = access_budget(clock, options.periods) if clock is not None else None
    if options.new and types.find(options.new).size < old.size:
        new = types.find(options.new)
        told = say(
            "{new} holds {have:,} bytes, {old} has {want:,}", new=new.name, have=new.size, old=old.name, want=old.size
        )
        raise RequestError(say("{told}: it is too small to stand in for it", told=told))
    fits = [fit(old, types.find(options.new), budget)] if options.new else list(types.substitutes(old, budget))
    if options.json:
        print_json(
            {
                "device": old.name,
                "technology": old.technology,
                "budget": budget,
                "verify": VERIFY,
                "substitutes": [_fit_document(found) for found in fits],
            }
        )
    else:
        tell(say("{old}, {title}: {changed}", old=old.name, title=old.title, changed=CHANGED[old.technology]))
        print_table([(f.new.name, after(": ", f.words), f.new.technology, f.new.volts) for f in fits[:12]])
        for found in fits[:1]:
            rows = [
                (
                    say("{socket_pin} {socket}", socket_pin=p.socket_pin or "–", socket=p.socket),
                    say("{device_pin} {device}", device_pin=p.device_pin, device=p.device),
                    p.wiring or say("stays as it is"),
                )
                for p in found.pins
            ]
            print_table(
                [(say("socket pin"), say("{new} pin", new=found.new.name), say("wiring")), *rows]
                if rows
                else [(say("no pin differs"),)]
            )
            for caution in (*found.cautions, VERIFY):
                tell(say("  {caution}", caution=caution))
    return 0 if fits and fits[0].fast_enough is not False else 1


def _fit_document(found: Fit) -> dict[str, Any]:
    pins = [
        {
            "socket_pin": p.socket_pin,
            "socket": p.socket,
            "device_pin": p.device_pin,
            "device": p.device,
            "wiring": p.wiring,
        }
        for p in found.pins
    ]
    return {
        "device": found.new.name,
        "technology": found.new.technology,
        "size": found.new.size,
        "adapter": found.adapter,
        "pins": pins,
        "repeat": found.new.size // found.old.size,
        "access_ns": list(found.new.access),
        "fast_enough": found.fast_enough,
        "programming_voltage": found.new.programming,
        "levels": found.new.levels,
        "cautions": list(found.cautions),
    }


def labels(options: argparse.Namespace) -> int:
    """Window labels of a board's ROMs, written to a file."""
    from loyal_trace.report.labels import labels_of, write_labels  # the drawing library takes its time to load

    found = labels_of(load_board(options.board, chip_library()), options.firmware)
    write_labels(options.out, found)
    if options.json:
        print_json(
            {
                "labels": [{"head": x.head, "about": x.about, "sums": list(x.sums)} for x in found],
                "out": str(options.out),
            }
        )
    else:
        tell(say("{labels} written to {out}", labels=count_of(len(found), "label"), out=options.out))
    return 0


_ACTIONS = {"slots": slots, "identify": identify, "substitutes": substitutes, "labels": labels}


def run(options: argparse.Namespace) -> int:
    """One of the actions."""
    return _ACTIONS[options.action](options)
