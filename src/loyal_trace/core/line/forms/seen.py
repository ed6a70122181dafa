"""Observed: `5D.4 corroded`, `C1-C4 leaking`, `socket of 6C loose`; at Inspect a finding alone."""

from collections.abc import Iterable

from loyal_trace.core.job.entries import NamedPart, Observed, Refitted, TakenApart
from loyal_trace.core.line.context import AskedParts, Planned, Refusal, Said
from loyal_trace.core.line.registry import Match, Scope, about, at, form, said
from loyal_trace.core.planning.teardown import parse_step, step_words
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.findings import Finding
from loyal_trace.core.vocabulary.stages import Stage

_WORDS: dict[str, Finding] = {finding.value: finding for finding in Finding if finding is not Finding.NOTED}
_WORDS |= {
    "good": Finding.LOOKS_GOOD,
    "looks fine": Finding.LOOKS_GOOD,
    "looks ok": Finding.LOOKS_GOOD,
    "pin bent": Finding.PIN_BENT,
    "pin bent under": Finding.PIN_BENT,
    "pin missing": Finding.PIN_BENT,
    "joint cracked": Finding.JOINT,
    "joint dull": Finding.JOINT,
    "dull joint": Finding.JOINT,
    "cracked joint": Finding.JOINT,
    "reversed": Finding.REVERSED,
    "fitted backwards": Finding.REVERSED,
    "backwards": Finding.REVERSED,
    "the wrong way round": Finding.REVERSED,
    "pins bent": Finding.PIN_BENT,
    "bent pins": Finding.PIN_BENT,
    "dry joint": Finding.JOINT,
    "cold joint": Finding.JOINT,
    "burnt": Finding.SCORCHED,
    "burned": Finding.SCORCHED,
    "charred": Finding.SCORCHED,
    "leaked": Finding.LEAKING,
    "swollen": Finding.BULGED,
    "very hot": Finding.HOT,
    "gets hot": Finding.HOT,
    "runs hot": Finding.HOT,
    "track broken": Finding.TRACK_DAMAGED,
    "robbed": Finding.MISSING,
    "loose socket": Finding.SOCKET_LOOSE,
    "worn socket": Finding.SOCKET_WORN,
    "bulging": Finding.BULGED,
    "compound missing": Finding.COMPOUND_MISSING,
}
_FINDING = "|".join(sorted((word.replace(" ", r"\s+") for word in _WORDS), key=len, reverse=True))
# Alone, only the finding's own name counts: "good" by itself is a remark, and so is "dark".
_REMARKS = ("good", "lit", "dark")
_BARE_WORDS = "|".join(sorted((w.replace(" ", r"\s+") for w in _WORDS if w not in _REMARKS), key=len, reverse=True))


def _finding(text: str) -> Finding:
    return _WORDS[" ".join(text.lower().split())]


def _observed(part: NamedPart, finding: Finding) -> Planned:
    return at(Observed, part, finding=finding, pin=part.pin)


@form(rf"(?P<at><pin>)\s+(?:is\s+)?(?P<finding>{_FINDING})", "5D.4 corroded", stage=Stage.INSPECT)
def finding_at_a_pin(m: Match, scope: Scope) -> Iterable[Said]:
    """Something seen at one pin."""
    finding = _finding(m["finding"])
    for one in scope.places.find(m["at"]):
        yield said(f"{scope.named(one.one)} {finding}", _observed(one.one, finding))


@form(
    rf"(?P<parts><parts>)\s+(?:is\s+|are\s+)?(?P<finding>{_FINDING})",
    "C1-C4 leaking",
    "5D missing",
    stage=Stage.INSPECT,
)
def finding_at_parts(m: Match, scope: Scope) -> Iterable[Said]:
    """Something seen at one or several parts."""
    finding = _finding(m["finding"])
    for one in scope.places.several(m["parts"]):
        yield said(f"{scope.listed(one.parts)} {finding}", *(_observed(part, finding) for part in one.parts))


@form(
    r"(?:the\s+)?socket\s+(?:of|at)\s+(?P<at><part>)\s+(?:is\s+)?(?P<word>loose|worn|single-wipe)",
    "socket of 6C loose",
    stage=Stage.INSPECT,
)
def socket_seen(m: Match, scope: Scope) -> Iterable[Said]:
    """The state of a socket."""
    finding = {"loose": Finding.SOCKET_LOOSE, "worn": Finding.SOCKET_WORN}.get(m["word"].lower(), Finding.SINGLE_WIPE)
    for one in scope.places.find(m["at"]):
        yield said(f"{scope.named(one.one)} {finding}", _observed(one.one, finding))


@form(rf"(?P<finding>{_BARE_WORDS})", "corroded", stage=Stage.INSPECT, bare=True)
def finding_asked_for(m: Match, scope: Scope) -> Iterable[Said]:
    """A finding alone is about the part that is being inspected, or every part of the area drawn."""
    asked = scope.context.asked
    if isinstance(asked, AskedParts):
        finding = _finding(m["finding"])
        parts = [NamedPart(board=place.board, refdes=place.refdes) for place in asked.places]
        yield said(f"{scope.listed(parts)} {finding}", *(_observed(part, finding) for part in parts))


@form(
    r"off:\s*(?P<rest>\S.*)",
    "off: 4 M3x8 screws, bottom shield",
    "off: ribbon, J3, red stripe left",
    stage=Stage.INSPECT,
)
def taken_off(m: Match, scope: Scope) -> Iterable[Said]:
    """One step of the teardown: count, what, size, where, which way round."""
    try:
        fields = parse_step(m["rest"])
    except RequestError as error:
        raise Refusal("teardown", why=str(error)) from None
    for board in scope.boards(None):
        yield said(f"off: {step_words(fields)}", about(TakenApart, board, **fields))


@form(r"back\s+on:\s*(?:(?P<count>\d{1,3})\s*(?:of\s+)?)?(?P<what>\S.*)", "back on: 3 of screws", stage=Stage.REPAIR)
def put_back_on(m: Match, scope: Scope) -> Iterable[Said]:
    """A step of the teardown undone, wholly or some of its pieces."""
    seen = scope.context.snapshot.seen
    wanted = m["what"].strip().casefold()
    still = [s for s in seen.taken_apart.values() if seen.put_back.get(s.id, 0) < s.count]
    found = [step for step in still if wanted in _names_of(step)]
    if not found:
        raise Refusal("nothing-off", what=m["what"].strip())
    for step in found:
        left = step.count - seen.put_back.get(step.id, 0)
        count = min(left, int(m["count"])) if m["count"] else left
        name = " ".join(f"{step.size} {step.what}".split()) + (f", {step.place}" if step.place else "")
        yield said(f"back on: {count} of {name}", Planned(Refitted, {"target": step.id, "count": count}))


def _names_of(step: TakenApart) -> set[str]:
    """What a step of the teardown can be called: with its size or without, with its place or without."""
    plain = {step.what, " ".join(f"{step.size} {step.what}".split())}
    return {name.casefold() for one in plain for name in (one, f"{one}, {step.place}")}
