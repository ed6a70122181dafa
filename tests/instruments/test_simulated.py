from threading import Event

import pytest

from loyal_trace.core.probing.states import PinReading
from loyal_trace.instruments.protocols import Cancelled
from loyal_trace.instruments.simulated import SimulatedInstruments


class FakeBench:
    """A bench with one ROM and a memory of what was renewed."""

    built = 0

    def __init__(self):
        FakeBench.built += 1
        self.renewed = []

    def read_rom(self, board, refdes):
        return bytes(range(256)) * 4

    def probe(self, board, refdes, pin):
        return PinReading("P")

    def measure(self, board, place, quantity):
        return 4.9

    def start(self):
        return True, ""

    def renew(self, board, refdes, spare=""):
        self.renewed.append((board, refdes, spare))


def test_the_bench_is_built_at_first_use_and_only_once():
    FakeBench.built = 0
    ours = SimulatedInstruments(FakeBench, 0)
    assert FakeBench.built == 0
    assert (
        ours.probe("b", "U1", 1).state == "P"
        and ours.measure("b", "U1.1", "voltage") == 4.9
        and ours.start() == (True, "")
    )
    ours.renew("b", "U1", "drawer 3")
    assert FakeBench.built == 1 and ours._ready().renewed == [("b", "U1", "drawer 3")]


def test_a_read_tells_its_progress_up_to_the_end():
    told = []
    data = SimulatedInstruments(FakeBench, 0).read("b", "U1", lambda done, total: told.append((done, total)), Event())
    assert len(data) == 1024 and told[0] == (0, 1024) and told[-1] == (1024, 1024)
    assert [done for done, _ in told] == sorted(done for done, _ in told)


def test_a_read_can_be_stopped_on_the_way():
    cancel = Event()

    def progress(done, total):
        if done >= 512:
            cancel.set()

    with pytest.raises(Cancelled):
        SimulatedInstruments(FakeBench, 0).read("b", "U1", progress, cancel)
