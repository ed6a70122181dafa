"""Symptoms, functions, checks, starts, pairs of codes, controls."""

import re
from collections.abc import Iterable, Iterator

from loyal_trace.core.job.entries import (
    CheckResult,
    ControlMeasured,
    ControlPoint,
    FunctionSeen,
    NamedPart,
    NotTestable,
    PairSeen,
    StageSeen,
    Started,
    SymptomSeen,
)
from loyal_trace.core.job.snapshot import SymptomKey
from loyal_trace.core.line.context import Planned, Refusal, Said
from loyal_trace.core.line.registry import Match, Scope, about, form, said
from loyal_trace.core.line.values import NUMBER, VALUE, percent, read_values, typed_value
from loyal_trace.core.vocabulary.quantities import Quantity
from loyal_trace.core.vocabulary.stages import Stage

_ON = r"(?:(?P<on><board>)\s+)?"
_UNITS = {
    "s": 1.0,
    "sec": 1.0,
    "second": 1.0,
    "seconds": 1.0,
    "min": 60.0,
    "minute": 60.0,
    "minutes": 60.0,
    "h": 3600.0,
    "hour": 3600.0,
    "hours": 3600.0,
    "day": 86400.0,
    "days": 86400.0,
}
_TIME = rf"(?P<off>\d+(?:[.,]\d+)?)\s*(?P<unit>{'|'.join(sorted(_UNITS, key=len, reverse=True))})"


def _boards_of_symptom(scope: Scope, on: str | None, text: str) -> list[SymptomKey]:
    """The symptoms meant: those of that text that a board lists or that were seen, else a new one."""
    proving = scope.context.snapshot.proving
    boards = scope.boards(on)
    listed = [SymptomKey(b, known) for b, board in scope.context.boards.items() for known, _ in board.symptoms]
    known = [key for key in dict.fromkeys((*proving.symptoms, *listed)) if key.text.casefold() == text.casefold()]
    if on or scope.context.board:
        known = [key for key in known if key.board in boards]
    seen = [key for key in known if key in proving.symptoms]
    return seen or known


_AND_GONE = re.compile(r"(.+?)\s*[,;-]?\s+(?:is\s+)?(?:gone|fixed|cured|works|ok|okay)(?:\s+now)?", re.IGNORECASE)
_AT_PART = re.compile(r"(.+?)\s+(?:at|after)\s+(\S+)", re.IGNORECASE)


@form(
    rf"{_ON}symptom(?P<state>\s+gone|\s+partly)?:\s*(?P<text>\S.*)",
    "symptom: no sound",
    "symptom gone: no sound",
    "symptom partly: no sound",
    stage=Stage.INTAKE,
)
def symptom(m: Match, scope: Scope) -> Iterable[Said]:
    """Something that a board does wrong: present, partly gone, gone."""
    text, state = m["text"].strip().rstrip("."), (m["state"] or "").strip().lower()
    found = _boards_of_symptom(scope, m["on"], text)
    if state == "gone" and not any(key in scope.context.snapshot.proving.symptoms for key in found):
        known = "; ".join(key.text for key in scope.context.snapshot.proving.symptoms)
        raise Refusal("no-symptom", text=text, known=known)
    for key in found or [SymptomKey(board, text) for board in scope.boards(m["on"])]:
        yield _symptom_seen(scope, key, state)
    and_gone = None if state else _AND_GONE.fullmatch(text)
    for key in _boards_of_symptom(scope, m["on"], and_gone[1]) if and_gone else ():
        if key in scope.context.snapshot.proving.symptoms:
            # “no sound, gone” may be a new symptom, and more likely is the old one gone.
            yield _symptom_seen(scope, key, "gone")


def _symptom_seen(scope: Scope, key: SymptomKey, state: str) -> Said:
    fields = {"text": key.text, "present": state != "gone", "partly": state == "partly"}
    words = f"symptom {state}: " if state else "symptom: "
    return said(f"{scope.board_words(key.board)}{words}{key.text}", about(SymptomSeen, key.board, **fields))


