"""The foot of every stage: buttons, pad, strip, line."""

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from loyal_trace.ui.widgets.buttons import ButtonRow
from loyal_trace.ui.widgets.line import LineEdit, LineFrame, StripBar
from loyal_trace.ui.widgets.pad_panel import PadPanel


class Foot(QWidget):
    """One for the window: what is typed stays while one looks at another stage."""

    def __init__(self) -> None:
        super().__init__()
        self.buttons, self.pad, self.strip, self.line = ButtonRow(), PadPanel(), StripBar(), LineFrame()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 6, 22, 8)
        layout.setSpacing(6)
        for widget in (self.buttons, self.pad, self.strip, self.line):
            layout.addWidget(widget)

    @property
    def edit(self) -> LineEdit:
        """The field."""
        return self.line.edit

    def put_pad_away(self) -> None:
        """Hides the pad, and lets everything around know at once how little room is needed now."""
        self.pad.hide()
        layout = self.layout()
        if layout is not None:
            layout.activate()
