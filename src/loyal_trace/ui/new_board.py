"""Lists with titles of their own: a preview with a choice of columns, for parts (a new board) and for known sums."""

import re
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.core.vocabulary.phrases import say, stacked
from loyal_trace.formats.checksum_lists import read_checksums
from loyal_trace.formats.netlists import is_netlist, read_netlist
from loyal_trace.formats.part_table import board_from_table, guess_columns, is_part_list
from loyal_trace.formats.rom_files import read_file
from loyal_trace.formats.tables import TABLE_ENDINGS, PartTable, read_table, table_of_text
from loyal_trace.language import shown, tr
from loyal_trace.resources import chip_library
from loyal_trace.ui import dialogs
from loyal_trace.ui.widgets.column_dialog import SUMS, ColumnDialog


def checksum_columns(parent: QWidget, paths: Sequence[Path]) -> dict[Path, dict[str, str]]:
    """For tables of sums whose titles are not understood by themselves: which column is what, as chosen over a preview.

    A table that is given up or unreadable is left out; reading it then says what is wrong with it.
    """
    found = {}
    for path in paths:
        other = path.is_dir() or is_part_list(path) or is_netlist(path)
        if path.suffix.lower() not in TABLE_ENDINGS or other or _understood(path):
            continue
        data = read_file(path)
        dialog = ColumnDialog(parent, path.name, _reader(data, path.name), SUMS)
        if dialog.exec() == ColumnDialog.DialogCode.Accepted and dialog.table is not None:
            titles = dialog.table.titles
            found[path] = {field: titles[column] for field, column in dialog.columns.items() if column < len(titles)}
    return found


def _reader(data: bytes, name: str) -> Callable[[str], PartTable]:
    return lambda encoding: read_table(data, name, encoding)


Columns = Mapping[str, int]


def pasted_table(text: str) -> PartTable | None:
    """Several lines of text that name places, as a table; None for anything else."""
    if "\n" not in text.strip():
        return None
    try:
        table = table_of_text(text, "")
    except UserFileError:
        return None
    return table if "refdes" in guess_columns(table) else None


def pasted_columns(parent: QWidget, table: PartTable) -> Columns | None:
    """The columns of a pasted list as chosen over a preview; None when it was given up."""
    chosen = _chosen(parent, tr("pasted list"), lambda encoding: table)
    return chosen[1] if chosen is not None else None


def _chosen(parent: QWidget, name: str, read: Callable[[str], PartTable]) -> tuple[PartTable, Columns] | None:
    dialog = ColumnDialog(parent, name, read)
    if dialog.exec() != ColumnDialog.DialogCode.Accepted or dialog.table is None:
        return None
    return dialog.table, dialog.columns


def part_columns(parent: QWidget, paths: Sequence[Path]) -> dict[Path, tuple[PartTable, Columns] | None]:
    """For parts lists among files: their columns as chosen over a preview; None for one that was given up."""
    return {
        path: _chosen(parent, path.name, _reader(read_file(path), path.name))
        for path in paths
        if path.is_file() and is_part_list(path)
    }


def refused_netlists(parent: QWidget, paths: Sequence[Path], library: ChipLibrary) -> list[Path]:
    """Netlists that the person does not want after seeing what they hold and what of them cannot be used.

    One that cannot be read is left to the import, which says why.
    """
    refused = []
    for path in paths:
        if path.is_dir() or not is_netlist(path) or is_part_list(path):
            continue
        try:
            found = read_netlist(read_file(path), path.name, library)
        except UserFileError:
            continue
        unused = stacked(*(say("Not used: {what}.", what=one) for one in found.unused))
        question = tr("Import {name}?", name=path.name)
        if not dialogs.confirmed(parent, question, shown(stacked(found.words, unused)), tr("Import the netlist")):
            refused.append(path)
    return refused


def _understood(path: Path) -> bool:
    try:
        read_checksums(path)
    except UserFileError:
        return False
    return True


def choose_list(parent: QWidget) -> Path | None:
    """A parts list by dialog; None when nothing was chosen."""
    name, _ = QFileDialog.getOpenFileName(
        parent, tr("Choose a parts list"), "", tr("Tables (*.csv *.tsv *.txt *.xlsx *.xls *.ods);;All files (*)")
    )
    return Path(name) if name else None


def board_from_list(parent: QWidget, path: Path) -> Mapping[str, bytes] | None:
    """Shows the list and asks which column is what; the board's files, or None when it was given up.

    UserFileError and RequestError as `board_from_table`.
    """
    data = read_file(path)
    chosen = _chosen(parent, path.name, _reader(data, path.name))
    if chosen is None:
        return None
    board_id = re.sub(r"[^a-z0-9]+", "-", path.stem.lower()).strip("-") or "board"
    return board_from_table(*chosen, board_id, path.stem, chip_library())
