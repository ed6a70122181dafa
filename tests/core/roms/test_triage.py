"""Triage of a check that failed in circuit."""

import pytest

from loyal_trace.core.roms.triage import Socket, triage

GOOD = Socket("6A", "right", "", "2D", "5A")
BAD = Socket("6C", "wrong", "matches", "2E", "5A")


@pytest.mark.parametrize(
    ("socket", "others", "watchdog", "culprit"),
    [
        (Socket("6C", "wrong", "differs"), (), False, "chip"),
        (Socket("6C", "wrong", "unstable"), (), False, "pin or chip"),
        (Socket("6C", "wrong"), (), False, "open"),
        (Socket("6C", "none", "matches"), (), False, "set-up"),
        (BAD, (GOOD,), True, "set-up"),
        (BAD, (GOOD,), False, "pin or socket"),
        (Socket("6C", "right"), (), False, ""),
        (BAD, (GOOD, Socket("6D", "wrong", "", "2E", "5A")), False, "decoder"),
        (BAD, (Socket("6D", "wrong", "", "2D", "5A"),), False, "bus"),
        (
            BAD,
            (GOOD, Socket("6D", "wrong", "", "2E", "5A"), Socket("6E", "right", "", "2E", "5A")),
            False,
            "pin or socket",
        ),
    ],
)
def test_what_fails_together_and_what_passes_tells_whom_to_suspect(socket, others, watchdog, culprit):
    found = triage(socket, others, watchdog)
    assert found.culprit == culprit and bool(found.next) == (culprit != "") and found.why
