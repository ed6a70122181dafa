"""Colours, fonts and style: warm paper, ink, copper, one ink blue; a dark variant for a dim bench."""

from dataclasses import dataclass
from functools import lru_cache

from PyQt6.QtCore import QByteArray
from PyQt6.QtGui import QColor, QFont, QFontDatabase
from PyQt6.QtWidgets import QApplication

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
    line="#D5CAB8",
    copper="#A0541A",
    copper_light="#DDB08A",
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
    line="#3B464F",
    copper="#DE9457",
    copper_light="#7A5230",
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
    return QFont(_made_font(round(size), bold, mono))


@lru_cache(maxsize=64)
def _made_font(size: int, bold: bool, mono: bool) -> QFont:
    """Made once: resolving a family costs more than painting a word with it."""
    found = QFont(MONO if mono else SANS)
    found.setPixelSize(size)
    found.setBold(bold)
    found.setHintingPreference(QFont.HintingPreference.PreferNoHinting)  # hinted, its letters stand too far apart
    return found


def apply_style(app: QApplication) -> None:
    """Sets application font and style sheet for the palette in use; does nothing when they are set already."""
    sheet = _sheet(THEME.palette)
    if sheet == app.styleSheet():
        return
    app.setStyle("Fusion")
    app.setFont(font(13))
    app.setStyleSheet(sheet)


def _sheet(p: Palette) -> str:
    return f"""
        QWidget {{ background: {p.paper}; color: {p.ink}; }}
        QLabel, QWidget#clear {{ background: transparent; }}
        QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; border: none; }}
        QLineEdit {{ background: {p.card}; border: none; selection-background-color: {p.copper_light}; }}
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
        QPushButton#main {{ background: {p.blue}; color: {p.card}; border: 1px solid {p.blue}; font-weight: bold; }}
        QScrollBar:vertical {{ background: transparent; width: 9px; margin: 0; }}
        QScrollBar::handle:vertical {{ background: {p.line}; border-radius: 4px; min-height: 24px; }}
        QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{
            background: none; border: none; height: 0; }}
        QDialog {{ background: {p.paper}; border: 2px solid {p.copper_light}; }}
        QDialog QLineEdit {{ border: 2px solid {p.blue}; border-radius: 6px; padding: 6px 8px; }}
        QToolTip {{ background: {p.card}; color: {p.ink}; border: 1px solid {p.line}; }}
    """
