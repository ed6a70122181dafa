"""The application around the window: made, run, photographed."""

import os
import sys
from pathlib import Path

from PyQt6.QtCore import QLibraryInfo, QLocale, QTimer, QTranslator
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import QApplication

from loyal_trace.language import tr, used
from loyal_trace.resources import read_bytes
from loyal_trace.ui.crash import report_error
from loyal_trace.ui.main import Application
from loyal_trace.ui.theme import THEME, apply_style, load_fonts
from loyal_trace.ui.window_options import WindowOptions, store_folder


def _icon() -> QIcon:
    picture = QPixmap()
    picture.loadFromData(read_bytes("icons/loyal-trace.svg"), "SVG")
    return QIcon(picture)


def make_application(options: WindowOptions) -> tuple[QApplication, Application]:
    """The Qt application (the running one, if any) and our own, not yet shown."""
    running = QApplication.instance()
    app = running if isinstance(running, QApplication) else QApplication(["loyal-trace"])
    app.setApplicationName("Loyal Trace")
    app.setDesktopFileName("loyal-trace")
    app.setWindowIcon(_icon())
    _translate_dialogs(app)
    load_fonts()
    THEME.set_dark(options.dark)
    THEME.scale = 1.0
    apply_style(app)
    return app, Application(options)


def _translate_dialogs(app: QApplication) -> None:
    """The buttons of Qt's own dialogs in the language of the window; English while the window has no translation."""
    translator = QTranslator(app)
    folder = QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)
    if used().translated and translator.load(QLocale(used().code), "qtbase", "_", folder):
        app.installTranslator(translator)


def run_window(options: WindowOptions) -> int:
    """Opens the window and runs until it is closed (or until the picture asked for is written)."""
    if not any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")):
        print(
            tr("loyal-trace: no display here; set QT_QPA_PLATFORM=offscreen for --shot, or use xvfb-run"),
            file=sys.stderr,
        )
        return 2
    sys.excepthook = report_error
    from loyal_trace.ui.one_window import OneWindow, hand_over

    app, ours = make_application(options)
    folder = store_folder(options)
    if options.shot is None and hand_over(folder, options.files):
        print(
            tr(
                "loyal-trace: a window with the store {folder} is open already; it was brought to the front",
                folder=folder,
            )
        )
        return 0
    ours.one_window = OneWindow(folder, ours.come_to_front)
    ours.shell.show()
    if options.shot is not None:
        target = options.shot
        ours.ready.connect(lambda: QTimer.singleShot(300, lambda: _take_shot(ours, target)))
    return app.exec()


def _take_shot(ours: Application, target: Path) -> None:
    ours.shell.grab().save(str(target))
    print(target)
    ours.shell.close()
    QApplication.quit()
