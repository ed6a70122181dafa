"""Long work beside the window: one worker, what it tells on the way, and its result back in the thread that records."""

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from threading import Event
from typing import Any, TypeVar

from loyal_trace.app.notice import Notice
from loyal_trace.core.roms.candidates import Watch
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.instruments.protocols import Cancelled

Result = TypeVar("Result")
Post = Callable[[Callable[[], None]], None]


class Tasks:
    """Runs one piece of long work at a time. `post` takes a call and makes it in the thread of whoever records."""

    def __init__(self, post: Post) -> None:
        self._pool = ThreadPoolExecutor(1)
        self._post = post
        self._cancel = Event()
        self._closed = False
        self.busy = False
        self.working: Notice[[str, int, int]] = Notice()
        self.failed: Notice[[str]] = Notice()
        self.stopped: Notice[[str]] = Notice()

    @property
    def cancel(self) -> Event:
        """Set when the work in hand is to stop."""
        return self._cancel

    def post(self, call: Callable[[], None]) -> None:
        """From the worker: a call to be made in the thread that records. Nothing is called after `close`."""
        self._post(lambda: None if self._closed else call())

    def run(self, words: str, work: Callable[[Watch], Result], done: Callable[[Result], None]) -> bool:
        """Begins work; False when the worker is busy. `done` gets the result in the thread that records.

        `work` is given what it must ask (is it to stop?) and tell (how far has it come). What fails is told by
        `failed`, what was stopped by `stopped`, and `done` is not called.
        """
        if self.busy:
            self.failed.emit(say("A task is running; Esc stops it."))
            return False
        self.busy = True
        self._cancel.clear()
        self.working.emit(words, 0, 0)

        def told(more: str, count: int, total: int) -> None:
            label = say("{words}: {more}", words=words, more=more) if more else words
            self.post(lambda: self.working.emit(label, count, total))

        future = self._pool.submit(work, Watch(self._cancel.is_set, told))
        future.add_done_callback(lambda ended: self.post(lambda: self._ended(ended, done)))
        return True

    def aside(self, work: Callable[[], object], done: Callable[[], None]) -> "Future[object]":
        """Computes something that nobody waits for at the bench; `done` is called when it is ready."""
        future = self._pool.submit(work)
        future.add_done_callback(lambda ended: self.post(done))
        return future

    def _ended(self, ended: "Future[Any]", done: Callable[[Any], None]) -> None:
        self.busy = False
        self.working.emit("", 0, 0)
        error = ended.exception()
        if isinstance(error, Cancelled):
            self.stopped.emit(str(error))
        elif error is not None and not self._cancel.is_set():
            self.failed.emit(str(error) if isinstance(error, LoyalTraceError) else say("Failed: {error}", error=error))
        elif error is not None or (self._cancel.is_set() and ended.result() is None):
            self.stopped.emit("")
        else:
            done(ended.result())

    def stop(self) -> None:
        """Stops long work."""
        self._cancel.set()

    def close(self) -> None:
        """Ends background work; call before the store is closed."""
        self.stop()
        self._pool.shutdown(wait=True)
        self._closed = True
