"""What stands in the menus, with the keys that users of desktop programs expect."""

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from loyal_trace.core.vocabulary.stages import Stage
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
        Item("File", "New job…", "Ctrl+N", app.new_job),
        Item("File", "New job from a board folder…", "", app.new_from_board),
        Item("File", "New job from a parts list…", "", app.new_from_list),
        Item("File", "Open files: images, checksums, archives…", "Ctrl+O", app.choose_files, line_above=True),
        Item("File", "Export the job…", "Ctrl+S", _on(app, "export_job")),
        Item("File", "Print the report…", "Ctrl+P", _on(app, "print_report")),
        Item("File", "Job list", "Ctrl+J", app.close_job, line_above=True),
        Item("File", "Close the job", "Ctrl+W", app.close_job),
        Item("File", "Quit", "Ctrl+Q", app.shell.close, line_above=True),
    ]


def _edit(app: "Application") -> list[Item]:
    return [
        Item("Edit", "Undo", "Ctrl+Z", lambda: app.with_job(lambda w: w.control.undo())),
        Item("Edit", "Redo", "Ctrl+Shift+Z", lambda: app.with_job(lambda w: w.control.redo())),
        Item("Edit", "Copy", "Ctrl+C", app.copy, line_above=True),
        Item("Edit", "Copy the picture of this page", "Ctrl+Shift+C", _on(app, "copy_picture")),
        Item("Edit", "Paste a photo or files", "", lambda: app.with_job(lambda w: w.paste())),
        Item("Edit", "Find in the job…", "Ctrl+F", _on(app, "find_in_job"), line_above=True),
        Item("Edit", "Settings…", "Ctrl+,", app.settings, line_above=True),
    ]


def _go(app: "Application") -> list[Item]:
    stages = [Item("Go", stage.title, stage.key, partial(app.shell.stage_asked.emit, stage)) for stage in Stage]
    return [*stages, Item("Go", "Find a command…", "Ctrl+K", app.shell.find_command, line_above=True)]


def _board(app: "Application") -> list[Item]:
    return [
        Item("Board", "Add a board from a folder…", "", app.add_board),
        Item("Board", "Add a board from a parts list…", "", lambda: app.add_board(True)),
        Item("Board", "Next board", "Ctrl+B", lambda: app.with_job(lambda w: w.next_board())),
        Item("Board", "Watch a folder for photos…", "", lambda: app.with_job(lambda w: w.watch_folder())),
        Item("Board", "Stop watching for photos", "", lambda: app.with_job(lambda w: w.watch.stop())),
    ]


def _view(app: "Application") -> list[Item]:
    return [
        Item("View", "Logbook", "Ctrl+L", app.shell.toggle_drawer),
        Item("View", "Say why", "F2", lambda: app.with_job(lambda w: w.say_why())),
        Item("View", "Boards and parts as a list", "Ctrl+T", app.shell.toggle_outline),
        Item("View", "Read again from disk", "F5", _on(app, "read_again"), line_above=True),
        Item("View", "Larger text", "Ctrl++", lambda: app.text_size(1), line_above=True),
        Item("View", "Smaller text", "Ctrl+-", lambda: app.text_size(-1)),
        Item("View", "Usual text size", "Ctrl+Shift+0", lambda: app.text_size(0)),
        Item("View", "Dark or light", "Ctrl+D", app.switch_dark, line_above=True),
        Item("View", "Full screen", "F11", app.shell.toggle_full_screen),
    ]


def _help(app: "Application") -> list[Item]:
    return [Item("Help", "What can be typed here", "F1", lambda: app.with_job(lambda w: w.help()))]
