"""The desk: the open job, what is picked, the instruments, and everything that happens, as notices. Knows no window."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import Future
from contextlib import contextmanager
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from loyal_trace.app.fact_imports import part_facts
from loyal_trace.app.importers import Meant, import_files, import_photo
from loyal_trace.app.job import OpenJob
from loyal_trace.app.notice import Notice
from loyal_trace.app.tasks import Post, Tasks
from loyal_trace.core.assess.assessment import Assessment
from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.assess.rails import predicted_clocks
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.boards.names import short_names
from loyal_trace.core.job.entries import Entry, RomRead, describe
from loyal_trace.core.job.snapshot import JobSnapshot
from loyal_trace.core.roms.candidates import Watch
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.units import count_of
from loyal_trace.formats.tables import PartTable
from loyal_trace.instruments.protocols import Cancelled, Workbench
from loyal_trace.resources import families, memory_types

if TYPE_CHECKING:
    from loyal_trace.core.parts.equivalents import Equivalents
    from loyal_trace.core.planning.orders import RepairOrder

_TOLD, _REST = 3, 0.25


class Workspace:
    """What window, pages and tasks share about one open job."""

    def __init__(self, job: OpenJob, instruments: Workbench, post: Post) -> None:
        self.job, self.instruments = job, instruments
        self.board = next(iter(job.boards), "")
        self.part = ""
        self.area: tuple[str, ...] = ()
        self.changed: Notice[[]] = Notice()
        self.picked: Notice[[]] = Notice()
        self.said: Notice[[str, bool]] = Notice()
        self.stage_asked: Notice[[Stage]] = Notice()
        self.line_asked: Notice[[str]] = Notice()
        self._holding = 0
        self._waiting: list[Notice[[]]] = []
        self.tasks = Tasks(post)
        self.tasks.failed.connect(lambda words: self.said.emit(words, True))
        self.tasks.stopped.connect(lambda words: self.said.emit(words or "stopped", False))
        self._clocks: dict[str, Future[object]] = {}
        self._orders: tuple[RepairOrder, ...] = ()
        self.ordering: Future[object] | None = None
        self._stand_ins: dict[tuple[object, ...], Future[object]] = {}

    @property
    def place(self) -> PartRef:
        """What is picked; an empty refdes for nothing."""
        return PartRef(self.board, self.part)

    @property
    def picked_part(self) -> PartRef | None:
        """The picked part, when a board of the job has it."""
        board = self.definition
        return self.place if board is not None and self.part and board.has(self.part) else None

    @property
    def definition(self) -> BoardDefinition | None:
        """The board in view."""
        return self.job.boards.get(self.board)

    @property
    def moment(self) -> Moment:
        return self.job.moment

    @property
    def snapshot(self) -> JobSnapshot:
        return self.job.snapshot

    def assessment(self) -> Assessment:
        """Every verdict of this moment."""
        return self.job.assessment()

    def place_name(self, place: PartRef) -> str:
        """A place as shown in lists: the board's short name before the refdes when there are several boards."""
        if len(self.job.boards) < 2 or place.board not in self.job.boards:
            return place.refdes
        return say("{short_names} {refdes}", short_names=short_names(self.job.boards)[place.board], refdes=place.refdes)

    def say(self, words: str, wrong: bool = False) -> None:
        """A sentence at the foot of the window."""
        self.said.emit(words, wrong)

    # showing

    def show(self) -> None:
        """Something else is in view; nothing was recorded."""
        self._tell(self.picked)

    def _tell(self, notice: Notice[[]]) -> None:
        if self._holding:
            self._waiting.append(notice)
        else:
            notice.emit()

    @contextmanager
    def together(self) -> Iterator[None]:
        """What happens inside is shown once, at the end: a record and what is picked after it are one step."""
        self._holding += 1
        try:
            yield
        finally:
            self._holding -= 1
            if not self._holding and self._waiting:
                # A change shows everything that a mere picking would, so it is told alone.
                every, self._waiting = self._waiting, []
                (self.changed if self.changed in every else self.picked).emit()

    # picking

    def pick(self, board: str, part: str) -> None:
        """A part was picked somewhere; it is picked everywhere."""
        if board in self.job.boards and ((board, part) != self.place or self.area):
            self.board, self.part, self.area = board, part, ()
            self.show()

    def draw_area(self, parts: tuple[str, ...]) -> None:
        """Parts inside an area drawn on the map; empty ends it."""
        self.area = parts
        self.show()

    # recording

    def record(self, kind: type[Entry], **fields: Any) -> bool:
        """Records one entry, which is then the newest and shown as such; says what went wrong otherwise."""

        def act() -> list[str]:
            self.job.record(kind, **fields)
            return []

        return self.attempt(act)

    def record_all(self, entries: Sequence[Entry], words: str = "") -> bool:
        """Records several entries as one action."""

        def act() -> list[str]:
            self.job.record_all(entries)
            return [words] if words else []

        return self.attempt(act)

    def attempt(self, act: Callable[[], list[str]]) -> bool:
        """Does something that may fail with a sentence, and lets everyone know."""
        try:
            lines = act()
        except LoyalTraceError as error:
            self.say(str(error), True)
            return False
        # Undoing the last fact of the own board takes the board itself away.
        if self.board not in self.job.boards:
            self.board, self.part = next(iter(self.job.boards), ""), ""
        self._tell(self.changed)
        if lines:  # after the change, which puts the newest entry there
            more = say(" … {count} in all", count=len(lines)) if len(lines) > _TOLD else ""
            self.say("; ".join(lines[:_TOLD]) + more)
        return True

    def undo(self) -> None:
        """Undoes the last action as one."""

        def act() -> list[str]:
            undone = self.job.undo()
            return (
                [say("undone: {describe}{others}", describe=describe(undone[-1]), others=_others(undone))]
                if undone
                else [say("There is nothing to undo.")]
            )

        self.attempt(act)

    def redo(self) -> None:
        """Records again what was undone last."""

        def act() -> list[str]:
            again = self.job.redo()
            return (
                [say("redone: {describe}{others}", describe=describe(again[-1]), others=_others(again))]
                if again
                else [say("There is nothing to redo.")]
            )

        self.attempt(act)

    def retract(self, target: str) -> None:
        """Undoes one entry of the logbook by appending a retraction."""
        words = next((describe(e) for e in self.job.entries if e.id == target), "")

        def act() -> list[str]:
            self.job.retract(target)
            return [say("undone: {words}", words=words)]

        self.attempt(act)

    # files

    def take_photo(self, data: bytes, name: str) -> None:
        """A photo that was pasted."""
        self.attempt(lambda: import_photo(self.job, data, name, self.board).done)

    def drop(
        self,
        paths: list[Path],
        columns: Mapping[Path, Mapping[str, str]] | None = None,
        lists: Mapping[Path, tuple[PartTable, Mapping[str, int]]] | None = None,
    ) -> None:
        """Files were dropped on the window; `columns` of tables whose titles had to be explained, `lists` of parts."""
        if paths:
            self._import(paths, Meant(in_view=self.board, columns=columns or {}, lists=lists or {}))

    def import_list(self, table: PartTable, columns: Mapping[str, int], source: str) -> None:
        """The parts of a list that was pasted are facts of the board."""

        def act() -> list[str]:
            found = part_facts(self.job, table, columns, source)
            self.job.record_all(found.entries)
            return found.done

        self.attempt(act)

    def import_at(self, path: Path, place: PartRef) -> None:
        """A file is of this socket, whatever its name."""
        self._import([path], Meant(place.board, self.board, place))

    def _import(self, paths: list[Path], meant: Meant) -> None:
        # Told after the change, or the newest entry would cover the reasons.
        left: list[str] = []

        def act() -> list[str]:
            found = import_files(self.job, paths, meant)
            for one in found.left_out:
                remedy = say(" (pick the socket at ROMs, then Import a read, Alt+I)") if one.image else ""
                left.append(
                    say("{one} was not imported: {reason}{remedy}", one=one.name, reason=one.reason, remedy=remedy)
                )
            return found.done

        self.attempt(act)
        if left:
            self.say("; ".join(left), True)

    # long work

    def clocks_ready(self, board: str) -> bool:
        """Are the board's dividers computed? If not, that begins in the background; `changed` tells when they are."""
        if board not in self._clocks:
            moment = self.job.moment
            self._clocks[board] = self.tasks.aside(lambda: predicted_clocks(moment, board), self.changed.emit)
        return self._clocks[board].done()

    def orders(self) -> "tuple[RepairOrder, ...]":
        """The repair orders of the moment. While many steps are compared in the background (`ordering`) these are the
        orders as they were; `changed` tells when the new ones are there."""
        from loyal_trace.core.assess.compare import orders_at_hand, orders_of  # not before the first paint

        moment = self.job.moment

        def compare() -> None:
            # What is on the screen comes first; and who types on makes these orders those of a moment that is past.
            self.tasks.cancel.wait(_REST)
            if self.job.moment is moment:
                orders_of(moment)

        if orders_at_hand(moment):
            self.ordering, self._orders = None, orders_of(moment)
        elif self.ordering is None or self.ordering.done():
            self.ordering = self.tasks.aside(compare, self.changed.emit)
        return self._orders

    def stand_ins(self, number: str, clock: float | None) -> "Equivalents":
        """What could take a chip's place. What needs a look through the whole library comes in the background;
        `changed` tells when it is there."""
        from loyal_trace.core.parts.equivalents import Equivalents, equivalents_of  # not before the first paint

        library = self.job.library

        def found(thorough: bool) -> Equivalents:
            return equivalents_of(number, library, families(), memory_types(), clock, thorough)

        key = (number, clock, library)
        if key not in self._stand_ins:
            self._stand_ins[key] = self.tasks.aside(lambda: found(True), self.changed.emit)
        future = self._stand_ins[key]
        if future.done() and not future.cancelled() and future.exception() is None:
            thorough = future.result()
            assert isinstance(thorough, Equivalents)
            return thorough
        return found(False)

    def read_roms(self, places: Sequence[PartRef], times: int) -> None:
        """Reads ROMs from the reader in the background; each finished read is an entry at once."""
        reader = self.instruments.reader
        if not places:
            self.say(say("This board lists no ROM sockets. Enter one, such as 6C is ROM 2, 27C64."), True)
            return
        if reader is None:
            self.say(say("No ROM reader is connected. Drop image files here instead."), True)
            return
        wanted = [place for place in places for _ in range(times)]

        def work(watch: Watch) -> bool:
            for number, place in enumerate(wanted):
                label = (
                    say("{refdes}, {number} of {count}", refdes=place.refdes, number=number + 1, count=len(wanted))
                    if len(wanted) > 1
                    else place.refdes
                )
                try:
                    # Each read is kept as soon as it is whole: stopping the fifth must not lose the four before it.
                    data = reader.read(place, partial(watch.said, label), self.tasks.cancel)
                except Cancelled:
                    raise Cancelled(say("Stopped: {reads} recorded", reads=count_of(number, "read"))) from None
                self.tasks.post(partial(self._keep_read, place, data))
            return True

        self.tasks.run("reading", work, lambda _: None)

    def _keep_read(self, place: PartRef, data: bytes) -> None:
        def act() -> list[str]:
            sha = self.job.store.put_attachment(data)
            self.job.record(RomRead, board=place.board, place=place.refdes, attachment=sha, size=len(data))
            return []

        self.attempt(act)

    def close(self) -> None:
        """Ends background work, and leaves a long job so that it opens quickly; call before the store is closed."""
        self.tasks.close()
        self.job.keep_checkpoint()


def _others(entries: Sequence[Entry]) -> str:
    """How many more entries an action had."""
    return (
        say(" and {more_entrys}", more_entrys=count_of(len(entries) - 1, "more entry", "more entries"))
        if len(entries) > 1
        else ""
    )
