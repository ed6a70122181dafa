"""The few questions that the window asks before something that cannot simply be undone."""

from PyQt6.QtWidgets import QMessageBox, QWidget

from loyal_trace.language import shown


def confirmed(parent: QWidget, question: str, consequence: str, button: str) -> bool:
    """Asks before an action, saying what it will do; the button names it. Esc and Enter leave everything as it is."""
    cancel = QMessageBox.StandardButton.Cancel
    box = QMessageBox(QMessageBox.Icon.Question, "Loyal Trace", shown(question), cancel, parent)
    box.setInformativeText(shown(consequence))
    accept = box.addButton(shown(button), QMessageBox.ButtonRole.AcceptRole)
    box.setDefaultButton(cancel)
    box.exec()
    return box.clickedButton() is accept
