"""A board from a parts list: the preview with its columns, then the files that a board folder would have."""

import re
from collections.abc import Mapping
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

from loyal_trace.formats.part_table import board_from_table, read_table
from loyal_trace.formats.rom_files import read_file
from loyal_trace.resources import chip_library
from loyal_trace.ui.widgets.column_dialog import ColumnDialog


def choose_list(parent: QWidget) -> Path | None:
    """A parts list by dialog; None when nothing was chosen."""
    name, _ = QFileDialog.getOpenFileName(
        parent, "Choose a parts list", "", "Tables (*.csv *.tsv *.txt);;All files (*)"
    )
    return Path(name) if name else None


def board_from_list(parent: QWidget, path: Path) -> Mapping[str, bytes] | None:
    """Shows the list and asks which column is what; the board's files, or None when it was given up.

    UserFileError and RequestError as `board_from_table`.
    """
    data = read_file(path)
    dialog = ColumnDialog(parent, path.name, lambda encoding: read_table(data, path.name, encoding))
    if dialog.exec() != ColumnDialog.DialogCode.Accepted or dialog.table is None:
        return None
    board_id = re.sub(r"[^a-z0-9]+", "-", path.stem.lower()).strip("-") or "board"
    return board_from_table(dialog.table, dialog.columns, board_id, path.stem, chip_library())
