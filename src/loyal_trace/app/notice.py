"""Something that happens, and those who want to know of it: signals for what has no window."""

from collections.abc import Callable
from typing import Generic, ParamSpec

Told = ParamSpec("Told")


class Notice(Generic[Told]):
    """Calls everybody who is connected, in the order in which they connected."""

    def __init__(self) -> None:
        self._listeners: list[Callable[Told, object]] = []

    def connect(self, listener: Callable[Told, object]) -> None:
        """From now on `listener` is called."""
        self._listeners.append(listener)

    def emit(self, *args: Told.args, **kwargs: Told.kwargs) -> None:
        """It happened."""
        for listener in tuple(self._listeners):
            listener(*args, **kwargs)
