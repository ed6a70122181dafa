"""The settings of the program for one store: name, colours, text size."""

from dataclasses import replace

from PyQt6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QFormLayout, QLineEdit, QSpinBox, QWidget

from loyal_trace.app.preferences import COLOURS, LARGEST, SMALLEST, Preferences

_WORDS = {"system": "As the system", "light": "Light", "dark": "Dark"}
_STEP = 10


class SettingsDialog(QDialog):
    """Three fields; OK keeps them."""

    def __init__(self, known: Preferences, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Settings")
        self._known = known
        self.name = QLineEdit(known.name)
        self.name.setAccessibleName("your name")
        self.name.setPlaceholderText("as it stands in the logbook")
        self.colours = QComboBox()
        self.colours.setAccessibleName("colours")
        for colours in COLOURS:
            self.colours.addItem(_WORDS[colours], colours)
        self.colours.setCurrentIndex(COLOURS.index(known.colours))
        self.text_size = QSpinBox()
        self.text_size.setAccessibleName("text size in %")
        self.text_size.setRange(SMALLEST, LARGEST)
        self.text_size.setSingleStep(_STEP)
        self.text_size.setSuffix(" %")
        self.text_size.setValue(known.text_size)
        form = QFormLayout(self)
        form.setContentsMargins(22, 20, 22, 16)
        form.setSpacing(12)
        form.addRow("Your name", self.name)
        form.addRow("Colours", self.colours)
        form.addRow("Text size", self.text_size)
        both = QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel
        self.buttons = QDialogButtonBox(both)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        form.addRow(self.buttons)

    @property
    def chosen(self) -> Preferences:
        """What is remembered from now on."""
        return replace(
            self._known,
            name=self.name.text().strip(),
            colours=str(self.colours.currentData()),
            text_size=self.text_size.value(),
        )
