"""Which column of a parts list is what: a preview of the list, a choice over every column, and the encoding."""

from collections.abc import Callable

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

from loyal_trace.core.errors import LoyalTraceError
from loyal_trace.core.units import count_of
from loyal_trace.formats.part_table import ENCODINGS, TITLES, PartTable, guess_columns
from loyal_trace.ui.theme import font

_IGNORED = "–"
_WORDS = {"refdes": "place", "part": "part", "value": "value", "package": "package", "kind": "kind", "x": "x (mm)",
          "y": "y (mm)", "rotation": "turned (°)", "voltage": "voltage", "socketed": "socketed"}  # fmt: skip
_ROWS = 12


class ColumnDialog(QDialog):
    """Shows the first lines of a list; `columns` is what was chosen. `read` decodes the file anew in an encoding."""

    def __init__(self, parent: QWidget | None, name: str, read: Callable[[str], PartTable]) -> None:
        super().__init__(parent)
        self.setWindowTitle("Which column is what?")
        self.resize(880, 480)
        self._read = read
        self.table: PartTable | None = None
        self._choices: list[QComboBox] = []
        self.encoding, self.message = QComboBox(), QLabel()
        self.encoding.addItems(["by itself", *ENCODINGS])
        self.encoding.setAccessibleName("encoding")
        self.encoding.currentIndexChanged.connect(self.load)
        head = QLabel(f"{name}: the place and the part (or its value) are needed; everything else helps.")
        head.setFont(font(13, bold=True))
        self.preview = QTableWidget()
        self.preview.setAccessibleName("preview of the parts list")
        self.preview.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        foot = QHBoxLayout()
        for widget, stretch in ((QLabel("Letters as"), 0), (self.encoding, 0), (self.message, 1), (self.buttons, 0)):
            foot.addWidget(widget, stretch)
        layout = QVBoxLayout(self)
        for widget in (head, self.preview):
            layout.addWidget(widget)
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
        table, guessed = self.table, guess_columns(self.table)
        by_column = {
            column: field for field, column in guessed.items() if field != "part" or guessed.get("value") != column
        }
        shown = table.rows[: _ROWS + 1]
        self.preview.setRowCount(len(shown) + 1)
        self.preview.setColumnCount(table.width)
        self.preview.horizontalHeader().hide()
        self.preview.verticalHeader().hide()
        self._choices = []
        for column in range(table.width):
            choice = QComboBox()
            choice.addItems([_IGNORED, *(_WORDS[field] for field in TITLES)])
            choice.setAccessibleName(f"column {column + 1}")
            choice.setCurrentText(_WORDS.get(by_column.get(column, ""), _IGNORED))
            choice.currentIndexChanged.connect(self._judge)
            self.preview.setCellWidget(0, column, choice)
            self._choices.append(choice)
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
        fields = {words: field for field, words in _WORDS.items()}
        found: dict[str, int] = {}
        for column, choice in enumerate(self._choices):
            field = fields.get(choice.currentText())
            if field:
                found.setdefault(field, column)
        return found

    def _judge(self) -> None:
        """Says what is still missing, and how many lines there are."""
        columns, table = self.columns, self.table
        ready = "refdes" in columns and ("part" in columns or "value" in columns)
        lines = sum(any(row) for row in table.rows[1:]) if table else 0
        self.message.setText(
            f"{count_of(lines, 'line')}" if ready else "choose the column of the place, and of the part or value"
        )
        self._ok(ready)

    def _ok(self, ready: bool) -> None:
        self.buttons.button(QDialogButtonBox.StandardButton.Ok).setEnabled(ready)
