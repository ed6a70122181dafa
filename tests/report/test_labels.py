"""Window labels: what stands on them, and that the files are what their endings say."""

import pytest

from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.demo.common import boards_of
from loyal_trace.report.labels import labels_of, write_labels

BOARD = boards_of(("tw-cpu",))["tw-cpu"]


def test_a_label_carries_mark_place_firmware_and_sums():
    first = labels_of(BOARD, "B")[0]
    assert first.head == "TW-0 6A" and first.about == "27C64 fw B"
    assert first.sums == ("CRC 3AC47BF3", "SHA1 fc6edd91623a") and len(labels_of(BOARD, "B")) == 6


def test_labels_of_a_set_that_differs_want_the_firmware_said():
    with pytest.raises(RequestError, match="name it with"):
        labels_of(BOARD)
    with pytest.raises(RequestError, match="has no checksums of firmware C"):
        labels_of(BOARD, "C")
    with pytest.raises(RequestError, match="no labels to print"):
        labels_of(boards_of(("hl-main",))["hl-main"])


def test_sheets_are_written_as_svg_and_pdf_and_are_the_same_each_time(tmp_path):
    labels = labels_of(BOARD, "B")
    for name, start in (("a.svg", b"<?xml"), ("a.pdf", b"%PDF")):
        write_labels(tmp_path / name, labels)
        once = (tmp_path / name).read_bytes()
        write_labels(tmp_path / name, labels)
        assert once.startswith(start) and (tmp_path / name).read_bytes() == once
    assert b"TW-0 6A" in (tmp_path / "a.svg").read_bytes()
    with pytest.raises(RequestError):
        write_labels(tmp_path / "a.txt", labels)
