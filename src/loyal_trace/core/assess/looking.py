"""What was seen: leaks and what they reach, photos and what they show."""

from loyal_trace.core.assess.moment import Moment, once
from loyal_trace.core.boards.alignment import Alignment, align
from loyal_trace.core.boards.cells import chemistry_of
from loyal_trace.core.boards.leaks import DEFAULT_REACH, SIDES, Leak, leaks
from loyal_trace.core.job.entries import PhotoAligned
from loyal_trace.core.vocabulary.cautions import Caution
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.findings import LEAKS
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import say


@once
def leaks_on(moment: Moment, board_id: str) -> tuple[Leak, ...]:
    """The leaks seen on a board, what they reach, and what of that was inspected."""
    snapshot = moment.snapshot
    findings = {place.refdes: seen for place, seen in snapshot.seen.findings.items() if place.board == board_id}
    down = snapshot.decision(say("lowest side"), "")
    changed = {place.refdes for place in snapshot.parts.fitted if place.board == board_id}
    return leaks(moment.boards[board_id], findings, leak_reach(moment), down if down in SIDES else "", changed)


def leak_cautions(moment: Moment, board_id: str) -> tuple[Caution, ...]:
    """The cautions of what leaked on a board: alkali or acid of a cell, electrolyte of a capacitor with its alcohol.

    A leak counts until its part was replaced or cleaned, and while anything that it reached is still to be cleaned.
    """
    board = moment.boards[board_id]
    found: list[Caution] = []
    reached = {leak.refdes for leak in leaks_on(moment, board_id) if leak.open}
    for place, seen in moment.snapshot.seen.findings.items():
        if place.board != board_id or not board.has(place.refdes) or not any(s.finding in LEAKS for s in seen):
            continue
        settled = seen[-1].finding not in LEAKS or place in moment.snapshot.parts.fitted
        if settled and place.refdes not in reached:
            continue
        if board.part(place.refdes).kind == "cell":
            chemistry = chemistry_of(board, place.refdes)
            found += [chemistry.caution, *([chemistry.leaks] if chemistry.leaks else [])]
        else:
            found += [Caution.LEAKED_ELECTROLYTE, Caution.ALCOHOL]
    return tuple(dict.fromkeys(found))


def leak_reach(moment: Moment) -> float:
    """How far (mm) electrolyte is expected to creep in this job."""
    try:
        return float(moment.snapshot.decision("leak reach", str(DEFAULT_REACH)).split()[0])
    except (ValueError, IndexError):
        return DEFAULT_REACH


def _aligned(entry: PhotoAligned) -> Alignment | None:
    try:
        return align([(p.x, p.y) for p in entry.points], [(p.u, p.v) for p in entry.points])
    except RequestError:
        return None


def alignment_of(moment: Moment, sha: str) -> Alignment | None:
    """How a photo lies over its board, or None when it was not aligned (or its points fix nothing)."""
    entry = moment.snapshot.seen.alignments.get(sha)
    if entry is None:
        return None
    return moment.memo.of(("alignment", entry.points), lambda: _aligned(entry))


def photographed(moment: Moment, place: PartRef) -> bool:
    """Does any aligned photo of the board show this place?"""
    return any(shows(moment, sha, place) for sha in moment.snapshot.seen.photos)


def shows(moment: Moment, sha: str, place: PartRef) -> bool:
    """Does an aligned photo show a place?"""
    photo = moment.snapshot.seen.photos[sha]
    found = alignment_of(moment, sha) if photo.board == place.board else None
    if found is None:
        return False
    part = moment.part(place)
    if not part.placed:
        return False
    u, v = found.on_photo(part.x, part.y)
    return 0 <= u < photo.width and 0 <= v < photo.height
