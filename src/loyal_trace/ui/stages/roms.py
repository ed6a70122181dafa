"""ROMs: is what sits in the sockets what should be there?"""

from pathlib import Path

from loyal_trace.app.importers import typed_sums
from loyal_trace.core.assess.rom_pages import NO_REFERENCE, flicker_of, repair_of
from loyal_trace.core.assess.roms import (
    SlotAssessment,
    complaint_expected,
    expected_signature,
    known_sums,
    mixed_revisions,
    shown_signature,
    symbols,
    triage_of,
)
from loyal_trace.core.job.entries import Decided, SignatureTaken, SumsKnown
from loyal_trace.core.roms.devices import access_budget, placed
from loyal_trace.core.roms.hypotheses import Hypothesis
from loyal_trace.core.roms.identify import Match
from loyal_trace.core.roms.programming import programming
from loyal_trace.core.roms.signature import check_symbols, read_signature, register_from
from loyal_trace.core.vocabulary.errors import LoyalTraceError, RequestError
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.units import count_of, format_percent, parse_quantity
from loyal_trace.formats.image_files import write_image
from loyal_trace.resources import memory_types
from loyal_trace.ui.desk import Desk
from loyal_trace.ui.rom_work import identify_slot, learn_from_signatures, restore_slot
from loyal_trace.ui.stages.roms_pages import KIND, read_rows, repair_rows, set_rows
from loyal_trace.ui.widgets.hex_view import HexView
from loyal_trace.ui.widgets.rom_picture import RomPicture, flicker_strip, strip_of
from loyal_trace.ui.widgets.rows import Cell, Row, RowList
from loyal_trace.ui.widgets.stage_frame import KeyHint, StageFrame, column

_IN_THE_CELLS = ("few-bytes", "blank")
_SHOWN = 3
_PAGES = {"B": "bytes", "D": "reads", "U": "repair", "M": "set"}  # letters that begin no typed word
_ENTRY = (
    "a ROM is read (R) or dropped as a file; or type sig 7A5F, sum crc32 7C9E1A20, crc CRC16-ARC, lamp 12m, "
    "clock 4MHz, symbols …, save FILE.bin 27C128, labels FILE.pdf"
)


