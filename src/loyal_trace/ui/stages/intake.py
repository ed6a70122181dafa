"""Intake: what came in, which revision, what is wrong, and how the job is judged."""

from loyal_trace.core.assess.away import parse_phrase
from loyal_trace.core.assess.bench import bench_of, shortfalls_of
from loyal_trace.core.assess.first_power import FIRST_POWER, first_power_choice, first_power_risk, repair_order
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.boards.revisions import RevisionFinding, decision_name, firmware_effects, revision_effects
from loyal_trace.core.diagnosis.complaint import Suggestion, suggest
from loyal_trace.core.job.entries import OWN_BOARD, Decided, Note, PartTold, SymptomSeen
from loyal_trace.core.job.snapshot import SymptomKey
from loyal_trace.core.planning.steps import REPAIR_ORDERS
from loyal_trace.core.power.rails import SUPPLY_LIMITS
from loyal_trace.core.proving.bench import ABILITIES, LACKS, SUPPLIES
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.resources import word_groups
from loyal_trace.ui.desk import Desk
from loyal_trace.ui.stages.intake_rows import away_rows, effort_rows, fact_rows, risk_rows
from loyal_trace.ui.stages.intake_walk import MissingWalk
from loyal_trace.ui.widgets.rows import Cell, Row, RowList
from loyal_trace.ui.widgets.stage_frame import KeyHint, StageFrame, column

_PROMISES = ("repair", "repair and service", "restore to as-built look", "made ready for sale")
_REACHES = ("20 mm", "35 mm", "50 mm", "80 mm")
_LOWEST = ("not known", "top", "right", "bottom", "left")


