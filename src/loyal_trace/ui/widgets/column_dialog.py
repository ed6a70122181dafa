"""Which column of a list is what: a preview of the list, a choice over every column, and the encoding."""

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass

from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QLabel,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from loyal_trace.core.roms.digests import DIGEST_LENGTHS
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.units import count_of
from loyal_trace.formats.checksum_lists import map_columns
from loyal_trace.formats.part_table import guess_columns
from loyal_trace.formats.tables import ENCODINGS, PartTable
from loyal_trace.language import tr
from loyal_trace.ui.theme import font

_IGNORED = "–"
_PART_WORDS = {
    "refdes": "place",
    "part": "part",
    "value": "value",
    "package": "package",
    "kind": "kind",
    "x": "x (mm)",
    "y": "y (mm)",
    "rotation": say("turned (°)"),
    "voltage": "voltage",
    "socketed": "socketed",
}
_ROWS = 12


@dataclass(frozen=True)
class ListKind:
    """A kind of list: the words for its fields, what is needed in a sentence, a first guess, and what is missing."""

    words: Mapping[str, str]
    needed: str
    guess: Callable[[PartTable], Mapping[str, int]]
    missing: Callable[[Collection[str]], str]


def _parts_missing(chosen: Collection[str]) -> str:
    ready = "refdes" in chosen and ("part" in chosen or "value" in chosen)
    return "" if ready else tr("choose the column of the place, and of the part or value")


def _guess_parts(table: PartTable) -> Mapping[str, int]:
    """A column that could be part as well as value is the value."""
    guessed = guess_columns(table)
    return {field: column for field, column in guessed.items() if field != "part" or guessed.get("value") != column}


def _guess_sums(table: PartTable) -> Mapping[str, int]:
    mapping = map_columns(table.titles, None)
    return {field: table.titles.index(title) for field, title in mapping.items() if field in _SUM_WORDS}


def _sums_missing(chosen: Collection[str]) -> str:
    named = "name" in chosen or "place" in chosen
    summed = any(field in DIGEST_LENGTHS for field in chosen)
    return "" if named and summed else tr("choose the column of the file name or the slot, and of a checksum")


_SUM_WORDS = {
    "name": say("file name"),
    "place": "slot",
    "size": say("size (bytes)"),
    "firmware": "revision",
    "crc32": "CRC-32",
    "md5": "MD5",
    "sha1": "SHA-1",
    "sha256": "SHA-256",
    "sum8": say("8-bit sum"),
    "sum16": say("16-bit sum"),
    "sum32": say("32-bit sum"),
}
PARTS = ListKind(_PART_WORDS, say("the place and the part (or its value) are required"), _guess_parts, _parts_missing)
SUMS = ListKind(
    _SUM_WORDS,
    say("a name or slot and one checksum are required; more checksums prove more"),
    _guess_sums,
    _sums_missing,
)


class ColumnDialog(QDialog):
    """Shows the first lines of a list; `columns` is what was chosen. `read` decodes the file anew in an encoding."""

    def __init__(
        self, parent: QWidget | None, name: str, read: Callable[[str], PartTable], kind: ListKind = PARTS
    ) -> None:
        super().__init__(parent)
        self._kind = kind
        self.setWindowTitle(tr("Columns of the list"))
        self.resize(880, 480)
        self._read = read
        self.table: PartTable | None = None
        self.choices: list[QComboBox] = []
        self.encoding, self.message = QComboBox(), QLabel()
        self.encoding.addItems([tr("by itself"), *ENCODINGS])
        self.encoding.setAccessibleName(tr("encoding"))
        self.encoding.currentIndexChanged.connect(self.load)
        head = QLabel(tr("{name}: {needed}.", name=name, needed=kind.needed))
        head.setFont(font(13, bold=True))
        self.preview = QTableWidget()
        self.preview.setAccessibleName(tr("preview of the list"))
        self.preview.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        foot = QHBoxLayout()
        for widget, stretch in (
            (QLabel(tr("Letters as")), 0),
            (self.encoding, 0),
            (self.message, 1),
            (self.buttons, 0),
        ):
            foot.addWidget(widget, stretch)
        layout = QVBoxLayout(self)
        layout.addWidget(head)
        layout.addWidget(self.preview)
        layout.addLayout(foot)
        self.load()

    def load(self) -> None:
        """Reads the file in the chosen encoding and shows its first lines under the guessed columns."""
        chosen = self.encoding.currentText()
        try:
            self.table = self._read("" if chosen not in ENCODINGS else chosen)
        except LoyalTraceError as error:
            self.message.setText(str(error))
            self._ok(False)
            return
        table, words = self.table, self._kind.words
        by_column = {column: field for field, column in self._kind.guess(table).items()}
        shown = table.rows[: _ROWS + 1]
        self.preview.setRowCount(len(shown) + 1)
        self.preview.setColumnCount(table.width)
        for header in (self.preview.horizontalHeader(), self.preview.verticalHeader()):
            if header is not None:
                header.hide()
        self.choices = []
        for column in range(table.width):
            choice = QComboBox()
            choice.addItems([_IGNORED, *words.values()])
            choice.setAccessibleName(tr("column {column}", column=column + 1))
            choice.setCurrentText(words.get(by_column.get(column, ""), _IGNORED))
            choice.currentIndexChanged.connect(self._judge)
            self.preview.setCellWidget(0, column, choice)
            self.choices.append(choice)
            for row, cells in enumerate(shown):
                item = QTableWidgetItem(cells[column] if column < len(cells) else "")
                if row == 0:
                    item.setFont(font(12.5, bold=True))
                self.preview.setItem(row + 1, column, item)
        self.preview.resizeColumnsToContents()
        self._judge()

    @property
    def columns(self) -> dict[str, int]:
        """Field → column, as chosen; the first of two columns with the same choice counts."""
        fields = {words: field for field, words in self._kind.words.items()}
        found: dict[str, int] = {}
        for column, choice in enumerate(self.choices):
            field = fields.get(choice.currentText())
            if field:
                found.setdefault(field, column)
        return found

    def _judge(self) -> None:
        """Says what is still missing, and how many lines there are."""
        columns, table = self.columns, self.table
        missing = self._kind.missing(columns)
        lines = sum(any(row) for row in table.rows[1:]) if table else 0
        self.message.setText(missing or f"{count_of(lines, 'line')}")
        self._ok(not missing)

    def _ok(self, ready: bool) -> None:
        button = self.buttons.button(QDialogButtonBox.StandardButton.Ok)
        if button is not None:
            button.setEnabled(ready)
