"""The rows of the intake sheet that only show: facts, what is away, the estimate, the lines of the first-power risk."""

from loyal_trace.app.job import OpenJob
from loyal_trace.core.assess.away import away, rare_in_place
from loyal_trace.core.assess.effort import estimate
from loyal_trace.core.assess.first_power import PowerRisk
from loyal_trace.core.boards.revisions import label_words
from loyal_trace.ui.widgets.rows import Cell, Row


def fact_rows(session: OpenJob) -> list[Row]:
    """Owner, complaint, and each board with its serial and labels."""
    state = session.snapshot
    facts = [("Owner", state.owner), ("Complaint", state.complaint)]
    warnings = []
    choices = {what: decided.choice for what, decided in state.paper.decisions.items()}
    for board_id, board in session.boards.items():
        serial = choices.get(f"serial {board_id}", "")
        about = f"{board.maker} {board.year or ''}, {len(board.parts)} parts".strip(", ")
        facts.append((board.title, f"{about}, serial {serial}" if serial else about))
        labels, warning = label_words(board, board_id, choices)
        if labels:
            facts.append(("", "labels: " + "; ".join(f"{refdes} “{text}”" for refdes, text in labels.items())))
        if warning:
            warnings.append(warning)
        facts += [("", f"told apart by: {mark}") for mark in board.revision_marks if not board.marks]
    rows = [Row("", (Cell(8, 150, name, bold=True), Cell(164, 0, text)), height=23 if len(text) < 76 else 42)
            for name, text in facts if text]  # fmt: skip
    return rows + [Row("doubtful", (Cell(40, 0, text),), height=24 if len(text) < 92 else 42) for text in warnings]


def away_rows(session: OpenJob) -> list[Row]:
    """What is missing, on the shelf or on loan, and rare parts that still sit on a board."""
    moment = session.moment
    rows = [Row("bad" if a.what == "missing" else "doubtful", (Cell(40, 0, a.words),), height=24) for a in away(moment)]
    for board_id, refdes in rare_in_place(moment):
        text = f"{refdes} of {moment.boards[board_id].name} is rare: take it out first, and type “{refdes} shelf …”"
        rows.append(Row("unknown", (Cell(40, 0, text),), height=24))
    return [Row("", (), heading="Away, on loan, to be kept safe", height=30), *rows] if rows else []


def effort_rows(session: OpenJob) -> list[Row]:
    """Hours, parts and chance as far as they are known."""
    found = estimate(session.assessment(), session.live_times())
    heading = f"Value against effort: an estimate, {found.known:.0%} of the looking and measuring done"
    rows = [Row("", (Cell(40, 0, text),), height=23) for text in found.sentences]
    return [Row("", (), heading=heading, height=30), *rows]


def risk_rows(risk: PowerRisk) -> list[Row]:
    """What the risk of the first power-up is made of."""
    rows = []
    for points, text in sorted(risk.lines, key=lambda line: -abs(line[0])):
        if points:
            rows.append(Row("", (Cell(164, 60, f"{points:+.0%}".replace("-", "−")), Cell(230, 0, text)), height=21))
    rows.append(Row("", (Cell(164, 0, f"speaks for: {risk.advice}", bold=True),), height=22))
    return rows
