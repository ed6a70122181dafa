"""What the menus do with the open job: export, print, find, copy, and the menus under the pointer."""

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QPoint, QPointF, QRectF, QSizeF
from PyQt6.QtGui import QPaintDevice, QPainter, QPixmap, QTextDocument
from PyQt6.QtPrintSupport import QPrinter, QPrintPreviewDialog
from PyQt6.QtWidgets import QApplication, QFileDialog, QMenu

from loyal_trace.core.job.entries import describe
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.language import localised, shown, tr
from loyal_trace.ui.widgets.finder import Command, Finder

if TYPE_CHECKING:
    from loyal_trace.ui.wiring import JobWiring

_NEWEST = 2000


def export_job(wiring: "JobWiring", file: Path | None = None) -> None:
    """Writes the job as an archive; asks where when no file is given."""
    from loyal_trace.formats.archive import write_archive

    job = wiring.workspace.job
    if file is None:
        name, _ = QFileDialog.getSaveFileName(
            wiring.shell, tr("Export the job"), f"{job.id}.ltjob", tr("Jobs (*.ltjob)")
        )
        file = Path(name) if name else None
    if file is None:
        return
    target = file if file.suffix else file.with_suffix(".ltjob")

    def act() -> list[str]:
        archive = job.store.export(job.id)
        write_archive(archive, target)
        told = tr("job exported to {target} ({st_size:,} bytes)", target=target.name, st_size=target.stat().st_size)
        damage = archive.damage.words
        return [told, tr("not whole: {damage}", damage=shown(damage))] if damage else [told]

    wiring.workspace.attempt(act)


def save_board(wiring: "JobWiring") -> None:
    """Writes the board in view as a folder, with what was learnt; asks where."""
    from loyal_trace.app.board_saving import board_to_save, save_board, saved_boards

    workspace = wiring.workspace

    def act() -> list[str]:
        board = board_to_save(workspace.job, workspace.board)
        parent = saved_boards(workspace.job.store.folder)
        parent.mkdir(parents=True, exist_ok=True)
        question = tr("Save the board {board} in", board=board.name)
        chosen = QFileDialog.getExistingDirectory(wiring.shell, question, str(parent))
        if not chosen:
            return []
        target = save_board(workspace.job, workspace.board, Path(chosen) / board.id)
        return [tr("board saved in {folder}", folder=str(target))]

    workspace.attempt(act)


def report_document(wiring: "JobWiring") -> QTextDocument:
    """The report as a document to print."""
    from loyal_trace.report.html import to_html
    from loyal_trace.report.model import build_report

    job = wiring.workspace.job
    document = QTextDocument()
    document.setHtml(to_html(build_report(job.assessment(), job.entries, job.env.clock(), job.store.head(job.id))))
    return document


def print_page(wiring: "JobWiring") -> None:
    """A preview, from which it is printed: the window labels at ROMs, where checksums are known; else the report."""
    sheet = label_sheet(wiring) if wiring.current is Stage.ROMS else None
    if sheet is not None:
        _preview(wiring, tr("Print the labels"), partial(draw_sheet, sheet))
    else:
        _preview(wiring, tr("Print the report"), report_document(wiring).print)


def _preview(wiring: "JobWiring", title: str, paint: Callable[[QPrinter], object]) -> None:
    printer = QPrinter(QPrinter.PrinterMode.HighResolution)  # the dialog does not keep it alive
    dialog = QPrintPreviewDialog(printer, wiring.shell)
    dialog.setWindowTitle(title)
    dialog.paintRequested.connect(paint)
    dialog.exec()


def label_sheet(wiring: "JobWiring") -> bytes | None:
    """The window labels of the board in view as a page of PDF; None where no checksums are known."""
    from loyal_trace.report.labels import labels_of, sheet_pdf  # the drawing library takes its time to load

    workspace = wiring.workspace
    if workspace.definition is None:
        return None
    try:
        return sheet_pdf(labels_of(workspace.definition, workspace.assessment().firmware))
    except RequestError:
        return None


def draw_sheet(pdf: bytes, paper: QPaintDevice) -> None:
    """The page in its true size from the upper left corner, so that labels fit their windows."""
    from PyQt6.QtPdf import QPdfDocument

    document, source = QPdfDocument(None), QBuffer()
    source.setData(QByteArray(pdf))
    source.open(QIODevice.OpenModeFlag.ReadOnly)
    document.load(source)
    points = document.pagePointSize(0)
    size = QSizeF(points.width() * paper.logicalDpiX() / 72, points.height() * paper.logicalDpiY() / 72)
    painter = QPainter(paper)
    painter.drawImage(QRectF(QPointF(0, 0), size), document.render(0, size.toSize()))
    painter.end()
    document.close()


