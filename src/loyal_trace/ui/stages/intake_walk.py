"""The walk of Intake: over the map part by part, one key for what is there, what is missing, what is a stand-in."""

from loyal_trace.core.assess.away import away
from loyal_trace.core.boards.model import Part
from loyal_trace.core.boards.paths import walking_path
from loyal_trace.core.job.entries import Observed
from loyal_trace.core.vocabulary.findings import Finding
from loyal_trace.core.vocabulary.units import count_of
from loyal_trace.ui.desk import Desk
from loyal_trace.ui.widgets.rows import Cell, Row, RowList
from loyal_trace.ui.widgets.stage_frame import KeyHint, StageFrame


class MissingWalk:
    """Goes from part to part; what was looked at closely already is known to be there."""

    def __init__(self, desk: Desk, frame: StageFrame) -> None:
        self.desk, self.frame = desk, frame
        self.list = RowList("what is away")

    def hints(self) -> tuple[KeyHint, ...]:
        return (
            KeyHint("P", "present", lambda: self._found(Finding.PRESENT)),
            KeyHint("N", "missing", lambda: self._found(Finding.MISSING)),
            KeyHint("A", "all the rest present", self._rest_present),
            KeyHint("↑↓", "part", None),
            KeyHint("↑", "", lambda: self._move(-1)),
            KeyHint("↓", "", lambda: self._move(1)),
        )

    def _path(self) -> list[Part]:
        board = self.desk.definition
        return list(walking_path(board)) if board else []

    def _open(self) -> list[Part]:
        findings = self.desk.job.snapshot.seen.findings
        return [p for p in self._path() if (self.desk.board, p.refdes) not in findings]

    def _part(self) -> Part | None:
        here = [p for p in self._path() if p.refdes == self.desk.part]
        return (here or self._open() or self._path() or [None])[0]

    def refresh(self) -> None:
        """Shows what is away so far and asks for the next part."""
        part, left = self._part(), self._open()
        found = away(self.desk.job.moment)
        rows = [Row("", (), heading="Away, on the shelf or on loan", height=30)]
        rows += [Row("bad" if a.what == "missing" else "doubtful", (Cell(40, 0, a.words),), height=24) for a in found]
        if not found:
            rows.append(Row("", (Cell(40, 0, "nothing so far"),), height=24))
        self.list.set_rows(tuple(rows), -1)
        if part is None:
            self.frame.meaning.say("There is no board to walk over.", "Add one, or type chips with their places.")
            self.frame.entry.set_target("", "no board")
            return
        self.frame.meaning.say(f"{count_of(len(left), 'part')} of this board not looked for yet.",
                               f"Is {part.refdes} ({part.number}) in its place? P or N.")  # fmt: skip
        self.frame.entry.set_target(
            part.refdes, "P present, N missing; or: 2B shelf box 3, 4A borrowed from the spare set"
        )

    def _found(self, finding: str) -> None:
        part = self._part()
        if part is None:
            return
        if self.desk.part != part.refdes:
            self.desk.pick(self.desk.board, part.refdes)
        if self.desk.record(Observed, board=self.desk.board, place=part.refdes, finding=finding):
            left = self._open()
            after = [p for p in self._path()[self._path().index(part) + 1 :] if p in left] or left
            if after:
                self.desk.pick(self.desk.board, after[0].refdes)

    def _rest_present(self) -> None:
        """Everything not looked for yet is there; taken back as one."""
        left, make = self._open(), self.desk.job.make
        if left:
            *others, last = (p.refdes for p in left)
            whole = make(Observed, board=self.desk.board, place=last, finding=Finding.PRESENT)
            entries = [
                make(Observed, board=self.desk.board, place=r, finding=Finding.PRESENT, part_of=whole.id)
                for r in others
            ]
            self.desk.record_all([*entries, whole], f"{count_of(len(left), 'part')} present")

    def _move(self, step: int) -> None:
        path, part = self._path(), self._part()
        if part is not None:
            index = [p.refdes for p in path].index(part.refdes)
            self.desk.pick(self.desk.board, path[(index + step) % len(path)].refdes)
