"""Makes the TrueType fonts that ship with Loyal Trace from the OpenType ones (CFF curves).

Run once, by hand, with fontTools installed: `python scripts/make_fonts.py FOLDER_OF_OTF OUT_FOLDER`.
The report writer takes TrueType curves only; Qt takes either, so one set serves both.
"""

import sys
from pathlib import Path

from fontTools.fontBuilder import FontBuilder
from fontTools.pens.cu2quPen import Cu2QuPen
from fontTools.pens.ttGlyphPen import TTGlyphPen
from fontTools.ttLib import TTFont, newTable

WANTED = ("B612-Regular", "B612-Bold", "B612Mono-Regular", "B612Mono-Bold")


def convert(source: Path, target: Path) -> None:
    """Writes `source` again with quadratic curves; every other table stays as it is."""
    font = TTFont(source)
    glyph_set, order = font.getGlyphSet(), font.getGlyphOrder()
    glyphs = {}
    for name in order:
        pen = TTGlyphPen(glyph_set)
        glyph_set[name].draw(Cu2QuPen(pen, max_err=1.0, reverse_direction=True))
        glyphs[name] = pen.glyph()
    font["loca"], font["glyf"] = newTable("loca"), newTable("glyf")
    font["glyf"].glyphOrder, font["glyf"].glyphs = order, glyphs
    del font["CFF "]
    if "VORG" in font:
        del font["VORG"]
    maxp = font["maxp"]
    maxp.tableVersion = 0x00010000
    for field in ("maxZones", "maxTwilightPoints", "maxStorage", "maxFunctionDefs", "maxInstructionDefs",
                  "maxStackElements", "maxSizeOfInstructions", "maxComponentElements", "maxComponentDepth",
                  "maxPoints", "maxContours", "maxCompositePoints", "maxCompositeContours"):  # fmt: skip
        setattr(maxp, field, 1 if field == "maxZones" else 0)
    font["post"].formatType, font["post"].extraNames, font["post"].mapping = 2.0, [], {}
    font["post"].glyphOrder = order
    font.sfntVersion = "\x00\x01\x00\x00"
    FontBuilder(font=font)
    font.save(target)


if __name__ == "__main__":
    source_folder, out_folder = Path(sys.argv[1]), Path(sys.argv[2])
    for stem in WANTED:
        convert(source_folder / f"{stem}.otf", out_folder / f"{stem}.ttf")