def found_in_job(wiring: "JobWiring") -> list[Command]:
    """Every part and the newest entries of the job, each leading to its place."""
    workspace = wiring.workspace
    found = []
    for board_id, board in workspace.job.boards.items():
        for part in board.parts:
            words = joined(" ", (word for word in (board.name, part.refdes, part.number, part.role) if word))
            found.append(Command(words, tr("part"), partial(workspace.pick, board_id, part.refdes)))
    for entry in list(workspace.job.entries)[-_NEWEST:][::-1]:
        found.append(Command(shown(describe(entry)), tr("logbook"), partial(wiring.shell.show_entry, entry.id)))
    return found


def find_in_job(wiring: "JobWiring") -> None:
    """Asks for words of a part or an entry, and goes there."""
    finder = Finder(
        found_in_job(wiring), wiring.shell, tr("Find in the job"), tr("Part, type, function, or words of an entry.")
    )
    chosen = finder.chosen if finder.exec() else None
    wiring.shell.activateWindow()
    if chosen is not None:
        chosen.run()


def verdict_words(wiring: "JobWiring") -> str:
    """The page in view as text: question, why, next."""
    page = localised(wiring.presenter.page())
    lines = [page.question, page.meaning.why, page.meaning.aside, page.meaning.next]
    return "\n".join(line for line in lines if line)


def copy(wiring: "JobWiring | None") -> None:
    """Selected text or rows of what has the keyboard; else the verdict in view as text."""
    focus, clipboard = QApplication.focusWidget(), QApplication.clipboard()
    chosen = getattr(focus, "selectedText", None)
    copied = getattr(focus, "copy", None)
    if callable(copied) and (chosen is None or chosen()):
        copied()
    elif wiring is not None and clipboard is not None:
        clipboard.setText(verdict_words(wiring))


def copy_picture(wiring: "JobWiring") -> QPixmap:
    """The page in view as a picture into the clipboard."""
    picture = wiring.page.grab()
    clipboard = QApplication.clipboard()
    if clipboard is not None:
        clipboard.setPixmap(picture)
    return picture


def read_again(wiring: "JobWiring") -> None:
    """The drawer, the bench profile and the verdicts from what is on disk now."""
    job = wiring.workspace.job
    job.read_workshop()
    wiring.workspace.changed.emit()
    wiring.workspace.say(
        joined(" ", job.workshop.warnings) or say("Read again from disk."), bool(job.workshop.warnings)
    )


_GO = (Stage.INSPECT, Stage.RAILS, Stage.ROMS, Stage.PROBE, Stage.SUSPECTS, Stage.REPAIR)
_LINES = ("{} removed", "{} replaced", "swap {} with spare 1: ", "{} -- ")


def part_menu(wiring: "JobWiring", refdes: str) -> QMenu:
    """What can be done with a part of the map: go to it at a stage, or put words about it into the line."""
    menu = QMenu(wiring.shell)
    for stage in _GO:
        _add(menu, tr("{title}: {refdes}", title=stage.title, refdes=refdes), partial(wiring.show_stage, stage))
    menu.addSeparator()
    for line in _LINES:
        words = line.format(refdes)
        _add(menu, tr("Enter “{words}”", words=words.strip()), partial(wiring.control.put, words))
    menu.addSeparator()
    _add(menu, tr("Copy “{refdes}”", refdes=refdes), lambda: _to_clipboard(refdes))
    return menu


def row_menu(wiring: "JobWiring", words: str) -> QMenu:
    """What can be done with a row, a pin or a slot that was just picked: the commands of the stage, and copying."""
    menu = QMenu(wiring.shell)
    for command in wiring.stage_commands():
        _add(
            menu,
            f"{command.words.partition(': ')[2] or command.words}\t{command.key}",
            command.run,
        )
    menu.addSeparator()
    _add(menu, tr("Copy the text"), lambda: _to_clipboard(words))
    return menu


def entry_menu(wiring: "JobWiring", entry: str, words: str) -> QMenu:
    """What can be done with a line of the logbook."""
    menu = QMenu(wiring.shell)
    _add(menu, tr("Undo this entry\tDelete"), lambda: wiring.workspace.retract(entry))
    _add(menu, tr("Copy the entry"), lambda: _to_clipboard(words))
    return menu


def popup(menu: QMenu, at: QPoint) -> None:
    """Shows a menu without stopping what goes on."""
    menu.aboutToHide.connect(menu.deleteLater)
    menu.popup(at)


def _add(menu: QMenu, words: str, run: Callable[[], object]) -> None:
    action = menu.addAction(words)
    if action is not None:
        action.triggered.connect(lambda _: run())


def _to_clipboard(text: str) -> None:
    clipboard = QApplication.clipboard()
    if clipboard is not None:
        clipboard.setText(text)
