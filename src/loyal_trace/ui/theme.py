"""Colours, fonts and style: warm paper, ink, copper, one ink blue; a dark variant for a dim bench."""

from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

from PyQt6.QtCore import QByteArray, Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QFontMetrics, QPalette
from PyQt6.QtWidgets import QApplication, QLabel, QWidget

from loyal_trace.resources import read_bytes

SANS, MONO = "B612", "B612 Mono"


@dataclass(frozen=True)
class Palette:
    """All colours of one variant, as #RRGGBB."""

    paper: str
    panel: str
    card: str
    ink: str
    soft: str
    line: str
    copper: str
    copper_light: str
    selected: str
    blue: str
    good: str
    bad: str
    doubtful: str
    caution: str
    groove: str


LIGHT = Palette(
    paper="#F3EDE1",
    panel="#FBF8F1",
    card="#FFFEFA",
    ink="#22303C",
    soft="#56636F",
    line="#8B8170",
    copper="#A0541A",
    copper_light="#B37A43",
    selected="#F7EBDD",
    blue="#1F5C8B",
    good="#2C7554",
    bad="#B0342A",
    doubtful="#845B00",
    caution="#FDEEE6",
    groove="#E6DDCB",
)
DARK = Palette(
    paper="#171C21",
    panel="#1E252B",
    card="#242D34",
    ink="#E9E2D3",
    soft="#A9B2B8",
    line="#6E7B85",
    copper="#DE9457",
    copper_light="#A06E40",
    selected="#3A2E24",
    blue="#7FB8E4",
    good="#67BE94",
    bad="#F0857A",
    doubtful="#DDB04A",
    caution="#3A2620",
    groove="#303A42",
)


class Theme:
    """The palette in use, shared by everything that paints."""

    def __init__(self) -> None:
        self.palette = LIGHT
        self.scale = 1.0

    def colour(self, name: str) -> QColor:
        """A colour of the palette by its name."""
        return QColor(getattr(self.palette, name))

    def verdict_colour(self, kind: str) -> QColor:
        """good, bad, doubtful; anything else is soft ink."""
        return self.colour(kind if kind in ("good", "bad", "doubtful") else "soft")

    @property
    def dark(self) -> bool:
        return self.palette is DARK

    def set_dark(self, dark: bool) -> None:
        self.palette = DARK if dark else LIGHT


THEME = Theme()


def load_fonts() -> None:
    """Makes the shipped fonts known to Qt; call once after QApplication exists."""
    for name in ("B612-Regular", "B612-Bold", "B612Mono-Regular", "B612Mono-Bold"):
        QFontDatabase.addApplicationFontFromData(QByteArray(read_bytes(f"fonts/{name}.ttf")))


def font(size: float = 13, bold: bool = False, mono: bool = False) -> QFont:
    """A shipped font at a size in pixels."""
    return QFont(_made_font(round(size * THEME.scale), bold, mono))


def plain_font(size: float = 13, bold: bool = False, mono: bool = False) -> QFont:
    """The same at 100 %, for painters that enlarge what they paint."""
    return QFont(_made_font(round(size), bold, mono))


def px(length: float) -> int:
    """A length (pixel) that grows with the text size."""
    return round(length * THEME.scale)


def wide_enough(least: float, label: QLabel, words: Iterable[str]) -> int:
    """A width (pixel) for a label that shows one of these words, in whatever language, and at least `least`."""
    metrics = QFontMetrics(label.font())
    return max(px(least), *(metrics.horizontalAdvance(one) + px(6) for one in words))


@lru_cache(maxsize=256)
def _made_font(size: int, bold: bool, mono: bool) -> QFont:
    """Made once: resolving a family costs more than painting a word with it."""
    found = QFont(MONO if mono else SANS)
    found.setPixelSize(size)
    found.setBold(bold)
    found.setHintingPreference(QFont.HintingPreference.PreferNoHinting)  # hinted, its letters stand too far apart
    return found


def rescale(window: QWidget, factor: float) -> None:
    """Brings the widgets of a window to another text size: fonts and lengths that were set for one.

    Each widget keeps its lengths at 100 %, so that going back and forth does not wear them away.
    """
    for widget in window.findChildren(QWidget):
        if getattr(widget, "keeps_lengths", False):
            continue
        kept = widget.property(_KEPT) or _lengths_of(widget, factor)
        widget.setProperty(_KEPT, kept)
        if getattr(widget, "own_lengths", False):
            kept = [kept[0], 0, _LARGEST_LENGTH, 0, _LARGEST_LENGTH]
        _apply_lengths(widget, kept)
        widget.updateGeometry()


_KEPT = "lengths at 100 %"
_LARGEST_LENGTH = 16_777_215


def _lengths_of(widget: QWidget, factor: float) -> list[float]:
    """Font size and the smallest and largest lengths of a widget at 100 %."""
    usual = THEME.scale / factor
    own = widget.font().pixelSize() if widget.testAttribute(Qt.WidgetAttribute.WA_SetFont) else 0
    lengths = (widget.minimumWidth(), widget.maximumWidth(), widget.minimumHeight(), widget.maximumHeight())
    return [own / usual, *(length if length >= _LARGEST_LENGTH else length / usual for length in lengths)]


