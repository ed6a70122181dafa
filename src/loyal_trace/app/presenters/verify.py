"""Verify: counted starts, the checklist, and what could not be tested."""

from dataclasses import dataclass

from loyal_trace.app.cautions import caution_words
from loyal_trace.app.commands import guard_words, monitor_near
from loyal_trace.app.presenters.base import StagePresenter
from loyal_trace.app.presenters.model import Action, Cap, Cell, Meaning, Page, Question, Row, Rows, Target
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.assess.paths import states_now
from loyal_trace.core.assess.proof import Proof, ProofItem
from loyal_trace.core.job.entries import CheckResult, FunctionSeen, NotTestable, SymptomSeen
from loyal_trace.core.proving.starts import StartTally, failure_rate_upper
from loyal_trace.core.vocabulary.cautions import Caution
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.core.vocabulary.phrases import joined, say, stacked, term
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.units import count_of, format_percent

CURVE, ITEMS = say("start statistics"), say("checklist")
GONE = say("symptom gone: ")
_KIND = {"passed": "good", "failed": "bad", "not testable": "doubtful", "open": "unknown"}
_HINT = say("{typed}; or a note", typed="start failed code 3 off 10 min; check: keyboard ok")


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
        about = say(
            "{done} of {items} settled · {clean_starts}, {failed} failed since the last change",
            done=proof.done,
            items=count_of(len(proof.items), "item"),
            clean_starts=count_of(tally.clean, "clean start"),
            failed=tally.failed,
        )
        starts = tuple(s.clean for s in self.workspace.snapshot.proving.starts)
        return Page(
            say("What is proved so far?"),
            about,
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
        return stacked(*first, caution_words([Caution.MONITOR]) if monitor else "")

    def _target(self) -> Target:
        """What the next pad key or line is about: the board's starts, and the check in hand."""
        board = self.workspace.definition
        item = self._item()
        return Target(board.name if board else say("job"), say("check: {item}", item=item.name) if item else "", _HINT)

    def _actions(self) -> tuple[Action, ...]:
        bench = (
            ()
            if self.workspace.instruments.power is None
            else (
                Action(
                    "S",
                    say("Start on the bench"),
                    self.bench_start,
                    say("Switches the board on and records how it starts"),
                ),
            )
        )
        code = Action(
            "C",
            say("Failed start with code"),
            lambda: self.workspace.line_asked.emit("start failed code "),
            say("Puts the words into the line; type the code that the board shows"),
        )
        if self._function():
            tried = Action("T", say("Try the function"), self.try_function, say("Tries it on the bench and records it"))
            bench = (*bench, tried)
        if self._item() is None:
            return (*bench, code)
        return (
            *bench,
            Action("P", say("Mark passed"), lambda: self.result(True), say("Records the selected check"), main=True),
            Action("A", say("Mark failed"), lambda: self.result(False), say("Records the selected check")),
            Action(
                "N",
                say("Not testable"),
                self.not_testable,
                say("Records the selected check as not testable, with the reason"),
                asks=Question(say("Why can it not be tested here?")),
            ),
            code,
        )

    def _function(self) -> str:
        """The function in hand, where the bench can try it; empty for any other item."""
        item = self._item()
        if item is None or self.workspace.instruments.ear is None:
            return ""
        return item.name if item.name in states_now(self.workspace.moment, item.board) else ""

    def try_function(self) -> None:
        """The bench tries the function in hand; how it does is recorded."""
        item, ear = self._item(), self.workspace.instruments.ear

        def act() -> list[str]:
            if item is None or ear is None:
                return []
            state = ear.try_function(item.board, item.name)
            self.workspace.job.record(FunctionSeen, board=item.board, name=item.name, state=state)
            return [say("{function}: {state}", function=item.name, state=term(state))]

        self.workspace.attempt(act)

    def _meaning(self, proof: Proof) -> Meaning:
        tally = proof.starts
        before = tally.clean_before + tally.failed_before
        aside = ""
        if before and tally.clean + tally.failed:
            chance = format_percent(tally.chance)
            aside = say(
                "Before: {clean_before} clean of {before}. Probability of such a change by chance alone: {chance}.",
                clean_before=tally.clean_before,
                before=before,
                chance=chance,
            )
        kind = "bad" if tally.failed else "good" if tally.clean else "unknown"
        return Meaning(_why(tally), self._following(proof), kind, aside)

    def _following(self, proof: Proof) -> str:
        tally = proof.starts
        if tally.failed:
            codes = {s.code for s in self.workspace.snapshot.proving.starts if s.code}
            said = say(" It shows code {codes}.", codes=joined(", ", sorted(codes))) if codes else ""
            return say("It still fails.{said} Return to Suspects (Ctrl+6).", said=said)
        if tally.still_needed:
            return say(
                "{more_clean_starts} would show that at most {target} of starts fail (95 % confidence).",
                more_clean_starts=count_of(tally.still_needed, "more clean start"),
                target=format_percent(tally.target),
            )
        left = [i.name for i in proof.items if i.status in ("open", "failed")]
        if left:
            return say("Test {left}.", left=left[0])
        if not any(i.status == "passed" for i in proof.items):
            return say("No check is listed. Record what you test, such as check: keyboard ok.")
        return say("Every listed check has a result. Write the report (Ctrl+0).")

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
        return (Cap("C", say("clean start")), Cap("F", say("failed start")))

    def press(self, key: str) -> bool:
        return self.start(key == "C")

    def start(self, clean: bool, code: str = "") -> bool:
        """One start, as its line would record it: the off time is the time since the last start, or not known."""
        shown = say(" code {code}", code=code) if code else ""
        return self.enter(say("start ok") if clean else say("start failed{shown}", shown=shown))

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
        return say("No start has been counted since the last change.")
    counted = say("{clean} clean of {starts}", clean=tally.clean, starts=count_of(tally.clean + tally.failed, "start"))
    if not tally.clean:
        return say("{counted}.", counted=counted)
    if not tally.tells:
        return say("{counted}: too few to bound the failure rate.", counted=counted)
    return say(
        "{counted}: at most {upper} of starts fail (95 % confidence).",
        counted=counted,
        upper=format_percent(tally.upper),
    )


def _item_row(item: ProofItem) -> Row:
    kind = _KIND[item.status]
    cells = (
        Cell(36, 262, item.name),
        Cell(304, 96, term(item.status), kind if kind != "unknown" else "", bold=True),
        Cell(404, 0, item.note or item.how),
    )
    return Row(kind, cells, height=24)
