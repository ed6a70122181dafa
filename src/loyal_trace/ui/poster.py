"""What ties the parts without a window to Qt: calls from a worker into the window's thread, and a timer."""

from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer, pyqtSignal


class Poster(QObject):
    """Makes calls in the thread that it lives in, wherever they come from."""

    _called = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self._called.connect(self._make)  # from another thread this is queued

    def post(self, call: Callable[[], None]) -> None:
        """From any thread: `call` is made in the window's thread soon."""
        self._called.emit(call)

    def _make(self, call: Callable[[], None]) -> None:
        QTimer.singleShot(0, call)  # never in the midst of what is being done


class WindowTimer:
    """A single shot of Qt's event loop."""

    def __init__(self, parent: QObject) -> None:
        self._timer = QTimer(parent)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self._run)
        self._call: Callable[[], None] | None = None

    def start(self, seconds: float, call: Callable[[], None]) -> None:
        """Calls after some seconds, unless it is started again or stopped before."""
        self._call = call
        self._timer.start(round(seconds * 1000))

    def stop(self) -> None:
        """Nothing is called."""
        self._timer.stop()
        self._call = None

    def _run(self) -> None:
        call, self._call = self._call, None
        if call is not None:
            call()
