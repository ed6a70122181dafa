"""The window in a made-up language: nothing stays English, and what people wrote stays theirs."""

import re
import shutil
from gettext import GNUTranslations
from io import BytesIO

import pytest
from babel.messages import Catalog
from PyQt6.QtCore import QTranslator
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QDialogButtonBox, QWidget
from scripts.texts import mo_bytes

from loyal_trace import language
from loyal_trace.app.presenters.logbook import line_of
from loyal_trace.app.presenters.sayable import sayable
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.report.html import to_html
from loyal_trace.report.model import build_report
from loyal_trace.ui.run import make_application
from loyal_trace.ui.settings_dialog import SettingsDialog
from loyal_trace.ui.widgets.finder import Finder
from loyal_trace.ui.window_options import WindowOptions
from tests.helpers.pseudo import english_in, names_of, pseudo_language, strings_in
from tests.ui.driver import Driver

READ_OF = ("text", "toolTip", "accessibleName", "accessibleDescription", "placeholderText", "title", "windowTitle")
# Wrong, unclear or odd lines, and what has to be refused, at whatever stage.
ODD_LINES = (
    *("U99 removed", "5D.99 low", "C1 6,800u", "swap 5D with 5D: moves", "5D 1=L 1=H", "symptom gone: no such thing"),
    *("5D badly burnt", "bench supplies: many", "register: none", "swap 5D with C1: stays", 'sent 41 shown "E"'),
    *("supply +5: from nowhere", "drawer: 3x 74LS166 in tray 3, untested", "C1 measures 51u esr 5 at 100kHz"),
)


@pytest.fixture
def foreign(qtbot, tmp_path, demo_template, open_window):
    """The demo window in the made-up language."""
    language.use(pseudo_language())
    shutil.copytree(demo_template, tmp_path / "store")
    yield Driver(qtbot, open_window(demo=True, store=tmp_path / "store"))
    language.use(language.Language())


class Left:
    """Collects what is still English."""

    def __init__(self, names):
        self.names, self.found = names, {}

    def read(self, where, text):
        if words := english_in(text, self.names):
            self.found.setdefault(text[:140], (where, words))

    def widgets(self, window, where, hint=""):
        before, self.names = self.names, self.names | set(re.findall("[A-Za-z]{3,}", hint))
        for widget in (window, *window.findChildren(QWidget)):
            for name in READ_OF:
                value = getattr(widget, name, None)
                if callable(value) and isinstance(text := _called(value), str):
                    self.read(f"{where} {type(widget).__name__}.{name}", text)
        for action in window.findChildren(QAction):
            self.read(f"{where} menu", action.text().replace("&", ""))
        self.names = before

    def check(self):
        assert not self.found, "\n".join(f"{where}: {words} in {text!r}" for text, (where, words) in self.found.items())


def _called(value):
    try:
        return value()
    except TypeError:
        return None


def test_every_page_of_every_job_is_translated(foreign):
    ours, left = foreign.ours, Left(frozenset())
    for job in [job.id for job in ours.store.jobs()]:
        ours.open_job(job)
        foreign.qtbot.wait(1)  # the foot of the job before is gone
        workspace, left.names = ours.wiring.workspace, left.names | names_of(ours.wiring.workspace.job)
        for stage in Stage:
            ours.wiring.show_stage(stage)
            for part in ["", *[part.refdes for part in workspace.definition.parts][:6]]:
                workspace.pick(workspace.board, part)
                page = language.localised(ours.wiring.presenter.page())
                for text in strings_in((page, language.localised(ours.wiring.presenter.pad()))):
                    left.read(f"{job} {stage.title}", text)
                left.read("why", language.shown(ours.wiring.presenter.why_in_full()))
            left.widgets(ours.shell, f"{job} {stage.title}", page.target.hint)
        for entry in workspace.job.entries:
            left.read("logbook", language.localised(line_of(workspace.job, entry)).words)
    left.check()


def test_further_pages_dialogs_help_and_the_finder_are_translated(foreign):
    # What can be typed stays as it is; the buttons of dialogs come from Qt with its own translations.
    left = Left(names_of(foreign.workspace.job) | {"through", "Cancel"})
    opened = 0
    for stage in (Stage.RAILS, Stage.ROMS, Stage.INSPECT, Stage.PLAN, Stage.INTAKE):
        foreign.stage(stage)
        presenter = foreign.wiring.presenter
        for key in [action.key for action in presenter.page().actions if action.asks is None and not action.confirm]:
            action = next((one for one in presenter.page().actions if one.key == key), None)
            if action is None or action.key in "AR":  # reading chips takes long and says nothing new
                continue
            action.run()
            foreign.wait_idle()
            opened += 1
            page = language.localised(presenter.page())
            typed = set(re.findall("[A-Za-z]{3,}", page.target.hint))
            left.names = left.names | (typed if page.target.hint in page.meaning.next else set())
            for text in strings_in(page):
                left.read(f"{stage.title} after {key}", text)
            left.widgets(foreign.shell, f"{stage.title} after {key}", page.target.hint)
        presenter.leave()
    assert opened > 15
    for form in sayable():
        left.read("help", language.shown(form.words))
    left.widgets(SettingsDialog(foreign.ours._known(), foreign.shell), "settings")
    examples = {form.example for form in sayable()}
    commands = [command for command in foreign.ours.commands() if command.words not in examples]
    for command in commands:
        left.read("finder", command.words)
    left.widgets(Finder(commands, foreign.shell), "finder")
    left.check()


@pytest.mark.parametrize("stage", [Stage.INTAKE, Stage.PROBE])
def test_what_enter_will_record_and_what_is_refused_is_translated(foreign, stage):
    left = Left(names_of(foreign.workspace.job))
    foreign.stage(stage)
    for line in ODD_LINES:
        foreign.qtbot.keyClicks(foreign.edit, line)
        strip = foreign.wiring.control._strip()
        left.names = left.names | frozenset(line.replace(":", " ").split())
        for text in (strip.head, strip.text):
            left.read(line, text)
        foreign.wiring.control.enter()
        left.read(line, foreign.shell.bar.last.text())
        foreign.edit.setText("")
    left.check()


def test_the_report_is_in_the_language_of_its_reader_and_quotes_the_owner(foreign):
    job = foreign.workspace.job
    page = to_html(build_report(job.assessment(), job.entries, job.env.clock()))
    assert "[" in page and '<html lang="qps">' in page
    assert job.snapshot.complaint in page


def test_what_is_recorded_is_the_same_in_every_language(foreign):
    foreign.stage(Stage.RAILS)
    foreign.type("J3.30 4.87V")
    foreign.type("symptom: the lamp flickers")
    kinds = [entry.model_dump_json() for entry in foreign.workspace.job.entries[-2:]]
    assert '"value":4.87' in kinds[0] and "the lamp flickers" in kinds[1]
    assert not any(letter in text for text in kinds for letter in "áéíóú[")


def test_qts_own_buttons_follow_where_there_is_a_translation(qapp):
    catalog = Catalog(locale="de", domain="loyal-trace", fuzzy=False)
    language.use(language.Language(GNUTranslations(BytesIO(mo_bytes(catalog))), "de_DE", "de_DE"))
    try:
        make_application(WindowOptions())
        box = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        assert box.buttons()[0].text() == "Abbrechen"
    finally:
        language.use(language.Language())
        for translator in qapp.findChildren(QTranslator):
            qapp.removeTranslator(translator)
            translator.deleteLater()
