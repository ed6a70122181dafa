"""A timer that goes on only when a test says so."""


class HandTimer:
    """Calls when enough time was let pass by hand."""

    def __init__(self):
        self._left, self._call = 0.0, None

    def start(self, seconds, call):
        self._left, self._call = seconds, call

    def stop(self):
        self._call = None

    def advance(self, seconds):
        """Lets time pass."""
        self._left -= seconds
        if self._call is not None and self._left <= 1e-9:
            call, self._call = self._call, None
            call()
