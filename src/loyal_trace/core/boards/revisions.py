"""Which revision is it? Answers to the board's marks, what they leave, what disagrees, and what to ask next.

The marks are data of the board. Nothing is asked that no longer separates what is left.
"""

from collections.abc import Mapping
from dataclasses import dataclass

from loyal_trace.core.boards.model import BoardDefinition, RevisionMark
from loyal_trace.core.vocabulary.identity import in_order
from loyal_trace.core.vocabulary.phrases import joined, say


def decision_name(board_id: str, mark: str) -> str:
    """Under which name the answer to a mark is decided in the logbook."""
    return f"mark {board_id}/{mark}"


def answers_of(board_id: str, choices: Mapping[str, str]) -> dict[str, str]:
    """Mark name → answer for one board, from everything decided (name → choice)."""
    prefix = decision_name(board_id, "")
    return {name.removeprefix(prefix): choice for name, choice in choices.items() if name.startswith(prefix)}


@dataclass(frozen=True)
class RevisionFinding:
    """What the answers say of the board (or the firmware): revisions left, warnings, marks worth asking, in order."""

    of: str
    possible: tuple[str, ...]
    warnings: tuple[str, ...]
    ask: tuple[RevisionMark, ...]

    @property
    def settled(self) -> str:
        """The revision, when one is left and nothing disagrees; empty otherwise."""
        return self.possible[0] if len(self.possible) == 1 and not self.warnings else ""


def identify(board: BoardDefinition, answers: Mapping[str, str], of: str = "board") -> RevisionFinding:
    """Weighs the answers (mark name → answer). When they contradict each other, those with most votes are left."""
    every = board.revisions if of == "board" else board.firmwares
    marks = [mark for mark in board.marks if mark.of == of]
    said = [(mark, mark.allowed(answers[mark.name])) for mark in marks if mark.name in answers]
    said = [(mark, allowed) for mark, allowed in said if allowed]
    votes = {revision: sum(revision in allowed for _, allowed in said) for revision in every}
    most = max(votes.values(), default=0)
    possible = tuple(revision for revision in every if votes[revision] == most)
    warnings = [mark.warn[answers[mark.name]] for mark in marks if answers.get(mark.name) in mark.warn]
    if said and most < len(said):
        told = joined(
            ", ",
            (
                say("“{mark}” says {allowed}", mark=mark.name, allowed=joined(say(" or "), allowed))
                for mark, allowed in said
            ),
        )
        warnings.insert(
            0,
            say(
                "the marks disagree: {told}; one was misread, or the board was assembled from two revisions", told=told
            ),
        )
    return RevisionFinding(of, possible, tuple(warnings), _worth_asking(marks, answers, possible))


def _worth_asking(
    marks: list[RevisionMark], answers: Mapping[str, str], possible: tuple[str, ...]
) -> tuple[RevisionMark, ...]:
    """Unanswered marks that still separate what is left, the one that leaves least first."""
    found = []
    for position, mark in enumerate(marks):
        if mark.name in answers:
            continue
        left = expected_left(mark, possible)
        if left < len(possible):
            found.append((left, position, mark))
    return tuple(mark for _, _, mark in sorted(found, key=lambda item: item[:2]))


def expected_left(mark: RevisionMark, possible: tuple[str, ...]) -> float:
    """How many revisions an answer leaves on average, each of those possible being as likely as another."""
    if not possible:
        return 0.0
    total = 0.0
    for revision in possible:
        fitting = [mark.allowed(answer) for answer in mark.answers if revision in mark.allowed(answer)]
        counts = [sum(other in allowed for other in possible) for allowed in fitting]
        total += sum(counts) / len(counts) if counts else len(possible)
    return total / len(possible)


def label_words(board: BoardDefinition, board_id: str, choices: Mapping[str, str]) -> tuple[dict[str, str], str]:
    """What the ROM labels of a board say (refdes → text), and a warning when they are of two firmware revisions.

    A label speaks of a firmware when its last word or letter is the name of one.
    """
    prefix = f"label {board_id}/"
    labels = {what.removeprefix(prefix): text for what, text in choices.items() if what.startswith(prefix)}
    said: dict[str, list[str]] = {}
    for refdes, text in labels.items():
        last = text.replace("-", " ").replace("/", " ").split()[-1]
        named = next((f for f in board.firmwares if f.lower() == last.lower()), None)
        named = named or next((f for f in board.firmwares if last.lower().endswith(f.lower())), None)
        if named:
            said.setdefault(named, []).append(refdes)
    if len(said) < 2:
        return labels, ""
    told = joined(
        "; ",
        (
            say("{in_order} say {firmware}", in_order=joined(", ", in_order(refdeses)), firmware=firmware)
            for firmware, refdeses in sorted(said.items())
        ),
    )
    return labels, say(
        "labels of {count} firmware revisions: {told}; read them and compare the checksums", count=len(said), told=told
    )


def revision_effects(board: BoardDefinition, revision: str) -> tuple[str, ...]:
    """What one revision changes against the others: parts fitted or left out, in sentences."""
    limited = [part for part in board.parts if part.revisions]
    fitted = [p for p in limited if revision in p.revisions and set(p.revisions) != set(board.revisions)]
    absent = [p for p in limited if revision not in p.revisions]
    said = []
    for parts, words in ((fitted, say("fitted on this revision only")), (absent, say("not fitted on this revision"))):
        named = {p.refdes: say("{refdes} ({p_number})", refdes=p.refdes, p_number=p.number) for p in parts}
        if named:
            said.append(
                say("{in_order}: {words}", in_order=joined(", ", (named[r] for r in in_order(named))), words=words)
            )
    return tuple(said)


def firmware_effects(board: BoardDefinition, firmware: str) -> tuple[str, ...]:
    """Which ROM sockets tell this firmware from the others, and which are the same in all of them."""
    same: list[str] = []
    own: list[str] = []
    for slot in board.rom_slots:
        others = [slot.expected(f) for f in slot.firmwares if f != firmware]
        if slot.expected(firmware) and others:
            (same if all(o == slot.expected(firmware) for o in others) else own).append(slot.refdes)
    said = []
    if own:
        said.append(
            say(
                "{in_order}: content of firmware {firmware} alone; these decide it",
                in_order=joined(", ", in_order(own)),
                firmware=firmware,
            )
        )
    if same:
        said.append(
            say("{in_order}: the same in every firmware; these cannot decide it", in_order=joined(", ", in_order(same)))
        )
    return tuple(said)
