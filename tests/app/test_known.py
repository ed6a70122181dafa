"""What a store knows of ROM contents, over all its jobs."""

import numpy as np
import pytest

from loyal_trace.app.importers import import_files
from loyal_trace.app.job import OpenJob, new_id
from loyal_trace.app.known import known_of_store
from loyal_trace.demo.hollin import HOLLIN_JOB
from loyal_trace.demo.images import reference_image
from loyal_trace.demo.workshop import build_workshop
from loyal_trace.resources import chip_library
from loyal_trace.store.store import Store


@pytest.fixture(scope="module")
def known(tmp_path_factory):
    with Store(tmp_path_factory.mktemp("store")) as store:
        build_workshop(store, new_id)
        return known_of_store(store, chip_library())


def test_a_dump_is_known_from_the_sums_of_the_boards_of_the_store(known):
    best = known.identify(reference_image("tw-cpu", "6B", "A"))[0]
    assert (best.name, best.firmware, best.fraction) == ("6B", "A", 1.0) and best.source == "TW-CPU rev C"


def test_a_damaged_dump_is_known_from_reads_that_proved_right(known):
    image = np.frombuffer(reference_image("tw-cpu", "6B", "B"), np.uint8) | np.uint8(4)
    best = known.identify(image.tobytes())[0]
    assert best.name == "6B" and best.fraction > 0.8 and "line patterns" in best.how


def test_a_board_that_several_jobs_share_counts_once(known):
    titles = [listed.source for listed in known.lists]
    assert len(titles) == len(set(titles)) and len(known) > 10


def test_a_dump_of_another_board_says_which_when_it_is_dropped_here(tmp_path):
    with Store(tmp_path / "store") as store:
        build_workshop(store, new_id)
        session = OpenJob(store, HOLLIN_JOB)
        dump = tmp_path / "unknown.bin"
        dump.write_bytes(reference_image("tw-cpu", "6D", "A"))
        assert "looks like 6D of TW-CPU rev C (100 %)" in import_files(session, [dump]).left_out[0].reason
        dump.write_bytes(bytes(range(256)) * 7)
        assert (
            "matches no ROM socket by name or content; import a list"
            in import_files(session, [dump]).left_out[0].reason
        )
