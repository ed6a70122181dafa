"""What the window remembers of one store: the pads that are switched on, stage by stage."""

import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path

import tomli_w

from loyal_trace.core.vocabulary.stages import Stage, stage_of_word

FILE = "window.toml"


@dataclass(frozen=True)
class Preferences:
    """Never more than a convenience: a file that cannot be read is no preference."""

    pads: Mapping[Stage, bool] = field(default_factory=dict)


def load_preferences(folder: Path) -> Preferences:
    """What was remembered; nothing when there is no file, or none that can be read."""
    try:
        told = tomllib.loads((folder / FILE).read_text(encoding="utf-8")).get("pads", {})
    except (OSError, ValueError):
        return Preferences()
    found = {stage_of_word(str(name)): on for name, on in told.items()} if isinstance(told, dict) else {}
    return Preferences({stage: on for stage, on in found.items() if stage is not None and isinstance(on, bool)})


def save_preferences(folder: Path, pads: Mapping[Stage, bool]) -> None:
    """Remembers; where nothing can be written, nothing is remembered."""
    words = tomli_w.dumps({"pads": {stage.word: on for stage, on in pads.items()}})
    try:
        if not (folder / FILE).exists() or (folder / FILE).read_text(encoding="utf-8") != words:
            (folder / FILE).write_text(words, encoding="utf-8")
    except OSError:
        return
