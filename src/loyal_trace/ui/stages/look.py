"""Look: over the board part by part, one key a finding."""

from itertools import zip_longest

from loyal_trace.core.assess.looking import leak_reach, leaks_on
from loyal_trace.core.boards.leaks import SIDES
from loyal_trace.core.boards.model import Part
from loyal_trace.core.boards.paths import walking_path
from loyal_trace.core.job.entries import Observed
from loyal_trace.core.vocabulary.findings import Finding
from loyal_trace.core.vocabulary.units import count_of
from loyal_trace.ui.desk import Desk
from loyal_trace.ui.stages.look_photos import PhotoBench
from loyal_trace.ui.stages.look_teardown import TeardownPage
from loyal_trace.ui.widgets.rows import Cell, Row, RowList
from loyal_trace.ui.widgets.stage_frame import KeyHint, StageFrame, column

FINDINGS = (
    ("G", Finding.LOOKS_GOOD), ("C", Finding.CORRODED), ("F", Finding.PIN_BENT), ("J", Finding.JOINT),
    ("O", Finding.SOCKET_LOOSE), ("S", Finding.SINGLE_WIPE), ("W", Finding.WRONG_PART), ("V", Finding.REVERSED),
    ("B", Finding.SCORCHED), ("K", Finding.LEAKING), ("U", Finding.BULGED), ("R", Finding.RESIDUE),
    ("T", Finding.TRACK_DAMAGED), ("P", Finding.PREVIOUS_WORK), ("H", Finding.COMPOUND_MISSING),
    ("N", Finding.MISSING), ("L", Finding.CLEANED),
)  # fmt: skip


