"""Every sentence that the program can show, gathered from its sources for translators.

python scripts/texts.py                 writes src/loyal_trace/resources/locale/loyal-trace.pot
python scripts/texts.py pseudo FOLDER   writes a made-up language (longer, accented) to try the window with:
                                        LOYAL_TRACE_LOCALE=FOLDER LANGUAGE=qps loyal-trace --demo
python scripts/texts.py compile FOLDER  compiles every FOLDER/*.po to FOLDER/<code>/LC_MESSAGES/loyal-trace.mo
"""

import ast
import re
import sys
import tomllib
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache
from io import BytesIO
from pathlib import Path
from string import Formatter

from babel.messages import Catalog
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po, write_po

from loyal_trace.core.planning.choices import FIRST_POWER
from loyal_trace.core.planning.steps import REPAIR_ORDERS
from loyal_trace.core.power.rails import SUPPLY_LIMITS
from loyal_trace.core.vocabulary.phrases import escaped
from loyal_trace.formats.board_parts import KINDS

ROOT = Path(__file__).resolve().parents[1]
SOURCE = ROOT / "src" / "loyal_trace"
POT = SOURCE / "resources" / "locale" / "loyal-trace.pot"
_MADE_BY = {"say": 1, "tr": 1, "template": 1, "say_count": 2, "count_of": 2}
_ACCENTED = str.maketrans(
    "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ", "áƀçđéƒĝĥíĵķļɱñóþʠŕšŧúṽŵẋýžÁƁÇĐÉƑĜĤÍĴĶĻṀÑÓÞɊŔŠŦÚṼŴẊÝŽ"
)


@dataclass(frozen=True, order=True)
class Sentence:
    """A template with its plural (empty without one), and where it stands."""

    one: str
    many: str
    where: str


@cache
def sentences() -> tuple[Sentence, ...]:
    """All of them, in the order of the sources, each text once; the sources are read once."""
    found: dict[tuple[str, str], Sentence] = {}
    for sentence in (*_of_code(), *_of_data(), *_of_vocabularies()):
        if re.search(r"[^\W\d_]", re.sub(r"\{[^}]*\}", "", sentence.one)):
            found.setdefault((sentence.one, sentence.many), sentence)
    return tuple(found.values())


def _of_code() -> Iterator[Sentence]:
    for file in sorted(SOURCE.rglob("*.py")):
        where = file.relative_to(ROOT).as_posix()
        for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
            for one, many in _texts(node, where):
                yield Sentence(one, many, where)


def _texts(node: ast.AST, where: str) -> Iterator[tuple[str, str]]:
    if isinstance(node, ast.Call):
        yield from _of_call(node)
    elif isinstance(node, ast.ClassDef) and any(getattr(base, "id", "") == "StrEnum" for base in node.bases):
        for value in (part.value for part in node.body if isinstance(part, ast.Assign)):
            if isinstance(value, ast.Constant) and isinstance(value.value, str):
                yield value.value, ""
    elif isinstance(node, ast.FunctionDef) and "core/line/forms/" in where and node.decorator_list:
        told = (ast.get_docstring(node) or "").strip().splitlines()
        if told:
            yield told[0].rstrip("."), ""
    elif isinstance(node, ast.AnnAssign | ast.Assign) and where.endswith("app/words.py"):
        for value in node.value.values if isinstance(node.value, ast.Dict) else ():
            if isinstance(value, ast.Constant) and isinstance(value.value, str):
                yield value.value, ""


def _of_call(node: ast.Call) -> Iterator[tuple[str, str]]:
    """The literal texts of a call; where one of two is chosen (`a if … else b`), both."""
    name = getattr(node.func, "id", getattr(node.func, "attr", ""))
    first = _MADE_BY.get(name, 0) - 1
    if first < 0 or len(node.args) <= first:
        return
    texts = list(_literals(node.args[first]))
    if name in ("say", "tr", "template"):
        yield from ((text, "") for text in texts)
    elif name == "say_count":
        yield from ((text, many) for text in texts for many in _literals(node.args[2]))
    else:  # a noun: the same plural as `count_of` makes
        given = list(_literals(node.args[2])) if len(node.args) > 2 else []
        for text in texts:
            yield f"{{count:,}} {text}", f"{{count:,}} {given[0] if given else text + 's'}"


def _literals(node: ast.expr) -> Iterator[str]:
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        yield node.value
    elif isinstance(node, ast.IfExp):
        yield from _literals(node.body)
        yield from _literals(node.orelse)


# Data files with texts for people → the fields that hold them.
_TEXTS = {
    "cautions": ("text",),
    **dict.fromkeys(("chips", "chips_74", "chips_4000", "chips_lsi"), ("title", "notes")),
    "memories": ("title", "supplies"),
}


