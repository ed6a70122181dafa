"""ROMs: is what sits in the sockets what should be there?"""

from loyal_trace.core.case import SlotAssessment
from loyal_trace.core.errors import LoyalTraceError, RequestError
from loyal_trace.core.logbook.entries import Decided, SignatureTaken
from loyal_trace.core.logbook.state import Place
from loyal_trace.core.roms.programming import programming
from loyal_trace.core.roms.signature import read_signature, register_from
from loyal_trace.core.units import count_of, format_percent
from loyal_trace.ui.desk import Desk
from loyal_trace.ui.widgets.hex_view import HexView
from loyal_trace.ui.widgets.rom_picture import RomPicture, strip_of
from loyal_trace.ui.widgets.rows import Cell, Row, RowList
from loyal_trace.ui.widgets.stage_frame import KeyHint, StageFrame, column

_IN_THE_CELLS = ("few-bytes", "blank")
_KIND = {"matches": "good", "differs": "bad", "unstable": "doubtful"}


class RomStage:
    """Slots, the picture of the picked one, and what explains it."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self.slots, self.explanations = RowList("ROM slots"), RowList("what explains it")
        self.picture = RomPicture()
        self.hex = HexView()
        self.frame = StageFrame(column(self.slots, self.picture, self.explanations, self.hex))
        self._opened = False
        self.slots.picked.connect(self._row_picked)
        self.frame.entry.submitted.connect(self._submitted)
        self._places: list[Place] = []

    def hints(self) -> tuple[KeyHint, ...]:
        return (
            KeyHint("R", "" if self._opened else "read", lambda: self._read(1)),
            KeyHint("T", "" if self._opened else "read three times", lambda: self._read(3)),
            KeyHint("A", "" if self._opened else "read all", self._read_all),
            KeyHint("W", "why", self._say_why),
            KeyHint("B", "close bytes" if self._opened else "bytes", self._open_bytes),
            KeyHint("N", "next difference" if self._opened else "", lambda: self._step(1)),
            KeyHint("V", "back" if self._opened else "", lambda: self._step(-1)),
            KeyHint("P", "put right from sums", self._mend),
            KeyHint("↑↓", "slot", None),
            KeyHint("↑", "", lambda: self._move(-1)),
            KeyHint("↓", "", lambda: self._move(1)),
        )

    def _open_bytes(self) -> None:
        """The bytes themselves, as read and as expected, instead of the list of slots."""
        self._opened = not self._opened
        self.refresh()

    def _step(self, step: int) -> None:
        if self._opened:
            self.hex.move(step)

    def _mend(self) -> None:
        slot = self._current()
        if slot is not None:
            self.desk.mend((slot.board, slot.slot.refdes))

    def overlay_trace(self) -> tuple[tuple[tuple[str, int], ...], str]:
        """The faulty line of the picked slot, from pin to pin along its net."""
        slot = self._current()
        if slot is None or slot.verdict is None or slot.verdict.good:
            return (), ""
        where = slot.verdict.hypotheses[0].where
        names = [f"A{n}" for n in _numbers(where.get("address"))] + [f"D{n}" for n in _numbers(where.get("data"))]
        chip = self.desk.session.case().chip_type((slot.board, slot.slot.refdes))
        if len(names) != 1 or chip is None or names[0] not in {p.name for p in chip.pins}:
            return (), ""
        board, pin = self.desk.session.boards[slot.board], chip.pin(names[0]).number
        others = board.others_on_net(slot.slot.refdes, pin)
        net = board.net_of(slot.slot.refdes, pin)
        return ((slot.slot.refdes, pin), *others), f"{names[0]} of {slot.slot.refdes} (pin {pin}) on net {net}"

    def refresh(self) -> None:
        found = self.desk.assessment()
        self._places = [place for place in found.roms if place[0] == self.desk.board] or list(found.roms)
        read = sum(found.roms[place].verdict is not None for place in self._places)
        firmware = f"firmware {found.firmware}" if found.firmware else "firmware not decided"
        known = count_of(len(found.case.known_sums().entries), "known sum")
        sockets = count_of(len(self._places), "socket")
        self.frame.head(
            "Is what sits in the sockets what should be there?", f"{sockets} · {read} read · {firmware} · {known}"
        )
        current = self._current()
        index = self._places.index((current.board, current.slot.refdes)) if current else -1
        rows = [self._row(place, found.roms[place]) for place in self._places]
        mix = found.case.revision_mix(self.desk.board) if self.desk.definition is not None else None
        if mix is not None and mix.mixed:
            rows.append(Row("doubtful", (Cell(36, 0, mix.words),), height=24 if len(mix.words) < 96 else 42))
        self.slots.set_rows(tuple(rows), index)
        self._show(current)
        self.frame.entry.set_hints(self.hints())

    def picked(self) -> None:
        self.refresh()

    def _row(self, place: Place, slot: SlotAssessment) -> Row:
        verdict = slot.verdict
        kind = _KIND.get(slot.word, "")
        if verdict and verdict.verdict in ("few-bytes", "other-revision"):
            kind = "doubtful"
        reason = verdict.reason.split(": ")[0].split(" (")[0] if verdict else "press R to read it, or drop its file"
        if verdict and verdict.good:
            reason = verdict.reason.partition(": ")[2]
        return Row(
            kind or "unknown",
            (
                Cell(36, 90, self.desk.place_name(place), bold=True, mono=True),
                Cell(112, 54, slot.slot.label.split("-")[-1] if slot.slot.label else "", mono=True),
                Cell(150, 60, slot.slot.device, mono=True),
                Cell(222, 78, slot.word, kind, bold=True),
                Cell(306, 0, reason),
            ),
            height=24,
        )

    def _current(self) -> SlotAssessment | None:
        """The picked slot; else the first that is wrong, else the first."""
        every = self.desk.assessment().roms
        if self.desk.place in every:
            return every[self.desk.place]
        roms = {p: s for p, s in every.items() if p[0] == self.desk.board} or every
        wrong = [s for s in roms.values() if s.verdict is not None and not s.verdict.good]
        return wrong[0] if wrong else next(iter(roms.values()), None)

    def _show(self, slot: SlotAssessment | None) -> None:
        if slot is None:
            self.picture.hide()
            self.hex.hide()
            self.explanations.hide()
            why = "This board lists no ROM slots. Drop images with a list of sums here, or add [[rom]] to board.toml."
            self.frame.meaning.say(why, "Drop a list of sums or a board folder.")
            self.frame.entry.set_target("", "drop files or a folder anywhere")
            return
        refdes, verdict = slot.slot.refdes, slot.verdict
        expected = self.desk.session.case().expected_signature((slot.board, refdes))
        sign = f"; in circuit: sig {expected:04X} is right" if expected is not None else "; sig 7A5F from the tester"
        self.frame.entry.set_target(refdes, f"drop a file or folder, R to read{sign}")
        self.picture.setVisible(slot.image is not None)
        self.hex.setVisible(self._opened and slot.image is not None)
        self.slots.setVisible(not self._opened)
        if slot.image is not None:
            self.hex.show_bytes(slot.image, slot.truth)
        self.picture.show_strip(strip_of(slot))
        shown = verdict.hypotheses if verdict and not verdict.good else ()
        self.explanations.setVisible(bool(shown) and not self._opened)
        rows = [Row("", (), heading="What explains it", height=24)]
        for found in shown[:3]:
            bar = (2.0, 96.0, found.likelihood, "ink")
            cells = (
                Cell(106, 62, format_percent(found.likelihood), bold=True, mono=True),
                Cell(172, 150, found.short, bold=True),
                Cell(328, 0, found.evidence),
            )
            rows.append(Row("", cells, bar, height=25))
        self.explanations.set_rows(tuple(rows), -1)
        if verdict is None:
            self.frame.meaning.say(f"{refdes} has not been read.", f"Read {refdes}: R, or drop its file here.")
        else:
            kind = _KIND.get(slot.word, "unknown")
            reads = f"{count_of(slot.reads, 'read')}, all alike" if slot.word != "unstable" and slot.reads > 1 else ""
            if verdict.verdict in _IN_THE_CELLS and slot.image is not None and slot.truth is not None:
                reads = f"{reads}. " * bool(reads) + f"To put it right: {programming(slot.image, slot.truth).words}."
            found = self.desk.session.case().triage((slot.board, refdes))
            if found is not None and found.accused:
                self.frame.meaning.say(f"{found.why[:1].upper()}{found.why[1:]}.", found.next, "bad", reads)
                return
            self.frame.meaning.say(f"{refdes}: {verdict.reason}.", verdict.next, kind, reads)

    def _row_picked(self, index: int) -> None:
        if index < len(self._places):
            self.desk.pick(*self._places[index])

    def _move(self, step: int) -> None:
        current = self._current()
        if current is not None:
            every = list(self.desk.assessment().roms)
            index = every.index((current.board, current.slot.refdes))
            self.desk.pick(*every[(index + step) % len(every)])

    def _read(self, times: int) -> None:
        slot = self._current()
        if slot is not None:
            self.desk.read_roms([(slot.board, slot.slot.refdes)], times)

    def _read_all(self) -> None:
        self.desk.read_roms([p for p, s in self.desk.assessment().roms.items() if s.verdict is None] or self._places, 1)

    def _say_why(self) -> None:
        slot = self._current()
        if slot is not None and slot.verdict is not None:
            lines = [f"{h.kind}: {h.evidence}" for h in slot.verdict.hypotheses[:4]]
            self.frame.meaning.say(f"{slot.slot.refdes}: {slot.verdict.reason}.", slot.verdict.next,
                                   _KIND.get(slot.word, "unknown"), "\n".join(lines))  # fmt: skip

    def _submitted(self, text: str) -> None:
        if not text.strip():
            self._move(1)
            return
        slot, words = self._current(), text.split()
        try:
            if slot is not None and len(words) == 2 and words[0].lower() == "sig":
                value = None if words[1].lower() == "none" else read_signature(words[1])
                recorded = self.desk.record(SignatureTaken, board=slot.board, place=slot.slot.refdes, value=value)
            elif words[0].lower() == "crc":
                told = text.partition(" ")[2].strip()
                register_from(told)
                recorded = self.desk.record(Decided, what="register", choice=told)
            else:
                raise RequestError("a ROM is read (R) or dropped as a file; or type sig 7A5F, sig none, crc CRC16-ARC")
        except LoyalTraceError as error:
            self.desk.said.emit(str(error), True)
            return
        if recorded:
            self.frame.entry.edit.clear()


def _numbers(value: object) -> list[int]:
    return [int(n) for n in value] if isinstance(value, list) else []
