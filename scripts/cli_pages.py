"""Writes the man page and the shell completions of the command line from its parsers, into packaging/."""

import argparse
from pathlib import Path

import shtab

from loyal_trace.cli.main import EXAMPLES, whole_parser

FOLDER = Path(__file__).resolve().parents[1] / "packaging"


def _escaped(text: str) -> str:
    return text.replace("\\", "\\e").replace("-", "\\-").replace("%%", "%")


def _options(parser: argparse.ArgumentParser) -> list[str]:
    lines = []
    for action in parser._actions:
        if action.help in (None, argparse.SUPPRESS) or isinstance(action, argparse._SubParsersAction):
            continue
        names = ", ".join(action.option_strings) or str(action.metavar or action.dest)
        lines += [
            ".TP",
            f"\\fB{_escaped(names)}\\fR",
            _escaped(str(action.help).replace("%(default)s", str(action.default))),
        ]
    return lines


def _commands(parser: argparse.ArgumentParser, name: str) -> list[str]:
    lines = []
    for action in parser._actions:
        if not isinstance(action, argparse._SubParsersAction):
            continue
        words = {choice.dest: choice.help or "" for choice in action._choices_actions}
        for command, child in action.choices.items():
            lines += [f".SS {_escaped(f'{name} {command}')}", _escaped(words.get(command, "")), *_options(child)]
            lines += _commands(child, f"{name} {command}")
    return lines


def man_page() -> str:
    """The manual page in troff."""
    parser = whole_parser()
    head = [
        ".TH LOYAL\\-TRACE 1",
        ".SH NAME",
        "loyal\\-trace \\- repair planning for vintage computer and arcade boards",
    ]
    head += [".SH SYNOPSIS", "\\fBloyal\\-trace\\fR [\\fIfiles\\fR] | [\\fIcommand\\fR …]", ".SH DESCRIPTION"]
    head += ["Without a command the window opens. Every command has \\-\\-help and most have \\-\\-json."]
    lines = [*head, ".SH OPTIONS", *_options(parser), ".SH COMMANDS", *_commands(parser, ""), ".SH EXAMPLES"]
    for example, words in EXAMPLES:
        lines += [".TP", f"\\fB{_escaped(example)}\\fR", _escaped(words)]
    return "\n".join(line for line in lines if line) + "\n"


def pages() -> dict[str, str]:
    """File name → text of everything that is generated."""
    parser = whole_parser()
    return {
        "loyal-trace.1": man_page(),
        "loyal-trace.bash": shtab.complete(parser, shell="bash"),
        "_loyal-trace": shtab.complete(parser, shell="zsh"),
    }


if __name__ == "__main__":
    for file, text in pages().items():
        (FOLDER / file).write_text(text, encoding="utf-8")
