"""Suspects: everything known, weighed part by part."""

import re

from loyal_trace.core.assess.suspects import Suspect, cleared
from loyal_trace.core.job.entries import Note, Swapped
from loyal_trace.core.vocabulary.identity import in_order
from loyal_trace.core.vocabulary.units import count_of, format_percent
from loyal_trace.ui.desk import Desk
from loyal_trace.ui.widgets.rows import Cell, Row, RowList
from loyal_trace.ui.widgets.stage_frame import KeyHint, StageFrame, column

_LISTED = 8
_SWAP = re.compile(r"swap (.+?):? (?:fault )?(goes|stays|moves)", re.IGNORECASE)


class SuspectStage:
    """Ranked suspects, the reasons of the picked one, the next three things."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self.ranked, self.reasons, self.things = RowList("suspects"), RowList("reasons"), RowList("next three things")
        self.frame = StageFrame(column(self.ranked, self.reasons, self.things, spacing=10))
        self.ranked.picked.connect(self._row_picked)
        self.things.picked.connect(lambda row: self._jump(row - 1))
        self.frame.entry.submitted.connect(self._submitted)

    def hints(self) -> tuple[KeyHint, ...]:
        return (
            KeyHint("1", "do the first", lambda: self._jump(0)),
            KeyHint("2", "second", lambda: self._jump(1)),
            KeyHint("3", "third", lambda: self._jump(2)),
            KeyHint("↑↓", "suspect", None),
            KeyHint("↑", "", lambda: self._move(-1)),
            KeyHint("↓", "", lambda: self._move(1)),
        )

    def overlay_trace(self) -> tuple[tuple[tuple[str, int], ...], str]:
        return (), ""

    def picked(self) -> None:
        self.refresh()

    def _suspects(self) -> list[Suspect]:
        return [s for s in self.desk.assessment().suspects if s.against][:_LISTED]

    def _current(self) -> Suspect | None:
        suspects = self._suspects()
        here = [s for s in self.desk.assessment().suspects if s.place == self.desk.place]
        return (here or suspects or [None])[0]

    def refresh(self) -> None:
        found, suspects, current = self.desk.assessment(), self._suspects(), self._current()
        lines = sum(len(s.evidence) for s in found.suspects)
        healthy = cleared(found.suspects)
        about = f"{count_of(lines, 'line')} of evidence on {count_of(len(found.suspects), 'part')}"
        self.frame.head(
            "Which part is to blame, and why?", f"{about} · {count_of(len(healthy), 'part')} look healthy so far"
        )
        rows = []
        for suspect in suspects:
            kind = "bad" if suspect.belief >= 0.5 else "doubtful" if suspect.belief >= 0.2 else "unknown"
            name = self.desk.place_name(suspect.place)
            cells = (
                Cell(36, 84, name, bold=True, mono=True), Cell(124, 190, suspect.what),
                Cell(522, 62, format_percent(suspect.belief), kind, bold=True, mono=True),
                Cell(586, 0, f"{count_of(len(suspect.evidence), 'line')}"),
            )  # fmt: skip
            rows.append(Row(kind, cells, (322.0, 188.0, suspect.belief, "ink"), height=25))
        index = next((i for i, s in enumerate(suspects) if current and s.place == current.place), -1)
        self.ranked.set_rows(tuple(rows), index)
        self._show_reasons(current)
        self._show_things()
        self._meaning(current)
        self.frame.entry.set_hints(self.hints())
        self.frame.entry.set_target(
            current.place[1] if current else "", "1 2 3 to go and do it, a note, or: swap drawer 7: stays"
        )

    def _show_reasons(self, suspect: Suspect | None) -> None:
        if suspect is None:
            self.reasons.set_rows((), -1)
            return
        start = f"before any evidence: {format_percent(suspect.prior)} (prior by kind and age)"
        rows = [Row("", (), heading=f"Why {suspect.place[1]}: {start}", height=26)]
        lines = [(e, "bad") for e in suspect.against[:4]] + [(e, "good") for e in suspect.in_favour[:3]]
        for line, kind in lines:
            sign = "against" if kind == "bad" else "for it"
            cells = (
                Cell(36, 58, sign, kind, bold=True),
                Cell(98, 50, f"{line.weight:+.1f}"),
                Cell(150, 0, line.text),
            )
            rows.append(Row(kind, cells, height=42 if len(line.text) > 74 else 25))
        self.reasons.set_rows(tuple(rows), -1)

    def _show_things(self) -> None:
        things = self.desk.assessment().next
        rows = [Row("", (), heading="The next three things worth doing", height=26)] if things else []
        top = max((t.value for t in things), default=1.0)
        for number, thing in enumerate(things, start=1):
            cells = (
                Cell(4, 20, str(number), bold=True, mono=True), Cell(28, 386, thing.text),
                Cell(516, 74, f"{thing.bits:.2f} bit"), Cell(592, 0, f"{thing.minutes:.1f} min"),
            )  # fmt: skip
            rows.append(Row("", cells, (420.0, 92.0, thing.value / top, "copper"), height=25))
        self.things.set_rows(tuple(rows), -1)

    def _meaning(self, suspect: Suspect | None) -> None:
        if suspect is None:
            self.frame.meaning.say("Nothing accuses any part yet.", "Read the ROMs, probe a chip or note a symptom.")
            return
        name, things = suspect.place[1], self.desk.assessment().next
        likely = format_percent(suspect.belief)
        strongest = suspect.against[0].text if suspect.against else "only evidence in its favour"
        kind = "bad" if suspect.belief >= 0.5 else "doubtful" if suspect.belief >= 0.2 else "good"
        healthy = in_order(set(cleared(self.desk.assessment().suspects)))
        aside = f"Look healthy so far: {', '.join(healthy[:14])}" if healthy else ""
        self.frame.meaning.say(
            f"{name} is bad with a belief of {likely}. Strongest line: {strongest}.",
            f"{things[0].text[0].upper()}{things[0].text[1:]}." if things else "Plan the repair (Ctrl+7).",
            kind,
            aside,
        )

    def _row_picked(self, index: int) -> None:
        self.desk.pick(*self._suspects()[index].place)

    def _move(self, step: int) -> None:
        suspects, current = self._suspects(), self._current()
        if suspects and current:
            places = [s.place for s in suspects]
            index = places.index(current.place) if current.place in places else -step
            self.desk.pick(*places[(index + step) % len(places)])

    def _jump(self, index: int) -> None:
        """Goes to the stage and place of one of the next things."""
        things = self.desk.assessment().next
        if 0 <= index < len(things):
            self.desk.pick(*things[index].place)
            self.desk.stage_asked.emit(things[index].stage)

    def _submitted(self, text: str) -> None:
        swap = _SWAP.fullmatch(text.strip())
        current = self._current()
        if swap and current is not None:
            result = {"goes": "gone"}.get(swap[2].lower(), swap[2].lower())
            if self.desk.record(Swapped, board=current.place[0], place=current.place[1], spare=swap[1], result=result):
                self.frame.entry.edit.clear()
            return
        if text.strip() and self.desk.record(Note, text=text.strip()):
            self.frame.entry.edit.clear()
