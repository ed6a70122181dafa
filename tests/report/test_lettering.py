"""No letter vanishes from a report: it is printed, or its code point is; long texts and photographs find their pages."""

import io
import unicodedata
from datetime import UTC, datetime

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from reportlab.platypus import Paragraph

from loyal_trace.core.job.entries import Photographed
from loyal_trace.report.html import to_html
from loyal_trace.report.lettering import breaks_anywhere, register_fonts, runs
from loyal_trace.report.model import ReportModel, Section
from loyal_trace.report.pdf import to_pdf
from loyal_trace.report.pictures import pictures_of

register_fonts()


def report(*sections):
    return ReportModel("Τίτλος 基板", "1", "Łukasz", "today", ("sum",), sections, ())


def printed(text):
    return "".join(part for _, part in runs(text))


def pages(pdf):
    return pdf.count(b"/Type /Page\n")


@pytest.mark.parametrize(
    ("first", "last"), [(0xA1, 0x24F), (0x370, 0x3FF), (0x400, 0x4FF), (0x3041, 0x30FE), (0x2190, 0x21FF)]
)
def test_letters_of_europe_and_japan_and_arrows_are_printed(first, last):
    letters = [chr(n) for n in range(first, last + 1) if unicodedata.category(chr(n))[0] in "LS"]
    lost = [letter for letter in letters if "U+" in printed(letter)]
    assert len(lost) <= len(letters) * 0.02, lost


@pytest.mark.parametrize(
    "text", ["µΩ±≤≥°→™€£½²³✓●■▲", "naïve café", "日本語の基板を交換、電源は正常です。", "Гусь, Ωμέγα, Łódź"]
)
def test_common_signs_stay_as_they_are(text):
    assert printed(text) == text


def test_what_no_font_prints_is_told_by_its_code_point():
    assert printed("a\x07b\u202ec 😀") == "a[U+0007]b[U+202E]c [U+1F600]"
    assert printed("שלום").startswith("[U+05E9]") and printed("one\u2028two\u0085three\tfour") == "one\ntwo\nthree four"


@given(st.text(max_size=60))
@settings(max_examples=20, deadline=None)
def test_any_text_can_be_set(text):
    assert all(part for _, part in runs(text))
    assert to_pdf(report(Section(text or "x", (text,), ((text, "b"), (text, text)), (1, 1)))).startswith(b"%PDF")


def test_long_words_and_reasons_longer_than_a_page_are_broken():
    assert breaks_anywhere("x" * 50) and breaks_anywhere("基板の") and not breaks_anywhere("plain words " * 50)
    long = report(Section("Long", ("y" * 4000,), (("a", "b"), ("1", "word " * 4000), ("z" * 900, "2")), (1, 3)))
    assert pages(to_pdf(long)) >= 4


def test_a_heading_is_never_alone_at_the_end_of_a_page(monkeypatch):
    drawn, plain = {}, Paragraph.drawOn

    def noted(self, canvas, *place, **more):
        drawn[self.getPlainText()] = canvas.getPageNumber()
        return plain(self, canvas, *place, **more)

    monkeypatch.setattr(Paragraph, "drawOn", noted)
    ends = set()
    for lines in range(35, 56):
        drawn.clear()
        to_pdf(report(Section("First", tuple(f"line {n}" for n in range(lines))), Section("Second", ("its line",))))
        assert drawn["Second"] == drawn["its line"]
        ends.add(drawn["Second"])
    assert ends == {1, 2}, "both sides of the page's end were tried"


def test_photographs_stand_in_the_report_upright_and_small():
    picture = Image.fromarray(np.random.default_rng(0).integers(0, 256, (300, 1200, 3), dtype=np.uint8))
    target, exif = io.BytesIO(), Image.Exif()
    exif[0x0112] = 6
    picture.save(target, "JPEG", exif=exif)
    common = {"id": "1", "time": datetime(2026, 1, 1, tzinfo=UTC), "width": 300, "height": 1200}
    photos = [
        Photographed(**common, attachment="0" * 64, file_name="front.jpg"),
        Photographed(**common, attachment="1" * 64, file_name="lost.jpg"),
    ]
    (found,) = pictures_of(photos, {"0" * 64: target.getvalue(), "1" * 64: b"no picture"}.__getitem__)
    assert (found.title, found.width, found.height) == ("front.jpg", 225, 900)
    first, second = to_pdf(report(), [found]), to_pdf(report(), [found])
    assert first == second and b"/DCTDecode" in first and found.jpeg[:200] in first
    assert "data:image/jpeg;base64," in to_html(report(), [found])
