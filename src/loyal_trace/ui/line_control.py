"""Joins the foot of the window to the line's commands: preview, Enter, choices, completion, pad, undo, buttons."""

from collections.abc import Callable, Sequence

from PyQt6.QtWidgets import QFileDialog, QInputDialog

from loyal_trace.app.commands import LineResult, Setting, context_of, enter_line, holds_for, preview
from loyal_trace.app.pad import Pad
from loyal_trace.app.presenters.logbook import newest
from loyal_trace.app.presenters.model import Action, Page, Presenter, Question
from loyal_trace.app.presenters.strip import NOTHING, Strip, hold_words, strip_of
from loyal_trace.app.workspace import Workspace
from loyal_trace.core.line.context import Planned, Said, Status
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.language import localised, shown, tr
from loyal_trace.ui import dialogs
from loyal_trace.ui.widgets.foot import Foot

_PLACEHOLDER = say("type, then Enter")
_KEYS = say("Tab completes · Esc clears")


class LineControl:
    """What is typed is what is recorded. The stage in view supplies what is left out, and what comes next."""

    def __init__(self, workspace: Workspace, foot: Foot, pad: Pad, stage: Callable[[], Presenter]) -> None:
        self.workspace, self.foot, self.pad, self._stage = workspace, foot, pad, stage
        self._chosen = 0
        self._found: LineResult | None = None
        self._opened = False
        self._offered: Sequence[str] = ()
        self.leave: Callable[[], object] = lambda: None
        edit = foot.edit
        edit.pad_takes = self._pad_takes
        edit.textChanged.connect(lambda _: self._typed())
        edit.returnPressed.connect(self.enter)
        edit.moved.connect(self._moved)
        edit.completed.connect(self._complete)
        edit.cleared.connect(self.escape)
        edit.pad_key.connect(pad.key)
        edit.left_pad.connect(pad.flush)
        foot.strip.chosen.connect(self._choose)
        foot.buttons.asked.connect(self.run)
        foot.buttons.pad_switched.connect(self.switch_pad)
        foot.pad.clicked.connect(pad.click)
        pad.letters.connect(self.type)
        pad.changed.connect(self._pad_changed)
        workspace.line_asked.connect(self.put)

    # what is shown

    def show_page(self, page: Page) -> None:
        """The buttons, the pad and the line of a page."""
        presenter = self._stage()
        caps = localised(presenter.pad())
        self.pad.show(presenter.stage, frozenset(cap.key for cap in caps))
        self.foot.buttons.show_actions(page.actions, bool(caps), self.pad.on)
        padded = bool(caps) and self.pad.on
        if padded:
            self.foot.pad.show_caps(caps, page.target, shown(newest(self.workspace.job, timed=False)))
        self.foot.pad.setVisible(padded)
        keys = tr("F8 pad off · Enter opens the line") if padded and not self._opened else shown(_KEYS)
        self.foot.line.show_target(page.target, keys, tr("type to write instead") if padded else shown(_PLACEHOLDER))
        self._hint = page.target.hint
        self._preview()

    def _preview(self) -> None:
        text = self.foot.edit.text()
        self._found = preview(self.workspace.job, text, self._stage().setting()) if text.strip() else None
        self.foot.strip.show_strip(self._strip(), self._hint)

    def _strip(self) -> Strip:
        if self._found is None:
            return NOTHING
        return localised(strip_of(self._found, self._chosen, self._held(self._found.said[:1])))

    def _held(self, said: Sequence[Said]) -> str:
        """What has to be done before the line can be recorded in the window; empty when nothing stands before it."""
        planned: Sequence[Planned] = said[0].entries if said else ()
        held = holds_for(self.workspace.job, planned)
        return hold_words(held[0].caution, held[0].words) if held else ""

    # typing

    def _typed(self) -> None:
        self._chosen = 0
        self._offered = ()
        self._preview()

    def put(self, text: str) -> None:
        """Puts words into the line, for the person to go on with."""
        self.foot.edit.setText(text)
        self.focus()

    def type(self, letters: str) -> None:
        """Letters that were pressed elsewhere go into the line."""
        self.focus()
        self.foot.edit.insert(letters)

    def take_key(self, text: str) -> None:
        """A printable key pressed where nothing takes it: on the pad, or into the line."""
        self.focus()
        if self._pad_takes() and not self.foot.edit.text():
            self.pad.key(text)
        else:
            self.foot.edit.insert(text)

    def focus(self) -> None:
        """The line has the keyboard."""
        self.foot.edit.setFocus()

    def escape(self) -> None:
        """Esc: a lit key, typed text or long work ends; with none of them, what was opened last is left."""
        if self.pad.cancel():
            return
        if self.foot.edit.text() or self._opened:
            self._opened = False
            self.foot.edit.setText("")
            self.workspace.show()
        elif self.workspace.tasks.busy:
            self.workspace.tasks.stop()
        else:
            self.leave()

    def _moved(self, step: int) -> None:
        """Up and down choose among readings; with nothing to choose they walk the stage."""
        if self._found is not None and self._found.status is Status.UNCLEAR:
            self._choose((self._chosen + step) % len(self._found.choices))
        elif not self.foot.edit.text():
            self._stage().move(step)

    def _choose(self, number: int) -> None:
        self._chosen = number
        self.foot.strip.show_strip(self._strip(), self._hint)
        self.focus()

    def _complete(self) -> None:
        """Tab: as far as all ways to go on agree; pressed again, one after the other."""
        from loyal_trace.core.line.complete import common, completions  # the grammar: not before the job is shown

        text = self.foot.edit.text()
        if text in self._offered:
            self._offer(self._offered[(self._offered.index(text) + 1) % len(self._offered)])
            return
        found = completions(text, context_of(self.workspace.job, self._stage().setting()))
        agreed = common(found)
        if len(agreed) > len(text):
            self.foot.edit.setText(f"{agreed} " if len(found) == 1 else agreed)
            if len(found) > 1:
                self._offered = found
        elif found:
            self._offered = found
            self._offer(found[0])

    def _offer(self, text: str) -> None:
        offered = self._offered
        self.foot.edit.setText(text)
        self._offered = offered

    # recording

    def enter(self) -> None:
        """Records exactly what the strip says; an empty line only opens, where the pad has the keys."""
        self.pad.flush()
        text, setting = self.foot.edit.text(), self._stage().setting()
        if not text.strip():
            self._opened = True
            self.workspace.show()
            return
        # Read again on Enter: a worker may have recorded something since the last key.
        found = preview(self.workspace.job, text, setting)
        if found.status is Status.REFUSED or (found.status is Status.NOTE and not found.said):
            self.workspace.say(found.why, True)
            return
        choice = self._chosen if found.status is Status.UNCLEAR else None
        held = self._held(found.said[self._chosen :][:1])
        if held:
            self.workspace.say(held, True)
            return
        self._record(text, setting, choice)

    def _record(self, text: str, setting: Setting, choice: int | None) -> None:
        done: list[LineResult] = []

        def act() -> list[str]:
            found = enter_line(self.workspace.job, text, setting, choice)
            if found.status not in (Status.RECORDED, Status.NOTE):
                raise RequestError(found.why)
            done.append(found)
            return []

        with self.workspace.together():
            if not self.workspace.attempt(act):
                return
            self._opened = False
            self.foot.edit.setText("")  # forgets the typing, so that undo is about the record now
            # A part that was just made is picked, unless the person has another one in hand.
            if done[0].new and self.workspace.picked_part is None:
                self.workspace.pick(*done[0].new[0])
            self._stage().recorded(done[0].entries)

    def undo(self) -> None:
        """With text in the line: typing. With an empty one: what the last Enter, key or click recorded."""
        if self.pad.cancel():
            return
        if self.foot.edit.text():
            self.foot.edit.undo()
        else:
            self.foot.edit.setText("")
            self.workspace.undo()

    def redo(self) -> None:
        """Typing that was undone; else the record that was undone."""
        self.pad.flush()
        if self.foot.edit.isRedoAvailable():
            self.foot.edit.redo()
        else:
            self.workspace.redo()

    # buttons and pad

    def run(self, action: Action) -> None:
        """A button or a menu: asks first what the action needs to know."""
        self.pad.flush()
        if action.confirm and not dialogs.confirmed(
            self.foot, tr("{label}?", label=action.label), action.confirm, action.label
        ):
            return
        asked = action.asks
        if asked is None:
            action.run()
        else:
            answer = self._ask_file(asked) if asked.save or asked.load else self._ask(asked)
            if answer:
                action.run(answer)
        self.focus()

    def _ask(self, asked: Question) -> str:
        text, accepted = QInputDialog.getText(self.foot, "Loyal Trace", asked.prompt, text=asked.suggestion)
        return text.strip() if accepted else ""

    def _ask_file(self, asked: Question) -> str:
        if asked.load:
            return QFileDialog.getOpenFileName(self.foot, asked.prompt)[0]
        return QFileDialog.getSaveFileName(self.foot, asked.prompt, asked.suggestion)[0]

    def switch_pad(self) -> None:
        """The pad of this stage on or off."""
        self._opened = False
        self.pad.switch()
        self.workspace.show()
        self.focus()

    def _pad_takes(self) -> bool:
        return self.pad.on and bool(self.pad.caps) and not self._opened

    def _pad_changed(self) -> None:
        self.foot.pad.light(self.pad.lit)
