"""Watches one folder for photos while a job is open, and imports each once it is wholly there."""

from pathlib import Path

from PyQt6.QtCore import QObject, QTimer

from loyal_trace.app.workspace import Workspace
from loyal_trace.formats.photo_folder import PhotoFolder
from loyal_trace.language import tr

_EVERY = 1000


class PhotoWatch(QObject):
    """Looks once a second; polling, because synced and network folders send no word of a change."""

    def __init__(self, workspace: Workspace) -> None:
        super().__init__()
        self.workspace = workspace
        self.folder: PhotoFolder | None = None
        self._timer = QTimer(self)
        self._timer.timeout.connect(self.look)

    def begin(self, folder: Path) -> None:
        """From now on; what is in the folder already is left where it is."""
        self.folder = PhotoFolder(folder)
        self.folder.begin()
        self._timer.start(_EVERY)
        self.workspace.say(tr("new photos in {folder} are imported automatically", folder=folder.name))

    def look(self) -> None:
        """Imports what has come and stopped growing."""
        if self.folder is not None:
            for path in self.folder.look():
                self.workspace.drop([path])

    def stop(self) -> None:
        """No more watching."""
        self._timer.stop()
        self.folder = None
