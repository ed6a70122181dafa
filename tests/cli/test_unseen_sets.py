"""Whole ROM sets made at random and damaged at random, told apart by the command line alone."""

import hashlib
import json
import zlib

import numpy as np
import pytest

from loyal_trace.cli import main

SIZES = (0x400, 0x1000, 0x8000)


def noise(rng, size):
    return rng.integers(0, 256, size, dtype=np.uint8)


def code_like(rng, size):
    """A few byte values much more frequent than others, padded at the end as real programs are."""
    common = rng.integers(0, 256, 24, dtype=np.uint8)
    image = np.where(rng.random(size) < 0.6, common[rng.integers(0, 24, size)], noise(rng, size))
    image[size - size // 8 :] = 0xFF
    return image.astype(np.uint8)


def words(rng, size):
    """Printable text only: the top data bit never rises, and that is no fault."""
    return rng.integers(0x20, 0x7F, size, dtype=np.uint8)


KINDS = (noise, code_like, words)


def stuck_data(rng, image):
    line, level = int(rng.integers(0, 7)), int(rng.integers(0, 2))
    return (image | (1 << line) if level else image & (0xFF ^ (1 << line))).astype(np.uint8)


def stuck_address(rng, image):
    line = 1 << int(rng.integers(0, int(np.log2(len(image)))))
    index = np.arange(len(image))
    return image[index | line if rng.integers(0, 2) else index & ~line]


def few_bytes(rng, image):
    wrong = image.copy()
    where = rng.choice(len(image) - len(image) // 8, int(rng.integers(1, 5)), replace=False)
    wrong[where] ^= rng.integers(1, 256, len(where), dtype=np.uint8)
    return wrong


def blank(rng, image):
    return np.full(len(image), 0xFF, np.uint8)


def cut(rng, image):
    return image[: len(image) // 2]


def untouched(rng, image):
    return image


DAMAGE = {
    "stuck-data": stuck_data,
    "stuck-address": stuck_address,
    "few-bytes": few_bytes,
    "blank": blank,
    "wrong-size": cut,
    "matches": untouched,
}


def write_set(rng, folder, size):
    """A set of six images, one of each damage, in random order; what each file should be called."""
    (folder / "reads").mkdir(parents=True)
    (folder / "reference").mkdir()
    expected, lines = {}, []
    for number, word in enumerate(rng.permutation(list(DAMAGE))):
        true = KINDS[number % 3](rng, size)
        name = f"{folder.name}.{number}"
        (folder / "reference" / name).write_bytes(true.tobytes())
        (folder / "reads" / name).write_bytes(DAMAGE[word](rng, true).tobytes())
        lines.append(f"SHA256 ({name}) = {hashlib.sha256(true.tobytes()).hexdigest()}\r\n")
        expected[name] = word
    (folder / "set.sums").write_text("\ufeff" + "".join(lines), encoding="utf-8")
    return expected


def checked(capsys, *arguments):
    code = main(["roms", "check", *map(str, arguments), "--json"])
    return code, json.loads(capsys.readouterr().out)["images"]


@pytest.mark.parametrize("seed", range(6))
def test_each_damage_of_a_random_set_gets_its_word(capsys, tmp_path, seed):
    rng = np.random.default_rng(seed)
    folder = tmp_path / f"board{seed}"
    expected = write_set(rng, folder, SIZES[seed % 3])
    code, images = checked(capsys, folder / "reads", "--sums", folder / "set.sums", "--truth", folder / "reference")
    assert code == 1 and {i["name"]: i["verdict"] for i in images} == expected
    for image in images:
        data = (folder / "reads" / image["name"]).read_bytes()
        assert image["crc32"] == f"{zlib.crc32(data):08x}" and image["sha1"] == hashlib.sha1(data).hexdigest()
        assert image["reason"] and all(h["next"] for h in image["hypotheses"])


@pytest.mark.parametrize("seed", range(4))
def test_sockets_exchanged_at_random_are_named_by_where_the_content_belongs(capsys, tmp_path, seed):
    rng = np.random.default_rng(100 + seed)
    images = {f"u{n}.rom": noise(rng, 0x800).tobytes() for n in range(5)}
    order = rng.permutation(5)
    (tmp_path / "set.sfv").write_text("".join(f"{n} {zlib.crc32(d):08X}\n" for n, d in images.items()))
    for place, name in enumerate(images):
        (tmp_path / name).write_bytes(images[f"u{order[place]}.rom"])
    _, found = checked(capsys, *sorted(tmp_path.glob("*.rom")), "--sums", tmp_path / "set.sfv")
    for place, image in enumerate(found):
        assert image["verdict"] == ("matches" if order[place] == place else "other-slot")
        assert order[place] == place or f"u{order[place]}.rom" in image["reason"]


@pytest.mark.parametrize("seed", range(4))
def test_two_reads_with_loose_contacts_are_unstable(capsys, tmp_path, seed):
    rng = np.random.default_rng(200 + seed)
    true = code_like(rng, 0x1000)
    (tmp_path / "set.md5").write_text(f"{hashlib.md5(true.tobytes()).hexdigest()} *8F\n")
    for read in ("first", "second"):
        (tmp_path / read).mkdir()
        flips = (rng.random(len(true)) < 0.03).astype(np.uint8) << int(rng.integers(0, 8))
        (tmp_path / read / "8F").write_bytes((true ^ flips).tobytes())
    code, found = checked(capsys, tmp_path / "first", tmp_path / "second", "--sums", tmp_path / "set.md5")
    assert code == 1 and {i["verdict"] for i in found} == {"unstable"}


def test_half_of_a_revision_is_told_apart_from_damage(capsys, tmp_path):
    rng = np.random.default_rng(7)
    old, new = ({n: words(rng, 0x800).tobytes() for n in "abcd"} for _ in range(2))
    rows = [f"{n},{hashlib.sha1(d).hexdigest()},{f}\n" for f, s in (("A", old), ("B", new)) for n, d in s.items()]
    (tmp_path / "sums.csv").write_text("name,sha1,firmware\n" + "".join(rows))
    (tmp_path / "reads").mkdir()
    for name in "abcd":
        (tmp_path / "reads" / name).write_bytes(old[name] if name == "c" else new[name])
    _, found = checked(capsys, tmp_path / "reads", "--sums", tmp_path / "sums.csv")
    assert [i["verdict"] for i in found] == ["matches", "matches", "other-revision", "matches"]
    assert "A" in found[2]["reason"]


def test_unlisted_files_with_numbers_are_reads_of_one_chip_only_when_they_resemble_each_other(capsys, tmp_path):
    rng = np.random.default_rng(8)
    first, other = noise(rng, 0x800), noise(rng, 0x800)
    loose = first.copy()
    loose[[5, 900]] ^= 0x10
    (tmp_path / "list.sfv").write_text("elsewhere.bin 00000000\n")
    for name, image in (("x-1.bin", first), ("x-2.bin", loose), ("y-1.bin", first), ("y-2.bin", other)):
        (tmp_path / name).write_bytes(image.tobytes())
    _, found = checked(capsys, *sorted(tmp_path.glob("*.bin")), "--sums", tmp_path / "list.sfv")
    assert [i["verdict"] for i in found] == ["unstable", "unstable", "unknown", "unknown"]
