"""What the program remembers of one store: who works here, the pads, the last job and stage, the window's looks."""

import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import tomli_w

from loyal_trace.core.vocabulary.stages import Stage, stage_of_word

FILE = "window.toml"
SMALLEST, LARGEST = 80, 200
MOST_BACKUPS, MOST_ENTRIES = 99, 100_000
COLOURS = ("system", "light", "dark")


@dataclass(frozen=True)
class Preferences:
    """Never more than a convenience: a file that cannot be read is no preference.

    `backups_kept` copies of the store rotate, one every `backup_every` entries and on closing, in `backup_place`
    (empty: in the store). `name` is how the person signs; `geometry` the window's place as Qt writes it (hexadecimal);
    `text_size` is in %.
    """

    pads: Mapping[Stage, bool] = field(default_factory=dict)
    name: str = ""
    job: str = ""
    stage: str = ""
    geometry: str = ""
    text_size: int = 100
    colours: str = "system"
    backups_kept: int = 7
    backup_every: int = 500
    backup_place: str = ""


def load_preferences(folder: Path) -> Preferences:
    """What was remembered; nothing when there is no file, or none that can be read."""
    try:
        told = tomllib.loads((folder / FILE).read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return Preferences()
    texts = {
        key: str(told[key])
        for key in ("name", "job", "stage", "geometry", "backup_place")
        if isinstance(told.get(key), str)
    }
    colours = told.get("colours") if told.get("colours") in COLOURS else "system"
    return Preferences(
        _pads(told.get("pads")),
        **texts,
        text_size=_size(told.get("text_size")),
        colours=str(colours),
        backups_kept=_count(told.get("backups_kept"), MOST_BACKUPS, Preferences.backups_kept),
        backup_every=max(1, _count(told.get("backup_every"), MOST_ENTRIES, Preferences.backup_every)),
    )


def _count(told: Any, most: int, usual: int) -> int:
    return min(most, max(0, told)) if isinstance(told, int) and not isinstance(told, bool) else usual


def _pads(told: Any) -> dict[Stage, bool]:
    found = {stage_of_word(str(name)): on for name, on in told.items()} if isinstance(told, dict) else {}
    return {stage: on for stage, on in found.items() if stage is not None and isinstance(on, bool)}


def _size(told: Any) -> int:
    return min(LARGEST, max(SMALLEST, told)) if isinstance(told, int) and not isinstance(told, bool) else 100


def save_preferences(folder: Path, preferences: Preferences) -> None:
    """Remembers; where nothing can be written, nothing is remembered."""
    plain = Preferences()
    told: dict[str, Any] = {
        key: value for key, value in vars(preferences).items() if key != "pads" and value != getattr(plain, key)
    }
    told["pads"] = {stage.word: on for stage, on in preferences.pads.items()}
    words = tomli_w.dumps(told)
    try:
        if not (folder / FILE).exists() or (folder / FILE).read_text(encoding="utf-8") != words:
            (folder / FILE).write_text(words, encoding="utf-8")
    except OSError:
        return


def remember(folder: Path, **changes: Any) -> Preferences:
    """Changes some of what is remembered, and says what it is now."""
    found = replace(load_preferences(folder), **changes)
    save_preferences(folder, found)
    return found
