"""The settings of the program for one store: name, colours, text size, backups."""

from dataclasses import replace

from PyQt6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QFormLayout, QLineEdit, QSpinBox, QWidget

from loyal_trace.app.preferences import COLOURS, LARGEST, MOST_BACKUPS, MOST_ENTRIES, SMALLEST, Preferences
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.language import shown, tr

_WORDS = {"system": say("As the system"), "light": say("Light"), "dark": say("Dark")}
_STEP, _FIELD_WIDTH = 10, 280


class SettingsDialog(QDialog):
    """A form; OK keeps it."""

    def __init__(self, known: Preferences, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Settings"))
        self._known = known
        self.name = QLineEdit(known.name)
        self.name.setAccessibleName(tr("your name"))
        self.name.setPlaceholderText(tr("as it stands in the logbook"))
        self.colours = QComboBox()
        self.colours.setAccessibleName(tr("colours"))
        for colours in COLOURS:
            self.colours.addItem(shown(_WORDS[colours]), colours)
        self.colours.setCurrentIndex(COLOURS.index(known.colours))
        self.text_size = QSpinBox()
        self.text_size.setAccessibleName(tr("text size in %"))
        self.text_size.setRange(SMALLEST, LARGEST)
        self.text_size.setSingleStep(_STEP)
        self.text_size.setSuffix(" %")
        self.text_size.setValue(known.text_size)
        self.kept = _number(known.backups_kept, 0, MOST_BACKUPS, tr("backups kept"))
        self.kept.setSpecialValueText(tr("no backups"))
        self.every = _number(known.backup_every, 1, MOST_ENTRIES, tr("entries between backups"))
        self.place = QLineEdit(known.backup_place)
        self.place.setAccessibleName(tr("folder for backups"))
        self.place.setPlaceholderText(tr("in the store; another disk is safer"))
        for field in (self.name, self.place):
            field.setMinimumWidth(_FIELD_WIDTH)
        form = QFormLayout(self)
        form.setContentsMargins(22, 20, 22, 16)
        form.setSpacing(12)
        form.addRow(tr("Your name"), self.name)
        form.addRow(tr("Colours"), self.colours)
        form.addRow(tr("Text size"), self.text_size)
        form.addRow(tr("Backups kept"), self.kept)
        form.addRow(tr("Entries between backups"), self.every)
        form.addRow(tr("Folder for backups"), self.place)
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
            backups_kept=self.kept.value(),
            backup_every=self.every.value(),
            backup_place=self.place.text().strip(),
        )


def _number(value: int, least: int, most: int, name: str) -> QSpinBox:
    box = QSpinBox()
    box.setAccessibleName(name)
    box.setRange(least, most)
    box.setValue(value)
    return box
