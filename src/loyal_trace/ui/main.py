"""The composition root of the window: builds what it needs and passes it down."""

from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class WindowOptions:
    """How the window was asked for on the command line."""

    demo: bool = False
    shot: Path | None = None
    stage: str = ""
    store: Path | None = None
    dark: bool = False
    files: tuple[Path, ...] = ()


def run_window(options: WindowOptions) -> int:
    """Opens the window and runs until it is closed."""
    raise SystemExit("the window is not there yet")