@form(
    rf"{_ON}(?P<state>works|fails|partly):\s*(?P<names>\S.*)",
    "works: speech, engine",
    "fails: gun",
    "works: gun at U7",
    stage=Stage.SUSPECTS,
)
def functions(m: Match, scope: Scope) -> Iterable[Said]:
    """Functions of the board that work, fail, or work partly; with a part, the signal after it."""
    names = [name.strip() for name in m["names"].split(",") if name.strip()]
    for board in scope.boards(m["on"]):
        entries = [_function(scope, board, name, m["state"].lower()) for name in names]
        yield said(f"{scope.board_words(board)}{m['state'].lower()}: {', '.join(names)}", *entries)


def _function(scope: Scope, board: str, name: str, state: str) -> Planned:
    """A function, or its signal after a part of the board that is named with it."""
    match = _AT_PART.fullmatch(name)
    known = scope.places.refdes.get(board, {})
    if match is not None and match[2].casefold() in known:
        member = NamedPart(board=board, refdes=known[match[2].casefold()])
        return about(StageSeen, board, name=" ".join(match[1].split()), member=member, state=state)
    return about(FunctionSeen, board, name=name, state=state)


def _item(scope: Scope, on: str | None, text: str) -> list[tuple[str, str]]:
    """(board, item) meant by a name: one of a checklist, one checked before, else a new one."""
    proving, wanted = scope.context.snapshot.proving, text.casefold()
    listed = [(b, item.name) for b, board in scope.context.boards.items() for item in board.checklist]
    known = dict.fromkeys((*listed, *((key.board, key.item) for key in (*proving.tests, *proving.not_testable))))
    boards = scope.boards(on)
    found = [(b, item) for b, item in known if item.casefold() == wanted and (b in boards or boards == [""])]
    return found or [(board, text) for board in boards]


@form(
    rf"{_ON}check:\s*(?P<item>[^:]*?[^\s,:])\s+(?P<end>ok|passes|passed|works|fails|failed)(?:\s*,\s*(?P<why>\S.*))?",
    "check: keyboard ok",
    "check: joystick fails, left dead",
    stage=Stage.VERIFY,
)
def checked(m: Match, scope: Scope) -> Iterable[Said]:
    """One item tested."""
    passed = m["end"].lower() in ("ok", "passes", "passed", "works")
    for board, item in _item(scope, m["on"], m["item"].strip()):
        more = {"note": m["why"].strip()} if m["why"] else {}
        tail = f", {m['why'].strip()}" if m["why"] else ""
        yield said(
            f"{scope.board_words(board)}check: {item} {'ok' if passed else 'fails'}{tail}",
            about(CheckResult, board, item=item, passed=passed, **more),
        )


@form(
    rf"{_ON}not\s+testable:\s*(?P<rest>[^:]*?[^\s,:]\s*,\s*\S.*)",
    "not testable: joystick, no harness",
    stage=Stage.VERIFY,
)
def not_testable(m: Match, scope: Scope) -> Iterable[Said]:
    """One item that cannot be tested here, with its reason."""
    name, reason = _item_and_reason(scope, m["rest"])
    for board, item in _item(scope, m["on"], name):
        yield said(
            f"{scope.board_words(board)}not testable: {item}, {reason}",
            about(NotTestable, board, item=item, reason=reason),
        )


def _item_and_reason(scope: Scope, text: str) -> tuple[str, str]:
    """An item and the reason after it; an item of a checklist may have commas of its own."""
    listed = [item.name for board in scope.context.boards.values() for item in board.checklist]
    for name in sorted(listed, key=len, reverse=True):
        if text.casefold().startswith(f"{name.casefold()},"):
            return name, text[len(name) + 1 :].strip()
    name, _, reason = text.partition(",")
    return name.strip(), reason.strip()


def off_time(scope: Scope, said_seconds: float | None) -> float | None:
    """How long it had been off: what was said, else the time since the last start, else not known."""
    if said_seconds is not None:
        return said_seconds
    proving = scope.context.snapshot.proving
    last = max((s.time for s in (*proving.starts, *proving.starts_before)), default=None)
    return (scope.context.now - last).total_seconds() if last is not None and scope.context.now > last else None


