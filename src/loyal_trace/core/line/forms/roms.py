"""ROMs: `6C sig 7A5F`, `6C is ROM 2, 27C64, 4000-5FFF`, `6C sum sha1 …`."""

import re
from collections.abc import Iterable, Iterator

from loyal_trace.core.job.entries import ChecksumsKnown, NamedPart, RomTold, SignatureTaken, SumLine
from loyal_trace.core.line.context import AskedSocket, Refusal, Said
from loyal_trace.core.line.registry import Match, Scope, about, at, form, said
from loyal_trace.core.roms.digests import canonical as digest_name
from loyal_trace.core.roms.digests import checked_digest
from loyal_trace.core.roms.signature import HEX_SYMBOLS, read_signature, register_from
from loyal_trace.core.roms.sockets import can_hold
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.stages import Stage

_DEVICE = r"(?:2[35789]|37|62|82)[A-Z]{0,2}\d{2,6}(?:-\d+)?"
_PIECE = (
    rf"(?:ROM\s+(?P<number>\d{{1,3}})|label\s+(?P<label>[\w./-]{{1,24}})|(?P<device>{_DEVICE})|"
    r"(?:at\s+)?(?P<first>(?:0x)?[0-9A-F]{3,8})(?:\s*[-–]\s*(?P<last>(?:0x)?[0-9A-F]{3,8}))?)"
)
_ANY = re.sub(r"\?P<\w+>", "?:", _PIECE)


@form(
    rf"(?P<at><part>)\s+is\s+(?P<rest>ROM\s+\d{{1,3}}(?:\s*,\s*{_ANY})*)",
    "6C is ROM 2, 27C64, 4000-5FFF",
    stage=Stage.ROMS,
)
def rom_socket(m: Match, scope: Scope) -> Iterable[Said]:
    """A place is a ROM socket: its start-up number, label, device, and CPU addresses."""
    fields = _fields(m["rest"])
    for one in scope.places.find(m["at"], new_ok=True):
        yield said(f"{scope.named(one.one)} is {_typed(fields)}", at(RomTold, one.one, **fields), new=one)


def _fields(text: str) -> dict[str, object]:
    found: dict[str, object] = {}
    for piece in text.split(","):
        match = re.fullmatch(_PIECE, piece.strip(), re.I)
        if match is None:
            continue
        if match["number"]:
            found["number"] = int(match["number"])
        if match["label"]:
            found["label"] = match["label"]
        if match["device"]:
            found["device"] = match["device"].upper()
        if match["first"]:
            found |= _addresses(match["first"], match["last"])
    return found


def _addresses(first: str, last: str | None) -> dict[str, object]:
    low, high = int(first, 16), int(last, 16) if last else None
    if high is not None and high < low:
        raise Refusal("impossible-value", value=f"{first}-{last}", quantity="address range")
    return {"address": low, "last": high}


def _typed(fields: dict[str, object]) -> str:
    told = [f"ROM {fields['number']}"]
    told += [f"label {fields['label']}"] if "label" in fields else []
    told += [str(fields["device"])] if "device" in fields else []
    if "address" in fields:
        last = fields.get("last")
        told.append(f"{fields['address']:04X}" + (f"-{last:04X}" if last is not None else ""))
    return ", ".join(told)


_BITS_A_SYMBOL = 4
_NO_SIGNATURE = ("none", "never", "no signature")


def _can_hold(scope: Scope, part: NamedPart) -> None:
    """Only a chip that may hold content has a signature: a gate or a resistor refuses it."""
    board = scope.context.boards.get(part.board)
    if board is None or not board.has(part.refdes):
        return
    if not can_hold(board, part.refdes, scope.context.library):
        known = board.part(part.refdes)
        raise Refusal("no-rom-socket", place=part.refdes, number=known.number or known.kind)


