"""`roms repair`, `vote`, `signature`, `learn-signature` and `convert`: work on images alone."""

import argparse
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from loyal_trace.cli.output import print_json, print_table, tell
from loyal_trace.compiled import sha1_lanes
from loyal_trace.core.roms.candidates import Watch
from loyal_trace.core.roms.consensus import consensus
from loyal_trace.core.roms.correcting import Correction, correct, searched
from loyal_trace.core.roms.digests import canonical, checked_digest, digest_length, known_algorithms
from loyal_trace.core.roms.images import KnownChecksum, RomImage, checksums_from_mapping
from loyal_trace.core.roms.signature import Register, learn, read_signature
from loyal_trace.core.roms.voting import vote
from loyal_trace.core.vocabulary.errors import RequestError, UserFileError
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import count_of, format_percent
from loyal_trace.formats.checksum_lists import decode_text, delimiter_of
from loyal_trace.formats.csv_rows import numbered_rows
from loyal_trace.formats.image_files import interleave, lanes, split, swap, write_image
from loyal_trace.formats.rom_files import image_paths, iter_images, read_file
from loyal_trace.language import shown

_LARGEST_LEARNED = 1 << 17
_SURE = 0.999
_OWN_OPTIONS = ("crc32", "md5", "sha1", "sha256")


def _image(path: Path) -> RomImage:
    """The one image in a file; UserFileError when it holds several."""
    found = list(iter_images(path))
    if len(found) != 1:
        raise UserFileError(str(path), say("holds {count} images", count=len(found)), say("give one image"))
    return found[0]


def _sums(options: argparse.Namespace, needed: bool = True) -> dict[str, str]:
    given = [(name, getattr(options, name)) for name in _OWN_OPTIONS if getattr(options, name) is not None]
    for pair in options.sum:
        written, _, value = pair.rpartition("=")
        given.append((canonical(written) or written, value))
    digests = {}
    for name, value in given:
        checked = checked_digest(value, name, filled=False)
        if checked is None:
            length = digest_length(name)
            what = (
                say("no {name} of {length} hex digits", name=name, length=length)
                if length
                else say("not a checksum known here ({known_algorithms})", known_algorithms=known_algorithms())
            )
            raise RequestError(say("“{value}” is {what}", value=value, what=what))
        digests[name] = checked
    if not digests and needed:
        raise RequestError(say("repair needs the right checksums: --crc32, and --sha1 or another to prove it"))
    return digests


def _watch(options: argparse.Namespace) -> Watch:
    """Says on a terminal how far long work has come; silent when its output is read by a program."""
    if options.json or not sys.stderr.isatty():
        return Watch(sha1=sha1_lanes)

    def show(words: str, done: int, total: int) -> None:
        tried = say("{words}: {done} tried", words=words or say("two bytes"), done=format_percent(done / max(total, 1)))
        print(f"\r  {shown(tried)} \033[K", end="", file=sys.stderr)

    return Watch(said=show, sha1=sha1_lanes)


def repair(options: argparse.Namespace) -> int:
    """Restores an image from its checksums; 1 when it cannot be."""
    image, digests = _image(options.file), _sums(options)
    if all(image.digest(name) == value for name, value in digests.items()):
        proof = joined(say(" and "), sorted(digests))
        return _repaired(options, Correction(image.data, "", say("nothing had to be changed"), proof))
    entry = KnownChecksum(image.name, checksums_from_mapping(digests), options.size)
    found = correct([image.data], [entry], _watch(options))
    if found is not None and found.certain:
        return _repaired(options, found)
    reason, done = _why_not(found, digests), searched(image.size, entry)
    if options.json:
        solutions = found.solutions if found else 0
        document = {"restored": False, "changes": [], "proof": "", "reason": reason, "searched": done}
        print_json({**document, "solutions": solutions})
    else:
        tell(say("not restored: {reason}. {done}", reason=reason, done=done))
    return 1


def _why_not(found: Correction | None, digests: dict[str, str]) -> str:
    if found is not None:
        names = joined(say(" and "), sorted(digests))
        return say(
            "{solutions} different changes fit {names} alone; a SHA-1 would decide",
            solutions=found.solutions,
            names=names,
        )
    if "crc32" not in digests:
        return say("without a CRC-32 only reversible changes and single wrong bits can be searched; none fits")
    return say("no reversible change, one or two bytes, three bits or stuck stretch gives these checksums")


