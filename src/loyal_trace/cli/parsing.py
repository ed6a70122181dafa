"""What every parser of the command line shares: help in the reader's language, errors in one line, and the store."""

import argparse
from pathlib import Path
from typing import Any, NoReturn

from loyal_trace.cli.output import tell
from loyal_trace.language import shown


class _Help(argparse.HelpFormatter):
    """Help in the language of the reader."""

    def _get_help_string(self, action: argparse.Action) -> str | None:
        return shown(action.help) if action.help else action.help

    def _format_text(self, text: str) -> str:
        return super()._format_text(shown(text))


class Parser(argparse.ArgumentParser):
    """An argument parser whose errors are one clear line."""

    def __init__(self, **options: Any) -> None:
        super().__init__(**{"formatter_class": _Help, **options})

    def error(self, message: str) -> NoReturn:
        tell(f"loyal-trace: {message} (see `{self.prog} --help`)", error=True)
        raise SystemExit(2)


def default_store() -> Path:
    """The store in the user's data folder."""
    from platformdirs import user_data_path

    return user_data_path("loyal-trace") / "store"


def store_of(options: argparse.Namespace) -> Path:
    """The store that a command was given, else the user's own."""
    return options.store or default_store()