def signature_value(scope: Scope, words: str) -> int:
    """The number of a signature in the tester's symbols; refused with other symbols or another length."""
    symbols = scope.context.snapshot.decision("symbols") or HEX_SYMBOLS
    try:
        value = read_signature(words, symbols)
    except RequestError:
        raise Refusal("no-signature", text=words, symbols=symbols) from None
    needed = -(-register_from(scope.context.snapshot.decision("register")).width // _BITS_A_SYMBOL)
    if len(words) != needed:
        raise Refusal("signature-length", text=words, has=str(len(words)), needs=str(needed))
    return value


def _signed(scope: Scope, part: NamedPart, text: str) -> Iterator[Said]:
    words = text.strip()
    name = scope.named(part)
    if words.lower() in _NO_SIGNATURE:
        yield said(f"{name} sig none", at(SignatureTaken, part, value=None))
        return
    value = signature_value(scope, words)
    yield said(f"{name} sig {words.upper()}", at(SignatureTaken, part, value=value))
    if words.isalpha():  # four letters that are symbols of the tester can be a word as well
        raise Refusal("word-too", word=words)


@form(r"(?P<at><part>)\s+sig(?:nature)?\s+(?P<sig>[^\s]{2,8}|no\s+signature)", "6C sig 7A5F", stage=Stage.ROMS)
def signature(m: Match, scope: Scope) -> Iterable[Said]:
    """What a tester showed for a ROM in circuit."""
    for one in scope.places.find(m["at"]):
        _can_hold(scope, one.one)
        yield from _signed(scope, one.one, m["sig"])


@form(r"sig(?:nature)?\s+(?P<sig>[^\s]{2,8})", "sig 7A5F", stage=Stage.ROMS, bare=True)
def signature_asked_for(m: Match, scope: Scope) -> Iterable[Said]:
    """The signature of the socket in hand."""
    asked = scope.context.asked
    symbols = scope.context.snapshot.decision("symbols") or HEX_SYMBOLS
    # Without a place in front, words that are no symbols are a sentence (“sig ok”).
    told = m["sig"].lower()
    if isinstance(asked, AskedSocket) and (told in _NO_SIGNATURE or set(told) <= set(symbols.lower())):
        yield from _signed(scope, NamedPart(board=asked.place.board, refdes=asked.place.refdes), m["sig"])


_SUM = r"[A-Za-z][A-Za-z0-9/-]*\s*[:=\s]\s*[0-9A-Fa-fx]{2,128}"


@form(
    rf"(?P<at><part>)\s+(?:check)?sum\s+(?P<sums>{_SUM}(?:[\s,]+{_SUM})*)(?:\s*,?\s+firmware\s+(?P<firmware>\w{{1,12}}))?",
    "6C sum sha1 2FD4E1C67A2D28FCED849EE1BB76E7391B93EB12",
    stage=Stage.ROMS,
)
def checksums(m: Match, scope: Scope) -> Iterable[Said]:
    """Checksums that a socket's content should have."""
    for one in scope.places.find(m["at"], new_ok=True):
        yield _summed(scope, one.one, m["sums"], m["firmware"] or "")


@form(rf"(?:check)?sum\s+(?P<sums>{_SUM}(?:[\s,]+{_SUM})*)", "sum crc32 7C9E1A20", stage=Stage.ROMS, bare=True)
def checksums_asked_for(m: Match, scope: Scope) -> Iterable[Said]:
    """Checksums of the socket in hand."""
    asked = scope.context.asked
    if isinstance(asked, AskedSocket):
        part = NamedPart(board=asked.place.board, refdes=asked.place.refdes)
        yield _summed(scope, part, m["sums"], "")


def _summed(scope: Scope, part: NamedPart, text: str, firmware: str) -> Said:
    digests: dict[str, str] = {}
    words = re.sub(r"[=:,]", " ", text).split()
    for name, value in zip(words[::2], words[1::2], strict=True):
        known = digest_name(name)
        if not known:
            raise Refusal("unknown-checksum", name=name)
        digest = checked_digest(value, known, filled=False)
        if digest is None:
            raise Refusal("bad-checksum", name=known, value=value)
        digests[known] = digest
    board = scope.context.boards.get(part.board)
    slots = {slot.refdes: slot.size for slot in board.rom_slots} if board else {}
    line = SumLine(
        name=part.refdes,
        digests=digests,
        size=slots.get(part.refdes) or None,
        firmware=firmware,
        place=part.refdes,
        board=part.board,
    )
    told = " ".join(f"{name} {value.upper()}" for name, value in digests.items())
    tail = f" firmware {firmware}" if firmware else ""
    return said(
        f"{scope.named(part)} sum {told}{tail}", about(ChecksumsKnown, part.board, source="typed", lines=(line,))
    )
