from threading import Event

import pytest

from loyal_trace.core.probing.states import PinReading
from loyal_trace.core.vocabulary.identity import PartRef, PinRef
from loyal_trace.instruments.protocols import Cancelled
from loyal_trace.instruments.simulated import SimulatedInstruments


class FakeBench:
    """A bench with one ROM and a memory of what was renewed."""

    built = 0

    def __init__(self):
        FakeBench.built += 1
        self.replaced = []

    def has(self, board, refdes):
        return refdes.startswith("U")

    def read_rom(self, board, refdes):
        return bytes(range(256)) * 4

    def probe(self, board, refdes, pin):
        return PinReading("P")

    def measure(self, board, place, quantity):
        return 4.9

    def start(self):
        return True, ""

    def replace_part(self, board, refdes, spare=""):
        self.replaced.append((board, refdes, spare))


U1 = PartRef("b", "U1")


def test_the_bench_is_built_at_first_use_and_follows_what_was_recorded():
    FakeBench.built, changes = 0, []
    ours = SimulatedInstruments(FakeBench, lambda: tuple(changes), 0)
    assert FakeBench.built == 0
    assert ours.probe(PinRef("b", "U1", 1)).state == "P" and ours.measure("b", "U1.1", "voltage") == 4.9
    changes += [(U1, "drawer 3"), (PartRef("b", "nowhere"), "")]
    assert ours.start() == (True, "") and ours.bench.replaced == [("b", "U1", "drawer 3")]
    changes.append((U1, "drawer 7"))
    ours.start()
    assert FakeBench.built == 1 and len(ours.bench.replaced) == 2, "only what is new is done"
    del changes[1:]
    ours.start()
    assert FakeBench.built == 2 and ours.bench.replaced == [("b", "U1", "drawer 3")], "what was undone is undone here"


def test_a_read_tells_its_progress_up_to_the_end():
    told = []
    data = SimulatedInstruments(FakeBench, tuple, 0).read(U1, lambda done, total: told.append((done, total)), Event())
    assert len(data) == 1024 and told[0] == (0, 1024) and told[-1] == (1024, 1024)
    assert [done for done, _ in told] == sorted(done for done, _ in told)


def test_a_read_can_be_stopped_on_the_way():
    cancel = Event()

    def progress(done, total):
        if done >= 512:
            cancel.set()

    with pytest.raises(Cancelled):
        SimulatedInstruments(FakeBench, tuple, 0).read(U1, progress, cancel)