class RomStage:
    """Slots, the picture of the picked one, and what explains it; further pages for bytes, set, reads and repair."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self.slots, self.explanations, self.page_rows = (
            RowList("ROM slots"),
            RowList("what explains it"),
            RowList("page"),
        )
        self.picture = RomPicture()
        self.hex = HexView()
        self.frame = StageFrame(column(self.slots, self.page_rows, self.picture, self.explanations, self.hex))
        self.page = ""
        self._chosen = 0
        self._matches: tuple[PartRef, tuple[Match, ...]] | None = None
        self.slots.picked.connect(self._row_picked)
        self.explanations.picked.connect(lambda index: self._choose(index))
        self.picture.pointed.connect(self._pointed)
        self.frame.entry.submitted.connect(self._submitted)
        self._places: list[PartRef] = []

    def hints(self) -> tuple[KeyHint, ...]:
        plain, opened, several = not self.page, self.page == "bytes", self._explained()
        numbers = tuple(KeyHint(str(n), "", lambda n=n: self._choose(n)) for n in range(1, _SHOWN + 1))
        pages = tuple(
            KeyHint(key, "back" if self.page == page else page if plain else "", lambda page=page: self._turn(page))
            for key, page in _PAGES.items()
        )
        return (
            KeyHint("R", "read" if plain else "", lambda: self._read(1)),
            KeyHint("T", "three times" if plain or self.page == "reads" else "", lambda: self._read(3)),
            KeyHint("A", "all" if plain else "", self._read_all),
            KeyHint(f"1–{several}", "explanation" if plain and several > 1 else "", None),
            *numbers,
            *pages,
            KeyHint("N", "next difference" if opened else "", lambda: self._step(1)),
            KeyHint("V", "previous" if opened else "", lambda: self._step(-1)),
            KeyHint("+", "closer" if opened else "", lambda: self._zoom(0.5)),
            KeyHint("-", "wider" if opened else "", lambda: self._zoom(2.0)),
            KeyHint("P", "put right from sums" if self.page in ("repair", "reads") else "", self._mend),
            KeyHint("I", "identify" if self.page == "set" else "", self._identify),
            KeyHint("G", "learn the register" if self.page == "set" else "", lambda: learn_from_signatures(self.desk)),
            KeyHint("W", "why" if plain else "", self._say_why),
            KeyHint("↑↓", "slot", None),
            KeyHint("↑", "", lambda: self._move(-1)),
            KeyHint("↓", "", lambda: self._move(1)),
        )

    def _turn(self, page: str) -> None:
        """To another page, or back from it to the slots."""
        self.page = "" if self.page == page else page
        self.picture.show_all()
        self.refresh()

    def _choose(self, number: int) -> None:
        """The explanation that the picture shows, counted from 1."""
        if not self.page and 1 <= number <= self._explained():
            self._chosen = number - 1
            self.refresh()

    def _explained(self) -> int:
        """How many explanations are shown."""
        slot = self._current()
        verdict = slot.verdict if slot is not None else None
        return min(len(verdict.hypotheses), _SHOWN) if verdict is not None and not verdict.good else 0

    def _step(self, step: int) -> None:
        if self.page == "bytes":
            self.hex.move(step)
            self.picture.reveal(self.hex.offset)

    def _zoom(self, factor: float) -> None:
        if self.page == "bytes":
            self.picture.zoom(factor, self.hex.offset)

    def _pointed(self, place: int) -> None:
        """A click into the picture shows the bytes there."""
        self.page = "bytes"
        self.refresh()
        self.hex.go_to(place)

    def _mend(self) -> None:
        slot = self._current()
        if slot is not None:
            restore_slot(self.desk, slot.place)

    def _identify(self) -> None:
        slot = self._current()
        if slot is None or slot.image is None:
            self.desk.said.emit("read the chip first (R), or drop its file", True)
            return
        identify_slot(self.desk, slot.place, slot.image, self.show_matches)

    def show_matches(self, place: PartRef, matches: tuple[Match, ...]) -> None:
        """The result of an identification, on the page of the set."""
        self._matches, self.page = (place, matches), "set"
        self.refresh()

    def overlay_trace(self) -> tuple[tuple[tuple[str, int], ...], str]:
        """The faulty line of the picked slot, from pin to pin along its net."""
        slot = self._current()
        found = self._explanation(slot)
        if slot is None or slot.verdict is None or slot.verdict.good or found is None:
            return (), ""
        names = [f"A{n}" for n in found.lines("address")] + [f"D{n}" for n in found.lines("data")]
        chip = self.desk.job.moment.chip_type(slot.place)
        if len(names) != 1 or chip is None or names[0] not in {p.name for p in chip.pins}:
            return (), ""
        board, pin = self.desk.job.boards[slot.board], chip.pin(names[0]).number
        others = board.others_on_net(slot.slot.refdes, pin)
        net = board.net_of(slot.slot.refdes, pin)
        return ((slot.slot.refdes, pin), *others), f"{names[0]} of {slot.slot.refdes} (pin {pin}) on net {net}"

    def refresh(self) -> None:
        found = self.desk.assessment()
        self._places = [place for place in found.roms if place[0] == self.desk.board] or list(found.roms)
        read = sum(found.roms[place].verdict is not None for place in self._places)
        firmware = f"firmware {found.firmware}" if found.firmware else "firmware not decided"
        known = count_of(len(known_sums(found.moment).entries), "known sum")
        sockets = count_of(len(self._places), "socket")
        self.frame.head(
            "Is what sits in the sockets what should be there?", f"{sockets} · {read} read · {firmware} · {known}"
        )
        current = self._current()
        index = self._places.index((current.board, current.slot.refdes)) if current else -1
        rows = [self._row(place, found.roms[place]) for place in self._places]
        mix = mixed_revisions(found.moment, self.desk.board) if self.desk.definition is not None else None
        if mix is not None and mix.mixed:
            rows.append(Row("doubtful", (Cell(36, 0, mix.words),), height=24 if len(mix.words) < 96 else 42))
        self.slots.set_rows(tuple(rows), index)
        self._show(current)
        self.frame.entry.set_hints(self.hints())

    def picked(self) -> None:
        self._chosen = 0
        self.refresh()
        self.picture.show_all()

    def _row(self, place: PartRef, slot: SlotAssessment) -> Row:
        verdict = slot.verdict
        kind = KIND.get(slot.word, "")
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

    def _explanation(self, slot: SlotAssessment | None) -> Hypothesis | None:
        """The explanation in view."""
        if slot is None or slot.verdict is None or not slot.verdict.hypotheses:
            return None
        return slot.verdict.hypotheses[min(self._chosen, len(slot.verdict.hypotheses) - 1)]

    def _show(self, slot: SlotAssessment | None) -> None:
        if slot is None:
            for widget in (self.picture, self.hex, self.explanations, self.page_rows):
                widget.hide()
            why = "This board lists no ROM slots. Drop images with a list of sums here, or add [[rom]] to board.toml."
            self.frame.meaning.say(why, "Drop a list of sums or a board folder.")
            self.frame.entry.set_target("", "drop files or a folder anywhere")
            return
        self._show_entry(slot)
        self._show_page(slot)
        self._show_picture(slot)
        self._show_explanations(slot)
        self._show_meaning(slot)

    def _show_entry(self, slot: SlotAssessment) -> None:
        refdes = slot.slot.refdes
        moment = self.desk.job.moment
        expected = expected_signature(moment, slot.place)
        shown = shown_signature(moment, expected) if expected is not None else ""
        sign = f"; in circuit: sig {shown} is right" if shown else "; sig 7A5F from the tester"
        self.frame.entry.set_target(refdes, f"drop a file or folder, R to read{sign}")

    def _show_page(self, slot: SlotAssessment) -> None:
        moment, place = self.desk.job.moment, slot.place
        rows: tuple[Row, ...] = ()
        if self.page == "set":
            asked, matches = self._matches or (("", ""), ())
            rows = set_rows(moment, slot.board, matches, asked[1])
        elif self.page == "reads":
            rows = read_rows(moment, place)
        elif self.page == "repair":
            repair = repair_of(moment, place, memory_types())
            rows = repair_rows(repair, slot)
            self.frame.caution.say(repair.caution)
        if self.page != "repair":
            self.frame.caution.say("")
        self.page_rows.set_rows(rows, -1)
        self.page_rows.setVisible(bool(rows))
        self.slots.setVisible(not self.page)
        self.hex.setVisible(self.page == "bytes" and slot.image is not None)
        if slot.image is not None:
            self.hex.show_bytes(slot.image, slot.truth)

    def _show_picture(self, slot: SlotAssessment) -> None:
        self.picture.setVisible(slot.image is not None and self.page in ("", "bytes", "reads"))
        strip = strip_of(slot, self._explanation(slot) if not (slot.verdict and slot.verdict.good) else None)
        if self.page == "reads" and slot.image is not None:
            moved = flicker_of(self.desk.job.moment, slot.place)
            self.picture.setVisible(moved is not None and bool(moved.any()))
            strip = flicker_strip(slot, moved) if moved is not None else strip
        self.picture.show_strip(strip)

    def _show_explanations(self, slot: SlotAssessment) -> None:
        verdict = slot.verdict
        shown = verdict.hypotheses[:_SHOWN] if verdict and not verdict.good else ()
        self.explanations.setVisible(bool(shown) and not self.page)
        rows = [Row("", (), heading="What explains it", height=24)]
        for found in shown:
            bar = (6.0, 92.0, found.likelihood, "ink")
            cells = (
                Cell(106, 62, format_percent(found.likelihood), bold=True, mono=True),
                Cell(172, 150, found.short, bold=True),
                Cell(328, 0, found.evidence),
            )
            rows.append(Row("", cells, bar, height=25))
        self.explanations.set_rows(tuple(rows), min(self._chosen, len(shown) - 1) + 1 if len(shown) > 1 else -1)

    def _show_meaning(self, slot: SlotAssessment) -> None:
        refdes, verdict, say = slot.slot.refdes, slot.verdict, self.frame.meaning.say
        if verdict is None:
            say(f"{refdes} has not been read.", f"Read {refdes}: R, or drop its file here.")
            return
        kind = KIND.get(slot.word, "unknown")
        reads = f"{count_of(slot.reads, 'read')}, all alike" if slot.word != "unstable" and slot.reads > 1 else ""
        if verdict.verdict in _IN_THE_CELLS and slot.image is not None and slot.truth is not None:
            reads = f"{reads}. " * bool(reads) + f"To put it right: {programming(slot.image, slot.truth).words}."
        found = triage_of(self.desk.job.moment, slot.place)
        complaint = complaint_expected(self.desk.job.moment, slot.place)
        chosen = self._explanation(slot)
        if found is not None and found.accused:
            say(f"{found.why[:1].upper()}{found.why[1:]}.", found.next, "bad", reads)
        elif complaint and verdict.good:
            say(
                f"{refdes}: {verdict.reason}. {complaint[:1].upper()}{complaint[1:]}.",
                "Nothing to do here.",
                kind,
                reads,
            )
        elif chosen is not None and self._chosen and not verdict.good:
            say(f"{refdes}: {chosen.reason}.", chosen.next, kind, reads)
        else:
            say(f"{refdes}: {verdict.reason}.", verdict.next, kind, reads)

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
            self.desk.read_roms([slot.place], times)

    def _read_all(self) -> None:
        self.desk.read_roms([p for p, s in self.desk.assessment().roms.items() if s.verdict is None] or self._places, 1)

    def _say_why(self) -> None:
        slot = self._current()
        if slot is not None and slot.verdict is not None:
            lines = [f"{h.kind}: {h.evidence}" for h in slot.verdict.hypotheses[:4]]
            self.frame.meaning.say(f"{slot.slot.refdes}: {slot.verdict.reason}.", slot.verdict.next,
                                   KIND.get(slot.word, "unknown"), "\n".join(lines))  # fmt: skip

    def _submitted(self, text: str) -> None:
        if not text.strip():
            self._move(1)
            return
        try:
            recorded = self._typed(text)
        except LoyalTraceError as error:
            self.desk.said.emit(str(error), True)
            return
        if recorded:
            self.frame.entry.edit.clear()

    def _save(self, slot: SlotAssessment, rest: str) -> bool:
        """The true image of a slot as a file for the programmer, repeated where the device is larger."""
        if slot.truth is None:
            raise RequestError(NO_REFERENCE)
        path, device = _words_of_save(rest)
        size = memory_types().find(device).size if device else len(slot.truth)
        write_image(path, placed(slot.truth, size))
        times = f", {size // len(slot.truth)} times for a {device}" if size > len(slot.truth) else ""
        self.desk.said.emit(f"{slot.slot.refdes} written to {path.name}{times}", False)
        return True

    def _typed(self, text: str) -> bool:
        """One line from the entry line; RequestError when it is none of those known here."""
        word, _, rest = text.strip().partition(" ")
        slot, rest = self._current(), rest.strip()
        if word.lower() == "sig" and slot is not None and len(rest.split()) == 1:
            value = None if rest.lower() == "none" else read_signature(rest, symbols(self.desk.job.moment))
            return self.desk.record(SignatureTaken, board=slot.board, place=slot.slot.refdes, value=value)
        if word.lower() == "sum" and slot is not None and rest:
            lines = typed_sums(slot.place, rest, slot.slot.size)
            return self.desk.record(SumsKnown, board=slot.board, source="typed", lines=lines)
        if word.lower() == "crc":
            register_from(rest)
            return self.desk.record(Decided, what="register", choice=rest)
        if word.lower() == "symbols":
            return self.desk.record(Decided, what="symbols", choice=check_symbols(rest))
        if word.lower() == "lamp" and parse_quantity(rest) > 0:
            return self.desk.record(Decided, what="lamp", choice=rest)
        if word.lower() == "clock" and access_budget(parse_quantity(rest, "Hz")) > 0:
            return self.desk.record(Decided, what="processor clock", choice=rest)
        if word.lower() == "save" and slot is not None and rest:
            return self._save(slot, rest)
        if word.lower() == "labels" and rest and self.desk.definition is not None:
            from loyal_trace.report.labels import labels_of, write_labels  # the drawing library takes its time to load

            path = Path(rest).expanduser()
            write_labels(path, labels_of(self.desk.definition, self.desk.assessment().firmware))
            self.desk.said.emit(f"labels written: {path.name}", False)
            return True
        raise RequestError(_ENTRY)


def _words_of_save(rest: str) -> tuple[Path, str]:
    """`6f.bin 27C256`: where to, and the device it is for, if another."""
    parts = rest.split()
    device = parts[-1] if len(parts) > 1 and memory_types().knows(parts[-1]) else ""
    return Path(rest.removesuffix(device).strip()).expanduser(), device
