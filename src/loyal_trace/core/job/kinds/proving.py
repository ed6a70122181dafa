"""Entries of proving: symptoms, functions, starts, checks."""

from typing import Literal

from pydantic import Field

from loyal_trace.core.job.base import Entry, NamedPart, Raw, kind
from loyal_trace.core.job.draft import Draft
from loyal_trace.core.job.snapshot import CheckKey, SymptomKey
from loyal_trace.core.vocabulary.phrases import say, term
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.units import format_duration

_INVENTED_OFF_SECONDS = 60.0


def _symptom(draft: Draft, entry: "SymptomSeen") -> None:
    draft.proving.symptoms[entry.key] = entry


def _function(draft: Draft, entry: "FunctionSeen") -> None:
    draft.proving.functions.add(CheckKey(entry.board, entry.name), entry)


def _stage(draft: Draft, entry: "StageSeen") -> None:
    draft.proving.stages.add(CheckKey(entry.board, entry.name), entry)


def _started(draft: Draft, entry: "Started") -> None:
    draft.proving.starts.add(entry)


def _test_result(draft: Draft, entry: "CheckResult") -> None:
    draft.proving.tests[CheckKey(entry.board, entry.item)] = entry
    draft.proving.not_testable.discard(CheckKey(entry.board, entry.item))


def _not_testable(draft: Draft, entry: "NotTestable") -> None:
    draft.proving.not_testable[CheckKey(entry.board, entry.item)] = entry


def _off_time_unknown(raw: Raw) -> Raw:
    """Version 1 wrote 60 s for every start typed by hand, whatever the pause was: it is not known."""
    return {**raw, "off_seconds": None} if raw.get("off_seconds") == _INVENTED_OFF_SECONDS else raw


def _started_words(entry: "Started") -> str:
    told = say("clean start") if entry.clean else say("failed start")
    told += say(", code {code}", code=entry.code) if entry.code else ""
    told += (
        say(", off for {off_seconds}", off_seconds=format_duration(entry.off_seconds))
        if entry.off_seconds is not None
        else ""
    )
    return told


def _symptom_words(entry: "SymptomSeen") -> str:
    state = say("partly gone") if entry.partly else say("present") if entry.present else say("gone")
    return say("symptom {state}: {text}", state=state, text=entry.text)


def _result_words(entry: "CheckResult") -> str:
    return say("{item}: passed" if entry.passed else "{item}: failed", item=entry.item)


@kind(_symptom, _symptom_words, Stage.INTAKE)
class SymptomSeen(Entry):
    """Something that a board does wrong: present, partly gone (still present, but less), or gone."""

    kind: Literal["symptom"] = "symptom"
    text: str
    present: bool = True
    partly: bool = False

    @property
    def key(self) -> SymptomKey:
        """A symptom of one board is none of another."""
        return SymptomKey(self.board, self.text)


@kind(_function, lambda e: say("{name} {state}", name=e.name, state=term(e.state)), Stage.SUSPECTS)
class FunctionSeen(Entry):
    """A function of the board works, fails, or works partly."""

    kind: Literal["function"] = "function"
    name: str
    state: Literal["works", "fails", "partly"]


@kind(
    _stage,
    lambda e: say("{name} {state} at {place}", name=e.name, state=term(e.state), place=e.member.name),
    Stage.SUSPECTS,
)
class StageSeen(Entry):
    """The signal of a function after one part of its path: right there, wrong, or partly right."""

    kind: Literal["stage"] = "stage"
    name: str
    member: NamedPart
    state: Literal["works", "fails", "partly"]


@kind(_started, _started_words, Stage.VERIFY, {1: _off_time_unknown})
class Started(Entry):
    """The board was powered up: clean or failed, its code, how long it had been off (second; None: not known)."""

    kind: Literal["started"] = "started"
    clean: bool
    code: str = ""
    off_seconds: float | None = Field(default=None, ge=0)


@kind(_test_result, _result_words, Stage.VERIFY)
class CheckResult(Entry):
    """One item of the checklist was tested."""

    kind: Literal["test_result"] = "test_result"
    item: str
    passed: bool


@kind(_not_testable, lambda e: say("{item}: not testable here, {reason}", item=e.item, reason=e.reason), Stage.VERIFY)
class NotTestable(Entry):
    """One item cannot be tested on this bench, with the reason."""

    kind: Literal["not_testable"] = "not_testable"
    item: str
    reason: str
