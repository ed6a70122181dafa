"""Suspects: everything known, weighed part by part; the reasons of the picked one; what is worth doing next."""

from loyal_trace.app.presenters.base import StagePresenter
from loyal_trace.app.presenters.model import NO_ROWS, Action, Cell, Meaning, Page, Row, Rows, heading
from loyal_trace.core.assess.suspects import NextThing, Suspect, cleared
from loyal_trace.core.vocabulary.identity import PartRef, in_order
from loyal_trace.core.vocabulary.phrases import capital, joined, say
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.units import count_of, format_percent

RANKED, REASONS, THINGS = say("suspects"), say("reasons"), say("next three measurements")
_LISTED = 8
_HINT = say("{typed}; or a note", typed="swap 5D and 5A: moves; 6A out: gone; pressed 6D: comes back")


class SuspectsPresenter(StagePresenter):
    """Ranked suspects; what is recorded goes to the part that is named or picked, listed or not."""

    stage = Stage.SUSPECTS

    def _suspects(self) -> list[Suspect]:
        return [s for s in self.workspace.assessment().suspects if s.against][:_LISTED]

    def _current(self) -> Suspect | None:
        """The suspect whose reasons are shown: the picked part, if anything is known of it; else the likeliest."""
        if self.workspace.picked_part is not None:
            return self.workspace.assessment().suspect_at(self.workspace.place)
        return next(iter(self._suspects()), None)

    def page(self) -> Page:
        found, suspects, current = self.workspace.assessment(), self._suspects(), self._current()
        lines = sum(len(s.evidence) for s in found.suspects)
        healthy = cleared(found.suspects)
        about = say(
            "{lines} of evidence on {parts}", lines=count_of(lines, "line"), parts=count_of(len(found.suspects), "part")
        )
        index = next((i for i, s in enumerate(suspects) if current and s.place == current.place), -1)
        return Page(
            say("Which part is faulty, and why?"),
            say("{about} · evidence in favour of {parts}", about=about, parts=count_of(len(healthy), "part")),
            self._meaning(current),
            self.target(_HINT),
            self._actions(),
            lists={
                RANKED: Rows(tuple(self._suspect_row(s) for s in suspects), index),
                REASONS: _reason_rows(current),
                THINGS: _thing_rows(found.next),
            },
        )

    def _suspect_row(self, suspect: Suspect) -> Row:
        kind = _kind(suspect, "unknown")
        cells = (
            Cell(36, 84, self.workspace.place_name(suspect.place), bold=True, mono=True),
            Cell(124, 190, suspect.what),
            Cell(522, 76, format_percent(suspect.probability), kind, bold=True, mono=True),
            Cell(602, 0, say("{lines}", lines=count_of(len(suspect.evidence), "line"))),
        )
        return Row(kind, cells, (322.0, 188.0, suspect.probability, "ink"), height=25)

    def _actions(self) -> tuple[Action, ...]:
        if not self.workspace.assessment().next:
            return ()
        return (
            Action(
                "D",
                say("Go to the measurement"),
                lambda: self._jump(0),
                say("Goes to the stage and the part of the first"),
                main=True,
            ),
        )

    def _meaning(self, suspect: Suspect | None) -> Meaning:
        things = self.workspace.assessment().next
        following = say("{text}.", text=capital(things[0].text)) if things else say("Plan the repair (Ctrl+7).")
        if suspect is None:
            picked = self.workspace.picked_part
            if picked is not None and self._suspects():
                return Meaning(say("There is no evidence about {refdes} yet.", refdes=picked.refdes), following)
            return Meaning(say("No part is suspected yet."), say("Read the ROMs, probe a chip or enter a symptom."))
        strongest = suspect.against[0].text if suspect.against else say("no evidence against it")
        healthy = in_order(set(cleared(self.workspace.assessment().suspects)))
        aside = say("Evidence so far is in favour of: {healthy}", healthy=joined(", ", healthy[:14])) if healthy else ""
        likely = format_percent(suspect.probability)
        why = say(
            "Probability that {refdes} is faulty: {likely}. Strongest evidence: {strongest}.",
            refdes=suspect.place.refdes,
            likely=likely,
            strongest=strongest,
        )
        return Meaning(why, following, _kind(suspect, "good"), aside)

    def row_picked(self, name: str, index: int) -> None:
        if name == RANKED:
            self.workspace.pick(*self._suspects()[index].place)
        elif name == THINGS:
            self._jump(index - 1)

    def move(self, step: int) -> None:
        places = [s.place for s in self._suspects()]
        if places:
            at = places.index(self.workspace.place) if self.workspace.place in places else (-1 if step > 0 else 0)
            self.workspace.pick(*places[(at + step) % len(places)])

    def _jump(self, index: int) -> None:
        """Goes to the stage and place of one of the next things."""
        things = self.workspace.assessment().next
        if 0 <= index < len(things):
            self._go(things[index].place, things[index].stage)

    def _go(self, place: PartRef, stage: Stage) -> None:
        self.workspace.pick(*place)
        self.workspace.stage_asked.emit(stage)


def _kind(suspect: Suspect, otherwise: str) -> str:
    return "bad" if suspect.probability >= 0.5 else "doubtful" if suspect.probability >= 0.2 else otherwise


def _reason_rows(suspect: Suspect | None) -> Rows:
    """Every strong line for and against one part."""
    if suspect is None:
        return NO_ROWS
    start = say("before any evidence: {prior} (prior probability by kind and age)", prior=format_percent(suspect.prior))
    rows = [heading(say("Why {refdes}: {start}", refdes=suspect.place.refdes, start=start), 26)]
    lines = [(e, "bad") for e in suspect.against[:4]] + [(e, "good") for e in suspect.in_favour[:3]]
    for one, kind in lines:
        sign = say("against") if kind == "bad" else say("for it")
        cells = (
            Cell(36, 58, sign, kind, bold=True),
            Cell(98, 50, say("{weight:+.1f}", weight=one.weight)),
            Cell(150, 0, one.text),
        )
        rows.append(Row(kind, cells, height=42 if len(one.text) > 74 else 25))
    return Rows(tuple(rows))


def _thing_rows(things: tuple[NextThing, ...]) -> Rows:
    """What is worth doing next, with what it tells and what it takes."""
    rows = [heading(say("The next three measurements worth doing"), 26)] if things else []
    top = max((t.value for t in things), default=1.0)
    for number, thing in enumerate(things, start=1):
        cells = (
            Cell(4, 20, str(number), bold=True, mono=True),
            Cell(28, 386, thing.text),
            Cell(516, 74, say("{bits:.2f} bit", bits=thing.bits)),
            Cell(592, 0, say("{minutes:.1f} min", minutes=thing.minutes)),
        )
        rows.append(Row("", cells, (420.0, 92.0, thing.value / top, "copper"), height=25))
    return Rows(tuple(rows), acts=True)
