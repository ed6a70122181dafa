"""Lists with titles of their own: a preview with a choice of columns, for parts (a new board) and for known sums."""

import re
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.formats.checksum_lists import read_checksums
from loyal_trace.formats.part_list import is_part_list
from loyal_trace.formats.part_table import PartTable, board_from_table, read_table
from loyal_trace.formats.rom_files import read_file
from loyal_trace.language import tr
from loyal_trace.resources import chip_library
from loyal_trace.ui.widgets.column_dialog import SUMS, ColumnDialog


def checksum_columns(parent: QWidget, paths: Sequence[Path]) -> dict[Path, dict[str, str]]:
    """For tables of sums whose titles are not understood by themselves: which column is what, as chosen over a preview.

    A table that is given up or unreadable is left out; reading it then says what is wrong with it.
    """
    found = {}
    for path in paths:
        if path.suffix.lower() not in (".csv", ".tsv") or path.is_dir() or is_part_list(path) or _understood(path):
            continue
        data = read_file(path)
        dialog = ColumnDialog(parent, path.name, _reader(data, path.name), SUMS)
        if dialog.exec() == ColumnDialog.DialogCode.Accepted and dialog.table is not None:
            titles = dialog.table.titles
            found[path] = {field: titles[column] for field, column in dialog.columns.items() if column < len(titles)}
    return found


def _reader(data: bytes, name: str) -> Callable[[str], PartTable]:
    return lambda encoding: read_table(data, name, encoding)


def _understood(path: Path) -> bool:
    try:
        read_checksums(path)
    except UserFileError:
        return False
    return True


def choose_list(parent: QWidget) -> Path | None:
    """A parts list by dialog; None when nothing was chosen."""
    name, _ = QFileDialog.getOpenFileName(
        parent, tr("Choose a parts list"), "", tr("Tables (*.csv *.tsv *.txt);;All files (*)")
    )
    return Path(name) if name else None


def board_from_list(parent: QWidget, path: Path) -> Mapping[str, bytes] | None:
    """Shows the list and asks which column is what; the board's files, or None when it was given up.

    UserFileError and RequestError as `board_from_table`.
    """
    data = read_file(path)
    dialog = ColumnDialog(parent, path.name, _reader(data, path.name))
    if dialog.exec() != ColumnDialog.DialogCode.Accepted or dialog.table is None:
        return None
    board_id = re.sub(r"[^a-z0-9]+", "-", path.stem.lower()).strip("-") or "board"
    return board_from_table(dialog.table, dialog.columns, board_id, path.stem, chip_library())
