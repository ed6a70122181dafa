"""Suspects: everything known, weighed part by part; the reasons of the picked one; what is worth doing next."""

from loyal_trace.app.presenters.base import StagePresenter
from loyal_trace.app.presenters.model import NO_ROWS, Action, Cell, Meaning, Page, Row, Rows, heading, line
from loyal_trace.app.presenters.path_grid import STATE_KIND, PathGrid, grid_rows_order, path_grid
from loyal_trace.core.assess.bits import advice_words, bit_verdicts, fault_words
from loyal_trace.core.assess.next_thing import NextThing
from loyal_trace.core.assess.paths import KIND as PATH_EVIDENCE
from loyal_trace.core.assess.paths import paths_of, states_now, without_path
from loyal_trace.core.assess.rates import rates_of
from loyal_trace.core.assess.suspects import Suspect, cleared
from loyal_trace.core.assess.swaps import bad_spares
from loyal_trace.core.vocabulary.identity import PartRef, in_order
from loyal_trace.core.vocabulary.phrases import capital, joined, say, term
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.units import count_of, format_percent, format_quantity

RANKED, REASONS, THINGS, FUNCTIONS, GRID, CODES = (
    say("suspects"),
    say("reasons"),
    say("next three measurements"),
    say("functions"),
    say("grid of functions"),
    say("codes, rates and spares"),
)
_LISTED = 8
_CLEAR = 0.9
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
                FUNCTIONS: self._function_rows(),
                CODES: self._code_rows(),
            },
            figures={GRID: self._grid()},
        )

    def _functions(self) -> list[tuple[str, str, tuple[str, ...]]]:
        """(name, state or empty, parts of its path) of every function of the board in view."""
        board = self.workspace.board
        states, paths = states_now(self.workspace.moment, board), paths_of(self.workspace.moment, board)
        names = dict.fromkeys((*paths, *states))
        return [(n, states.get(n, ""), tuple(place.refdes for place in paths.get(n, ()))) for n in names]

    def _grid(self) -> PathGrid | None:
        """What works and what fails, with the way each takes through the parts."""
        board = self.workspace.definition
        if board is None:
            return None
        probability = {s.place: s.probability for s in self.workspace.assessment().suspects}
        current = self._current()
        return path_grid(board, self._functions(), probability, current.place.refdes if current else "")

    def _function_rows(self) -> Rows:
        """Functions where no path was entered yet; a click puts what can be said of one into the line."""
        functions = grid_rows_order(self._functions())
        if not functions or self._grid() is not None:
            return NO_ROWS
        rows = [heading(say("What works and what fails"), 28)]
        for name, state, _ in functions:
            kind = STATE_KIND.get(state, "unknown")
            told = say("its path is not entered: {line}", line=f"path {name}: …")
            cells = (
                Cell(36, 150, name, bold=True),
                Cell(190, 90, term(state) if state else say("not tried"), kind.replace("unknown", "")),
                Cell(284, 0, told),
            )
            rows.append(Row(kind, cells, height=24))
        return Rows(tuple(rows), acts=True)

    def _code_rows(self) -> Rows:
        """What codes sent and shown, measured rates and exchanges come to beside the single parts."""
        moment, board = self.workspace.moment, self.workspace.board
        rows: list[Row] = []
        verdict = bit_verdicts(moment).get(board)
        if verdict is not None:
            fault, share = verdict.faults[0]
            told = say(
                "{pairs}: {fault} ({share})",
                pairs=count_of(verdict.pairs, "code pair"),
                fault=fault_words(fault),
                share=format_percent(share),
            )
            advice = advice_words(verdict)
            rows.append(line(say("{told}; {advice}.", told=told, advice=advice) if advice else told, "doubtful"))
        for name, share in bad_spares(moment).items():
            rows.append(
                line(
                    say("{spare} is probably faulty ({share}): mark it", spare=name, share=format_percent(share)), "bad"
                )
            )
        if self.workspace.definition is not None and not self.workspace.definition.clocks:
            for rate in rates_of(moment, board):
                words = say(
                    "{point} {hertz} {words}",
                    point=rate.point,
                    hertz=format_quantity(rate.hertz, "Hz", 4),
                    words=rate.words,
                )
                rows.append(line(words, "good" if rate.proves else "unknown"))
        return Rows((heading(say("Codes, rates and spares"), 26), *rows)) if rows else NO_ROWS

    def _ask_about(self, index: int) -> None:
        """A line about one of the functions goes into the line: its path, else its state the other way round."""
        name, state, path = grid_rows_order(self._functions())[index]
        said = "fails" if state == "works" else "works"
        self.workspace.line_asked.emit(f"{said}: {name}" if path else f"path {name}: ")

    def figure_picked(self, name: str, *at: float) -> None:
        """In the grid: a column picks its part; the name of a function asks about it."""
        grid, (column, row) = self._grid(), (int(at[0]), int(at[1]))
        if grid is None:
            return
        if column >= 0 and (row < 0 or grid.rows[row].cells[column] or any(grid.rows[row].cells)):
            self.workspace.pick(self.workspace.board, grid.columns[column].refdes)
        elif row >= 0:
            self._ask_about(row)

    def _suspect_row(self, suspect: Suspect) -> Row:
        kind = _kind(suspect, "unknown")
        cells = (
            Cell(36, 84, self.workspace.place_name(suspect.place), bold=True, mono=True),
            Cell(124, 190, suspect.what),
            Cell(522, 76, format_percent(suspect.probability), kind, bold=True, mono=True),
            Cell(602, 0, count_of(len(suspect.evidence), "line")),
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
        following = _sentence(things[0].text) if things else say("Plan the repair (Ctrl+7).")
        if suspect is None:
            picked = self.workspace.picked_part
            if picked is not None and self._suspects():
                return Meaning(say("There is no evidence about {refdes} yet.", refdes=picked.refdes), following)
            return Meaning(say("No part is suspected yet."), self._fact_asked_for())
        following = self._settling(suspect) or following
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

    def _settling(self, suspect: Suspect) -> str:
        """Where the paths leave hardly any doubt: replace the part, and which functions then prove it."""
        clear = suspect.probability >= _CLEAR and suspect.against and suspect.against[0].kind == PATH_EVIDENCE
        refdes = suspect.place.refdes
        tried = [name for name, state, path in self._functions() if refdes in path and state in ("fails", "partly")]
        if not clear or not tried:
            return ""
        return say(
            "Read the supply of {refdes} at its pins. If it is good, replace {refdes} and try {functions} again.",
            refdes=refdes,
            functions=joined(", ", tried),
        )

    def _fact_asked_for(self) -> str:
        """Where nothing is suspected: the fact that would tell most, with an example that can be typed."""
        board = self.workspace.board
        untold = without_path(self.workspace.moment, board) if board else ()
        if untold:
            example = f"path {untold[0]}: U3 U7 J4"
            return say("Enter the parts that {function} needs: {example}.", function=untold[0], example=example)
        examples = "path gun: U3 U7 J4; fails: gun; works: speech"
        return say(
            "Enter what each function needs, and what works: {examples}. Or read the ROMs, or probe a chip.",
            examples=examples,
        )

    def row_picked(self, name: str, index: int) -> None:
        if name == RANKED:
            self.workspace.pick(*self._suspects()[index].place)
        elif name == THINGS:
            self._jump(index - 1)
        elif name == FUNCTIONS and index > 0:
            self._ask_about(index - 1)

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


def _sentence(text: str) -> str:
    """With a capital and one stop at its end."""
    return capital(text) if text.endswith("…") else say("{text}.", text=capital(text))


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
