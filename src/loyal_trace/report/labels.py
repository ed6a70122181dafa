"""Window labels for programmed chips: mark, place, firmware and sums, on a sheet to print, as PDF or SVG."""

import io
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from reportlab.graphics import renderPDF, renderSVG
from reportlab.graphics.shapes import Drawing, Rect, String
from reportlab.lib.colors import HexColor
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.formats.whole_file import write_whole
from loyal_trace.language import localised
from loyal_trace.report.lettering import register_fonts

WIDTH, HEIGHT, _GAP, _ACROSS = 26.0, 12.0, 3.0, 6  # millimetres: over the window of a wide DIP
_LEFT = _TOP = 12.0


@dataclass(frozen=True)
class Label:
    """What stands on one label: mark and place large, firmware and device, then the sums."""

    head: str
    about: str
    sums: tuple[str, ...]


def labels_of(board: BoardDefinition, firmware: str = "") -> tuple[Label, ...]:
    """A label for every slot whose sums are known; RequestError when the firmware has to be said or is unknown."""
    if firmware and firmware not in {name for slot in board.rom_slots for name in slot.firmwares}:
        raise RequestError(say("{title} has no checksums of firmware {firmware}", title=board.title, firmware=firmware))
    found = []
    for slot in board.rom_slots:
        contents = dict.fromkeys(digests for name, digests in slot.sums if not firmware or name == firmware)
        if len(contents) > 1:
            names = joined(", ", slot.firmwares)
            raise RequestError(
                say(
                    "{refdes} differs between firmware {names}: name it with --firmware",
                    refdes=slot.refdes,
                    names=names,
                )
            )
        for digests in contents:
            known = dict(digests)
            told = [say("CRC {known}", known=known["crc32"].upper())] if "crc32" in known else []
            told += [say("SHA1 {known}", known=known["sha1"][:12])] if "sha1" in known else []
            told += [say("{name} {value}", name=name, value=value) for name, value in digests if not told][:2]
            about = joined(
                " ",
                (part for part in (slot.device, say("fw {firmware}", firmware=firmware) if firmware else "") if part),
            )
            found.append(Label(joined(" ", (p for p in (slot.label, slot.refdes) if p)), about, tuple(told)))
    if not found:
        raise RequestError(
            say("{title} lists no checksums for its ROM slots, so there are no labels to print", title=board.title)
        )
    return tuple(found)


def sheet(labels: Sequence[Label]) -> Drawing:
    """All labels on one sheet, six across, with cutting lines."""
    register_fonts()
    labels = localised(tuple(labels))
    rows = -(-len(labels) // _ACROSS)
    height = 2 * _TOP + rows * (HEIGHT + _GAP) - _GAP
    page = Drawing((2 * _LEFT + _ACROSS * (WIDTH + _GAP) - _GAP) * mm, height * mm)
    for number, label in enumerate(labels):
        left = (_LEFT + number % _ACROSS * (WIDTH + _GAP)) * mm
        bottom = (height - _TOP - HEIGHT - number // _ACROSS * (HEIGHT + _GAP)) * mm
        _draw(page, label, left, bottom)
    return page


def _draw(page: Drawing, label: Label, left: float, bottom: float) -> None:
    ink = HexColor("#22303C")
    page.add(Rect(left, bottom, WIDTH * mm, HEIGHT * mm, strokeColor=ink, strokeWidth=0.4, fillColor=None))
    lines = [(label.head, "B612-Bold", 8.0), (label.about, "B612", 5.6), *((s, "B612Mono", 5.2) for s in label.sums)]
    top = bottom + HEIGHT * mm - 9
    for text, font, size in lines:
        page.add(String(left + 3, top, text, fontName=font, fontSize=size, fillColor=ink))
        top -= 7.2


def sheet_pdf(labels: Sequence[Label]) -> bytes:
    """The sheet as PDF, a page of its size."""
    page: Any = sheet(labels)
    target = io.BytesIO()
    canvas = Canvas(target, pagesize=(page.width, page.height), invariant=1)
    renderPDF.draw(page, canvas, 0, 0)
    canvas.save()
    return target.getvalue()


def write_labels(path: Path, labels: Sequence[Label]) -> None:
    """Writes the sheet, whole or not at all; RequestError unless the ending is .pdf or .svg."""
    if path.suffix.lower() == ".svg":
        write_whole(path, renderSVG.drawToString(sheet(labels)).encode("utf-8"), "labels")
    elif path.suffix.lower() == ".pdf":
        write_whole(path, sheet_pdf(labels), "labels")
    else:
        raise RequestError(say("{path}: labels are written as .pdf or .svg", path=path.name))
