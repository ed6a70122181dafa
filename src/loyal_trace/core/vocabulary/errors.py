"""The error tree, sorted by blame: the user's file, the machine, the request.

Every error carries one sentence that a person at the bench can act on. A bug of ours is any *other* exception.
"""

from dataclasses import dataclass

from loyal_trace.core.vocabulary.phrases import say


class LoyalTraceError(Exception):
    """Base of all expected errors; `str(error)` is one clear sentence."""


class UserFileError(LoyalTraceError):
    """A file that was given to us cannot be used as it is."""

    def __init__(self, place: str, what: str, remedy: str = "") -> None:
        self.place, self.what, self.remedy = place, what, remedy
        super().__init__(
            say("{place}: {what}", place=place, what=what) + (say("; {remedy}", remedy=remedy) if remedy else "")
        )

    def __reduce__(self) -> tuple[object, ...]:
        return UserFileError, (self.place, self.what, self.remedy)


class MachineError(LoyalTraceError):
    """The machine would not do it: disk full, read-only, locked."""


class RequestError(LoyalTraceError):
    """What was asked for does not exist or makes no sense (unknown chip type, unknown part)."""


@dataclass(frozen=True)
class Defect:
    """One thing wrong with a board folder: where it stands, what it is, how to mend it."""

    file: str
    line: int
    what: str
    remedy: str

    def __str__(self) -> str:
        where = f"{self.file}:{self.line}" if self.line else self.file
        return say("{where}: {what}; {remedy}", where=where, what=self.what, remedy=self.remedy)


class BoardDefects(UserFileError):
    """Every defect of a board folder at once."""

    def __init__(self, place: str, defects: tuple[Defect, ...]) -> None:
        self.defects = defects
        count = "1 defect" if len(defects) == 1 else say("{count} defects", count=len(defects))
        super().__init__(place, say("{count}, first {defects}", count=count, defects=defects[0]))
