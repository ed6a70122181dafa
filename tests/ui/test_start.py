"""Starting: nothing heavy before the first paint, a picture on request, errors as sentences, bugs that do not kill."""

import subprocess
import sys

import pytest

from loyal_trace.core.vocabulary.errors import MachineError, UserFileError
from loyal_trace.store.connection import DATABASE
from loyal_trace.store.store import Store
from loyal_trace.ui.window_options import WindowOptions, open_store, store_folder

HEAVY = ("numpy", "scipy", "pydantic", "sqlalchemy", "alembic", "reportlab", "jinja2")


def test_nothing_heavy_is_imported_before_the_first_paint():
    code = f"import sys; import loyal_trace.ui.main; print([m for m in {HEAVY!r} if m in sys.modules])"
    found = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert found.stdout.strip() == "[]"


def test_a_picture_of_the_demo_is_written_without_a_display(tmp_path):
    picture = tmp_path / "demo.png"
    command = [
        sys.executable,
        "-m",
        "loyal_trace",
        "--demo",
        "--store",
        str(tmp_path / "s"),
        "--shot",
        str(picture),
        "--stage",
        "ROMs",
    ]
    done = subprocess.run(
        command,
        capture_output=True,
        text=True,
        env={"QT_QPA_PLATFORM": "offscreen", "HOME": str(tmp_path)},
        timeout=120,
    )
    assert done.returncode == 0 and picture.read_bytes().startswith(b"\x89PNG"), done.stderr
    assert "Traceback" not in done.stderr


def test_without_any_display_it_says_so_instead_of_aborting(tmp_path):
    done = subprocess.run(
        [sys.executable, "-m", "loyal_trace"], capture_output=True, text=True, env={"HOME": str(tmp_path)}, timeout=60
    )
    assert done.returncode == 2 and "no display" in done.stderr and done.stderr.count("\n") == 1


def test_a_store_that_cannot_be_opened_is_said_on_the_first_page(open_window, tmp_path):
    (tmp_path / DATABASE).write_bytes(b"certainly no database" * 99)
    ours = open_window(store=tmp_path)
    assert "damaged" in ours.shell.first.state.text() and ours.shell.pages.currentWidget() is ours.shell.welcome


def test_opening_falls_back_to_looking_only(tmp_path):
    with Store(tmp_path / "s"):
        second, session = open_store(tmp_path / "s", demo=False)
        assert second.read_only and session is None
        second.close()
    (tmp_path / "file").write_text("x")
    with pytest.raises((MachineError, UserFileError)):
        open_store(tmp_path / "file" / "s", demo=False)


def test_the_demo_keeps_apart_from_real_work(monkeypatch, tmp_path):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    assert store_folder(WindowOptions(demo=True)) != store_folder(WindowOptions())
    assert store_folder(WindowOptions(demo=True, store=tmp_path / "x")) == tmp_path / "x"


def test_an_archive_given_on_the_command_line_opens_as_a_job(open_window, tmp_path, demo_template):
    from loyal_trace.formats.archive import write_archive

    with Store(demo_template, read_only=True) as store:
        write_archive(store.export("gp-0147"), tmp_path / "tide.ltjob")
    ours = open_window(store=tmp_path / "store", files=(tmp_path / "tide.ltjob",))
    assert ours.wiring.workspace.job.title == "Tidewrack two-board set"
    ours.wiring.control.run(next(a for a in ours.wiring.presenter.page().actions if a.key == "R"))
    assert "No probe is connected" in ours.shell.bar.last.text(), "a job from elsewhere has no simulated bench"
