"""Every text that the program can say, read from its sources: strings of the code, data, demo boards, documents."""

import ast
import re
import tomllib
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
SOURCE = ROOT / "src" / "loyal_trace"
# The grammar of the line, SQL, styles and file formats are languages of their own, not sentences.
NOT_SENTENCES = (
    "core/line/",
    "store/schema.py",
    "store/_migrate.py",
    "ui/theme.py",
    "core/chips/expressions.py",
    "ui/screenshots.py",
)
HOLE = re.compile(r"\{[a-z_0-9]+(?:![rsa])?(?::[^{}]*)?\}")
PAGES = ("README.md", "CHANGELOG.md", "CONTRIBUTING.md", "docs")


def strings_of(tree: ast.Module) -> Iterator[tuple[int, str]]:
    """(line, text) of every string that is no docstring; what is filled in stands as {}."""
    inner = {id(part) for node in ast.walk(tree) if isinstance(node, ast.JoinedStr) for part in ast.walk(node)}
    alone = {id(node.value) for node in ast.walk(tree) if isinstance(node, ast.Expr)}
    for node in ast.walk(tree):
        if isinstance(node, ast.JoinedStr) and id(node) not in alone:
            yield node.lineno, "".join(str(v.value) if isinstance(v, ast.Constant) else "{}" for v in node.values)
        elif isinstance(node, ast.Constant) and isinstance(node.value, str) and not {id(node)} & (inner | alone):
            yield node.lineno, HOLE.sub("{}", node.value)


def code_texts() -> Iterator[tuple[str, str]]:
    """(where, text) of every string of the code with at least two words."""
    for file in sorted(SOURCE.rglob("*.py")):
        name = file.relative_to(SOURCE).as_posix()
        if name.startswith(NOT_SENTENCES):
            continue
        for line, text in strings_of(ast.parse(file.read_text(encoding="utf-8"))):
            if re.search(r"[A-Za-z]{2,} [\w({\"“]|[\w)}\"”] [A-Za-z]{2,}", text):
                yield f"{name}:{line}", text


def _texts_in(value: object) -> Iterator[str]:
    if isinstance(value, str):
        yield value
    elif isinstance(value, dict):
        for one in value.values():
            yield from _texts_in(one)
    elif isinstance(value, list):
        for one in value:
            yield from _texts_in(one)


def data_texts() -> Iterator[tuple[str, str]]:
    """(where, text) of every text in the shipped data and the demo boards; sources of data are quoted as they are."""
    for file in sorted([*SOURCE.glob("resources/data/*.toml"), *SOURCE.glob("demo/boards/*/board.toml")]):
        for text in _texts_in(tomllib.loads(file.read_text(encoding="utf-8"))):
            yield file.relative_to(SOURCE).as_posix(), text


def page_texts() -> Iterator[tuple[str, str]]:
    """(where, text) of every paragraph of the documents that users read, without code."""
    for name in PAGES:
        for file in sorted((ROOT / name).rglob("*.md")) if (ROOT / name).is_dir() else [ROOT / name]:
            plain = re.sub(r"```.*?```|`[^`]*`", "", file.read_text(encoding="utf-8"), flags=re.DOTALL)
            plain = re.sub(r"^ {4}.*$", "", plain, flags=re.MULTILINE)
            for number, paragraph in enumerate(plain.split("\n\n"), start=1):
                yield f"{file.relative_to(ROOT)} ({number})", paragraph
