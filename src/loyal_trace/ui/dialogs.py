"""The few questions that the window asks before something that cannot simply be undone."""

from PyQt6.QtWidgets import QMessageBox, QWidget


def confirmed(parent: QWidget, question: str, consequence: str, button: str) -> bool:
    """Asks before an action, saying what it will do; the button names it. Esc and Enter leave everything as it is."""
    box = QMessageBox(QMessageBox.Icon.Question, "Loyal Trace", question, QMessageBox.StandardButton.Cancel, parent)
    box.setInformativeText(consequence)
    accept = box.addButton(button, QMessageBox.ButtonRole.AcceptRole)
    box.setDefaultButton(QMessageBox.StandardButton.Cancel)
    box.exec()
    return box.clickedButton() is accept
