"""Writes images as binary, Intel HEX or S-record, and puts their bytes, bits, lanes and halves in another order."""

from collections.abc import Sequence
from pathlib import Path

import numpy as np

from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.formats.whole_file import write_whole

HEX_ENDINGS, SREC_ENDINGS = (".hex", ".ihx", ".ihex"), (".srec", ".s19", ".s28", ".s37", ".mot")
SWAPS = ("bytes", "words", "bits", "nibbles", "halves")


def encode_image(data: bytes, name: str) -> bytes:
    """The bytes of a file of that name: by its ending Intel HEX, S-record, or plain binary."""
    lower = name.lower()
    if not lower.endswith((*HEX_ENDINGS, *SREC_ENDINGS)):
        return data
    import bincopy

    file = bincopy.BinFile()
    file.add_binary(data)
    width = 32 if len(data) > 1 << 24 else 24 if len(data) > 1 << 16 else 16
    text = file.as_ihex() if lower.endswith(HEX_ENDINGS) else file.as_srec(address_length_bits=width)
    return str(text).encode("ascii")


def write_image(path: Path, data: bytes) -> None:
    """Writes an image, whole or not at all; the ending decides the format."""
    write_whole(path, encode_image(data, path.name), "image")


def swap(data: bytes, what: str) -> bytes:
    """Bytes of every pair, words of every four, bits or nibbles of every byte, or the two halves exchanged.

    RequestError for another word, or when the size does not divide.
    """
    array = np.frombuffer(data, dtype=np.uint8)
    need = {"bytes": 2, "words": 4, "halves": 2}.get(what, 1)
    if what not in SWAPS:
        raise RequestError(say("“{what}” cannot be exchanged (known: {swaps})", what=what, swaps=joined(", ", SWAPS)))
    if len(data) % need:
        raise RequestError(
            say(
                "{count:,} bytes cannot be exchanged by {what}: the size is not a multiple of {need}",
                count=len(data),
                what=what,
                need=need,
            )
        )
    if what == "bytes":
        return array.reshape(-1, 2)[:, ::-1].tobytes()
    if what == "words":
        return array.reshape(-1, 2, 2)[:, ::-1].tobytes()
    if what == "bits":
        return np.packbits(np.unpackbits(array[:, None], axis=1)[:, ::-1], axis=1).tobytes()
    if what == "nibbles":
        return ((array << 4) | (array >> 4)).astype(np.uint8).tobytes()
    return data[len(data) // 2 :] + data[: len(data) // 2]


def interleave(images: Sequence[bytes]) -> bytes:
    """Lanes woven together, first image first; RequestError when they differ in size."""
    if len({len(image) for image in images}) != 1:
        raise RequestError(say("byte lanes of one image have one size; these differ"))
    return np.column_stack([np.frombuffer(image, dtype=np.uint8) for image in images]).tobytes()


def lanes(data: bytes, count: int) -> tuple[bytes, ...]:
    """An image taken apart into lanes; RequestError when the size does not divide."""
    if count < 2 or len(data) % count:
        raise RequestError(say("{count:,} bytes do not divide into {count2} byte lanes", count=len(data), count2=count))
    return tuple(data[number::count] for number in range(count))


def split(data: bytes, count: int) -> tuple[bytes, ...]:
    """An image cut into equal pieces; RequestError when the size does not divide."""
    if count < 2 or len(data) % count:
        raise RequestError(say("{count:,} bytes do not divide into {count2} pieces", count=len(data), count2=count))
    size = len(data) // count
    return tuple(data[n * size : (n + 1) * size] for n in range(count))
