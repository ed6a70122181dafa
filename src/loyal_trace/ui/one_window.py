"""One window for one store: a second start hands its files over, brings the first window to the front, and ends."""

import hashlib
import json
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject
from PyQt6.QtNetwork import QLocalServer, QLocalSocket

_WAIT = 800


def _address(folder: Path) -> str:
    """The name of the local socket of a store; one for each user, as the system keeps them apart."""
    return "loyal-trace-" + hashlib.sha256(str(folder.resolve()).encode()).hexdigest()[:16]


def hand_over(folder: Path, files: tuple[Path, ...]) -> bool:
    """Tells the window that has this store to come to the front and to open these files; False when there is none."""
    socket = QLocalSocket()
    socket.connectToServer(_address(folder))
    if not socket.waitForConnected(_WAIT):
        return False
    socket.write(json.dumps([str(file.resolve()) for file in files]).encode())
    socket.flush()
    socket.waitForBytesWritten(_WAIT)
    socket.disconnectFromServer()
    return True


class OneWindow(QObject):
    """Listens for later starts; `asked` gets the files that they bring."""

    def __init__(self, folder: Path, asked: Callable[[list[Path]], object]) -> None:
        super().__init__()
        self._asked = asked
        self._server = QLocalServer()
        self._server.setSocketOptions(QLocalServer.SocketOption.UserAccessOption)
        # A window that was killed leaves its socket behind, and nobody listens there.
        QLocalServer.removeServer(_address(folder))
        self._server.newConnection.connect(self._take)
        self._server.listen(_address(folder))

    def _take(self) -> None:
        socket = self._server.nextPendingConnection()
        if socket is None:
            return
        socket.waitForReadyRead(_WAIT)
        told = bytes(socket.readAll().data())
        socket.close()
        try:
            names = json.loads(told or b"[]")
        except ValueError:
            names = []
        self._asked([Path(str(name)) for name in names])

    def close(self) -> None:
        """Later starts find nobody here."""
        self._server.close()
