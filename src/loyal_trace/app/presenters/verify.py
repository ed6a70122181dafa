"""Verify: counted starts, the checklist, and what could not be tested."""

from dataclasses import dataclass

from loyal_trace.app.cautions import caution_words
from loyal_trace.app.commands import guard_words, monitor_near
from loyal_trace.app.presenters.base import StagePresenter
from loyal_trace.app.presenters.model import Action, Cap, Cell, Meaning, Page, Question, Row, Rows, Target
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.assess.proof import Proof, ProofItem
from loyal_trace.core.job.entries import CheckResult, NotTestable, SymptomSeen
from loyal_trace.core.proving.starts import StartTally, failure_rate_upper
from loyal_trace.core.vocabulary.cautions import Caution
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.units import count_of, format_percent

CURVE, ITEMS = "start statistics", "checklist"
GONE = "symptom gone: "
_KIND = {"passed": "good", "failed": "bad", "not testable": "doubtful", "open": "unknown"}
_HINT = "start failed code 3 off 10 min; check: keyboard ok; or a note"


@dataclass(frozen=True)
class CurveView:
    """The bound on the failure rate for 1, 2 … starts that are clean, the tally, and the starts so far in order."""

    tally: StartTally
    bounds: tuple[float, ...]
    results: tuple[bool, ...]


def curve_of(tally: StartTally, results: tuple[bool, ...]) -> CurveView:
    """The curve from no starts to the number needed."""
    most = max(10, tally.clean + tally.still_needed)
    return CurveView(tally, tuple(failure_rate_upper(n, tally.failed) for n in range(1, most + 1)), results)


