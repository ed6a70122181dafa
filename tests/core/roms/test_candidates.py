"""Proving changes: the plain way and the compiled one never disagree, and nothing depends on the compiled one."""

import hashlib

import numpy as np
import pytest

from loyal_trace.core.roms import candidates
from loyal_trace.core.roms.candidates import Candidates, Prover, Watch, changed
from loyal_trace.core.roms.restore_bits import single_bits


def many(size, count, seed=3):
    rng = np.random.default_rng(seed)
    data = rng.integers(0, 256, size, dtype=np.uint8).tobytes()
    places = np.sort(np.array([rng.choice(size, 3, replace=False) for _ in range(count)]), axis=1)
    return data, Candidates(places.astype(np.int64), rng.integers(0, 256, (count, 3), dtype=np.uint8))


@pytest.fixture(params=["plain", "compiled"])
def watch(request, monkeypatch):
    if request.param == "plain":
        return Watch()
    import loyal_trace.compiled as compiled

    compiled._on_disk.cache_clear()
    if compiled._on_disk() is None and not compiled.compile_helper():
        pytest.skip("no C compiler here")
    compiled._on_disk.cache_clear()
    monkeypatch.setattr(candidates, "_WORTH_QUICK", 0)
    return Watch(sha1=compiled.sha1_lanes)


@pytest.mark.parametrize(("size", "row"), [(3, 0), (55, 7), (56, 63), (64, 64), (119, 100), (1000, 129), (4096, 199)])
def test_the_right_row_is_found_wherever_it_stands(watch, size, row):
    data, every = many(size, 200)
    wanted = changed(data, every.changes(row, data))
    found = Prover(data, {"sha1": hashlib.sha1(wanted).hexdigest()}, watch).first_right(every)
    assert changed(data, found) == wanted
    assert Prover(data, {"sha1": "0" * 40}, watch).first_right(every) is None


def test_other_sums_must_agree_as_well(watch):
    data, every = many(300, 50)
    wanted = changed(data, every.changes(9, data))
    sums = {
        "sha1": hashlib.sha1(wanted).hexdigest(),
        "md5": hashlib.md5(wanted).hexdigest(),
        "sum8": f"{sum(wanted) % 256:02x}",
    }
    assert changed(data, Prover(data, sums, watch).first_right(every)) == wanted
    assert Prover(data, {**sums, "md5": "0" * 32}, watch).first_right(every) is None


def test_work_is_told_of_and_stopped(watch):
    data, every = many(200, 100)
    told = []
    prover = Prover(data, {"sha1": "0" * 40}, Watch(lambda: len(told) > 0, lambda *said: told.append(said), watch.sha1))
    assert prover.first_right(every, "trying") is None and told == [("trying", 0, 100)] * len(told)


def test_without_a_compiler_there_is_no_helper_and_that_is_all(monkeypatch, tmp_path):
    import loyal_trace.compiled as compiled

    compiled._on_disk.cache_clear()
    monkeypatch.setattr(compiled, "_places", lambda: [tmp_path / "none.so"])
    monkeypatch.setattr(compiled, "_compiler", lambda: None)
    assert compiled.compile_helper() is None and compiled.sha1_lanes(b"abc") is None
    (tmp_path / "none.so").write_bytes(b"no library")
    compiled._on_disk.cache_clear()
    assert compiled.sha1_lanes(b"abc") is None
    compiled._on_disk.cache_clear()


def test_single_bits_that_read_one_are_tried_first_as_faded_cells_do():
    data = bytes([0x0F, 0xF1])
    ones, zeros = single_bits(data)
    lowered, raised = ([data[p] ^ int(v) for (p,), (v,) in zip(c.places, c.meant, strict=True)] for c in (ones, zeros))
    assert sorted(lowered) == sorted([1, 2, 4, 8, 1, 16, 32, 64, 128])
    assert sorted(raised) == sorted([16, 32, 64, 128, 2, 4, 8])
