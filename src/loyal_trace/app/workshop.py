"""What a workshop keeps beside its jobs: drawer and bench profile. A file that cannot be read is named, not fatal."""

from dataclasses import dataclass
from pathlib import Path

from loyal_trace.core.parts.stock import StockItem
from loyal_trace.core.proving.bench import BenchProfile
from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.formats.bench_profile import BENCH_FILE, parse_bench, write_bench
from loyal_trace.formats.drawer import parse_drawer

DRAWER_FILE = "drawer.csv"


@dataclass(frozen=True)
class Workshop:
    """The drawer, the bench (None: nobody said), and what could not be read of them."""

    drawer: tuple[StockItem, ...] = ()
    bench: BenchProfile | None = None
    warnings: tuple[str, ...] = ()


def load_workshop(folder: Path) -> Workshop:
    """Reads `drawer.csv` and `bench.toml` of a store folder. What cannot be read is left out and named."""
    drawer: tuple[StockItem, ...] = ()
    bench: BenchProfile | None = None
    warnings = []
    try:
        if (folder / DRAWER_FILE).exists():
            drawer = parse_drawer((folder / DRAWER_FILE).read_bytes(), str(folder / DRAWER_FILE))
    except (UserFileError, OSError) as error:
        warnings.append(say("The drawer was not read: {error}", error=error))
    try:
        if (folder / BENCH_FILE).exists():
            bench = parse_bench((folder / BENCH_FILE).read_bytes(), str(folder / BENCH_FILE))
    except (UserFileError, OSError) as error:
        warnings.append(say("The bench profile was not read: {error}", error=error))
    return Workshop(drawer, bench, tuple(warnings))


def save_bench(folder: Path, bench: BenchProfile) -> None:
    """Writes the workshop's own bench profile."""
    write_bench(folder / BENCH_FILE, bench)