# Data files of tables of rows, some fields of which are shown.
_ROWS = {"methods": ("id", "how", "tip", "why", "grade"), "extras": ("what", "why", "back", "caution")}


def _of_rows() -> Iterator[Sentence]:
    """How parts come off and go on; what is offered beyond the evidence."""
    for name, fields in _ROWS.items():
        told = tomllib.loads((SOURCE / f"resources/data/{name}.toml").read_text(encoding="utf-8"))
        for row in (row for rows in told.values() for row in rows):
            for text in (row[field] for field in fields if row.get(field)):
                yield Sentence(escaped(text), "", "methods of work")


def _of_data() -> Iterator[Sentence]:
    yield from _of_rows()
    for name, fields in _TEXTS.items():
        file = SOURCE / f"resources/data/{name}.toml"
        for row in tomllib.loads(file.read_text(encoding="utf-8")).values():
            for text in (row[field] for field in fields if row.get(field)):
                yield Sentence(escaped(text), "", file.relative_to(ROOT).as_posix())


# Words of closed vocabularies that are plain strings in the code: states of entries and checks, what a check is about.
_STATES = (
    "unknown proven bad good doubtful works fails partly open passed failed holds value voltage polarity room type size"
)


# Kinds of faults in an image are names in the code, with dashes between their words.
_KINDS_OF_FAULT = re.compile(r'"([a-z]+(?:-[a-z]+)+)"')


def _of_vocabularies() -> Iterator[Sentence]:
    """Words that the code does not mark: keys of tables, states of entries, kinds of faults."""
    faults = (
        name for file in sorted(SOURCE.glob("core/roms/*.py")) for name in _KINDS_OF_FAULT.findall(file.read_text())
    )
    yield from (Sentence(name.replace("-", " "), "", "kinds of faults") for name in dict.fromkeys(faults))
    words = (*FIRST_POWER, *SUPPLY_LIMITS, *REPAIR_ORDERS, *KINDS, *_STATES.split(), "does not hold", "not testable")
    yield from (Sentence(text, "", "words of the bench") for text in words)


def template() -> Catalog:
    """The catalogue to be translated."""
    catalog = Catalog(project="loyal-trace", charset="utf-8", fuzzy=False, creation_date=None)
    for sentence in sentences():
        text = (sentence.one, sentence.many) if sentence.many else sentence.one
        catalog.add(text, locations=[(sentence.where, 0)])
    return catalog


def pot_bytes() -> bytes:
    """The template as a file, the same for the same sources."""
    target = BytesIO()
    write_po(target, template(), width=110, include_lineno=False, omit_header=True)
    return target.getvalue()


def pseudo_text(text: str) -> str:
    """The text in the made-up language: in brackets, accented, a third longer; places in braces stay."""
    pieces = []
    for literal, name, spec, conversion in Formatter().parse(text):
        pieces.append(literal.translate(_ACCENTED).replace("{", "{{").replace("}", "}}"))
        if name is not None:
            pieces.append("{" + name + (f"!{conversion}" if conversion else "") + (f":{spec}" if spec else "") + "}")
    longer = "~" * (len(text) // 3)
    return f"[{''.join(pieces)}{longer}]"


def pseudo_mo() -> bytes:
    """The compiled catalogue of the made-up language."""
    catalog = Catalog(locale="en", domain="loyal-trace", fuzzy=False)
    for message in template():
        if isinstance(message.id, tuple):
            catalog.add(message.id, tuple(pseudo_text(text) for text in message.id))
        elif message.id:
            catalog.add(message.id, pseudo_text(message.id))
    return mo_bytes(catalog)


def mo_bytes(catalog: Catalog) -> bytes:
    """A catalogue compiled."""
    target = BytesIO()
    write_mo(target, catalog)
    return target.getvalue()


def _write(folder: Path, code: str, data: bytes) -> None:
    target = folder / code / "LC_MESSAGES" / "loyal-trace.mo"
    target.parent.mkdir(parents=True, exist_ok=True)
    target.write_bytes(data)


def main(arguments: list[str]) -> None:
    """The template, the made-up language, or what translators wrote."""
    if not arguments:
        POT.parent.mkdir(parents=True, exist_ok=True)
        POT.write_bytes(pot_bytes())
    elif arguments[0] == "pseudo":
        _write(Path(arguments[1]), "qps", pseudo_mo())
    else:
        for file in sorted(Path(arguments[1]).glob("*.po")):
            _write(Path(arguments[1]), file.stem, mo_bytes(read_po(BytesIO(file.read_bytes()), locale=file.stem)))


if __name__ == "__main__":
    main(sys.argv[1:])
