"""Work beyond the evidence: `service out: J1`, `improve REG1: …; back: …`, `REG1 has no heat sink`."""

from collections.abc import Iterable

from loyal_trace.core.job.entries import ExtraTicked, PartTold, Worked
from loyal_trace.core.line.context import Refusal, Said
from loyal_trace.core.line.registry import Match, Scope, about, at, form, said
from loyal_trace.core.vocabulary.stages import Stage

_NUMBER = r"\d{1,4}(?:[.,]\d{1,3})?"
_BACK = r"(?:\s*;\s*back\s*:\s*(?P<back>\S.*?))?"


@form(r"service\s+out:\s*(?P<parts><parts>)", "service out: J1 -- its contacts are new", stage=Stage.PLAN)
def service_out(m: Match, scope: Scope) -> Iterable[Said]:
    """Parts of the usual service that stay in this job; why stands after the dashes."""
    for one in scope.places.several(m["parts"]):
        entries = (at(ExtraTicked, part, sort="usual service", choice="out") for part in one.parts)
        yield said(f"service out: {scope.listed(one.parts)}", *entries)


@form(
    r"reflow(?:\s+(?P<out>out))?:\s*(?P<parts><parts>)",
    "reflow: J1",
    "reflow out: J1 -- its joints are new",
    stage=Stage.PLAN,
)
def reflow(m: Match, scope: Scope) -> Iterable[Said]:
    """Joints that are reflowed in this job, or left as they are; why stands after the dashes."""
    choice = "out" if m["out"] else "in"
    for one in scope.places.several(m["parts"]):
        entries = (at(ExtraTicked, part, sort="reflow", choice=choice) for part in one.parts)
        yield said(f"reflow{' out' if m['out'] else ''}: {scope.listed(one.parts)}", *entries)


@form(
    rf"improve\s+(?P<at><part>)\s*:\s*(?P<what>\S[^;]*?){_BACK}",
    "improve REG1: diode from output to input; back: unsolder the diode",
    stage=Stage.PLAN,
)
def improve(m: Match, scope: Scope) -> Iterable[Said]:
    """A modification that is wanted, and the way back from it."""
    what, back = " ".join(m["what"].split()), " ".join((m["back"] or "").split())
    for one in scope.places.find(m["at"]):
        entry = at(ExtraTicked, one.one, sort="improvement", choice="in", what=what, back=back)
        yield said(f"improve {scope.named(one.one)}: {what}{f'; back: {back}' if back else ''}", entry)


@form(
    r"improve\s+out\s+(?P<at><part>)\s*:\s*(?P<what>\S.*)",
    "improve out REG1: diode from output to input -- the owner wants it as made",
    stage=Stage.PLAN,
)
def improve_out(m: Match, scope: Scope) -> Iterable[Said]:
    """A modification that is left out; why stands after the dashes."""
    what = " ".join(m["what"].split())
    for one in scope.places.find(m["at"]):
        entry = at(ExtraTicked, one.one, sort="improvement", choice="out", what=what)
        yield said(f"improve out {scope.named(one.one)}: {what}", entry)


@form(
    rf"(?P<at><part>)\s+modified\s*:\s*(?P<what>\S[^;]*?){_BACK}",
    "REG1 modified: diode from output to input; back: unsolder the diode",
    stage=Stage.REPAIR,
)
def modified(m: Match, scope: Scope) -> Iterable[Said]:
    """A modification that was made, and the way back from it."""
    what, back = " ".join(m["what"].split()), " ".join((m["back"] or "").split())
    detail = f"{what}; back: {back}" if back else what
    for one in scope.places.find(m["at"]):
        entry = about(Worked, one.board, action="modified", parts=(one.one,), detail=detail)
        yield said(f"{scope.named(one.one)} modified: {detail}", entry)


@form(r"(?P<at><part>)\s+modification\s+undone", "REG1 modification undone", stage=Stage.REPAIR)
def modification_undone(m: Match, scope: Scope) -> Iterable[Said]:
    """A modification was taken off again: the board is there as it was made."""
    for one in scope.places.find(m["at"]):
        entry = about(Worked, one.board, action="modification undone", parts=(one.one,))
        yield said(f"{scope.named(one.one)} modification undone", entry)


@form(
    rf"(?P<at><part>)\s+(?:has\s+(?:a\s+)?)?heat\s*sink\s+(?:of\s+)?(?P<value>{_NUMBER})\s*K/W",
    "REG1 has a heat sink of 8 K/W",
    stage=Stage.PLAN,
)
def has_sink(m: Match, scope: Scope) -> Iterable[Said]:
    """The thermal resistance of the heat sink that a part has."""
    value = float(m["value"].replace(",", "."))
    if value <= 0:
        raise Refusal("impossible-value", value=m["value"], quantity="thermal resistance")
    for one in scope.places.find(m["at"]):
        yield said(f"{scope.named(one.one)} has a heat sink of {value:g} K/W", at(PartTold, one.one, sink=value))


@form(r"(?P<at><part>)\s+has\s+no\s+heat\s*sink", "REG1 has no heat sink", stage=Stage.PLAN)
def has_no_sink(m: Match, scope: Scope) -> Iterable[Said]:
    """A part stands free: whether that is enough is computed."""
    for one in scope.places.find(m["at"]):
        yield said(f"{scope.named(one.one)} has no heat sink", at(PartTold, one.one, sink=0.0))


@form(
    r"heat\s*sink\s+(?P<which>in|out):\s*(?P<parts><parts>)",
    "heat sink in: REG1",
    "heat sink out: REG1 -- it is screwed to the case",
    stage=Stage.PLAN,
)
def sink_ticked(m: Match, scope: Scope) -> Iterable[Said]:
    """A heat sink that is fitted in this job, or left out; why stands after the dashes."""
    which = m["which"].lower()
    for one in scope.places.several(m["parts"]):
        entries = (at(ExtraTicked, part, sort="heat sink", choice=which) for part in one.parts)
        yield said(f"heat sink {which}: {scope.listed(one.parts)}", *entries)


@form(
    rf"(?P<at><part>)\s+dissipates\s+(?P<value>{_NUMBER})\s*(?P<milli>m)?W", "AMP1 dissipates 2.5 W", stage=Stage.PLAN
)
def dissipates(m: Match, scope: Scope) -> Iterable[Said]:
    """How much heat a part makes: whether it needs a heat sink follows."""
    value = float(m["value"].replace(",", "."))
    if value <= 0:
        raise Refusal("impossible-value", value=m["value"], quantity="heat")
    watt = value / 1000 if m["milli"] else value
    for one in scope.places.find(m["at"]):
        yield said(f"{scope.named(one.one)} dissipates {watt:g} W", at(PartTold, one.one, heat=watt))