class VerifyPresenter(StagePresenter):
    """The start tally above, the checklist below."""

    stage = Stage.VERIFY

    def __init__(self, workspace: Workspace) -> None:
        super().__init__(workspace)
        self.current = 0

    def _proof(self) -> Proof:
        return self.workspace.assessment().proof

    def page(self) -> Page:
        proof = self._proof()
        tally = proof.starts
        self.current = min(self.current, max(0, len(proof.items) - 1))
        about = (
            f"{proof.done} of {count_of(len(proof.items), 'item')} settled · {count_of(tally.clean, 'clean start')}, "
        )
        starts = tuple(s.clean for s in self.workspace.snapshot.proving.starts)
        return Page(
            "What is proved so far?",
            f"{about}{tally.failed} failed since the last change",
            self._meaning(proof),
            self._target(),
            self._actions(),
            self._caution(),
            lists={ITEMS: Rows(tuple(_item_row(i) for i in proof.items), self.current if proof.items else -1)},
            figures={CURVE: curve_of(tally, starts)},
        )

    def _caution(self) -> str:
        """What comes before power, and the monitor where one shows the picture."""
        job = self.workspace.job
        first = [words for words in (guard_words(job, board_id) for board_id in job.boards) if words]
        monitor = any(monitor_near(job, board_id) for board_id in job.boards)
        return "\n".join((*first, caution_words([Caution.MONITOR]) if monitor else "")).strip()

    def _target(self) -> Target:
        """What the next pad key or line is about: the board's starts, and the check in hand."""
        board = self.workspace.definition
        item = self._item()
        return Target(board.name if board else "job", f"check: {item.name}" if item else "", _HINT)

    def _actions(self) -> tuple[Action, ...]:
        bench = (
            ()
            if self.workspace.instruments.power is None
            else (
                Action("S", "Start on the bench", self.bench_start, "Switches the board on and records how it starts"),
            )
        )
        code = Action(
            "C",
            "Failed start with code",
            lambda: self.workspace.line_asked.emit("start failed code "),
            "Puts the words into the line; type the code that the board shows",
        )
        if self._item() is None:
            return (*bench, code)
        return (
            *bench,
            Action("P", "Mark passed", lambda: self.result(True), "Records the selected check", main=True),
            Action("A", "Mark failed", lambda: self.result(False), "Records the selected check"),
            Action(
                "N",
                "Not testable",
                self.not_testable,
                "Records the selected check as not testable, with the reason",
                asks=Question("Why can it not be tested here?"),
            ),
            code,
        )

    def _meaning(self, proof: Proof) -> Meaning:
        tally = proof.starts
        before = tally.clean_before + tally.failed_before
        aside = ""
        if before and tally.clean + tally.failed:
            chance = format_percent(tally.chance)
            aside = (
                f"Before: {tally.clean_before} clean of {before}. Probability of "
                f"such a change by chance alone: {chance}."
            )
        kind = "bad" if tally.failed else "good" if tally.clean else "unknown"
        return Meaning(_why(tally), self._following(proof), kind, aside)

    def _following(self, proof: Proof) -> str:
        tally = proof.starts
        if tally.failed:
            codes = {s.code for s in self.workspace.snapshot.proving.starts if s.code}
            said = f" It shows code {', '.join(sorted(codes))}." if codes else ""
            return f"It still fails.{said} Return to Suspects (Ctrl+6)."
        if tally.still_needed:
            return (
                f"{count_of(tally.still_needed, 'more clean start')} would show that at most "
                f"{format_percent(tally.target)} of starts fail (95 % confidence)."
            )
        left = [i.name for i in proof.items if i.status in ("open", "failed")]
        if left:
            return f"Test {left[0]}."
        if not any(i.status == "passed" for i in proof.items):
            return "No check is listed. Record what you test, such as check: keyboard ok."
        return "Every listed check has a result. Write the report (Ctrl+0)."

    def _item(self) -> ProofItem | None:
        items = self._proof().items
        return items[min(self.current, len(items) - 1)] if items else None

    def move(self, step: int) -> None:
        items = self._proof().items
        if items:
            self.current = (self.current + step) % len(items)
            self.workspace.show()

    def row_picked(self, name: str, index: int) -> None:
        self.current = index
        self.workspace.show()

    def pad(self) -> tuple[Cap, ...]:
        return (Cap("C", "clean start"), Cap("F", "failed start"))

    def press(self, key: str) -> bool:
        return self.start(key == "C")

    def start(self, clean: bool, code: str = "") -> bool:
        """One start, as its line would record it: the off time is the time since the last start, or not known."""
        shown = f" code {code}" if code else ""
        return self.enter("start ok" if clean else f"start failed{shown}")

    def bench_start(self) -> None:
        """One start of the simulated or real power switch."""
        power = self.workspace.instruments.power
        if power is not None:
            try:
                clean, code = power.start()
            except LoyalTraceError as error:
                self.workspace.say(str(error), True)
                return
            self.start(clean, code)

    def result(self, passed: bool) -> None:
        """The check in hand passed, or failed; a symptom is then gone, or still there."""
        item = self._item()
        if item is None:
            return
        if item.name.startswith(GONE):
            text = item.name.removeprefix(GONE)
            done = self.workspace.record(SymptomSeen, board=item.board, text=text, present=not passed)
        else:
            done = self.workspace.record(CheckResult, board=item.board, item=item.name, passed=passed)
        if done:
            self.move(1)

    def not_testable(self, reason: str) -> None:
        """The check in hand cannot be tested here, with the reason."""
        item = self._item()
        if item is not None and self.workspace.record(NotTestable, board=item.board, item=item.name, reason=reason):
            self.move(1)


def _why(tally: StartTally) -> str:
    if tally.clean + tally.failed == 0:
        return "No start has been counted since the last change."
    counted = f"{tally.clean} clean of {count_of(tally.clean + tally.failed, 'start')}"
    if not tally.clean:
        return f"{counted}."
    if not tally.tells:
        return f"{counted}: too few to bound the failure rate."
    return f"{counted}: at most {format_percent(tally.upper)} of starts fail (95 % confidence)."


def _item_row(item: ProofItem) -> Row:
    kind = _KIND[item.status]
    cells = (
        Cell(36, 262, item.name),
        Cell(304, 96, item.status, kind if kind != "unknown" else "", bold=True),
        Cell(404, 0, item.note or item.how),
    )
    return Row(kind, cells, height=24)