@form(
    rf"{_ON}start\s+(?P<end>ok|clean|failed|fails)(?:\s+code\s+(?P<code>[\w.-]+(?:\s+\d+)?))?(?:\s+off\s+(?:for\s+)?{_TIME})?",
    "start ok",
    "start failed code 3",
    "start failed off 10 min",
    stage=Stage.VERIFY,
)
def started(m: Match, scope: Scope) -> Iterable[Said]:
    """The board was powered up."""
    clean = m["end"].lower() in ("ok", "clean")
    if clean and m["code"]:
        raise Refusal("code-of-a-clean-start")
    seconds = float(m["off"].replace(",", ".")) * _UNITS[m["unit"].lower()] if m["off"] else None
    code = " ".join((m["code"] or "").split())
    tail = (f" code {code}" if code else "") + (
        f" off {m['off'].replace(',', '.')} {m['unit'].lower()}" if m["off"] else ""
    )
    # Boards of one set are powered together: a start is of one of them only where that is said.
    on = scope.boards(m["on"]) if m["on"] or scope.context.board or len(scope.context.boards) == 1 else [""]
    for board in on:
        entry = about(Started, board, clean=clean, code=code, off_seconds=off_time(scope, seconds))
        yield said(f"{scope.board_words(board)}start {'ok' if clean else 'failed'}{tail}", entry)


@form(
    rf"{_ON}(?P<count>\d{{1,2}})\s+starts?\s+(?P<end>ok|clean|failed|fail)",
    "5 starts ok",
    stage=Stage.VERIFY,
)
def several_started(m: Match, scope: Scope) -> Iterable[Said]:
    """Starts counted one after the other, all clean or all failed; how long it was off between them is not known."""
    count, clean = int(m["count"]), m["end"].lower() in ("ok", "clean")
    on = scope.boards(m["on"]) if m["on"] or scope.context.board or len(scope.context.boards) == 1 else [""]
    for board in on if count else ():
        entries = (about(Started, board, clean=clean, code="", off_seconds=None) for _ in range(count))
        starts = "start" if count == 1 else "starts"
        yield said(f"{scope.board_words(board)}{count} {starts} {'ok' if clean else 'failed'}", *entries)


@form(
    rf"{_ON}sent\s+(?P<sent>[0-9A-F]{{1,8}}|\"[^\"]\")\s+shown\s+(?P<shown>[0-9A-F]{{1,8}}|\"[^\"]\")",
    "sent 41 shown 45",
    'sent "A" shown "E"',
    stage=Stage.SUSPECTS,
)
def pair(m: Match, scope: Scope) -> Iterable[Said]:
    """A code sent and the code that came out, in hexadecimal, or as characters in quotation marks."""
    text = m["sent"].startswith('"')
    if text != m["shown"].startswith('"'):
        raise Refusal("pair-of-two-kinds")
    sent, shown = (one.strip('"') if text else one.upper() for one in (m["sent"], m["shown"]))
    typed = f'sent "{sent}" shown "{shown}"' if text else f"sent {sent} shown {shown}"
    for board in scope.boards(m["on"]):
        yield said(f"{scope.board_words(board)}{typed}", about(PairSeen, board, sent=sent, shown=shown, text=text))


_TRAVEL = rf"{NUMBER}\s*%\s*=\s*{VALUE}\s*(?:ohms?|Ω)?"


@form(
    rf"{_ON}control\s+(?P<name>[\w/+-]+)\s+(?P<points>{_TRAVEL}(?:[\s,]+{_TRAVEL})+)",
    "control X 0%=12k 50%=51k 100%=99k",
    stage=Stage.VERIFY,
)
def control(m: Match, scope: Scope) -> Iterable[Said]:
    """A control over its travel."""
    points = tuple(sorted(_points(m["points"]), key=lambda p: p.travel))
    if len({p.travel for p in points}) < len(points):
        raise Refusal("travel-twice", name=m["name"])
    told = " ".join(f"{percent(p.travel)}={typed_value(p.value, Quantity.RESISTANCE).split()[0]}" for p in points)
    for board in scope.boards(m["on"]):
        yield said(
            f"{scope.board_words(board)}control {m['name']} {told}",
            about(ControlMeasured, board, name=m["name"], points=points),
        )


def _points(text: str) -> Iterator[ControlPoint]:
    for piece in re.findall(_TRAVEL, text, re.I):
        travel, _, value = piece.partition("=")
        share = float(travel.replace("%", "").replace(",", ".")) / 100
        ohms = read_values(value, "Ω")
        if not 0 <= share <= 1 or len(ohms) != 1 or ohms[0] < 0:
            raise Refusal("impossible-value", value=piece, quantity="control")
        yield ControlPoint(travel=share, value=ohms[0])
