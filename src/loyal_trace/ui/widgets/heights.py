"""How tall a column of widgets has to be at a width: wrapped texts by their words, what scrolls by its smallest height.

Qt asks a wrapped label for its smallest height without telling it a width, and gets the answer of a narrow one.
"""

from PyQt6.QtWidgets import QScrollArea, QVBoxLayout, QWidget


def least_height(widget: QWidget, width: int) -> int:
    """The least height (pixel) of a widget that holds a column; of any other, what it asks for."""
    layout = widget.layout()
    if not isinstance(layout, QVBoxLayout) or isinstance(widget, QScrollArea):
        return _of_one(widget, width)
    margins = layout.contentsMargins()
    inner = width - margins.left() - margins.right()
    shown = [item.widget() for item in (layout.itemAt(n) for n in range(layout.count())) if item is not None]
    heights = [_of_one(one, inner) for one in shown if one is not None and not one.isHidden()]
    return margins.top() + margins.bottom() + sum(heights) + layout.spacing() * max(0, len(heights) - 1)


def _of_one(widget: QWidget, width: int) -> int:
    own = getattr(widget, "least_height", None)
    if callable(own):
        wanted = int(own(width))
    elif isinstance(widget, QScrollArea):
        wanted = 0
    elif widget.hasHeightForWidth():
        wanted = widget.heightForWidth(width)
    else:
        wanted = widget.minimumSizeHint().height()
    return max(wanted, widget.minimumHeight()) if widget.maximumHeight() > wanted else widget.maximumHeight()