class IntakeStage:
    """A sheet of rows; Enter or a click changes the picked one, typed text is a note."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self.sheet = RowList("intake sheet")
        self.frame = StageFrame(column())
        self.walk = MissingWalk(desk, self.frame)
        self._sheet, self._walked = column(self.sheet), column(self.walk.list)
        for widget in (self._sheet, self._walked):
            self.frame.evidence.layout().insertWidget(0, widget)
        self._walking = self._suggesting = False
        self.sheet.picked.connect(self._row_picked)
        self.frame.entry.submitted.connect(self._submitted)
        self._actions: dict[int, tuple[str, str]] = {}
        self.current = -1

    def hints(self) -> tuple[KeyHint, ...]:
        walk = KeyHint("W", "back to the sheet" if self._walking else "walk for missing parts", self._turn)
        if self._walking:
            return (*self.walk.hints(), walk)
        return (
            KeyHint("↵", "change the picked line", None),
            KeyHint("↑↓", "line", None),
            KeyHint("↑", "", lambda: self._move(-1)),
            KeyHint("↓", "", lambda: self._move(1)),
            KeyHint("Y", "symptoms from the complaint", self._suggest),
            walk,
        )

    def _turn(self) -> None:
        """The walk for missing parts, or the sheet."""
        self._walking = not self._walking
        self.refresh()

    def _suggest(self) -> None:
        """The owner's words held against the boards' symptoms; ↵ on one says that it is present."""
        self._suggesting = not self._suggesting
        self.refresh()
        if self._suggesting and not self._suggested():
            self.desk.said.emit("the complaint names none of the symptoms that these boards list", False)

    def overlay_trace(self) -> tuple[tuple[tuple[str, int], ...], str]:
        return (), ""

    def picked(self) -> None:
        if self._walking:
            self.refresh()

    def _suggested(self) -> dict[tuple[str, str], Suggestion]:
        """(board, symptom) → why the complaint may mean it."""
        if not self._suggesting:
            return {}
        boards = self.desk.job.boards
        listed = [(board_id, text) for board_id, board in boards.items() for text, _ in board.symptoms]
        return {(s.board, s.symptom): s for s in suggest(self.desk.job.snapshot.complaint, listed, word_groups())}

    def refresh(self) -> None:
        self._sheet.setVisible(not self._walking)
        self._walked.setVisible(self._walking)
        if self._walking:
            self.frame.head("What is missing, robbed or on loan?", self._board_name(self.desk.board))
            self.frame.entry.set_hints(self.hints())
            self.walk.refresh()
            return
        state = self.desk.job.snapshot
        title = " · ".join(b.title for b in self.desk.job.boards.values()) or "no board definition yet"
        self.frame.head("What came in, and what is promised?", title)
        rows: list[Row] = []
        self._actions = {}
        rows += fact_rows(self.desk.job)
        self._marks(rows)
        rows.append(Row("", (), heading="Symptoms: press to say present, again to say gone", height=30))
        self._symptoms(rows)
        rows += away_rows(self.desk.job)
        rows += effort_rows(self.desk.job)
        rows.append(Row("", (), heading="How this job is judged", height=30))
        self._decisions(rows)
        rows.append(Row("", (), heading="What this bench can do; type supplies 5 V 3 A, 12 V 1 A", height=30))
        self._abilities(rows)
        if self.current not in self._actions:
            self.current = self._first_action()
        self.sheet.set_rows(tuple(rows), self.current)
        self._meaning(state.complaint)
        self.frame.entry.set_target(
            "note", "a note, 5C 74LS138, 2B shelf box 3, serial 1042, value 250; ↵ changes the line"
        )
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
        findings = [self.desk.job.revision(board_id, of) for of in ("board", "firmware")]
        return any(mark.name == name for finding in findings for mark in finding.ask)

    def _board_name(self, board_id: str) -> str:
        board = self.desk.job.boards.get(board_id)
        return board.name if board else board_id

    def _marks(self, rows: list[Row]) -> None:
        """The marks that tell revisions apart, answered with ↵, and what the answers come to."""
        session = self.desk.job
        for board_id, board in session.defined.items():
            if not board.marks:
                continue
            rows.append(
                Row("", (), heading=f"Which revision is {board.name}? Look and press ↵ until it fits", height=30)
            )
            findings = {of: session.revision(board_id, of) for of in ("board", "firmware")}
            for mark in board.marks:
                answer = session.snapshot.decision(decision_name(board_id, mark.name))
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
        state, suggested = self.desk.job.snapshot, self._suggested()
        known = [(board_id, text) for board_id, board in self.desk.job.boards.items() for text, _ in board.symptoms]
        known += [(key.board, key.text) for key in state.proving.symptoms if (key.board, key.text) not in known]
        for board, text in known:
            seen, hint = state.proving.symptoms.get(SymptomKey(board, text)), suggested.get((board, text))
            glyph = "unknown" if seen is None else "bad" if seen.present else "good"
            word = "not asked" if seen is None else "present" if seen.present else "gone"
            if seen is None and hint is not None:
                glyph, word = "doubtful", f"meant? ({', '.join(hint.shared)})"
            self._actions[len(rows)] = ("symptom", f"{board}\n{text}")
            cells = (Cell(40, 300, text), Cell(346, 190, word, glyph), Cell(540, 0, self._board_name(board)))
            rows.append(Row(glyph, cells, height=25))

    def _decisions(self, rows: list[Row]) -> None:
        session, state = self.desk.job, self.desk.job.snapshot
        moment = session.moment
        firmwares = sorted({f for b in session.boards.values() for f in b.firmwares})
        risk, school = first_power_risk(moment), repair_order(moment)
        first = FIRST_POWER.get(first_power_choice(moment), "")
        choices: list[tuple[str, list[str], str]] = [
            ("firmware", firmwares, "decided by the labels; ROM verdicts follow it"),
            ("promise", list(_PROMISES), ""),
            ("first power", list(FIRST_POWER), f"{first}; " * bool(first) + f"risk {risk.word}, {risk.share:.0%}"),
            ("leak reach", list(_REACHES), "how far electrolyte creeps; twice that downhill"),
            ("lowest side", list(_LOWEST), "of the board as it stood: electrolyte runs down"),
            ("supply limits", list(SUPPLY_LIMITS), SUPPLY_LIMITS[state.decision("supply limits", "maker")]),
            ("repair order", list(REPAIR_ORDERS), REPAIR_ORDERS[school]),
        ]
        promised = state.opened.promise if state.opened else ""
        defaults = {
            "leak reach": "35 mm", "lowest side": "not known", "supply limits": "maker", "repair order": school,
            "promise": promised or "not decided",
        }  # fmt: skip
        for what, options, why in choices:
            if options:
                self._actions[len(rows)] = ("decision", f"{what}\n" + "\n".join(options))
                choice = state.decision(what, defaults.get(what, "not decided"))
                cells = (Cell(40, 120, what, bold=True), Cell(164, 160, choice), Cell(328, 0, why))
                rows.append(Row("good" if what in state.paper.decisions else "unknown", cells, height=25))
                if what == "first power":
                    rows += risk_rows(risk)

    def _abilities(self, rows: list[Row]) -> None:
        """Supplies and instruments; what the job needs beyond them is not tested from the start."""
        moment = self.desk.job.moment
        bench = bench_of(moment)
        supplies = ", ".join(s.words for s in bench.supplies) or "not told: any rail is taken to be fed"
        rows.append(Row("good" if bench.supplies else "unknown",
                        (Cell(40, 120, "supplies", bold=True), Cell(164, 0, supplies)), height=24))  # fmt: skip
        for ability in ABILITIES:
            self._actions[len(rows)] = ("ability", ability)
            lacking = ability in bench.lacks
            word = "this bench has none: what needs it is listed as not tested" if lacking else "at hand"
            cells = (Cell(40, 120, ability, bold=True), Cell(164, 0, word))
            rows.append(Row("doubtful" if lacking else "good", cells, height=24))
        for short in shortfalls_of(moment):
            text = f"{short.item}: {short.reason}"
            rows.append(Row("doubtful", (Cell(40, 0, text),), height=24))

    def _meaning(self, complaint: str) -> None:
        state = self.desk.job.snapshot
        present = [s.text for s in state.proving.symptoms.values() if s.present]
        blocks = sorted(
            {
                block.name
                for symptom in state.proving.symptoms.values()
                if symptom.present and symptom.board in self.desk.job.boards
                for block in self.desk.job.boards[symptom.board].blocks
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
        undecided = [w for w in ("firmware", "first power") if w not in state.paper.decisions]
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
        words = text.split()
        if not words:
            if not self._walking:
                self._change()
            return
        try:
            phrase = parse_phrase(text, self.desk.job.moment, self.desk.board)
        except LoyalTraceError as error:
            self.desk.said.emit(str(error), True)
            return
        if phrase is not None:
            kind, fields = phrase
            recorded = self.desk.record(kind, **fields)
            if recorded and fields.get("what") == SUPPLIES:
                self.desk.job.save_bench()
        elif len(words) == 2 and self.desk.job.library.knows(words[1]):
            recorded = self.desk.record(PartTold, board=OWN_BOARD, place=words[0], number=words[1].upper(), sort="chip")
        else:
            recorded = self.desk.record(Note, text=text.strip())
        if recorded:
            self.frame.entry.edit.clear()
            self.refresh()

    def _change(self) -> None:
        kind, detail = self._actions.get(self.current, ("", ""))
        state = self.desk.job.snapshot
        if kind == "symptom":
            board, text = detail.split("\n")
            seen = state.proving.symptoms.get(text)
            self.desk.record(SymptomSeen, board=board, text=text, present=seen is None or not seen.present)
        elif kind == "decision":
            what, *options = detail.split("\n")
            moment = self.desk.job.moment
            usual = {
                "supply limits": "maker",
                "repair order": repair_order(moment),
                "first power": first_power_choice(moment),
            }
            now = usual[what] if what == "first power" else state.decision(what, usual.get(what, ""))
            choice = options[(options.index(now) + 1) % len(options)] if now in options else options[0]
            reason = first_power_risk(moment).reason if what == "first power" else ""
            self.desk.record(Decided, what=what, choice=choice, reason=reason)
        elif kind == "mark":
            board, name = detail.split("\n")
            mark = next(m for m in self.desk.job.defined[board].marks if m.name == name)
            options, what = list(mark.answers), decision_name(board, name)
            now = state.decision(what)
            choice = options[(options.index(now) + 1) % len(options)] if now in options else options[0]
            self.desk.record(Decided, board=board, what=what, choice=choice)
        elif kind == "ability":
            lacking = bench_of(self.desk.job.moment).lacks ^ {detail}
            if self.desk.record(Decided, what=LACKS, choice=", ".join(sorted(lacking))):
                self.desk.job.save_bench()
                self.refresh()
