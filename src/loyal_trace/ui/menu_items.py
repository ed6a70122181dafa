"""What stands in the menus, with the keys that users of desktop programs expect."""

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.language import shown, tr
from loyal_trace.ui.menus import Item

if TYPE_CHECKING:
    from loyal_trace.ui.main import Application


def menu_items(app: "Application") -> list[Item]:
    """Every fixed entry of the menus; the commands of the stage in view stand under Board as well."""
    return [*_file(app), *_edit(app), *_go(app), *_board(app), *_view(app), *_help(app)]


def _on(app: "Application", name: str) -> Callable[[], object]:
    """A command on the open job; what it needs is loaded when it is used, not before the first paint."""

    def run() -> None:
        from loyal_trace.ui import job_commands

        app.with_job(getattr(job_commands, name))

    return run


def _file(app: "Application") -> list[Item]:
    return [
        Item("File", tr("New job…"), "Ctrl+N", app.new_job),
        Item("File", tr("New job from a board folder…"), "", app.new_from_board),
        Item("File", tr("New job from a parts list…"), "", app.new_from_list),
        Item("File", tr("Open files: images, checksums, archives…"), "Ctrl+O", app.choose_files, line_above=True),
        Item("File", tr("Export the job…"), "Ctrl+S", _on(app, "export_job")),
        Item("File", tr("Print the report or the labels…"), "Ctrl+P", _on(app, "print_page")),
        Item("File", tr("Job list"), "Ctrl+J", app.close_job, line_above=True),
        Item("File", tr("Close the job"), "Ctrl+W", app.close_job),
        Item("File", tr("Quit"), "Ctrl+Q", app.shell.close, line_above=True),
    ]


def _edit(app: "Application") -> list[Item]:
    return [
        Item("Edit", tr("Undo"), "Ctrl+Z", lambda: app.with_job(lambda w: w.control.undo())),
        Item("Edit", tr("Redo"), "Ctrl+Shift+Z", lambda: app.with_job(lambda w: w.control.redo())),
        Item("Edit", tr("Copy"), "Ctrl+C", app.copy, line_above=True),
        Item("Edit", tr("Copy the picture of this page"), "Ctrl+Shift+C", _on(app, "copy_picture")),
        Item("Edit", tr("Paste a photo, files or a parts list"), "", lambda: app.with_job(lambda w: w.paste())),
        Item("Edit", tr("Find in the job…"), "Ctrl+F", _on(app, "find_in_job"), line_above=True),
        Item("Edit", tr("Drawer: spare parts…"), "Ctrl+Shift+D", app.drawer, line_above=True),
        Item("Edit", tr("Settings…"), "Ctrl+,", app.settings, line_above=True),
    ]


def _go(app: "Application") -> list[Item]:
    stages = [Item("Go", shown(stage.title), stage.key, partial(app.shell.stage_asked.emit, stage)) for stage in Stage]
    return [*stages, Item("Go", tr("Find a command…"), "Ctrl+K", app.shell.find_command, line_above=True)]


def _board(app: "Application") -> list[Item]:
    return [
        Item("Board", tr("Add a board from a folder…"), "", app.add_board),
        Item("Board", tr("Add a board from a parts list…"), "", lambda: app.add_board(True)),
        Item("Board", tr("Save the board as a folder…"), "", _on(app, "save_board")),
        Item("Board", tr("Next board"), "Ctrl+B", lambda: app.with_job(lambda w: w.next_board())),
        Item("Board", tr("Watch a folder for photos…"), "", lambda: app.with_job(lambda w: w.watch_folder())),
        Item("Board", tr("Stop watching for photos"), "", lambda: app.with_job(lambda w: w.watch.stop())),
    ]


def _view(app: "Application") -> list[Item]:
    return [
        Item("View", tr("Logbook"), "Ctrl+L", app.shell.toggle_drawer),
        Item("View", tr("Say why"), "F2", lambda: app.with_job(lambda w: w.say_why())),
        Item("View", tr("Boards and parts as a list"), "Ctrl+T", app.shell.toggle_outline),
        Item("View", tr("Read again from disk"), "F5", _on(app, "read_again"), line_above=True),
        Item("View", tr("Larger text"), "Ctrl++", lambda: app.text_size(1), line_above=True),
        Item("View", tr("Smaller text"), "Ctrl+-", lambda: app.text_size(-1)),
        Item("View", tr("Usual text size"), "Ctrl+Shift+0", lambda: app.text_size(0)),
        Item("View", tr("Dark or light"), "Ctrl+D", app.switch_dark, line_above=True),
        Item("View", tr("Full screen"), "F11", app.shell.toggle_full_screen),
    ]


def _help(app: "Application") -> list[Item]:
    return [Item("Help", tr("What can be typed here"), "F1", lambda: app.with_job(lambda w: w.help()))]
