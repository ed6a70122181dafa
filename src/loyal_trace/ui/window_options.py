"""How the window is started, and the store that it opens."""

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from loyal_trace.app.job import OpenJob
    from loyal_trace.store.store import Store


@dataclass(frozen=True)
class WindowOptions:
    """How the window was asked for on the command line."""

    demo: bool = False
    shot: Path | None = None
    stage: str = ""
    store: Path | None = None
    dark: bool = False
    files: tuple[Path, ...] = ()


def store_folder(options: WindowOptions) -> Path:
    """Where this window keeps its jobs: as asked, else the user's data folder, the demo apart from real work."""
    from platformdirs import user_data_path

    return options.store or user_data_path("loyal-trace") / ("demo" if options.demo else "store")


def open_store(folder: Path, demo: bool) -> "tuple[Store, OpenJob | None]":
    """Opens the store (read-only beside another window) and, for the demo, its job, made when missing."""
    from loyal_trace.app.job import Environment, OpenJob
    from loyal_trace.core.vocabulary.errors import MachineError
    from loyal_trace.store.connection import DATABASE, StoreBusy
    from loyal_trace.store.store import Store

    try:
        store = Store(folder)
    except (StoreBusy, MachineError):
        if not (folder / DATABASE).exists():
            raise
        # Another window has it: looking is allowed, and the bar says why nothing can be written.
        store = Store(folder, read_only=True)
    if not demo:
        return store, None
    from loyal_trace.demo.common import DEMO_AUTHOR
    from loyal_trace.demo.workshop import JOB_ID, build_workshop

    env = Environment(author=DEMO_AUTHOR)
    if not store.has_job(JOB_ID):
        build_workshop(store, env.ids)
    return store, OpenJob(store, JOB_ID, env)