def _apply_lengths(widget: QWidget, kept: list[float]) -> None:
    size, *lengths = kept
    if size:
        made = QFont(widget.font())
        made.setPixelSize(max(1, px(size)))
        widget.setFont(made)
    narrow, wide, low, tall = (length if length >= _LARGEST_LENGTH else px(length) for length in lengths)
    widget.setMinimumSize(int(narrow), int(low))
    widget.setMaximumSize(int(wide), int(tall))


def apply_style(app: QApplication) -> None:
    """Sets application font and style sheet for the palette in use; does nothing when they are set already."""
    sheet = _sheet(THEME.palette)
    if sheet == app.styleSheet() and app.font().pixelSize() == font(13).pixelSize():
        return
    app.setStyle("Fusion")
    app.setFont(font(13))
    colours = app.palette()
    # What a style sheet cannot say: half-transparent ink would be too pale for what has to be read.
    colours.setColor(QPalette.ColorRole.PlaceholderText, THEME.colour("soft"))
    app.setPalette(colours)
    app.setStyleSheet(sheet)


def _sheet(p: Palette) -> str:
    return f"""
        QWidget {{ background: {p.paper}; color: {p.ink}; }}
        QLabel, QWidget#clear {{ background: transparent; }}
        QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; border: none; }}
        QLineEdit {{ background: {p.card}; border: none; selection-background-color: {p.copper_light};
            placeholder-text-color: {p.soft}; }}
        QFrame#card {{ background: {p.panel}; border: 1px solid {p.line}; border-radius: 6px; }}
        QFrame#entry {{ background: {p.card}; border: 2px solid {p.blue}; border-radius: 7px; }}
        QFrame#strip {{ background: {p.panel}; border: 1px solid {p.line}; border-radius: 6px; }}
        QFrame#pad {{ background: {p.card}; border: 3px solid {p.copper}; border-radius: 9px; }}
        QPushButton#choice {{ background: {p.card}; border: 1px solid {p.line}; border-radius: 4px; padding: 2px 8px; }}
        QPushButton#choice:checked {{ border: 2px solid {p.doubtful}; padding: 1px 7px; font-weight: bold; }}
        QListView#rows {{ background: transparent; border: none; outline: none; }}
        QListView, QTableView {{
            background: {p.panel}; border: 1px solid {p.line}; border-radius: 4px; outline: none; }}
        QListView::item:selected, QTableView::item:selected {{ background: {p.selected}; color: {p.ink}; }}
        QMenuBar {{ background: {p.panel}; border-bottom: 1px solid {p.line}; }}
        QMenuBar::item {{ background: transparent; padding: 3px 12px; }}
        QMenuBar::item:selected, QMenu::item:selected {{ background: {p.selected}; color: {p.ink}; }}
        QMenu {{ background: {p.card}; border: 1px solid {p.line}; padding: 4px; }}
        QMenu::item {{ background: transparent; padding: 4px 26px 4px 14px; }}
        QFrame#caution {{ background: {p.caution}; border: 1px solid {p.copper}; border-radius: 6px; }}
        QFrame#bar {{ background: {p.panel}; border: none; border-top: 1px solid {p.line}; }}
        QFrame#bar QLabel, QFrame#card QLabel, QFrame#entry QLabel, QFrame#strip QLabel,
        QFrame#pad QLabel {{ background: transparent; }}
        QListWidget {{ background: {p.panel}; border: 1px solid {p.line}; border-radius: 4px; outline: none; }}
        QListWidget::item {{ padding: 5px 8px; border: none; }}
        QListWidget::item:selected {{ background: {p.selected}; color: {p.ink}; }}
        QTextBrowser {{ background: {p.panel}; border: 1px solid {p.line}; border-radius: 6px; }}
        QPushButton {{ background: {p.card}; border: 1px solid {p.line}; border-radius: 5px; padding: 6px 14px; }}
        QPushButton:hover, QPushButton:focus {{ border: 1px solid {p.blue}; }}
        QPushButton#tab {{ background: transparent; border: none; border-bottom: 3px solid transparent;
            border-radius: 0; padding: 2px 3px 3px 3px; color: {p.soft}; }}
        QPushButton#tab:checked {{ color: {p.ink}; font-weight: bold; border-bottom: 3px solid {p.copper}; }}
        QPushButton#tab:focus {{ border: 1px solid {p.blue}; }}
        QPushButton#main {{ background: {p.blue}; color: {p.card}; border: 1px solid {p.blue}; font-weight: bold; }}
        QScrollBar:vertical {{ background: transparent; width: 9px; margin: 0; }}
        QScrollBar::handle:vertical {{ background: {p.line}; border-radius: 4px; min-height: 24px; }}
        QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{
            background: none; border: none; height: 0; }}
        QDialog {{ background: {p.paper}; border: 2px solid {p.copper_light}; }}
        QDialog QLineEdit {{ border: 2px solid {p.blue}; border-radius: 6px; padding: 6px 8px; }}
        QToolTip {{ background: {p.card}; color: {p.ink}; border: 1px solid {p.line}; }}
    """
