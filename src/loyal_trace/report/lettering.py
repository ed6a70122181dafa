"""Which font prints a character: B612 first, then one with more letters and signs, then one with Japanese.

What none of them prints, control characters among it, is told by its code point, so that no letter vanishes.
"""

import io
import unicodedata
from collections.abc import Iterator
from functools import cache
from itertools import groupby
from xml.sax.saxutils import escape

from reportlab.pdfbase.pdfmetrics import getFont, registerFont, registerFontFamily
from reportlab.pdfbase.ttfonts import TTFont

from loyal_trace.resources import read_bytes

REGULAR, BOLD, MONO = "B612", "B612-Bold", "B612Mono"
_FILES = {
    REGULAR: "B612-Regular",
    BOLD: "B612-Bold",
    MONO: "B612Mono-Regular",
    "Signs": "DejaVuSans",
    "Japanese": "VL-Gothic-Regular",
}
_MORE = ("Signs", "Japanese")
# Written from right to left, or with letters that join and move: without their own rules they would be wrong.
_UNPRINTABLE = (
    *((0x0590, 0x08FF), (0x0900, 0x0DFF), (0x0E80, 0x10FF)),
    *((0x1780, 0x18AF), (0xFB1D, 0xFDFF), (0xFE70, 0xFEFF)),
)
_BREAKS = "\n\u0085\u2028\u2029"
_LONGEST_WORD = 40


@cache
def register_fonts() -> None:
    """Makes the fonts known to the PDF library, once; each is put into a file only with the letters it prints."""
    for name, file in _FILES.items():
        registerFont(TTFont(name, io.BytesIO(read_bytes(f"fonts/{file}.ttf"))))
    registerFontFamily(REGULAR, normal=REGULAR, bold=BOLD)


@cache
def _font_of(character: str, font: str) -> str:
    """The font that prints a character; empty when none does."""
    code = ord(character)
    # Beyond the basic plane the library writes a wrong letter for whoever copies the text.
    if code > 0xFFFF or any(first <= code <= last for first, last in _UNPRINTABLE):
        return ""
    return next((name for name in (font, *_MORE) if code in getFont(name).face.charToGlyph), "")


def runs(text: str, font: str = REGULAR) -> Iterator[tuple[str, str]]:
    """(font, text) of every stretch that one font prints."""
    shown = "".join(_shown(character, font) for character in unicodedata.normalize("NFC", text))
    for name, characters in groupby(shown, key=lambda c: font if c == " " else _font_of(c, font) or font):
        yield name, "".join(characters)


def _shown(character: str, font: str) -> str:
    code = ord(character)
    if character in _BREAKS:
        return "\n"
    if character == "\t":
        return " "
    if unicodedata.category(character) in ("Cc", "Cf", "Cs", "Co", "Cn") or not _font_of(character, font):
        return " " if character == "\u00a0" else f"[U+{code:04X}]"
    return character


def markup(text: str, font: str = REGULAR) -> str:
    """A text as the paragraphs of the PDF library want it."""
    return "".join(
        escape(part).replace("\n", "<br/>") if name == font else f'<font name="{name}">{escape(part)}</font>'
        for name, part in runs(text, font)
    )


def breaks_anywhere(text: str) -> bool:
    """Must its lines break inside words: Japanese, which has no spaces, or a word longer than a line?"""
    longest = max((len(word) for word in text.split()), default=0)
    return longest > _LONGEST_WORD or any("\u3040" <= character <= "\u9fff" for character in text)
