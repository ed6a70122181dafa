"""The pad: one key an item, no Enter. A key lights up at once and is saved a little later, unless typing goes on.

So a sentence typed at ordinary speed is never a record: its second letter comes before the first is saved, and both go
into the line as text. The timer is passed in, so that tests need not wait.
"""

from collections.abc import Callable, Mapping
from typing import Protocol

from loyal_trace.app.notice import Notice
from loyal_trace.core.vocabulary.stages import Stage

DELAY = 0.25


class Timer(Protocol):
    """Calls once, some seconds after it was started; starting again or stopping forgets what was to be called."""

    def start(self, seconds: float, call: Callable[[], None]) -> None: ...

    def stop(self) -> None: ...


class Pad:
    """Which keys are caps, which one is lit, and when it counts."""

    def __init__(self, timer: Timer, save: Callable[[str], object], switched_on: Mapping[Stage, bool] | None = None):
        self.timer, self._save = timer, save
        self._on: dict[Stage, bool] = dict(switched_on or {})
        self.stage = Stage.INTAKE
        self.caps: frozenset[str] = frozenset()
        self.lit = ""
        self._typed = ""
        self.changed: Notice[[]] = Notice()
        self.letters: Notice[[str]] = Notice()

    @property
    def on(self) -> bool:
        """Is the pad of this stage switched on (whether or not it has keys just now)?"""
        return self._on.get(self.stage, False)

    @property
    def switched_on(self) -> Mapping[Stage, bool]:
        """The stages and whether their pad is on, to be remembered."""
        return dict(self._on)

    def show(self, stage: Stage, caps: frozenset[str]) -> None:
        """Another stage, or other keys: what was pressed before counts first."""
        # The key was pressed for the part that was shown then.
        if (stage, caps) != (self.stage, self.caps):
            self.flush()
            self.stage, self.caps = stage, caps

    def switch(self) -> None:
        """On or off, remembered for this stage."""
        self.flush()
        self._on[self.stage] = not self.on
        self.changed.emit()

    def key(self, text: str) -> None:
        """A printable key. A cap lights; a second key before it is saved, or a key without a cap, opens the line."""
        # Two keys within a quarter of a second are a word being typed, not two readings.
        if self.lit:
            typed = self._typed + text
            self._forget()
            self.letters.emit(typed)
        elif text.upper() in self.caps:
            self.lit, self._typed = text.upper(), text
            self.changed.emit()
            self.timer.start(DELAY, self.flush)
        else:
            self.letters.emit(text)

    def click(self, key: str) -> None:
        """A cap was clicked: it counts at once."""
        self.flush()
        self._save(key)

    def flush(self) -> None:
        """A key that is lit counts now."""
        key = self.lit
        if key:
            self._forget()
            self._save(key)

    def cancel(self) -> bool:
        """A key that is lit does not count; True when there was one."""
        lit = bool(self.lit)
        self._forget()
        return lit

    def _forget(self) -> None:
        self.timer.stop()
        self.lit = self._typed = ""
        self.changed.emit()
