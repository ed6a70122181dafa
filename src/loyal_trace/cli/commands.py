"""The commands, one function each: `<command>_<action>(options) -> exit code`."""

import argparse
from typing import Any

from loyal_trace.cli.chips import check_captured, own_library, pin_number
from loyal_trace.cli.output import print_json, print_table, tell
from loyal_trace.core.chips.model import ChipType
from loyal_trace.core.probing.check import check_chip
from loyal_trace.core.probing.states import PinReading, parse_assignment
from loyal_trace.core.probing.verdicts import ChipVerdict
from loyal_trace.core.roms.digests import canonical, known_algorithms
from loyal_trace.core.roms.hypotheses import Hypothesis
from loyal_trace.core.roms.images import ChecksumList
from loyal_trace.core.vocabulary.errors import BoardDefects, RequestError, UserFileError
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import count_of
from loyal_trace.core.vocabulary.verdicts import OutputWord
from loyal_trace.formats.board_folder import load_board
from loyal_trace.formats.checksum_lists import read_checksums
from loyal_trace.formats.rom_check import (
    CheckedImage,
    CheckResult,
    RomChecker,
    checksums_of_board,
    checksums_of_references,
)
from loyal_trace.resources import chip_library

_OWN_FIELDS = ("name", "size", "firmware", "place")


def _columns(pairs: list[str]) -> dict[str, str]:
    mapping = {}
    for pair in pairs:
        field, separator, title = pair.partition("=")
        if not separator or not (field in _OWN_FIELDS or canonical(field)):
            known = say(
                "{own_fields}, {known_algorithms}",
                own_fields=joined(", ", _OWN_FIELDS),
                known_algorithms=known_algorithms(),
            )
            raise RequestError(
                say(
                    "“{pair}” is not a column mapping; write FIELD=TITLE with a field of {known}",
                    pair=pair,
                    known=known,
                )
            )
        mapping[field] = title
    return mapping


def roms_check(options: argparse.Namespace) -> int:
    """Compares images with checksums; 1 when any is not right."""
    if options.checksums is None and options.board is None and options.reference is None:
        raise RequestError(
            say("roms check needs known checksums: give --checksums FILE, --board FOLDER or --reference FOLDER")
        )
    if options.reference and not options.reference.is_dir():
        raise UserFileError(str(options.reference), say("is not a folder of reference images"))
    library = chip_library()
    board = load_board(options.board, library) if options.board else None
    if options.checksums:
        known = read_checksums(options.checksums, _columns(options.column))
    elif board is not None:
        known = checksums_of_board(board)
    else:
        known = checksums_of_references(options.reference)
    firmware = _firmware_of(known, options.firmware)
    result = RomChecker(known, options.reference, board, library, firmware).check(options.paths)
    if options.json:
        print_json(_roms_document(result, known.source))
    else:
        _print_roms(result)
    return 0 if result.all_good else 1


def _firmware_of(known: ChecksumList, asked: str) -> str:
    """The revision asked for as the list writes it, case apart; RequestError names those that it has."""
    there = sorted({entry.firmware for entry in known.entries if entry.firmware})
    found = next((one for one in there if one.lower() == asked.strip().lower()), None)
    if not asked or found is not None:
        return found or ""
    listed = joined(", ", there) or say("none")
    raise RequestError(say("no firmware {asked} in these checksums (there: {listed})", asked=asked, listed=listed))


def _hypothesis(found: Hypothesis) -> dict[str, Any]:
    return {
        "kind": found.kind,
        "verdict": found.verdict,
        "likelihood": round(found.likelihood, 6),
        "where": found.where,
        "detail": found.detail,
        "reason": found.reason,
        "evidence": found.evidence,
        "next": found.next,
    }


def _image(checked: CheckedImage) -> dict[str, Any]:
    image, verdict = checked.image, checked.verdict
    return {
        "name": image.name,
        "source": image.source,
        "slot": checked.slot,
        "size": image.size,
        "crc32": image.digest("crc32"),
        "sha1": image.digest("sha1"),
        "verdict": verdict.verdict,
        "reason": verdict.reason,
        "next": verdict.next,
        "hypotheses": [_hypothesis(h) for h in verdict.hypotheses],
    }


def _roms_document(result: CheckResult, source: str) -> dict[str, Any]:
    return {
        "images": [_image(checked) for checked in result.images],
        "firmware": result.firmware,
        "sums": source,
        "missing": list(result.missing),
        "mixed": result.mix.mixed,
        "revisions": {firmware: list(slots) for firmware, slots in result.mix.by_firmware.items()},
    }


