"""What the desktop takes: desktop entry, AppStream, MIME type, man page, completions. Each with its own validator."""

import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from loyal_trace.cli.main import COMMANDS, EXAMPLES, main

PACKAGING = Path(__file__).resolve().parents[1] / "packaging"
sys.path.insert(0, str(PACKAGING.parent / "scripts"))


def run(*command):
    assert shutil.which(command[0]), f"{command[0]} is missing: run scripts/setup.sh"
    done = subprocess.run(command, capture_output=True, text=True, timeout=60, check=False)
    assert done.returncode == 0, done.stdout + done.stderr


def test_desktop_entry_and_appstream_data_are_valid():
    run("desktop-file-validate", str(PACKAGING / "loyal-trace.desktop"))
    run("appstreamcli", "validate", "--no-net", str(PACKAGING / "loyal-trace.metainfo.xml"))


def test_the_mime_type_is_taken_by_the_shared_database_and_opened_by_the_program(tmp_path):
    (tmp_path / "packages").mkdir()
    shutil.copy(PACKAGING / "loyal-trace-mime.xml", tmp_path / "packages")
    run("update-mime-database", str(tmp_path))
    assert "*.ltjob" in (tmp_path / "globs").read_text(encoding="utf-8")
    entry = (PACKAGING / "loyal-trace.desktop").read_text(encoding="utf-8")
    assert "Exec=loyal-trace %F" in entry and "MimeType=application/x-loyal-trace-job;" in entry


def test_man_page_and_completions_are_those_of_the_parsers():
    from cli_pages import pages

    for name, text in pages().items():
        assert (PACKAGING / name).read_text(encoding="utf-8") == text, f"{name}: run scripts/cli_pages.py"
    manual = pages()["loyal-trace.1"]
    assert all(f".SS  {command}" in manual or f" {command} " in manual for command in COMMANDS)
    run("bash", "-n", str(PACKAGING / "loyal-trace.bash"))


@pytest.mark.parametrize("words", [["--help"], ["roms", "check", "--help"], ["job", "enter", "--help"]])
def test_help_shows_what_can_be_done(words, capsys):
    try:
        code = main(words)
    except SystemExit as ended:
        code = ended.code
    out = capsys.readouterr().out
    assert code == 0 and "usage: loyal-trace" in out
    if words == ["--help"]:
        assert all(example in out and about in out for example, about in EXAMPLES)
