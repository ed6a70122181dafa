"""Long work on ROMs beside the window: restoring, identifying, learning a tester's register. Results are entries."""

from collections.abc import Callable
from dataclasses import replace

from loyal_trace.app.known import known_of_store
from loyal_trace.compiled import sha1_lanes
from loyal_trace.core.assess.rom_pages import learn_register
from loyal_trace.core.assess.roms import firmware, known_sums
from loyal_trace.core.job.entries import Decided, ImageKnown, Note
from loyal_trace.core.roms.candidates import Watch
from loyal_trace.core.roms.identify import Match
from loyal_trace.core.roms.mending import Mended, mend
from loyal_trace.core.roms.signature import Learned
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.units import format_percent
from loyal_trace.store.store import Store
from loyal_trace.ui.desk import Desk

_NOT_FOUND = "no choice of its reads, no reversible change and no few bytes or bits make its sums right"


def restore_slot(desk: Desk, place: PartRef) -> None:
    """Tries to get the true content of a slot from its reads and its sums; it is kept as a new image with its proof."""
    moment = desk.job.moment
    reads = [desk.job.store.attachment(r.attachment) for r in desk.job.snapshot.roms.reads.get(place, [])]
    own = [e for e in known_sums(moment).for_place(place[1]) if e.firmware in ("", firmware(moment))]
    if not reads or not own:
        desk.said.emit("restoring needs a read and known sums of this slot", True)
        return

    def done(found: Mended | None) -> None:
        if found is None or not found.certain:
            several = f"{found.solutions:,} contents have these sums; a SHA-1 would tell which" if found else ""
            desk.said.emit(f"{place[1]} not restored: {several or _NOT_FOUND}", True)
            return

        def act() -> list[str]:
            sha = desk.job.store.put_attachment(found.data)
            kept = {"firmware": found.firmware, "attachment": sha, "size": len(found.data), "proof": found.proof}
            desk.job.record(ImageKnown, board=place[0], place=place[1], **kept)
            return [f"{place[1]} restored: {found.proof}"]

        desk.attempt(act)

    def work(watch: Watch) -> Mended | None:
        return mend(reads, own, replace(watch, sha1=sha1_lanes))

    desk.in_background(f"restoring {place[1]}", work, done)


def identify_slot(desk: Desk, place: PartRef, image: bytes, show: Callable[[PartRef, tuple[Match, ...]], None]) -> None:
    """Holds a read against every board of the store; the ranked result goes to `show` and, in words, to the logbook."""
    folder, library = desk.job.store.folder, desk.job.library

    def work(watch: Watch) -> tuple[int, tuple[Match, ...]]:
        with Store(folder, read_only=True) as store:  # a store of its own: this runs beside the window
            known = known_of_store(store, library)
        return len(known), known.identify(image)

    def done(found: tuple[int, tuple[Match, ...]]) -> None:
        count, matches = found
        best = matches[0] if matches else None
        told = (
            f"{best.name} of {best.source}{f', firmware {best.firmware}' if best.firmware else ''}: "
            f"{format_percent(best.fraction)} ({best.how})"
            if best
            else f"resembles none of the {count:,} contents known to the store"
        )
        desk.record(Note, board=place[0], text=f"{place[1]} identified: {told}")
        show(place, matches)

    desk.in_background(f"identifying {place[1]}", work, done)


def learn_from_signatures(desk: Desk) -> None:
    """Works the tester's register out from the signatures taken so far, and uses it from then on."""
    moment = desk.job.moment

    def done(found: Learned) -> None:
        r = found.register
        turned = f"{' refin' if r.refin else ''}{' refout' if r.refout else ''}{' feedback' if r.feedback else ''}"
        choice = f"{r.poly:#06x} {r.init:#06x} {r.xorout:#06x}{turned}"
        odd = "; one signature does not fit: take it again" if found.odd is not None else ""
        desk.record(Decided, what="register", choice=choice, reason=f"learnt: {found.check}{odd}")
        desk.said.emit(f"register {choice} explains {found.check}{odd}", bool(odd))

    desk.in_background("learning the register", lambda watch: learn_register(moment), done)
