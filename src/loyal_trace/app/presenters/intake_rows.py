"""The rows of the intake sheet that only show: facts, what is away, the estimate, the lines of the first-power risk."""

from loyal_trace.app.job import OpenJob
from loyal_trace.app.presenters.model import Cell, Row, heading, line
from loyal_trace.core.assess.away import away, rare_in_place
from loyal_trace.core.assess.effort import estimate
from loyal_trace.core.assess.first_power import PowerRisk
from loyal_trace.core.assess.known import known_of
from loyal_trace.core.assess.told import SAID, Claim, Conflict
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.boards.revisions import RevisionFinding, firmware_effects, label_words, revision_effects
from loyal_trace.core.parts.marking import parse_marking
from loyal_trace.core.vocabulary.phrases import joined, plain, say, term


def fact_rows(job: OpenJob) -> list[Row]:
    """Owner, complaint, and each board with its serial and labels."""
    state = job.snapshot
    facts = [(say("Owner"), state.owner), (say("Complaint"), state.complaint)]
    warnings = []
    choices = {what: decided.choice for what, decided in state.paper.decisions.items()}
    for board_id, board in job.boards.items():
        serial = choices.get(f"serial {board_id}", "")
        about = say(
            "{maker} {year}, {count} parts", maker=board.maker, year=board.year or "", count=len(board.parts)
        ).strip(", ")
        facts.append((board.title, say("{about}, serial {serial}", about=about, serial=serial) if serial else about))
        labels, warning = label_words(board, board_id, choices)
        if labels:
            facts.append(
                (
                    "",
                    "labels: "
                    + joined(
                        "; ", (say("{refdes} “{text}”", refdes=refdes, text=text) for refdes, text in labels.items())
                    ),
                )
            )
        if warning:
            warnings.append(warning)
        facts += [("", say("distinguished by: {mark}", mark=mark)) for mark in board.revision_marks if not board.marks]
    rows = [_fact(name, text) for name, text in facts if text]
    return rows + [line(text, "doubtful") for text in warnings]


def _fact(name: str, text: str) -> Row:
    cells = (Cell(8, 150, name, bold=True), Cell(164, 0, text))
    return Row("", cells, height=23 if len(text) < 76 else 42)


def known_rows(job: OpenJob, board: BoardDefinition) -> list[Row]:
    """What is known of a board that grew in the job, each with where it comes from."""
    aspects = known_of(job.moment, board, board.id in job.defined)
    if not aspects:
        return []
    rows = [heading(say("Known about {board}", board=board.title), 28)]
    for aspect in aspects:
        cells = (Cell(40, 150, aspect.name, bold=True), Cell(194, 200, aspect.told), Cell(400, 0, aspect.origin))
        rows.append(Row(aspect.state, cells, height=23))
    return rows


def conflict_row(conflict: Conflict) -> Row:
    """Sources that disagree: the one that counts, and what the others say."""
    first, *others = conflict.claims
    text = say(
        "{refdes}, {aspect}: {counts} counts ({origin}), but {others}",
        refdes=conflict.place.refdes,
        aspect=term(conflict.aspect),
        counts=first.words,
        origin=_source(first),
        others=joined("; ", (say("{words} ({origin})", words=c.words, origin=_source(c)) for c in others)),
    )
    return line(text, "doubtful")


def _source(claim: Claim) -> str:
    if claim.source:
        return claim.source
    return say("entered") if claim.origin == SAID else say("board folder")


def settling_line(conflict: Conflict, job: OpenJob) -> str:
    """The line that settles a conflict the other way, to be changed or entered as it is."""
    claim, refdes = conflict.claims[-1], conflict.place.refdes
    if claim.aspect == "type":
        kind = job.moment.part(conflict.place).kind
        marked = parse_marking(claim.words, kind, job.library) is not None
        return " ".join((refdes, "is" if marked else "is type", plain(claim.words)))
    if claim.aspect == "position":
        x, y, turned = claim.value
        return f"{refdes} at {x:g}, {y:g} mm" + (f" turned {turned}" if turned else "")
    if claim.aspect == "connection":
        return " = ".join(claim.value[1:])
    if claim.aspect == "socket":
        return " ".join((refdes, "is", "socketed" if claim.value[0] else "soldered"))
    return " ".join((refdes, f"{claim.value[0]:g}", "mm high"))


def away_rows(job: OpenJob) -> list[Row]:
    """What is missing, on the shelf or on loan, and rare parts that still sit on a board."""
    moment = job.moment
    rows = [line(a.words, "bad" if a.what == "missing" else "doubtful") for a in away(moment)]
    for board_id, refdes in rare_in_place(moment):
        name = moment.boards[board_id].name
        rows.append(
            line(
                say(
                    "{refdes} of {name} is rare: take it out first and store it; type {refdes} shelf: box 3",
                    refdes=refdes,
                    name=name,
                ),
                "unknown",
            )
        )
    return [heading(say("Missing, borrowed, stored safely"), 30), *rows] if rows else []


def effort_rows(job: OpenJob) -> list[Row]:
    """Hours, parts and chance as far as they are known."""
    found = estimate(job.assessment())
    title = say(
        "Value against effort: an estimate, inspection and measuring {known:.0f} % done", known=100 * found.known
    )
    return [heading(title, 30), *(Row("", (Cell(40, 0, text),), height=23) for text in found.sentences)]


def risk_rows(risk: PowerRisk) -> list[Row]:
    """What the risk of the first power-up is made of."""
    rows = []
    for points, text in sorted(risk.lines, key=lambda one: -abs(one[0])):
        if points:
            rows.append(
                Row(
                    "",
                    (
                        Cell(164, 60, say("{points:+d}", points=round(100 * points)).replace("-", "−")),
                        Cell(230, 0, text),
                    ),
                    height=21,
                )
            )
    rows.append(Row("", (Cell(164, 0, say("suggests: {advice}", advice=risk.advice), bold=True),), height=22))
    return rows


def revision_rows(job: OpenJob, board_id: str, of: str, finding: RevisionFinding) -> list[Row]:
    """What is left of the revisions, what disagrees, and what the revision changes."""
    board = job.defined[board_id]
    rows = [line(text, "doubtful") for text in finding.warnings]
    if finding.settled:
        effects = firmware_effects if of == "firmware" else revision_effects
        rows.append(line(say("{of} revision {settled}", of=of, settled=finding.settled), "good", bold=True))
        rows += [Row("", (Cell(64, 0, text),), height=22) for text in effects(board, finding.settled)]
    elif len(finding.possible) > 1 and any(mark.of == of for mark in board.marks):
        rows.append(
            line(
                say("{of} revision not decided: {possible}", of=of, possible=joined(say(" or "), finding.possible)),
                "unknown",
            )
        )
    return rows
