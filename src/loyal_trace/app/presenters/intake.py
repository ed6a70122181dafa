"""Intake: what came in, which revision, what is wrong, and the job settings."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial

from loyal_trace.app.commands import Setting
from loyal_trace.app.presenters.base import StagePresenter
from loyal_trace.app.presenters.intake_rows import (
    away_rows,
    conflict_row,
    effort_rows,
    fact_rows,
    known_rows,
    revision_rows,
    risk_rows,
    settling_line,
)
from loyal_trace.app.presenters.missing_walk import MissingWalk
from loyal_trace.app.presenters.model import Action, Cap, Cell, Meaning, Page, Row, Rows, heading, line
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.assess.bench import bench_of, shortfalls_of
from loyal_trace.core.assess.first_power import first_power_choice, first_power_risk, repair_order
from loyal_trace.core.assess.plan import replace_from
from loyal_trace.core.assess.told import conflicts_of
from loyal_trace.core.boards.model import RevisionMark
from loyal_trace.core.boards.revisions import decision_name
from loyal_trace.core.diagnosis.complaint import Suggestion, suggest
from loyal_trace.core.job.entries import Decided, Entry, Observed, SymptomSeen
from loyal_trace.core.job.snapshot import SymptomKey
from loyal_trace.core.line.context import AskedParts
from loyal_trace.core.planning.choices import FIRST_POWER
from loyal_trace.core.planning.steps import REPAIR_ORDERS, REPLACE_FROM
from loyal_trace.core.power.rails import SUPPLY_LIMITS
from loyal_trace.core.proving.bench import ABILITIES, LACKS
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import joined, say, term
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.resources import word_groups

SHEET, AWAY = say("intake sheet"), say("what is away")
_PROMISES = (say("repair"), say("repair and service"), say("restore to as-built look"), say("made ready for sale"))
_REACHES = ("20 mm", "35 mm", "50 mm", "80 mm")
_LOWEST = (say("not known"), say("top"), say("right"), say("bottom"), say("left"))
_HINT = "owner: …; complaint: …; 5C is 74LS138; before: C1 replaced"


@dataclass(frozen=True)
class _Setting:
    """One of the job settings: its choices, the one that holds now, and why."""

    what: str
    choices: tuple[str, ...]
    now: str
    shown: str
    why: str = ""


class IntakePresenter(StagePresenter):
    """A sheet of rows; the picked one can be changed."""

    stage = Stage.INTAKE

    def __init__(self, workspace: Workspace) -> None:
        super().__init__(workspace)
        self.walk = MissingWalk(workspace)
        self._walking = self._suggesting = False
        self._changes: dict[int, Callable[[], object]] = {}
        self._asked: list[int] = []
        self._symptoms: list[int] = []
        self.current = -1

    # what is shown

    def setting(self) -> Setting:
        picked = self.workspace.picked_part
        if self._walking and picked is not None:
            return replace(self.plain_setting(), asked=AskedParts((picked,)))
        return self.plain_setting()

    def page(self) -> Page:
        if self._walking:
            return self._walk_page()
        title = joined(" · ", (b.title for b in self.workspace.job.boards.values())) or say("no board yet")
        rows = self._rows()
        if self.current not in self._changes:
            self.current = min(self._asked or self._symptoms or list(self._changes), default=-1)
        return Page(
            say("What came in, and for what?"),
            title,
            self._meaning(),
            self.target(_HINT),
            self._actions(),
            lists={SHEET: Rows(tuple(rows), self.current)},
        )

    def _walk_page(self) -> Page:
        board = self.workspace.definition
        back = Action("W", say("Show the intake sheet"), self.turn, say("Return to the intake sheet"))
        picked = self.workspace.picked_part
        return Page(
            say("What is missing?"),
            board.name if board else say("no board yet"),
            self.walk.meaning(),
            self.target(
                say("present; missing; 2B shelf: box 3; 4A borrowed from the spare set"),
                self.workspace.moment.part(picked).number if picked else "",
            ),
            (*self.walk.actions(), back),
            lists={AWAY: self.walk.rows()},
        )

    def _actions(self) -> tuple[Action, ...]:
        return (
            Action(
                "C", say("Change the selected line"), self.change, say("Present or not, or the next choice"), main=True
            ),
            Action("N", say("Next line"), lambda: self.move(1), say("Go to the next line; nothing is changed")),
            Action(
                "S",
                say("Suggest symptoms"),
                self.suggest,
                say("Compares the complaint with the symptoms of the boards"),
            ),
            Action("W", say("Walk for missing parts"), self.turn, say("Goes over the board part by part")),
        )

    def _rows(self) -> list[Row]:
        self._changes, self._asked, self._symptoms = {}, [], []
        job = self.workspace.job
        rows = fact_rows(job)
        self._known_rows(rows)
        self._mark_rows(rows)
        self._symptom_rows(rows)
        rows += away_rows(job)
        rows += effort_rows(job)
        self._setting_rows(rows)
        self._ability_rows(rows)
        return rows

    def _known_rows(self, rows: list[Row]) -> None:
        """What is known of boards that grew in the job, with its origin; where sources disagree, on every board."""
        job = self.workspace.job
        for board_id, board in job.boards.items():
            if not (board.blocks or (board_id in job.defined and board.checklist)):
                rows += known_rows(job, board)
            for conflict in conflicts_of(job.moment, board, job.defined.get(board_id)):
                answer = settling_line(conflict, job)
                self._changes[len(rows)] = partial(self.workspace.line_asked.emit, answer)
                rows.append(conflict_row(conflict))

    def _mark_rows(self, rows: list[Row]) -> None:
        """The marks that tell revisions apart, and what the answers come to."""
        job = self.workspace.job
        for board_id, board in job.defined.items():
            if not board.marks:
                continue
            rows.append(
                heading(
                    say(
                        "Which revision is {board}? Compare each mark and change its line until it fits",
                        board=board.name,
                    ),
                    30,
                )
            )
            findings = {of: job.revision(board_id, of) for of in ("board", "firmware")}
            for mark in board.marks:
                self._mark_row(rows, board_id, mark, mark in findings[mark.of].ask)
            for of, finding in findings.items():
                rows += revision_rows(job, board_id, of, finding)

    def _mark_row(self, rows: list[Row], board_id: str, mark: RevisionMark, asked: bool) -> None:
        answer = self.workspace.snapshot.decision(decision_name(board_id, mark.name))
        word = answer or (say("check this next") if asked else say("no longer needed"))
        if asked:
            self._asked.append(len(rows))
        self._changes[len(rows)] = lambda: self._next_answer(board_id, mark)
        kind = "good" if answer and answer not in mark.warn else "doubtful" if answer else "unknown"
        place = say("{where}: ", where=mark.where) if mark.where and mark.where not in mark.name else ""
        rows.append(Row(kind, (Cell(40, 290, place + mark.name), Cell(336, 0, word, bold=bool(answer))), height=24))

    def _symptom_rows(self, rows: list[Row]) -> None:
        rows.append(heading(say("Symptoms: present or gone"), 30))
        state, suggested = self.workspace.snapshot, self._suggested()
        listed = [(b, text) for b, board in self.workspace.job.boards.items() for text, _ in board.symptoms]
        known = dict.fromkeys((*listed, *((key.board, key.text) for key in state.proving.symptoms)))
        for board, text in known:
            seen, hint = state.proving.symptoms.get(SymptomKey(board, text)), suggested.get((board, text))
            glyph, word = "unknown", say("not entered")
            if seen is not None:
                state_word = say("partly gone") if seen.partly else say("present") if seen.present else say("gone")
                glyph, word = "bad" if seen.present else "good", state_word
            elif hint is not None:
                glyph, word = "doubtful", say("possibly meant ({shared})", shared=joined(", ", hint.shared))
            self._symptoms.append(len(rows))
            present = seen is None or not seen.present
            self._changes[len(rows)] = self._symptom_change(board, text, present)
            name = self.workspace.job.boards[board].name if board in self.workspace.job.boards else say("the job")
            rows.append(Row(glyph, (Cell(40, 300, text), Cell(346, 190, word, glyph), Cell(540, 0, name)), height=25))

    def _symptom_change(self, board: str, text: str, present: bool) -> Callable[[], object]:
        return lambda: self.workspace.record(SymptomSeen, board=board, text=text, present=present)

    def _settings(self) -> list[_Setting]:
        """The job settings, with what holds where nothing was chosen."""
        moment, state = self.workspace.moment, self.workspace.snapshot
        firmwares = tuple(sorted({f for b in self.workspace.job.boards.values() for f in b.firmwares}))
        risk, order, limits = (
            first_power_risk(moment),
            repair_order(moment),
            state.decision(say("supply limits"), "maker"),
        )
        first, proof = first_power_choice(moment), replace_from(moment)
        promise = state.decision("promise", (state.opened.promise if state.opened else "") or "")
        firmware = state.decision("firmware", "")
        reach, lowest = state.decision(say("leak reach"), "35 mm"), state.decision(say("lowest side"), say("not known"))
        about = (say("{first_power}; ", first_power=FIRST_POWER[first]) if first in FIRST_POWER else "") + say(
            "risk {word}, {points} of 100 points", word=term(risk.word), points=risk.points
        )
        reaches = _REACHES if any(p.placed for b in self.workspace.job.boards.values() for p in b.parts) else ()
        return [
            _Setting(
                say("firmware"),
                firmwares,
                firmware,
                firmware or say("not decided"),
                say("by the labels; the verdicts use it"),
            ),
            _Setting(say("promise"), _PROMISES, promise, promise or say("not decided")),
            _Setting(say("first power"), tuple(FIRST_POWER), first, first or say("not decided"), about),
            _Setting(
                say("leak reach"), reaches, reach, reach, say("how far electrolyte spreads; twice as far downhill")
            ),
            _Setting(
                say("lowest side"), _LOWEST, lowest, lowest, say("of the board in its cabinet: electrolyte runs down")
            ),
            _Setting(say("supply limits"), tuple(SUPPLY_LIMITS), limits, limits, SUPPLY_LIMITS[limits]),
            _Setting(say("repair order"), tuple(REPAIR_ORDERS), order, order, REPAIR_ORDERS[order]),
            _Setting(say("replace from"), tuple(REPLACE_FROM), proof, proof, REPLACE_FROM[proof]),
        ]

    def _setting_rows(self, rows: list[Row]) -> None:
        rows.append(heading(say("Job settings"), 30))
        for one in self._settings():
            if not one.choices:
                continue
            self._changes[len(rows)] = self._setting_change(one)
            cells = (Cell(40, 120, one.what, bold=True), Cell(164, 160, term(one.shown)), Cell(328, 0, one.why))
            decided = one.what in self.workspace.snapshot.paper.decisions
            rows.append(Row("good" if decided else "unknown", cells, height=25))
            if one.what == "first power":
                rows += risk_rows(first_power_risk(self.workspace.moment))

    def _setting_change(self, one: _Setting) -> Callable[[], object]:
        following = _next_of(one.choices, one.now)
        reason = first_power_risk(self.workspace.moment).reason if one.what == "first power" else ""
        return lambda: self.workspace.record(Decided, what=one.what, choice=following, reason=reason)

    def _ability_rows(self, rows: list[Row]) -> None:
        """Supplies and instruments; what the job needs beyond them is not tested from the start."""
        moment = self.workspace.moment
        bench = bench_of(moment)
        rows.append(heading(say("Equipment of this bench; type bench supplies: 5 V 3 A, 12 V 1 A"), 30))
        supplies = joined(", ", (s.words for s in bench.supplies))
        told = supplies or say("not entered; the program assumes that every rail is available")
        rows.append(_named(say("supplies"), told, "good" if supplies else "unknown"))
        for ability in ABILITIES:
            self._changes[len(rows)] = self._ability_change(bench.lacks ^ {ability})
            lacking = ability in bench.lacks
            word = say("not available: what needs it is listed as not tested") if lacking else say("available")
            rows.append(_named(ability, word, "doubtful" if lacking else "good"))
        rows += [
            line(say("{item}: {reason}", item=short.item, reason=short.reason), "doubtful")
            for short in shortfalls_of(moment)
        ]

    def _ability_change(self, lacking: frozenset[str] | set[str]) -> Callable[[], object]:
        def change() -> None:
            if self.workspace.record(Decided, what=LACKS, choice=joined(", ", sorted(lacking))):
                self.workspace.job.save_bench()
                self.workspace.show()

        return change

    def _meaning(self) -> Meaning:
        state = self.workspace.snapshot
        present = [(key, s) for key, s in state.proving.symptoms.items() if s.present]
        if not present:
            told = state.complaint or say("No complaint has been entered yet.")
            return Meaning(told, say("Enter the symptoms that are present; they indicate which blocks are affected."))
        blocks = {
            block.name
            for key, seen in present
            if key.board in self.workspace.job.boards
            for block in self.workspace.job.boards[key.board].blocks
            if seen.text in block.symptoms
        }
        why = say("Present: {present}.", present=joined("; ", (s.text for _, s in present)))
        why += say(" Affected blocks: {blocks}.", blocks=joined(", ", sorted(blocks))) if blocks else ""
        undecided = [w for w in (say("firmware"), say("first power")) if w not in state.paper.decisions]
        following = (
            say("Decide {undecided}.", undecided=undecided[0])
            if undecided
            else say("Inspect the boards (Ctrl+2) before you apply power.")
        )
        return Meaning(why, following)

    def _suggested(self) -> dict[tuple[str, str], Suggestion]:
        """(board, symptom) → why the complaint may mean it."""
        if not self._suggesting:
            return {}
        listed = [(b, text) for b, board in self.workspace.job.boards.items() for text, _ in board.symptoms]
        return {(s.board, s.symptom): s for s in suggest(self.workspace.snapshot.complaint, listed, word_groups())}

    # what is done

    @property
    def further(self) -> bool:
        return self._walking

    def leave(self) -> bool:
        opened, self._walking = self._walking, False
        if opened:
            self.workspace.show()
        return opened

    def turn(self) -> None:
        """The walk for missing parts, or the sheet."""
        self._walking = not self._walking
        self.workspace.show()

    def suggest(self) -> None:
        """The owner's words held against the boards' symptoms; changing one enters it as present."""
        self._suggesting = not self._suggesting
        self.workspace.show()
        if self._suggesting and not self._suggested():
            self.workspace.say(say("The complaint names none of the symptoms listed for these boards."))

    def change(self) -> None:
        """Changes the picked line: present or gone, or the next of its choices."""
        if self.current in self._changes:
            self._changes[self.current]()

    def _next_answer(self, board_id: str, mark: RevisionMark) -> None:
        what = decision_name(board_id, mark.name)
        choice = _next_of(tuple(mark.answers), self.workspace.snapshot.decision(what))
        self.workspace.record(Decided, board=board_id, what=what, choice=choice)

    def row_picked(self, name: str, index: int) -> None:
        if name == SHEET and index in self._changes:
            again = index == self.current
            self.current = index
            self.change() if again else self.workspace.show()

    def move(self, step: int) -> None:
        if self._walking:
            self.walk.move(step)
            return
        places = sorted(self._changes)
        if places:
            here = places.index(self.current) if self.current in places else 0
            self.current = places[(here + step) % len(places)]
            self.workspace.show()

    def pad(self) -> tuple[Cap, ...]:
        return self.walk.pad() if self._walking else ()

    def press(self, key: str) -> bool:
        return self.walk.press(key)

    def recorded(self, entries: tuple[Entry, ...]) -> None:
        """On the walk, after a finding at the part in large type: the next part."""
        here = [e for e in entries if isinstance(e, Observed) and PartRef(e.board, e.place) == self.workspace.place]
        if self._walking and here:
            self.walk.go_on()


def _named(name: str, told: str, glyph: str) -> Row:
    return Row(glyph, (Cell(40, 120, name, bold=True), Cell(164, 0, told)), height=24)


def _next_of(choices: tuple[str, ...], now: str) -> str:
    """The choice after the one that holds now; the first when none does."""
    return choices[(choices.index(now) + 1) % len(choices)] if now in choices else choices[0]