def _print_roms(result: CheckResult) -> None:
    print_table([(c.image.name, c.verdict.verdict, c.verdict.reason) for c in result.images])
    for checked in result.images:
        if not checked.verdict.good:
            tell(say("  next, {image}: {next}", image=checked.image.name, next=checked.verdict.next))
    if result.mix.mixed:
        tell(say("  {mix}", mix=result.mix.words))
    good = sum(c.verdict.good for c in result.images)
    line = say("{images}, {good} right", images=count_of(len(result.images), "image"), good=good)
    if result.missing:
        line += say("; no file for {missing}", missing=joined(", ", result.missing[:6])) + (
            " …" if len(result.missing) > 6 else ""
        )
    tell(line)


def _readings(chip: ChipType, pins: list[str]) -> dict[int, PinReading]:
    readings: dict[int, PinReading] = {}
    for text in pins:
        number, reading = parse_assignment(text, chip)
        if number in readings:
            raise RequestError(say("pin {number} is given twice", number=number))
        readings[number] = reading
    return readings


def chip_check(options: argparse.Namespace) -> int:
    """Judges a chip's outputs; 1 when any is impossible or unusual."""
    chip = own_library(options.store).find(options.type)
    if options.trace is not None:
        return check_captured(chip, options)
    alone = frozenset(pin_number(chip, text) for text in options.alone)
    verdict = check_chip(chip, _readings(chip, options.pins), alone)
    if options.json:
        print_json(_chip_document(verdict))
    else:
        tell(say("{chip}, {title}", chip=chip.name, title=chip.title))
        if verdict.supply:
            tell(verdict.supply)
        rows = [(str(o.pin), o.name, o.reading.words, o.verdict, o.reason) for o in verdict.outputs]
        print_table(rows)
    return (
        1
        if verdict.supply or any(o.verdict in (OutputWord.IMPOSSIBLE, OutputWord.UNUSUAL) for o in verdict.outputs)
        else 0
    )


def _chip_document(verdict: ChipVerdict) -> dict[str, Any]:
    return {
        "type": verdict.chip.name,
        "supply": verdict.supply,
        "outputs": [
            {
                "pin": o.pin,
                "name": o.name,
                "state": o.reading.state,
                "verdict": o.verdict,
                "reason": o.reason,
                "because": list(o.because),
            }
            for o in verdict.outputs
        ],
    }


def chip_show(options: argparse.Namespace) -> int:
    """Pinout and logic of one type."""
    chip = own_library(options.store).find(options.type)
    pins = [{"pin": p.number, "name": p.name, "role": p.role} for p in chip.pins]
    logic = {o.name: o.value.text for o in chip.outputs}
    if options.json:
        print_json({"type": chip.name, "title": chip.title, "family": chip.family.name, "pins": pins, "logic": logic})
        return 0
    tell(say("{chip}, {title} (family {family})", chip=chip.name, title=chip.title, family=chip.family.name))
    half = len(chip.pins) // 2
    for left, right in zip(chip.pins[:half], reversed(chip.pins[half:]), strict=True):
        tell(
            say(
                "{left:>8} {left_number:>3} |    | {right_number:<3} {right}",
                left=left.name,
                left_number=left.number,
                right_number=right.number,
                right=right.name,
            )
        )
    print_table([(name, "=", text) for name, text in logic.items()])
    if chip.notes:
        tell(chip.notes)
    return 0


def chip_list(options: argparse.Namespace) -> int:
    """All types of the library."""
    library = own_library(options.store)
    rows = [(name, library.title(name)) for name in library.type_names]
    if options.json:
        print_json({"types": [{"type": name, "title": title} for name, title in rows]})
    else:
        print_table(rows)
    return 0


def board_check(options: argparse.Namespace) -> int:
    """Validates a board; 1 with every defect listed."""
    try:
        board = load_board(options.folder, chip_library())
    except BoardDefects as error:
        defects = [{"file": d.file, "line": d.line, "what": d.what, "remedy": d.remedy} for d in error.defects]
        if options.json:
            print_json({"board": str(options.folder), "defects": defects})
        else:
            for defect in error.defects:
                tell(str(defect))
        return 1
    facts = {
        "parts": len(board.parts),
        "chips": len(board.chips),
        "nets": len(board.nets),
        "rom_slots": len(board.rom_slots),
        "rails": len(board.rails),
    }
    if options.json:
        print_json({"board": board.id, "name": board.title, **facts, "defects": []})
    else:
        tell(
            say("{title}: no defects; ", title=board.title)
            + joined(", ", (say("{n} {replace}", n=n, replace=word.replace("_", " ")) for word, n in facts.items()))
        )
    return 0
