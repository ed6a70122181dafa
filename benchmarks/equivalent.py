"""The changes of the core that were read and shown to change nothing that can be observed, each with its reason."""

import tomllib
from pathlib import Path

_LIST = Path(__file__).with_name("equivalent.toml")

# (path below the core, function or nothing, the line as it is, the line with the change made), without space around.
Key = tuple[str, str, str, str]


def read() -> dict[Key, str]:
    """Each change that was read, with the reason why nothing shows it."""
    listed = tomllib.loads(_LIST.read_text(encoding="utf-8"))["change"]
    return {(one["file"], one["function"], one["before"], one["after"]): one["why"] for one in listed}
