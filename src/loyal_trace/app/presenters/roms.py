"""ROMs: do they match what is known, and if not, why? Pages for bytes, reads, repair, and the whole set."""

from collections.abc import Callable
from pathlib import Path

from loyal_trace.app.cautions import caution_words
from loyal_trace.app.presenters.base import StagePresenter
from loyal_trace.app.presenters.model import NO_TRACE, Action, Cell, Meaning, Page, Question, Row, Rows, Trace, heading
from loyal_trace.app.presenters.rom_actions import (
    byte_actions,
    read_three_times,
    restore_contents,
    set_actions,
    writing_actions,
)
from loyal_trace.app.presenters.rom_pages import KIND, read_rows, repair_rows, set_rows
from loyal_trace.app.presenters.rom_picture import HexView, ImageWalk, RomView, flicker_strip, strip_of
from loyal_trace.app.rom_tasks import identify_slot, learn_from_signatures, restore_slot
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.assess.rom_pages import NO_REFERENCE, flicker_of, repair_of
from loyal_trace.core.assess.roms import (
    SlotAssessment,
    complaint_expected,
    expected_signature,
    known_sums,
    line_of_several,
    mixed_revisions,
    shared_line_faults,
    shown_signature,
    triage_of,
)
from loyal_trace.core.roms.across import READ_GOOD
from loyal_trace.core.roms.devices import placed
from loyal_trace.core.roms.hypotheses import Hypothesis
from loyal_trace.core.roms.identify import Match
from loyal_trace.core.roms.programming import programming
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import after, before, capital, joined, say, term
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.units import count_of, format_percent
from loyal_trace.formats.image_files import write_image
from loyal_trace.resources import memory_types

SLOTS, EXPLAINED, PAGE = say("ROM slots"), say("what explains it"), say("page")
PICTURE, HEX = say("picture of the image"), say("bytes as read and as expected")
BYTES, READS, REPAIR, SET = say("bytes"), say("reads"), say("repair"), say("set")
_PAGES = (
    ("Y", BYTES, say("Show bytes"), say("The bytes as read, beside the reference image")),
    ("D", READS, say("Compare reads"), say("Every read of this chip, and the differences between them")),
    ("U", REPAIR, say("Plan repair"), say("What must change in the chip, and possible substitutes")),
    ("S", SET, say("Show the set"), say("Every socket with addresses, byte lanes and revisions")),
)
_IN_THE_CELLS = ("few-bytes", "blank")
_SHOWN = 3
_HINT = "6C sig 7A5F; 6C sum sha1 …; 6C is ROM 2, 27C64, 4000-5FFF"


_NEVER_SURER = 0.9995


