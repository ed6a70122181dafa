"""Inspect: over the board part by part, one finding each; photos; what leaks reach; the teardown."""

from collections.abc import Sequence
from dataclasses import replace
from itertools import zip_longest

from loyal_trace.app.cautions import caution_words
from loyal_trace.app.commands import Setting
from loyal_trace.app.presenters.base import StagePresenter
from loyal_trace.app.presenters.model import Action, Cap, Cell, Meaning, Page, Row, Rows, Target, heading
from loyal_trace.app.presenters.photos import PhotoBench
from loyal_trace.app.presenters.teardown import TeardownPage
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.assess.looking import leak_cautions, leak_reach, leaks_on
from loyal_trace.core.boards.leaks import SIDES, Leak
from loyal_trace.core.boards.model import Part
from loyal_trace.core.boards.paths import walking_path
from loyal_trace.core.job.entries import Entry, Observed, Refitted, TakenApart
from loyal_trace.core.line.context import AskedParts
from loyal_trace.core.vocabulary.cautions import Caution
from loyal_trace.core.vocabulary.findings import Finding
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import capital, joined, say, term
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.units import count_of

PHOTO, KEYS, SEEN, APART = (
    say("photo of the board"),
    say("finding keys"),
    say("what was seen"),
    say("teardown and reassembly"),
)
FINDINGS = (
    ("G", Finding.LOOKS_GOOD),
    ("C", Finding.CORRODED),
    ("F", Finding.PIN_BENT),
    ("J", Finding.JOINT),
    ("O", Finding.SOCKET_LOOSE),
    ("S", Finding.SINGLE_WIPE),
    ("W", Finding.WRONG_PART),
    ("V", Finding.REVERSED),
    ("B", Finding.SCORCHED),
    ("K", Finding.LEAKING),
    ("U", Finding.BULGED),
    ("R", Finding.RESIDUE),
    ("T", Finding.TRACK_DAMAGED),
    ("P", Finding.PREVIOUS_WORK),
    ("H", Finding.COMPOUND_MISSING),
    ("N", Finding.MISSING),
    ("L", Finding.CLEANED),
)
_OF_KEY = dict(FINDINGS)
_HINT = say("{typed}; or a note", typed="corroded; looks good; 5D.4 corroded; C1-C4 leaking; socket of 6C loose")
_NOT_SEEN = say(
    "Many faults are visible: contacts, pins, joints, sockets, leaking capacitors. Findings count as evidence."
)
_LISTED = 9


