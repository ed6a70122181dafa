"""Intake: what came in, which revision, what is wrong, and how the job is judged."""

from loyal_trace.core.boards.loose import LOOSE_ID
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.boards.revisions import RevisionFinding, decision_name, firmware_effects, revision_effects
from loyal_trace.core.logbook.entries import OWN_CHIP, Decided, Fitted, Note, SymptomSeen
from loyal_trace.core.planning.steps import ORDER_SCHOOLS
from loyal_trace.core.power.rails import SCHOOLS
from loyal_trace.ui.desk import Desk
from loyal_trace.ui.widgets.rows import Cell, Row, RowList
from loyal_trace.ui.widgets.stage_frame import KeyHint, StageFrame, column

FIRST_POWER = {
    "test as found": "a baseline first: what worked before is known",
    "renew capacitors first": "forty-year-old electrolytics can do damage; a reliable baseline to work from",
    "by risk": "rails checked with a current limit, then a short test",
}
_PROMISES = ("repair", "repair and service", "restore to as-built look")
_REACHES = ("20 mm", "35 mm", "50 mm", "80 mm")
_LOWEST = ("not known", "top", "right", "bottom", "left")
_ABILITIES = ("display", "harness", "speaker", "supply")


class IntakeStage:
    """A sheet of rows; Enter or a click changes the picked one, typed text is a note."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self.sheet = RowList("intake sheet")
        self.frame = StageFrame(column(self.sheet))
        self.sheet.picked.connect(self._row_picked)
        self.frame.entry.submitted.connect(self._submitted)
        self._actions: dict[int, tuple[str, str]] = {}
        self.current = -1

    def hints(self) -> tuple[KeyHint, ...]:
        return (
            KeyHint("↵", "change the picked line", None),
            KeyHint("↑↓", "line", None),
            KeyHint("↑", "", lambda: self._move(-1)),
            KeyHint("↓", "", lambda: self._move(1)),
        )

    def overlay_trace(self) -> tuple[tuple[tuple[str, int], ...], str]:
        return (), ""

    def picked(self) -> None:
        """Intake does not follow the picked part."""

    def refresh(self) -> None:
        state = self.desk.session.state
        opened = state.opened
        title = " · ".join(b.title for b in self.desk.session.boards.values()) or "no board definition yet"
        self.frame.head("What came in, and what is promised?", title)
        rows: list[Row] = []
        self._actions = {}
        self._facts(rows)
        self._marks(rows)
        rows.append(Row("", (), heading="Symptoms: press to say present, again to say gone", height=30))
        self._symptoms(rows)
        rows.append(Row("", (), heading="How this job is judged", height=30))
        self._decisions(rows)
        if self.current not in self._actions:
            self.current = self._first_action()
        self.sheet.set_rows(tuple(rows), self.current)
        self._meaning(opened.complaint if opened else "")
        self.frame.entry.set_target("note", "a note; or place and chip, 5C 74LS138; empty ↵ changes the picked line")
        self.frame.entry.set_hints(self.hints())

    def _first_action(self) -> int:
        """Where ↵ begins: a mark that still has to be looked at, else the symptoms."""
        marks = [row for row, (kind, _) in self._actions.items() if kind == "mark"]
        unanswered = [row for row in marks if self._open_mark(self._actions[row][1])]
        symptoms = [row for row, (kind, _) in self._actions.items() if kind == "symptom"]
        return min(unanswered or symptoms or list(self._actions), default=-1)

    def _open_mark(self, detail: str) -> bool:
        """Is this mark unanswered and still worth asking?"""
        board_id, name = detail.split("\n")
        findings = [self.desk.session.revision(board_id, of) for of in ("board", "firmware")]
        return any(mark.name == name for finding in findings for mark in finding.ask)

    def _board_name(self, board_id: str) -> str:
        board = self.desk.session.boards.get(board_id)
        return board.name if board else board_id

    def _facts(self, rows: list[Row]) -> None:
        opened = self.desk.session.state.opened
        facts = [("Owner", opened.owner if opened else ""), ("Complaint", opened.complaint if opened else "")]
        for board in self.desk.session.boards.values():
            facts.append((board.title, f"{board.maker} {board.year or ''}, {len(board.parts)} parts".strip(", ")))
            facts += [("", f"told apart by: {mark}") for mark in board.revision_marks if not board.marks]
        for name, text in facts:
            if text:
                rows.append(Row("", (Cell(8, 150, name, bold=True), Cell(164, 0, text)), height=23))

    def _marks(self, rows: list[Row]) -> None:
        """The marks that tell revisions apart, answered with ↵, and what the answers come to."""
        session = self.desk.session
        for board_id, board in session.defined.items():
            if not board.marks:
                continue
            rows.append(
                Row("", (), heading=f"Which revision is {board.name}? Look and press ↵ until it fits", height=30)
            )
            findings = {of: session.revision(board_id, of) for of in ("board", "firmware")}
            for mark in board.marks:
                answer = session.state.decision(decision_name(board_id, mark.name))
                asked = mark in findings[mark.of].ask
                word = answer or ("look here next" if asked else "not needed any more")
                self._actions[len(rows)] = ("mark", f"{board_id}\n{mark.name}")
                kind = "good" if answer and answer not in mark.warn else "doubtful" if answer else "unknown"
                place = f"{mark.where}: " if mark.where and mark.where not in mark.name else ""
                cells = (Cell(40, 290, place + mark.name), Cell(336, 0, word, bold=bool(answer)))
                rows.append(Row(kind, cells, height=24))
            for of, finding in findings.items():
                rows += self._finding_rows(board, of, finding)

    def _finding_rows(self, board: BoardDefinition, of: str, finding: RevisionFinding) -> list[Row]:
        """What is left of the revisions, what disagrees, and what the revision changes."""
        rows = [Row("doubtful", (Cell(40, 0, text),), height=24 if len(text) < 92 else 42) for text in finding.warnings]
        if finding.settled:
            effects = firmware_effects if of == "firmware" else revision_effects
            words = f"{of} revision {finding.settled}"
            rows.append(Row("good", (Cell(40, 0, words, bold=True),), height=24))
            rows += [Row("", (Cell(64, 0, text),), height=22) for text in effects(board, finding.settled)]
        elif len(finding.possible) > 1 and any(mark.of == of for mark in board.marks):
            words = f"{of} revision still open: {' or '.join(finding.possible)}"
            rows.append(Row("unknown", (Cell(40, 0, words),), height=24))
        return rows

    def _symptoms(self, rows: list[Row]) -> None:
        state = self.desk.session.state
        known = [(board_id, text) for board_id, board in self.desk.session.boards.items() for text, _ in board.symptoms]
        known += [(s.board, text) for text, s in state.symptoms.items() if (s.board, text) not in known]
        for board, text in known:
            seen = state.symptoms.get(text)
            glyph = "unknown" if seen is None else "bad" if seen.present else "good"
            word = "not asked" if seen is None else "present" if seen.present else "gone"
            self._actions[len(rows)] = ("symptom", f"{board}\n{text}")
            rows.append(
                Row(
                    glyph,
                    (Cell(40, 330, text), Cell(376, 90, word, glyph), Cell(470, 0, self._board_name(board))),
                    height=25,
                )
            )

    def _decisions(self, rows: list[Row]) -> None:
        state = self.desk.session.state
        firmwares = sorted({f for b in self.desk.session.boards.values() for f in b.firmwares})
        choices: list[tuple[str, list[str], str]] = [
            ("firmware", firmwares, "decided by the labels; ROM verdicts follow it"),
            ("promise", list(_PROMISES), ""),
            ("first power", list(FIRST_POWER), FIRST_POWER.get(state.decision("first power"), "")),
            ("leak reach", list(_REACHES), "how far electrolyte is taken to creep; twice that downhill"),
            ("lowest side", list(_LOWEST), "of the board as it stood: electrolyte runs down"),
            ("rail school", list(SCHOOLS), SCHOOLS[state.decision("rail school", "maker")]),
            ("order school", list(ORDER_SCHOOLS), ORDER_SCHOOLS[state.decision("order school", "least invasive")]),
        ]
        promised = state.opened.promise if state.opened else ""
        defaults = {
            "leak reach": "35 mm",
            "lowest side": "not known",
            "rail school": "maker",
            "order school": "least invasive",
            "promise": promised or "not decided",
        }
        for what, options, why in choices:
            if options:
                self._actions[len(rows)] = ("decision", f"{what}\n" + "\n".join(options))
                choice = state.decision(what, defaults.get(what, "not decided"))
                cells = (Cell(40, 120, what, bold=True), Cell(164, 150, choice), Cell(318, 0, why))
                rows.append(Row("good" if what in state.decisions else "unknown", cells, height=25))
        lacking = {w.strip() for w in state.decision("bench lacks").split(",") if w.strip()}
        for ability in _ABILITIES:
            self._actions[len(rows)] = ("ability", ability)
            word = "this bench has none: what needs it is listed as not tested" if ability in lacking else "at hand"
            cells = (Cell(40, 120, ability, bold=True), Cell(164, 0, word))
            rows.append(Row("doubtful" if ability in lacking else "good", cells, height=25))

    def _meaning(self, complaint: str) -> None:
        state = self.desk.session.state
        present = [s.text for s in state.symptoms.values() if s.present]
        blocks = sorted(
            {
                block.name
                for symptom in state.symptoms.values()
                if symptom.present and symptom.board in self.desk.session.boards
                for block in self.desk.session.boards[symptom.board].blocks
                if symptom.text in block.symptoms
            }
        )
        if not present:
            self.frame.meaning.say(
                complaint or "No complaint has been written down yet.",
                "Say which symptoms are present; they point at blocks.",
            )
            return
        why = f"Present: {'; '.join(present)}." + (f" That concerns {', '.join(blocks)}." if blocks else "")
        undecided = [w for w in ("firmware", "first power") if w not in state.decisions]
        nothing = "Look the boards over (Ctrl+2) before power is applied."
        self.frame.meaning.say(why, f"Decide {undecided[0]}." if undecided else nothing)

    def _move(self, step: int) -> None:
        places = sorted(self._actions)
        if places:
            here = places.index(self.current) if self.current in places else 0
            self.current = places[(here + step) % len(places)]
            self.sheet.set_rows(self.sheet.rows, self.current)
            self.frame.scroll.ensureVisible(10, self.sheet.top_of(self.current), 0, 60)

    def _row_picked(self, index: int) -> None:
        if index in self._actions:
            self.current = index
            self._change()

    def _submitted(self, text: str) -> None:
        if not text.strip():
            self._change()
            return
        words = text.split()
        if len(words) == 2 and self.desk.session.library.knows(words[1]):
            recorded = self.desk.record(Fitted, board=LOOSE_ID, place=words[0], number=words[1], origin=OWN_CHIP)
        else:
            recorded = self.desk.record(Note, text=text.strip())
        if recorded:
            self.frame.entry.edit.clear()

    def _change(self) -> None:
        kind, detail = self._actions.get(self.current, ("", ""))
        state = self.desk.session.state
        if kind == "symptom":
            board, text = detail.split("\n")
            seen = state.symptoms.get(text)
            self.desk.record(SymptomSeen, board=board, text=text, present=seen is None or not seen.present)
        elif kind == "decision":
            what, *options = detail.split("\n")
            now = state.decision(what, {"rail school": "maker", "order school": "least invasive"}.get(what, ""))
            choice = options[(options.index(now) + 1) % len(options)] if now in options else options[0]
            self.desk.record(Decided, what=what, choice=choice)
        elif kind == "mark":
            board, name = detail.split("\n")
            mark = next(m for m in self.desk.session.defined[board].marks if m.name == name)
            options, what = list(mark.answers), decision_name(board, name)
            now = state.decision(what)
            choice = options[(options.index(now) + 1) % len(options)] if now in options else options[0]
            self.desk.record(Decided, board=board, what=what, choice=choice)
        elif kind == "ability":
            lacking = {w.strip() for w in state.decision("bench lacks").split(",") if w.strip()} ^ {detail}
            self.desk.record(Decided, what="bench lacks", choice=", ".join(sorted(lacking)))