class LookStage:
    """Walks the board in rows; a key records a finding and goes on to the next part."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self.keys, self.seen = RowList("finding keys"), RowList("what was seen")
        self.photos = PhotoBench(desk, self.refresh)
        self.frame = StageFrame(column())
        self.teardown = TeardownPage(desk, self.frame)
        self._walk, self._apart = column(self.photos.view, self.keys, self.seen), column(self.teardown.list)
        for widget in (self._walk, self._apart):
            self.frame.evidence.layout().insertWidget(0, widget)
        self._tearing = False
        self.seen.picked.connect(self._seen_picked)
        self.frame.entry.submitted.connect(self._submitted)
        self._seen: list[tuple[str, str]] = []

    def hints(self) -> tuple[KeyHint, ...]:
        apart = KeyHint("D", "walk again" if self._tearing else "teardown", self._turn)
        if self._tearing:
            return (*self.teardown.hints(), apart)
        photo = self.photos.open
        shown = {"G"} if photo else {"G", "C", "F"}
        keys = tuple(
            KeyHint(k, w.split(" or ")[0] if k in shown else "", lambda w=w: self._found(w, "")) for k, w in FINDINGS
        )
        return (
            *keys,
            KeyHint("␣", "" if photo else "skip", lambda: self._move(1)),
            KeyHint("↑↓", "part", None),
            KeyHint("↑", "", lambda: self._move(-1)),
            KeyHint("↓", "", lambda: self._move(1)),
            KeyHint("I", "photo", self.photos_next),
            KeyHint("A", "align" if self.photos.open else "", self._align),
            KeyHint("M", "map over it" if self.photos.open else "", self.photos.fade),
            KeyHint("E", "before, after" if self.photos.open else "", self.photos.compare),
            KeyHint("X", "of this part" if photo else "", self.photos.tie),
            KeyHint("Z", "next to inspect" if self._to_inspect() else "", self._next_to_inspect),
            apart if not photo else KeyHint("D", "", self._turn),
            KeyHint('"', "note" if not photo else ""),
        )

    def _turn(self) -> None:
        """The walk, or the teardown."""
        self._tearing = not self._tearing
        self.refresh()

    def _to_inspect(self) -> list[str]:
        """What leaks have reached and nobody has looked at or cleaned since, nearest first; vias too."""
        if self.desk.definition is None:
            return []
        return [part.refdes for leak in leaks_on(self.desk.job.moment, self.desk.board) for part in leak.open]

    def _next_to_inspect(self) -> None:
        """The next part or via that electrolyte may have reached."""
        wanted = self._to_inspect()
        if wanted:
            here = wanted.index(self.desk.part) + 1 if self.desk.part in wanted else 0
            self.desk.pick(self.desk.board, wanted[here % len(wanted)])

    def photos_next(self) -> None:
        """The next photo of this board, or none after the last."""
        self.photos.next_photo()
        self.refresh()

    def _align(self) -> None:
        self.photos.start_aligning()
        self.refresh()

    def overlay_trace(self) -> tuple[tuple[tuple[str, int], ...], str]:
        return (), ""

    def picked(self) -> None:
        self.refresh()

    def _path(self) -> list[Part]:
        """The parts in a sensible path: row by row, back and forth."""
        board = self.desk.definition
        return list(walking_path(board)) if board else []

    def _part(self) -> Part | None:
        path = self._path()
        board = self.desk.definition
        if board is not None and board.has(self.desk.part):
            return board.part(self.desk.part)
        findings = self.desk.job.snapshot.seen.findings
        unseen = [p for p in path if (self.desk.board, p.refdes) not in findings]
        return (unseen or path or [None])[0]

    def refresh(self) -> None:
        self._walk.setVisible(not self._tearing)
        self._apart.setVisible(self._tearing)
        if self._tearing:
            title = self.desk.definition.title if self.desk.definition else ""
            self.frame.head("What came off, and does all of it go back?", title)
            self.frame.entry.set_hints(self.hints())
            self.teardown.refresh()
            return
        part, board, state = self._part(), self.desk.definition, self.desk.job.snapshot
        self.frame.entry.set_hints(self.hints())
        if part is None or board is None:
            self.frame.head("What can be seen before anything is touched?", "no board")
            why = "This job has no board definition, so there is no map to walk over."
            self.frame.meaning.say(why, "Make a job from a board folder (Ctrl+J), or check ROM files on their own.")
            self.frame.entry.set_target("", "nothing to do here")
            return
        seen = [(p, f) for p, f in state.seen.findings.items() if p[0] == self.desk.board]
        total = len(board.parts)
        self.frame.head(
            "What can be seen before anything is touched?", f"{board.title} · {len(seen)} of {total} parts seen"
        )
        heading = f"{part.refdes}  {part.number}" + (f", {part.role}" if part.role else "")
        if self.desk.area:
            heading = f"{count_of(len(self.desk.area), 'part')} in the area drawn: one key for all of them"
        rows = [Row("", (), heading=heading, height=30)]
        for left, right in zip_longest(FINDINGS[::2], FINDINGS[1::2], fillvalue=("", "")):
            cells = (Cell(14, 24, left[0], bold=True, mono=True), Cell(42, 250, left[1]),
                     Cell(320, 24, right[0], bold=True, mono=True), Cell(348, 250, right[1]))  # fmt: skip
            rows.append(Row("", cells, height=25))
        self.keys.set_rows(tuple(rows), -1)
        self.photos.refresh()
        self.keys.setVisible(not self.photos.open)
        self._show_seen(seen)
        self._meaning(part)
        target = f"{len(self.desk.area)} parts" if self.desk.area else part.refdes
        self.frame.entry.set_target(target, "one key for the finding, or a note to it after a quotation mark")

    def _show_seen(self, seen: list[tuple[tuple[str, str], list[Observed]]]) -> None:
        bad = [(p, f[-1]) for p, f in seen if not f[-1].finding.good]
        good = [(p, f[-1]) for p, f in reversed(seen) if f[-1].finding.good]
        listed = (bad + good)[:9]
        self._seen = [p for p, _ in listed]
        rows = [Row("", (), heading="Seen so far, damage first", height=32)]
        for place, entry in listed:
            kind = "good" if entry.finding.good else "bad"
            cells = (
                Cell(40, 70, place[1], bold=True, mono=True),
                Cell(116, 190, entry.finding, kind),
                Cell(310, 0, f"{entry.note}  {self._photos_of(place)}".strip()),
            )
            rows.append(Row(kind, cells, height=25))
        self.seen.set_rows(tuple(rows), -1)

    def _photos_of(self, place: tuple[str, str]) -> str:
        count = len(self.desk.job.snapshot.seen.photos_of.get(place, ()))
        return f"({count_of(count, 'photo')})" if count else ""

    def _meaning(self, part: Part) -> None:
        """Leaking capacitors reach their neighbours; otherwise say what is left to look at."""
        state = self.desk.job.snapshot
        moment = self.desk.job.moment
        leak = next((one for one in leaks_on(moment, self.desk.board) if one.open), None)
        if leak is not None and not self.photos.open:
            near = ", ".join(r.refdes for r in leak.reached[:8]) + (" …" if len(leak.reached) > 8 else "")
            further = (
                ", twice that downhill" if SIDES.get(state.decision("lowest side"), (0.0, 0.0)) != (0.0, 0.0) else ""
            )
            why = f"{leak.refdes} leaks: electrolyte reaches {near} (within {leak_reach(moment):.0f} mm{further})."
            dirty = [r.refdes for r in leak.open if r.status == "clean it"]
            first = f"Clean {', '.join(dirty[:6])}, then L." if dirty else ""
            unseen = [r.refdes for r in leak.open if r.status == "inspect"]
            look = f"Inspect {', '.join(unseen[:6])} for residue (R) and corrosion (C)." if unseen else ""
            self.frame.meaning.say(why, f"{first} {look}".strip(), "bad")
            return
        if self.photos.open:
            bare = self.photos.uncovered()
            more = f" No aligned photo shows the polarity of {', '.join(bare[:8])}." if bare else ""
            asked = self.photos.asking() or f"look at {part.refdes}"
            self.frame.meaning.say(f"Photo {self.photos.words()}.{more}", f"{asked[:1].upper()}{asked[1:]}.")
            return
        left = [p.refdes for p in self._path() if (self.desk.board, p.refdes) not in state.seen.findings]
        why = "Many faults can be seen: contacts, legs, joints, sockets, leaking cans. What is seen counts as evidence."
        self.frame.meaning.say(why, f"Look at {part.refdes}; {len(left)} parts are still unseen on this board.")

    def _move(self, step: int) -> None:
        path, part = self._path(), self._part()
        if part is not None:
            index = [p.refdes for p in path].index(part.refdes)
            self.desk.pick(self.desk.board, path[(index + step) % len(path)].refdes)

    def _found(self, finding: str, note: str) -> None:
        part = self._part()
        if part is None:
            return
        if self.desk.area:
            self._found_in_area(finding, note)
            return
        if self.desk.part != part.refdes:
            self.desk.pick(self.desk.board, part.refdes)
        if part.kind == "via":
            if self.desk.record(Observed, board=self.desk.board, place=part.refdes, finding=finding, note=note):
                self._next_to_inspect()
            return
        if self.desk.record(Observed, board=self.desk.board, place=part.refdes, finding=finding, note=note):
            self._move(1)

    def _found_in_area(self, finding: str, note: str) -> None:
        """One finding for every part in the area drawn; it is taken back as one."""
        make, board = self.desk.job.make, self.desk.board
        *others, last = self.desk.area
        whole = make(Observed, board=board, place=last, finding=finding, note=note)
        entries = [make(Observed, board=board, place=r, finding=finding, note=note, part_of=whole.id) for r in others]
        if self.desk.record_all([*entries, whole], f"{count_of(len(entries) + 1, 'part')}: {finding}"):
            self.desk.draw_area(())

    def _submitted(self, text: str) -> None:
        if self._tearing:
            self.teardown.submitted(text)
            return
        part = self._part()
        if not text.strip():
            self._move(1)
            return
        findings = self.desk.job.snapshot.seen.findings.get((self.desk.board, part.refdes if part else ""))
        self.frame.entry.edit.clear()
        self._found(findings[-1].finding if findings else Finding.NOTED, text.strip())

    def _seen_picked(self, index: int) -> None:
        if 0 < index <= len(self._seen):
            self.desk.pick(*self._seen[index - 1])