class InspectPresenter(StagePresenter):
    """Walks the board in rows; a finding belongs to the part in large type."""

    stage = Stage.INSPECT

    def __init__(self, workspace: Workspace) -> None:
        super().__init__(workspace)
        self.photos, self.teardown = PhotoBench(workspace), TeardownPage(workspace)
        self._tearing = False
        self._seen: list[PartRef] = []

    # what is shown

    def setting(self) -> Setting:
        if self._tearing:
            return replace(self.plain_setting(), picked=None)
        if self.workspace.area:
            places = tuple(PartRef(self.workspace.board, refdes) for refdes in self.workspace.area)
            return replace(self.plain_setting(), asked=AskedParts(places))
        return super().setting()

    def page(self) -> Page:
        if self._tearing:
            return self._teardown_page()
        board = self.workspace.definition
        if board is None:
            why = say("This job has no board yet, so there is no map to walk over.")
            what = say("Type what is on it, such as U1 is 74LS00, or add a board (Board menu).")
            return Page(say("What can be seen?"), say("no board"), Meaning(why, what), Target(say("job"), "", _HINT))
        findings = self.workspace.snapshot.seen.findings
        seen = {p: f for p, f in findings.items() if p.board == self.workspace.board}
        scene = self.photos.scene()
        return Page(
            say("What can be seen?"),
            say(
                "{title} · {count} of {parts} inspected",
                title=board.title,
                count=len(seen),
                parts=count_of(len(board.parts), "part"),
            ),
            self._meaning(),
            self._target(),
            self._actions(),
            caution_words(self._cautions()),
            lists={KEYS: Rows() if scene is not None else self._key_rows(), SEEN: self._seen_rows(seen)},
            figures={PHOTO: scene},
        )

    def _target(self) -> Target:
        part = self._part()
        return self.target(
            _HINT,
            say("{part_number} {role}", part_number=part.number, role=part.role).strip() if part is not None else "",
        )

    def _cautions(self) -> tuple[Caution, ...]:
        """What leaked on the board in view, and what cleans it."""
        board = self.workspace.definition
        return leak_cautions(self.workspace.moment, board.id) if board is not None else ()

    def _teardown_page(self) -> Page:
        title = self.workspace.definition.title if self.workspace.definition else ""
        walk = Action("D", say("Inspect the parts"), self.turn, say("Return to the board"))
        return Page(
            say("What came off?"),
            title,
            self.teardown.meaning(),
            self.teardown.target(),
            (*self.teardown.actions(), walk),
            lists={APART: self.teardown.rows()},
        )

    def _actions(self) -> tuple[Action, ...]:
        reached = Action(
            "N",
            say("Next part to inspect"),
            self.next_to_inspect,
            say("Parts that leaking electrolyte can have reached"),
        )
        return (
            Action("S", say("Next part"), lambda: self.move(1), say("Go along the rows; nothing is recorded")),
            *((reached,) if self._to_inspect() else ()),
            *self.photos.actions(),
            Action("D", say("Show the teardown"), self.turn, say("Parts taken off, and what is still off")),
        )

    def _part(self) -> Part | None:
        """The part in large type."""
        place = self.workspace.picked_part
        return self.workspace.moment.part(place) if place is not None else None

    def _path(self) -> list[Part]:
        """The parts in a sensible path: row by row, back and forth."""
        return list(walking_path(self.workspace.definition)) if self.workspace.definition else []

    def _key_rows(self) -> Rows:
        """Every finding with its key, as the pad and the line take it."""
        part = self._part()
        if self.workspace.area:
            title = say(
                "{parts} in the drawn area: a finding is recorded for all of them",
                parts=count_of(len(self.workspace.area), "part"),
            )
        elif part is not None:
            title = say("{refdes}  {part_number}", refdes=part.refdes, part_number=part.number) + (
                say(", {role}", role=part.role) if part.role else ""
            )
        else:
            title = say("Pick a part; then type a finding, or use its key on the pad")
        rows = [heading(title, 30)]
        for left, right in zip_longest(FINDINGS[::2], FINDINGS[1::2], fillvalue=("", "")):
            cells = (
                Cell(14, 24, left[0], bold=True, mono=True),
                Cell(42, 250, left[1]),
                Cell(320, 24, right[0], bold=True, mono=True),
                Cell(348, 250, right[1]),
            )
            rows.append(Row("", cells, height=25))
        return Rows(tuple(rows))

    def _seen_rows(self, seen: dict[PartRef, Sequence[Observed]]) -> Rows:
        bad = [(p, f[-1]) for p, f in seen.items() if not f[-1].finding.good]
        good = [(p, f[-1]) for p, f in reversed(seen.items()) if f[-1].finding.good]
        listed = (bad + good)[:_LISTED]
        self._seen = [p for p, _ in listed]
        rows = [heading(say("Seen so far, damage first"), 32)]
        for place, entry in listed:
            kind = "good" if entry.finding.good else "bad"
            cells = (
                Cell(40, 70, place.refdes, bold=True, mono=True),
                Cell(116, 190, term(entry.finding), kind),
                Cell(310, 0, say("{note}  {photos_of}", note=entry.note, photos_of=self._photos_of(place)).strip()),
            )
            rows.append(Row(kind, cells, height=25))
        return Rows(tuple(rows))

    def _photos_of(self, place: PartRef) -> str:
        count = len(self.workspace.snapshot.seen.photos_of.get(place, ()))
        return say("({photos})", photos=count_of(count, "photo")) if count else ""

    def _meaning(self) -> Meaning:
        """Leaking capacitors reach their neighbours; otherwise what is left to look at."""
        if self.photos.open:
            return self._of_photo()
        found = leaks_on(self.workspace.moment, self.workspace.board)
        leak = next((one for one in found if one.open), None)
        if leak is not None:
            return self._of_leak(leak)
        board = self.workspace.definition
        loose = [one.refdes for one in found if board is not None and not board.part(one.refdes).placed]
        if loose and not self._settled(loose[0]):
            why = say(
                "{loose} leaks. The reach of its electrolyte cannot be computed: the positions of the parts "
                "are not known.",
                loose=loose[0],
            )
            return Meaning(
                why, say("Inspect the parts around {loose} for residue and corrosion.", loose=loose[0]), "bad"
            )
        part = self._part()
        left = [
            p.refdes
            for p in self._path()
            if (self.workspace.board, p.refdes) not in self.workspace.snapshot.seen.findings
        ]
        still = say("{parts} of this board not inspected yet", parts=count_of(len(left), "part"))
        if part is None:
            return Meaning(_NOT_SEEN, say("Pick a part, or take the next one (Alt+S); {still}.", still=still))
        return Meaning(_NOT_SEEN, say("Inspect {refdes}; {still}.", refdes=part.refdes, still=still))

    def _settled(self, refdes: str) -> bool:
        """Whether anything else was inspected after that part's last finding."""
        seen = self.workspace.snapshot.seen.findings
        own = seen[PartRef(self.workspace.board, refdes)][-1].time
        return any(found[-1].time > own for place, found in seen.items() if place.board == self.workspace.board)

    def _of_leak(self, leak: Leak) -> Meaning:
        """What a leak reaches, and what of that is still to be inspected or cleaned."""
        near = joined(", ", (r.refdes for r in leak.reached[:8])) + (" …" if len(leak.reached) > 8 else "")
        slope = SIDES.get(self.workspace.snapshot.decision("lowest side"), (0.0, 0.0)) != (0.0, 0.0)
        further = say(", twice that downhill") if slope else ""
        reach = say("{leak_reach:.0f} mm{further}", leak_reach=leak_reach(self.workspace.moment), further=further)
        dirty = [r.refdes for r in leak.open if r.status == "clean it"]
        first = say("Clean {dirty}, then enter cleaned. ", dirty=joined(", ", dirty[:6])) if dirty else ""
        unseen = [r.refdes for r in leak.open if r.status == "inspect"]
        look = say("Inspect {unseen} for residue and corrosion.", unseen=joined(", ", unseen[:6])) if unseen else ""
        why = say(
            "{refdes} leaks: electrolyte reaches {near} (within {reach}).", refdes=leak.refdes, near=near, reach=reach
        )
        return Meaning(why, say("{first}{look}", first=first, look=look).strip(), "bad")

    def _of_photo(self) -> Meaning:
        if self.photos.placing.mode:
            loose = len(self.photos.placing.loose())
            every = len(self.workspace.definition.parts) if self.workspace.definition else 0
            why = say(
                "{placed} of {parts} placed. Ctrl and the wheel enlarge the photo; the middle button moves it.",
                placed=every - loose,
                parts=count_of(every, "part"),
            )
            return Meaning(why, say("{asked}.", asked=capital(self.photos.asking())))
        bare, part = self.photos.uncovered(), self._part()
        more = say(" No aligned photo shows the polarity of {bare}.", bare=joined(", ", bare[:8])) if bare else ""
        asked = self.photos.asking() or (say("inspect {refdes}", refdes=part.refdes) if part else say("pick a part"))
        return Meaning(
            say("Photo {photos}.{more}", photos=self.photos.words(), more=more), say("{asked}.", asked=capital(asked))
        )

    # what is done

    @property
    def further(self) -> bool:
        return self._tearing

    def leave(self) -> bool:
        placing = self.photos.placing.stop()
        opened, self._tearing = self._tearing or placing, False
        if opened:
            self.workspace.show()
        return opened

    def turn(self) -> None:
        """The walk, or the teardown."""
        self._tearing = not self._tearing
        self.workspace.show()

    def _to_inspect(self) -> list[str]:
        """What leaks have reached and nobody has looked at or cleaned since, nearest first; vias too."""
        if self.workspace.definition is None:
            return []
        return [part.refdes for leak in leaks_on(self.workspace.moment, self.workspace.board) for part in leak.open]

    def next_to_inspect(self) -> None:
        """The next part or via that electrolyte may have reached."""
        wanted = self._to_inspect()
        if wanted:
            here = wanted.index(self.workspace.part) + 1 if self.workspace.part in wanted else 0
            self.workspace.pick(self.workspace.board, wanted[here % len(wanted)])

    def pad(self) -> tuple[Cap, ...]:
        if self._tearing or self.workspace.area or self._part() is None:
            return ()
        return (*(Cap(key, finding) for key, finding in FINDINGS), Cap(" ", say("skip")))

    def press(self, key: str) -> bool:
        """One finding about the part in large type, then the next part."""
        part = self._part()
        if part is None:
            return False
        if key == " ":
            self.move(1)
            return True
        done = self.workspace.record(Observed, board=self.workspace.board, place=part.refdes, finding=_OF_KEY[key])
        if done:
            self._go_on(part)
        return done

    def _go_on(self, part: Part) -> None:
        self.next_to_inspect() if part.kind == "via" else self.move(1)

    def recorded(self, entries: tuple[Entry, ...]) -> None:
        """After a finding about the part in large type: the next one. After a step of the teardown: the list."""
        if self.photos.open:
            self.photos.placing.recorded(entries)
        if any(isinstance(entry, TakenApart | Refitted) for entry in entries):
            self.teardown.go_on()
            return
        part = self._part()
        found = [e for e in entries if isinstance(e, Observed) and PartRef(e.board, e.place) == self.workspace.place]
        if part is not None and found and len(entries) == 1:
            self._go_on(part)
        elif self.workspace.area and len(entries) == len(self.workspace.area):
            self.workspace.draw_area(())

    def move(self, step: int) -> None:
        if self._tearing:
            self.teardown.move(step)
            return
        path = [p.refdes for p in self._path()]
        if path:
            at = path.index(self.workspace.part) if self.workspace.part in path else (-1 if step > 0 else 0)
            self.workspace.pick(self.workspace.board, path[(at + step) % len(path)])

    def row_picked(self, name: str, index: int) -> None:
        if name == APART:
            self.teardown.row_picked(index)
        elif name == SEEN and 0 < index <= len(self._seen):
            self.workspace.pick(*self._seen[index - 1])

    def figure_picked(self, name: str, *at: float) -> None:
        self.photos.clicked(*at)