def _repaired(options: argparse.Namespace, found: Correction) -> int:
    if options.out:
        write_image(options.out, found.data)
    if options.json:
        document = {"restored": True, "changes": list(found.changes), "proof": found.proved_by, "words": found.words}
        print_json({**document, "solutions": found.solutions, "out": str(options.out) if options.out else None})
    else:
        tell(
            say("restored: {proof}", proof=found.proof)
            + (say("; written to {out}", out=options.out) if options.out else "")
        )
    return 0


def vote_(options: argparse.Namespace) -> int:
    """The consensus of several reads; 1 when it is neither proved by sums nor sure."""
    reads, digests = [_image(path).data for path in options.reads], _sums(options, needed=False)
    found = vote(reads)
    proved = consensus(reads, digests, _watch(options)) if digests else None
    right = proved is not None and proved.certain
    data = proved.data if proved is not None and right else found.data
    if options.out and (right or not digests):
        write_image(options.out, data)
    sure = right if digests else found.confidence >= _SURE
    told = proved.told if proved is not None and right else say("no combination of the reads has these checksums")
    if options.json:
        print_json(
            {
                "reads": found.reads,
                "confidence": 1.0 if right else found.confidence if found.bits else None,
                "source": found.source,
                "reason": found.why,
                "flickering": [{"offset": o, "bit": b, "ones": n} for o, b, n in found.bits[:256]],
                "data": list(found.lanes),
                "more_reads": 0 if right else found.more_reads,
                "proof": proved.proof if proved is not None and right else "",
                "consensus": told if digests else "majority",
                "out": str(options.out) if options.out and (right or not digests) else None,
            }
        )
        return 0 if sure else 1
    tell(say("{why}.", why=found.why))
    if digests:
        tell(
            say("{told}, proved by {proof}.", told=told, proof=proved.proof)
            if proved is not None and right
            else say("{told}.", told=told)
        )
    else:
        more = (
            say(" {more_reads} would settle it.", more_reads=count_of(found.more_reads, "more read"))
            if found.more_reads
            else ""
        )
        if found.bits:
            tell(
                say(
                    "Probability that no bit of the majority is a random misread: {confidence}.{more}",
                    confidence=format_percent(found.confidence),
                    more=more,
                )
            )
        tell(say("A fault that all reads share does not show in a vote."))
    return 0 if sure else 1


def _number(text: str) -> int:
    try:
        return int(text, 0)
    except ValueError:
        raise RequestError(say("“{text}” is not a number; write 0x1021 or 4129", text=text)) from None


def _register(options: argparse.Namespace) -> Register:
    if options.model:
        import anycrc

        name = options.model.upper().replace("CRC-", "CRC")
        model = anycrc.models.get(name)
        if model is None:
            raise RequestError(
                say("the catalogue has no {model}, for instance CRC16-IBM-3740 or CRC16-ARC", model=options.model)
            )
        return Register(model.width, model.poly, model.init, model.xorout, model.refin, model.refout)
    plain = Register()
    given = {
        name: _number(getattr(options, name))
        for name in ("width", "poly", "init", "xorout")
        if getattr(options, name) is not None
    }
    usual = {"width": plain.width, "poly": plain.poly, "init": plain.init, "xorout": plain.xorout}
    found = Register(**{**usual, **given}, refin=options.refin, refout=options.refout, feedback=options.feedback)
    if not 3 <= found.width <= 64 or any(v >> found.width for v in (found.poly, found.init, found.xorout)):
        raise RequestError(say("a register of {width} bits does not hold these values", width=found.width))
    return found


def signature(options: argparse.Namespace) -> int:
    """The signature of each image for a stated register."""
    register = _register(options)
    rows: list[tuple[RomImage, int]] = []
    for path in options.files:
        for file in image_paths(path):
            for image in iter_images(file):
                rows.append((image, register.of(image.data)))
    shown = [(image, register.shown(value, options.symbols), value) for image, value in rows]
    if options.json:
        images = [{"name": i.name, "signature": text, "value": value} for i, text, value in shown]
        print_json({"register": _parameters(register), "images": images})
    else:
        print_table([(image.name, text) for image, text, _ in shown])
    return 0


def _parameters(register: Register) -> dict[str, Any]:
    return {
        "width": register.width,
        "poly": f"{register.poly:#x}",
        "init": f"{register.init:#x}",
        "refin": register.refin,
        "refout": register.refout,
        "xorout": f"{register.xorout:#x}",
        "style": register.style,
    }


