"""The workshop's own bench in `bench.toml` of the store folder: its supplies, and what it lacks."""

import tomllib
from pathlib import Path

import tomli_w

from loyal_trace.core.proving.bench import BenchProfile, parse_supplies
from loyal_trace.core.vocabulary.errors import RequestError, UserFileError
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.formats.checksum_lists import decode_text
from loyal_trace.formats.whole_file import write_whole

BENCH_FILE = "bench.toml"


def parse_bench(data: bytes, name: str = BENCH_FILE) -> BenchProfile:
    """The profile in a file: `supplies = "5 V 3 A, 12 V 1 A"`, `lacks = ["harness"]`; UserFileError with its remedy."""
    try:
        table = tomllib.loads(decode_text(data, name))
        lacks, supplies = table.get("lacks", []), table.get("supplies", "")
        if not (isinstance(lacks, list) and isinstance(supplies, str)):
            raise UserFileError(name, say("lacks is a list, supplies a text"), say('write lacks = ["harness"]'))
        return BenchProfile(parse_supplies(supplies), frozenset(str(word) for word in lacks))
    except (ValueError, RecursionError) as error:
        raise UserFileError(
            name, say("is not readable TOML ({error})", error=error), say("correct that line")
        ) from None
    except RequestError as error:
        raise UserFileError(name, str(error)) from None


def write_bench(path: Path, profile: BenchProfile) -> None:
    """Writes the profile, whole or not at all."""
    table = {
        "supplies": joined(", ", (supply.words for supply in profile.supplies)),
        "lacks": sorted(profile.lacks),
    }
    write_whole(path, tomli_w.dumps(table).encode(), say("bench profile"))
