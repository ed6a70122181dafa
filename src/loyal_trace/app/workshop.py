"""What a workshop keeps beside its jobs: drawer, offers, bench profile. What cannot be read is named, not fatal."""

from dataclasses import dataclass
from pathlib import Path

from loyal_trace.core.parts.stock import Offer, StockItem
from loyal_trace.core.proving.bench import BenchProfile
from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.formats.bench_profile import BENCH_FILE, parse_bench, write_bench
from loyal_trace.formats.drawer import parse_drawer, parse_offers
from loyal_trace.formats.whole_file import write_whole

DRAWER_FILE, OFFERS_FILE = "drawer.csv", "offers.csv"


@dataclass(frozen=True)
class Workshop:
    """The drawer, the shops' offers, the bench (None: nobody said), and what could not be read of them."""

    drawer: tuple[StockItem, ...] = ()
    bench: BenchProfile | None = None
    warnings: tuple[str, ...] = ()
    offers: tuple[Offer, ...] = ()


def load_workshop(folder: Path) -> Workshop:
    """Reads drawer, offers and bench profile of a store folder. What cannot be read is left out and named."""
    drawer: tuple[StockItem, ...] = ()
    bench: BenchProfile | None = None
    warnings = []
    try:
        if (folder / DRAWER_FILE).exists():
            drawer = parse_drawer((folder / DRAWER_FILE).read_bytes(), str(folder / DRAWER_FILE))
    except (UserFileError, OSError) as error:
        warnings.append(say("The drawer was not read: {error}", error=error))
    offers: tuple[Offer, ...] = ()
    try:
        if (folder / OFFERS_FILE).exists():
            offers = parse_offers((folder / OFFERS_FILE).read_bytes(), str(folder / OFFERS_FILE))
    except (UserFileError, OSError) as error:
        warnings.append(say("The shop offers were not read: {error}", error=error))
    try:
        if (folder / BENCH_FILE).exists():
            bench = parse_bench((folder / BENCH_FILE).read_bytes(), str(folder / BENCH_FILE))
    except (UserFileError, OSError) as error:
        warnings.append(say("The bench profile was not read: {error}", error=error))
    return Workshop(drawer, bench, tuple(warnings), offers)


def keep_offers(folder: Path, data: bytes, name: str) -> int:
    """A list of offers becomes the workshop's own, in place of the one before; how many there are in it.

    UserFileError for a list that cannot be read; MachineError leaves the old one as it was.
    """
    found = parse_offers(data, name)
    write_whole(folder / OFFERS_FILE, data, "offers", make_folders=True, private=True)
    return len(found)


def save_bench(folder: Path, bench: BenchProfile) -> None:
    """Writes the workshop's own bench profile."""
    write_bench(folder / BENCH_FILE, bench)
