"""Long work on ROMs beside the window: restoring, identifying, learning a tester's register. Results are entries."""

from collections.abc import Callable
from dataclasses import replace

from loyal_trace.app.known import known_of_store
from loyal_trace.app.workspace import Workspace
from loyal_trace.compiled import sha1_lanes
from loyal_trace.core.assess.rom_pages import learn_register
from loyal_trace.core.assess.roms import firmware, known_sums
from loyal_trace.core.job.entries import Decided, ImageKnown, Note
from loyal_trace.core.roms.candidates import Watch
from loyal_trace.core.roms.correcting import Correction, correct, searched
from loyal_trace.core.roms.identify import Match
from loyal_trace.core.roms.signature import Learned
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.units import format_percent
from loyal_trace.store.store import Store

_NOT_FOUND = say("nothing that was searched gives the known checksums")
Matches = Callable[[PartRef, tuple[Match, ...]], None]


def restore_slot(workspace: Workspace, place: PartRef) -> None:
    """Tries to get the content of a socket back from its reads and checksums; it is kept as an image with its proof."""
    moment = workspace.job.moment
    reads = [workspace.job.store.attachment(r.attachment) for r in workspace.snapshot.roms.reads.get(place, ())]
    own = [e for e in known_sums(moment).for_place(place.refdes, place.board) if e.firmware in ("", firmware(moment))]
    if not reads or not own:
        workspace.say(say("restoring needs a read and known checksums of this socket"), True)
        return

    def work(watch: Watch) -> Correction | None:
        return correct(reads, own, replace(watch, sha1=sha1_lanes))

    done = searched(len(reads[-1]), own[0])
    workspace.tasks.run(
        say("restoring {refdes}", refdes=place.refdes),
        work,
        lambda found: _keep_restored(workspace, place, found, done),
    )


def _keep_restored(workspace: Workspace, place: PartRef, found: Correction | None, done: str) -> None:
    if found is None or not found.certain:
        several = (
            say("{solutions:,} contents have these checksums; a SHA-1 would decide", solutions=found.solutions)
            if found
            else ""
        )
        told = say(
            "{refdes} not restored: {several}. {done}", refdes=place.refdes, several=several or _NOT_FOUND, done=done
        )
        workspace.say(told, True)
        return

    def act() -> list[str]:
        sha = workspace.job.store.put_attachment(found.data)
        kept = {"firmware": found.firmware, "attachment": sha, "size": len(found.data), "proof": found.proof}
        workspace.job.record(ImageKnown, board=place.board, place=place.refdes, **kept)
        return [say("{refdes} restored: {proof}", refdes=place.refdes, proof=found.proof)]

    workspace.attempt(act)


def identify_slot(workspace: Workspace, place: PartRef, image: bytes, show: Matches) -> None:
    """Holds a read against every board of the store; the ranked result goes to `show` and, in words, to the logbook."""
    folder, library = workspace.job.store.folder, workspace.job.library

    def work(watch: Watch) -> tuple[int, tuple[Match, ...]]:
        with Store(folder, read_only=True) as store:  # a store of its own: this runs beside the window
            known = known_of_store(store, library)
        return len(known), known.identify(image)

    def done(found: tuple[int, tuple[Match, ...]]) -> None:
        count, matches = found
        workspace.record(
            Note, board=place.board, place=place.refdes, text=say("identified: {told}", told=_told(count, matches))
        )
        show(place, matches)

    workspace.tasks.run(say("identifying {refdes}", refdes=place.refdes), work, done)


def _told(count: int, matches: tuple[Match, ...]) -> str:
    if not matches:
        return say("no match among the {count:,} contents known to the store", count=count)
    best = matches[0]
    version = say(", firmware {firmware}", firmware=best.firmware) if best.firmware else ""
    return say(
        "{best} of {source}{version}: {fraction} ({how})",
        best=best.name,
        source=best.source,
        version=version,
        fraction=format_percent(best.fraction),
        how=best.how,
    )


def learn_from_signatures(workspace: Workspace) -> None:
    """Works the tester's register out from the signatures taken so far, and uses it from then on."""
    moment = workspace.job.moment

    def done(found: Learned) -> None:
        r = found.register
        turned = [name for name in ("refin", "refout", "feedback") if getattr(r, name)]
        choice = " ".join([f"{r.poly:#06x} {r.init:#06x} {r.xorout:#06x}", *turned])  # as it can be typed
        odd = say("; one signature does not fit: take it again") if found.odd is not None else ""
        workspace.record(
            Decided,
            what="register",
            choice=choice,
            reason=say("register found: {check}{odd}", check=found.check, odd=odd),
        )
        workspace.say(
            say("register {choice} explains {check}{odd}", choice=choice, check=found.check, odd=odd), bool(odd)
        )

    workspace.tasks.run(say("learning the register"), lambda watch: learn_register(moment), done)
