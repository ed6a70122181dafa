"""A watched folder and the workshop's bench profile."""

import os

import pytest

from loyal_trace.core.proving.bench import BenchProfile, BenchSupply
from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.formats.bench_profile import BENCH_FILE, parse_bench, write_bench
from loyal_trace.formats.photo_folder import PhotoFolder


def test_a_photo_counts_once_it_has_stopped_growing_and_only_once(tmp_path):
    (tmp_path / "old.jpg").write_bytes(b"old")
    watched = PhotoFolder(tmp_path)
    watched.begin()
    assert watched.look() == ()
    (tmp_path / "new.jpg").write_bytes(b"half")
    assert watched.look() == (), "it may still be on its way"
    (tmp_path / "new.jpg").write_bytes(b"half and the rest")
    assert watched.look() == ()
    assert [p.name for p in watched.look()] == ["new.jpg"] and watched.look() == ()


def test_what_is_no_photo_hidden_empty_or_gone_is_passed_over(tmp_path):
    watched = PhotoFolder(tmp_path)
    watched.begin()
    for name, data in ((".sync.jpg", b"x"), ("notes.txt", b"x"), ("empty.png", b""), ("fine.png", b"x")):
        (tmp_path / name).write_bytes(data)
    watched.look()
    assert [p.name for p in watched.look()] == ["fine.png"]
    away = tmp_path / "away"
    assert PhotoFolder(away).look() == (), "a folder that is not there has no photos"


def test_a_photo_written_over_counts_again(tmp_path):
    watched = PhotoFolder(tmp_path)
    watched.begin()
    (tmp_path / "a.jpg").write_bytes(b"1")
    watched.look(), watched.look()
    (tmp_path / "a.jpg").write_bytes(b"22")
    os.utime(tmp_path / "a.jpg", ns=(1, 1))
    assert watched.look() == () and len(watched.look()) == 1


def test_the_bench_profile_comes_back_as_it_was_written(tmp_path):
    profile = BenchProfile((BenchSupply(5.0, 3.0), BenchSupply(-12.0)), frozenset({"harness", "ESR tester"}))
    write_bench(tmp_path / BENCH_FILE, profile)
    assert parse_bench((tmp_path / BENCH_FILE).read_bytes()) == profile
    assert parse_bench(b"") == BenchProfile()


@pytest.mark.parametrize("text", ['lacks = "harness"', "supplies = 5", "lacks = [", 'supplies = "lots"', "\x00"])
def test_a_bad_profile_is_told_with_its_name(text):
    with pytest.raises(UserFileError, match=BENCH_FILE):
        parse_bench(text.encode())