class RomsPresenter(StagePresenter):
    """Sockets, the picture of the picked one, and what explains it."""

    stage = Stage.ROMS

    def __init__(self, workspace: Workspace) -> None:
        super().__init__(workspace)
        self.open = ""
        self._chosen = 0
        self._of = PartRef("", "")
        self.walk = ImageWalk()
        self._fits: list[str] = []
        self._device = ""
        self._matches: tuple[PartRef, tuple[Match, ...]] | None = None

    # what is in hand

    def _places(self) -> list[PartRef]:
        roms = self.workspace.assessment().roms
        return [place for place in roms if place.board == self.workspace.board] or list(roms)

    def _current(self) -> SlotAssessment | None:
        """The picked socket; with nothing picked, the first that is wrong, else the first."""
        every = self.workspace.assessment().roms
        picked = self.workspace.picked_part
        if picked is not None:
            return every.get(picked)
        here = [every[place] for place in self._places()]
        wrong = [s for s in here if s.verdict is not None and not s.verdict.good]
        return next(iter(wrong or here), None)

    def _explanation(self, slot: SlotAssessment | None) -> Hypothesis | None:
        """The explanation in view: the likeliest, or the one chosen from the list."""
        if slot is None or slot.verdict is None or not slot.verdict.hypotheses:
            return None
        if self._of != slot.place:
            self._of, self._chosen = slot.place, 0
        return slot.verdict.hypotheses[min(self._chosen, len(slot.verdict.hypotheses) - 1)]

    def _explained(self, slot: SlotAssessment) -> tuple[Hypothesis, ...]:
        verdict = slot.verdict
        return verdict.hypotheses[:_SHOWN] if verdict is not None and not verdict.good else ()

    # what is shown

    def page(self) -> Page:
        found, slot = self.workspace.assessment(), self._current()
        places = self._places()
        read = sum(found.roms[place].verdict is not None for place in places)
        firmware = (
            say("firmware {firmware}", firmware=found.firmware) if found.firmware else say("firmware not decided")
        )
        known = count_of(len(known_sums(found.moment).entries), "known checksum")
        sockets = count_of(len(places), "socket")
        rows = self._slot_rows(places) if not self.open else Rows()
        page = self._page_rows(slot)
        chosen = len(page) - len(self._fits) + self._fits.index(self._device) if self._device in self._fits else -1
        lists = {
            SLOTS: rows,
            PAGE: Rows(page, chosen if self.open == REPAIR else -1),
            EXPLAINED: self._explained_rows(slot),
        }
        return Page(
            say("Do the ROMs match?"),
            say(
                "{sockets} · {read} read · {firmware} · {known}",
                sockets=sockets,
                read=read,
                firmware=firmware,
                known=known,
            ),
            self._meaning(slot),
            self.target(self._hint(slot), slot.slot.device if slot and self.workspace.picked_part else ""),
            self._actions(slot),
            self._caution(slot),
            lists=lists,
            figures={PICTURE: self._picture(slot), HEX: self._hex(slot)},
        )

    def _hint(self, slot: SlotAssessment | None) -> str:
        moment = self.workspace.moment
        expected = expected_signature(moment, slot.place) if slot is not None else None
        if slot is None or expected is None:
            return _HINT
        return say(
            "in circuit the right signature is {shown_signature}: {refdes} sig …",
            shown_signature=shown_signature(moment, expected),
            refdes=slot.slot.refdes,
        )

    def _actions(self, slot: SlotAssessment | None) -> tuple[Action, ...]:
        pages = {one[1]: self._turn_action(*one) for one in _PAGES if slot is not None or one[1] in (SET, self.open)}
        if self.open:
            return (*self._page_actions(slot), pages[self.open])
        every = Action("A", say("Read all ROMs"), self.read_all, say("Reads every socket that was not read yet"))
        following = Action(
            "N", say("Next socket"), lambda: self.move(1), say("Goes to the next socket on any board of the job")
        )
        if slot is None:
            return (every, following, *pages.values())
        return (
            Action("R", say("Read the ROM"), lambda: self.read(1), say("Reads it once with the ROM reader"), main=True),
            read_three_times(self.read),
            every,
            following,
            self._import_action(slot),
            *pages.values(),
        )

    def _page_actions(self, slot: SlotAssessment | None) -> tuple[Action, ...]:
        """What can be done on the further page that is open."""
        if self.open == BYTES:
            return byte_actions(self.walk, self._look)
        if self.open == READS:
            return (read_three_times(self.read, main=True), restore_contents(self.restore))
        if self.open == SET:
            return set_actions(self.identify, lambda: learn_from_signatures(self.workspace))
        name = f"{slot.slot.refdes.lower()}.bin" if slot else ""
        return (restore_contents(self.restore, main=True), *writing_actions(self.save_image, self.save_labels, name))

    def _import_action(self, slot: SlotAssessment) -> Action:
        """How a file gets to a socket when neither its name nor its content says which."""
        place = slot.place
        asked = Question(
            say("Which file is a read of {place_name}?", place_name=self.workspace.place_name(place)), load=True
        )
        tip = say("Imports a file as a read of this socket, whatever its name")
        return Action(
            "I", say("Import a read"), lambda name: self.workspace.import_at(Path(name), place), tip, asks=asked
        )

    def _turn_action(self, key: str, page: str, label: str, tip: str) -> Action:
        return Action(key, say("Show the sockets") if self.open == page else label, lambda: self.turn(page), tip)

    def _look(self, move: Callable[[], None]) -> None:
        """Looks elsewhere in the image; nothing is recorded."""
        move()
        self.workspace.show()

    def _slot_rows(self, places: list[PartRef]) -> Rows:
        found, slot = self.workspace.assessment(), self._current()
        rows = [self._slot_row(place, found.roms[place]) for place in places]
        if self.workspace.definition is not None:
            mix = mixed_revisions(found.moment, self.workspace.board)
            told = [mix.words] if mix.mixed else []
            shared = [one for one in shared_line_faults(found.moment, self.workspace.board) if len(one.shown_by) > 1]
            shared.sort(key=lambda one: one.fault.kind == "periodic")
            told += [one.words for one in shared[:2]]
            rows += [Row("doubtful", (Cell(36, 0, words),), height=24 if len(words) < 96 else 42) for words in told]
        return Rows(tuple(rows), places.index(slot.place) if slot is not None and slot.place in places else -1)

    def _slot_row(self, place: PartRef, slot: SlotAssessment) -> Row:
        verdict = slot.verdict
        kind = KIND.get(slot.word, "")
        if verdict and verdict.verdict in ("few-bytes", "other-revision"):
            kind = "doubtful"
        reason = before(" (", before(": ", verdict.reason)) if verdict else say("read it, or drop its file")
        if verdict and verdict.good:
            reason = after(": ", verdict.reason)
        cells = (
            Cell(36, 90, self.workspace.place_name(place), bold=True, mono=True),
            Cell(112, 54, slot.slot.label.split("-")[-1] if slot.slot.label else "", mono=True),
            Cell(150, 60, slot.slot.device, mono=True),
            Cell(222, 78, term(slot.word), kind, bold=True),
            Cell(306, 0, reason),
        )
        return Row(kind or "unknown", cells, height=24)

    def _page_rows(self, slot: SlotAssessment | None) -> tuple[Row, ...]:
        moment = self.workspace.moment
        if self.open == SET and self.workspace.definition is not None:
            asked, matches = self._matches or (PartRef("", ""), ())
            return set_rows(moment, slot.board if slot else self.workspace.board, matches, asked.refdes)
        if self.open == READS and slot is not None:
            return read_rows(moment, slot.place)
        if self.open == REPAIR and slot is not None:
            repair = repair_of(moment, slot.place, memory_types())
            self._fits = [fit.new.name for fit in repair.fits]
            return repair_rows(repair, slot)
        return ()

    def _caution(self, slot: SlotAssessment | None) -> str:
        if self.open != REPAIR or slot is None:
            return ""
        return caution_words(repair_of(self.workspace.moment, slot.place, memory_types()).cautions)

    def _picture(self, slot: SlotAssessment | None) -> RomView | None:
        if slot is None or not slot.image or self.open in (REPAIR, SET):
            return None
        self.walk.follow(slot.image, slot.reference)
        wrong = not (slot.verdict and slot.verdict.good)
        strip = strip_of(slot, self._explanation(slot) if wrong else None)
        if self.open == READS:
            moved = flicker_of(self.workspace.moment, slot.place)
            strip = flicker_strip(slot, moved) if moved is not None and bool(moved.any()) else None
        return RomView(strip, self.walk.first, self.walk.count) if strip is not None else None

    def _hex(self, slot: SlotAssessment | None) -> HexView | None:
        if self.open != BYTES or slot is None or not slot.image:
            return None
        return self.walk.hex_view()

    def _explained_rows(self, slot: SlotAssessment | None) -> Rows:
        shown = self._explained(slot) if slot is not None and not self.open else ()
        if not shown:
            return Rows()
        rows = [heading(say("What explains it"), 24)]
        for found in shown:
            cells = (
                Cell(102, 72, _likelihood_words(found), bold=True, mono=True),
                Cell(178, 146, found.short, bold=True),
                Cell(328, 0, found.evidence),
            )
            rows.append(Row("", cells, (6.0, 92.0, found.likelihood, "ink"), height=25))
        return Rows(tuple(rows), min(self._chosen, len(shown) - 1) + 1 if len(shown) > 1 else -1)

    def _meaning(self, slot: SlotAssessment | None) -> Meaning:
        if slot is None:
            return self._no_socket()
        refdes, verdict = slot.slot.refdes, slot.verdict
        if verdict is None:
            return Meaning(
                say("{refdes} has not been read.", refdes=refdes),
                say("Read {refdes} (Alt+R), or drop its file here.", refdes=refdes),
            )
        kind, reads = KIND.get(slot.word, "unknown"), self._about_reads(slot)
        found = triage_of(self.workspace.moment, slot.place)
        complaint = complaint_expected(self.workspace.moment, slot.place)
        chosen = self._explanation(slot)
        head = say(
            "{refdes} is {word}." if slot.word == "unstable" else "{refdes} {word}.",
            refdes=refdes,
            word=term(slot.word),
        )
        if found is not None and found.culprit:
            return Meaning(say("{why}.", why=capital(found.why)), found.next, "bad", reads)
        if complaint and verdict.good:
            return Meaning(
                say(
                    "{head} {reason}. {complaint}.",
                    head=head,
                    reason=capital(verdict.reason),
                    complaint=capital(complaint),
                ),
                say("Take the next socket (Alt+N)."),
                kind,
                reads,
            )
        if chosen is not None and self._chosen and not verdict.good:
            return Meaning(say("{head} {reason}.", head=head, reason=capital(chosen.reason)), chosen.next, kind, reads)
        shared = None if verdict.good else line_of_several(self.workspace.moment, slot.place)
        following = verdict.next if shared is None else say("{read_good}.", read_good=READ_GOOD)
        return Meaning(say("{head} {reason}.", head=head, reason=capital(verdict.reason)), following, kind, reads)

    def _no_socket(self) -> Meaning:
        """Why there is nothing to show here, and what can be done."""
        picked = self.workspace.picked_part
        if picked is not None and self.workspace.assessment().roms:
            return Meaning(
                say("{refdes} is not a ROM socket.", refdes=picked.refdes),
                say("Take the next socket (Alt+N), or drop image files."),
            )
        if picked is not None:
            why = say("{refdes} is not listed as a ROM socket.", refdes=picked.refdes)
            return Meaning(why, say("If it is one, type {refdes} is ROM 1, 27C64.", refdes=picked.refdes))
        why = say("No ROM sockets are known yet. Enter one, such as 6C is ROM 2, 27C64, or drop images here.")
        return Meaning(why, say("Drop a list of checksums, images, or a folder of both."))

    def _about_reads(self, slot: SlotAssessment) -> str:
        reads = (
            say("{reads}, all equal", reads=count_of(slot.reads, "read"))
            if slot.word != "unstable" and slot.reads > 1
            else ""
        )
        verdict = slot.verdict
        if (
            verdict is not None
            and verdict.verdict in _IN_THE_CELLS
            and slot.image is not None
            and slot.reference is not None
        ):
            way = programming(slot.image, slot.reference)
            # That it can be programmed over is the advice below already.
            told = "" if way.how == "over" else say("To correct it: {way}.", way=way.words)
            reads = joined(". ", (piece for piece in (reads, told) if piece))
        return reads

    def why_in_full(self) -> str:
        """Every explanation of the socket in view with its evidence."""
        slot = self._current()
        lines = slot.verdict.hypotheses[:4] if slot is not None and slot.verdict is not None else ()
        return joined(
            "\n", (say("{kind}: {evidence}", kind=term(h.kind.replace("-", " ")), evidence=h.evidence) for h in lines)
        )

    def trace(self) -> Trace:
        """The faulty line of the picked socket, from pin to pin along its net."""
        slot = self._current()
        found = self._explanation(slot)
        if slot is None or slot.verdict is None or slot.verdict.good or found is None:
            return NO_TRACE
        names = [f"A{n}" for n in found.lines("address")] + [f"D{n}" for n in found.lines("data")]
        chip = self.workspace.moment.chip_type(slot.place)
        if len(names) != 1 or chip is None or names[0] not in {p.name for p in chip.pins}:
            return NO_TRACE
        board, pin = self.workspace.job.boards[slot.board], chip.pin(names[0]).number
        others = board.others_on_net(slot.slot.refdes, pin)
        net = board.net_of(slot.slot.refdes, pin)
        return ((slot.slot.refdes, pin), *others), say(
            "{names} of {refdes} (pin {pin}) on net {net}", names=names[0], refdes=slot.slot.refdes, pin=pin, net=net
        )

    # what is done

    @property
    def further(self) -> bool:
        return bool(self.open)

    def leave(self) -> bool:
        opened, self.open = bool(self.open), ""
        if opened:
            self.workspace.show()
        return opened

    def turn(self, page: str) -> None:
        """A further page, or back from it to the sockets."""
        self.open = "" if self.open == page else page
        self.walk.show_all()
        self._device = ""
        self.workspace.show()

    def row_picked(self, name: str, index: int) -> None:
        places = self._places()
        if name == SLOTS and index < len(places):
            self.workspace.pick(*places[index])
        elif name == EXPLAINED and index > 0:
            self._chosen = index - 1
            self.workspace.show()
        elif name == PAGE and self.open == REPAIR:
            first = self._repair_count() - len(self._fits)
            self._device = self._fits[index - first] if index >= first else ""
            self.workspace.show()

    def _repair_count(self) -> int:
        return len(self._page_rows(self._current()))

    def figure_picked(self, name: str, *at: float) -> None:
        """A click into the picture shows the bytes there; with a factor, it shows more or fewer addresses around."""
        if len(at) > 1:
            self._look(lambda: self.walk.zoom(at[1], int(at[0])))
            return
        self.open = BYTES
        self._look(lambda: self.walk.go_to(int(at[0])))

    def move(self, step: int) -> None:
        every = list(self.workspace.assessment().roms)
        if every:
            at = every.index(self.workspace.place) if self.workspace.place in every else (-1 if step > 0 else 0)
            self.workspace.pick(*every[(at + step) % len(every)])

    def read(self, times: int) -> None:
        """Reads the picked ROM in the background."""
        slot = self._current()
        if slot is not None:
            self.workspace.pick(*slot.place)  # what is read stands in large type
            self.workspace.read_roms([slot.place], times)

    def read_all(self) -> None:
        """Reads every ROM that was not read yet; all of the board when every one was."""
        unread = [p for p, s in self.workspace.assessment().roms.items() if s.verdict is None]
        self.workspace.read_roms(unread or self._places(), 1)

    def restore(self) -> None:
        """Works the content out from the reads and the checksums."""
        slot = self._current()
        if slot is not None:
            restore_slot(self.workspace, slot.place)

    def identify(self) -> None:
        """Holds the read against every board of the store."""
        slot = self._current()
        if slot is None or slot.image is None:
            self.workspace.say(say("Read the chip first, or drop its file."), True)
            return
        identify_slot(self.workspace, slot.place, slot.image, self.show_matches)

    def show_matches(self, place: PartRef, matches: tuple[Match, ...]) -> None:
        """The result of an identification, on the page of the set."""
        self._matches, self.open = (place, matches), SET
        self.workspace.show()

    def save_image(self, name: str) -> None:
        """Writes the reference image for the programmer, repeated to fill the device picked from the list of fits."""

        def act() -> list[str]:
            slot = self._current()
            if slot is None or slot.reference is None:
                raise RequestError(NO_REFERENCE)
            size = memory_types().find(self._device).size if self._device else len(slot.reference)
            write_image(Path(name), placed(slot.reference, size))
            times = (
                say(", {size} times for a {device}", size=size // len(slot.reference), device=self._device)
                if size > len(slot.reference)
                else ""
            )
            return [
                say("{refdes} written to {name}{times}", refdes=slot.slot.refdes, name=Path(name).name, times=times)
            ]

        self.workspace.attempt(act)

    def save_labels(self, name: str) -> None:
        """Writes the window labels of the board in view."""

        def act() -> list[str]:
            from loyal_trace.report.labels import labels_of, write_labels  # the drawing library takes its time to load

            board = self.workspace.definition
            if board is None:
                raise RequestError(say("There is no board to print labels for."))
            write_labels(Path(name), labels_of(board, self.workspace.assessment().firmware))
            return [say("labels written to {name}", name=Path(name).name)]

        self.workspace.attempt(act)


def _likelihood_words(found: Hypothesis) -> str:
    """How likely an explanation is: certain only where checksums prove it, whatever the figure rounds to."""
    proved = found.evidence.startswith("proved by")
    return format_percent(found.likelihood if proved else min(found.likelihood, _NEVER_SURER))