def _pairs(path: Path, symbols: str) -> list[tuple[str, bytes, int]]:
    """(file, image, signature) of each line of a CSV with the columns file and signature; files beside the list."""
    text = decode_text(read_file(path), str(path))
    rows = numbered_rows(text.splitlines(), delimiter_of(text.split("\n", 1)[0]), str(path))
    titles = [name.strip().lower() for name in next(rows, (1, []))[1]]
    if not {"file", "signature"} <= set(titles):
        raise UserFileError(
            say("{path}, line 1", path=path),
            say("has no columns file and signature"),
            say("name them in the first line"),
        )
    found = []
    for number, cells in rows:
        row = dict(zip(titles, (cell.strip() for cell in cells), strict=False))
        name, sign = row.get("file", ""), row.get("signature", "")
        if not name and not sign:
            continue
        try:
            value = read_signature(sign, symbols)
        except RequestError as error:
            raise UserFileError(say("{path}, line {line_num}", path=path, line_num=number), str(error)) from None
        data = _image(path.parent / name).data
        if len(data) > _LARGEST_LEARNED:
            raise UserFileError(
                name,
                say("has {count:,} bytes", count=len(data)),
                say("learn from images up to {largest_learned:,}", largest_learned=_LARGEST_LEARNED),
            )
        found.append((name, data, value))
    return found


def learn_signature(options: argparse.Namespace) -> int:
    """The tester's own register from known pairs; 1 when a pair does not fit."""
    pairs = _pairs(options.pairs, options.symbols)
    found = learn([(data, value) for _, data, value in pairs], _number(options.width))
    odd = pairs[found.odd][0] if found.odd is not None else None
    if options.json:
        print_json(
            {**_parameters(found.register), "check": found.check, "equivalent": list(found.equivalents), "odd": odd}
        )
    else:
        told = joined(", ", (say("{k} {v}", k=k, v=v) for k, v in _parameters(found.register).items()))
        tell(
            say("{told}; {check}", told=told, check=found.check)
            + (say("; {odd} does not fit: read its signature or its chip again", odd=odd) if odd else "")
        )
        for line in found.equivalents:
            tell(say("  as good: {line}", line=line))
    return 1 if odd else 0


def _without_gaps(image: RomImage, fill: str | None) -> bytes:
    """The bytes of an image; addresses that its records leave out are filled only with what was asked for."""
    if not image.gaps:
        return image.data
    first, last = image.gaps[0]
    if fill is None:
        raise UserFileError(
            image.name,
            say("leaves out addresses ({first:04X} to {last:04X} first)", first=first, last=last),
            say("say with what they are to be filled: --fill FF, or save it with all its addresses"),
        )
    value = _number(f"0x{fill.lower().removeprefix('0x')}")
    if not 0 <= value <= 0xFF:
        raise RequestError(say("--fill takes one byte, 00 to FF"))
    data = bytearray(image.data)
    for first, last in image.gaps:
        data[first : last + 1] = bytes([value]) * (last + 1 - first)
    return bytes(data)


def convert(options: argparse.Namespace) -> int:
    """Images to another format or order."""
    *sources, out = options.files
    images = [_without_gaps(_image(path), options.fill) for path in sources]
    if not images:
        raise RequestError(say("convert needs an image and where it goes"))
    data = interleave(images) if options.interleave else b"".join(images)
    for what in options.swap:
        data = swap(data, what)
    if options.invert:
        data = bytes(b ^ 0xFF for b in data)
    pieces: Sequence[bytes] = (data,)
    if options.split is not None:
        pieces = split(data, options.split)
    elif options.lanes is not None:
        pieces = lanes(data, options.lanes)
    written: list[tuple[Path, bytes]] = []
    for number, piece in enumerate(pieces):
        target = out if len(pieces) == 1 else out.with_name(f"{out.stem}-{number}{out.suffix}")
        write_image(target, piece)
        written.append((target, piece))
    rows = [(str(target), len(piece), RomImage("", piece).digest("crc32")) for target, piece in written]
    if options.json:
        print_json({"written": [{"file": file, "size": size, "crc32": crc} for file, size, crc in rows]})
    else:
        print_table([(file, say("{size:,} bytes", size=size), crc) for file, size, crc in rows])
    return 0


_ACTIONS = {
    "repair": repair,
    "vote": vote_,
    "signature": signature,
    "learn-signature": learn_signature,
    "convert": convert,
}


def run(options: argparse.Namespace) -> int:
    """One of the actions."""
    return _ACTIONS[options.action](options)
