"""Prove: counted starts, the checklist, and what could not be tested."""

from loyal_trace.core.assess.proof import Proof, ProofItem
from loyal_trace.core.job.entries import CheckResult, Decided, NotTestable, Started, SymptomSeen
from loyal_trace.core.vocabulary.units import count_of, format_percent
from loyal_trace.ui.desk import Desk
from loyal_trace.ui.widgets.rows import Cell, Row, RowList
from loyal_trace.ui.widgets.stage_frame import KeyHint, StageFrame, column
from loyal_trace.ui.widgets.start_curve import StartCurve

_KIND = {"passed": "good", "failed": "bad", "not testable": "doubtful", "open": "unknown"}
_GONE = "symptom gone: "


class ProveStage:
    """The start tally above, the checklist below; keys fill both."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self.current = 0
        self.curve, self.items = StartCurve(), RowList("checklist")
        self.frame = StageFrame(column(self.curve, self.items))
        self.items.picked.connect(self._row_picked)
        self.frame.entry.submitted.connect(self._submitted)

    def hints(self) -> tuple[KeyHint, ...]:
        return (
            KeyHint("C", "clean start", lambda: self._start(True, "")),
            KeyHint("F", "failed start", lambda: self._start(False, "")),
            KeyHint("B", "start the bench", self._bench_start),
            KeyHint("Y", "passed", lambda: self._result(True)),
            KeyHint("N", "failed", lambda: self._result(False)),
            KeyHint("U", "not testable", self._untestable_hint),
            KeyHint("S", "it says", self._code_hint),
            KeyHint("↑", "", lambda: self._move(-1)),
            KeyHint("↓", "", lambda: self._move(1)),
            KeyHint('"', "note"),
        )

    def overlay_trace(self) -> tuple[tuple[tuple[str, int], ...], str]:
        return (), ""

    def picked(self) -> None:
        """The checklist does not follow the picked part."""

    def refresh(self) -> None:
        proof = self.desk.assessment().proof
        tally = proof.starts
        self.frame.head(
            "Is it proved, and what is not?",
            f"{proof.done} of {count_of(len(proof.items), 'item')} settled · {count_of(tally.clean, 'clean start')}, "
            f"{tally.failed} failed since the last change",
        )
        self.curve.show_tally(tally, tuple(s.clean for s in self.desk.job.snapshot.proving.starts))
        self.current = min(self.current, max(0, len(proof.items) - 1))
        rows = []
        for item in proof.items:
            kind = _KIND[item.status]
            cells = (
                Cell(36, 262, item.name), Cell(304, 96, item.status, kind if kind != "unknown" else "", bold=True),
                Cell(404, 0, item.note or item.how),
            )  # fmt: skip
            rows.append(Row(kind, cells, height=24))
        self.items.set_rows(tuple(rows), self.current if rows else -1)
        self._meaning(proof)
        self.frame.entry.set_hints(self.hints())
        name = proof.items[self.current].name if proof.items else ""
        self.frame.entry.set_target(name[:34], "Y or N; S and the code when it says one; a note after a quotation mark")

    def _meaning(self, proof: Proof) -> None:
        tally = proof.starts
        before = tally.clean_before + tally.failed_before
        if tally.clean + tally.failed == 0:
            why = "No start has been counted since the last change."
        else:
            bound = format_percent(tally.upper)
            why = f"{tally.clean} clean of {count_of(tally.clean + tally.failed, 'start')}"
            why += f": at most {bound} of starts fail (95 %)." if tally.clean else ": none was clean."
        aside = ""
        if before and tally.clean + tally.failed:
            chance = format_percent(tally.chance)
            aside = f"Before: {tally.clean_before} clean of {before}. Chance alone would explain the change: {chance}."
        if tally.failed:
            codes = {s.code for s in self.desk.job.snapshot.proving.starts if s.code}
            said = f" It says {', '.join(sorted(codes))}." if codes else ""
            following = f"It still fails.{said} Go back to Suspects (Ctrl+6)."
        elif tally.still_needed:
            following = f"{count_of(tally.still_needed, 'more clean start')} would show {format_percent(tally.target)}."
        else:
            left = [i.name for i in proof.items if i.status in ("open", "failed")]
            following = f"Test {left[0]}." if left else "Everything is settled: hand it back (Ctrl+0)."
        self.frame.meaning.say(why, following, "bad" if tally.failed else "good" if tally.clean else "unknown", aside)

    def _item(self) -> ProofItem | None:
        items = self.desk.assessment().proof.items
        return items[self.current] if items else None

    def _move(self, step: int) -> None:
        items = self.desk.assessment().proof.items
        if items:
            self.current = (self.current + step) % len(items)
            self.refresh()
            self.frame.scroll.ensureVisible(10, self.items.y() + self.items.top_of(self.current), 0, 50)

    def _row_picked(self, index: int) -> None:
        self.current = index
        self.refresh()

    def _start(self, clean: bool, code: str) -> None:
        self.desk.record(Started, clean=clean, code=code, off_seconds=60.0)

    def _bench_start(self) -> None:
        if self.desk.instruments.power is None:
            self.desk.said.emit("no power switch is connected: start it by hand, then C or F", True)
            return
        clean, code = self.desk.instruments.power.start()
        self._start(clean, code)

    def _result(self, passed: bool, note: str = "") -> None:
        item = self._item()
        if item is None:
            return
        if item.name.startswith(_GONE):
            text = item.name.removeprefix(_GONE)
            done = self.desk.record(SymptomSeen, board=item.board, text=text, present=not passed)
        else:
            done = self.desk.record(CheckResult, board=item.board, item=item.name, passed=passed, note=note)
        if done:
            self._move(1)

    def _untestable_hint(self) -> None:
        self.frame.entry.edit.setText("cannot: ")
        self.desk.said.emit("type why it cannot be tested here, then ↵", False)

    def _code_hint(self) -> None:
        self.frame.entry.edit.setText("code ")
        self.desk.said.emit("type the self-test code of the failed start, then ↵", False)

    def _submitted(self, text: str) -> None:
        item, words = self._item(), text.strip()
        self.frame.entry.edit.clear()
        if words.startswith("code "):
            self._start(False, words.removeprefix("code ").strip())
        elif words.startswith("cannot:") and item is not None:
            reason = words.removeprefix("cannot:").strip() or "no means here"
            if self.desk.record(NotTestable, board=item.board, item=item.name, reason=reason):
                self._move(1)
        elif words.startswith("good enough:"):
            self.desk.record(Decided, what="good enough", choice="good enough", reason=words.partition(":")[2].strip())
        elif words and item is not None:
            self._result(item.status != "failed", words)
        else:
            self._move(1)
