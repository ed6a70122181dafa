"""Reads s-expressions (the text form of board design files) into nested lists, without recursion."""

import re
from typing import Any

from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.core.vocabulary.phrases import say

_TOKEN = re.compile(r'\s*(?:(\()|(\))|"((?:[^"\\]|\\.)*)"|([^\s()"]+))')
_ESCAPE = re.compile(r"\\(.)")
_DEEPEST, _MOST = 200, 5_000_000
Node = list[Any]


def read_s_expression(text: str, name: str) -> Node:
    """The one list that a text holds: strings and lists of them. UserFileError with the line of what is wrong."""
    stack: list[Node] = [[]]
    at, count = 0, 0
    end = len(text.rstrip())
    while at < end:
        match = _TOKEN.match(text, at)
        if match is None:
            raise _bad(text, at, name, say("a text in quotes does not end"))
        opened, closed, quoted, atom = match.groups()
        count += 1
        if opened:
            stack.append([])
        elif closed:
            if len(stack) == 1:
                raise _bad(text, at, name, say("there is one bracket too many"))
            done = stack.pop()
            stack[-1].append(done)
        else:
            stack[-1].append(_ESCAPE.sub(r"\1", quoted) if quoted is not None else atom)
        if len(stack) > _DEEPEST or count > _MOST:
            raise _bad(text, at, name, say("it is nested deeper, or is longer, than any board"))
        at = match.end()
    if len(stack) > 1:
        raise _bad(text, end, name, say("a bracket is not closed; the file may be cut off"))
    if len(stack[0]) != 1 or not isinstance(stack[0][0], list):
        raise UserFileError(name, say("is not one list in brackets"))
    found: Node = stack[0][0]
    return found


def _bad(text: str, at: int, name: str, what: str) -> UserFileError:
    line = text.count("\n", 0, at) + 1
    return UserFileError(say("{name}, line {line}", name=name, line=line), what, say("nothing was imported"))


def children(node: Node, *names: str) -> list[Node]:
    """The lists inside a list that begin with one of these names."""
    return [one for one in node if isinstance(one, list) and one and one[0] in names]


def value(node: Node, name: str) -> str:
    """The first text after a name: `(ref U1)` has U1; empty when there is none."""
    return next((str(one[1]) for one in children(node, name) if len(one) > 1 and isinstance(one[1], str)), "")


def numbers(node: Node) -> list[float]:
    """The numbers of a list after its name, up to the first that is none."""
    found = []
    for one in node[1:]:
        try:
            found.append(float(one))
        except (TypeError, ValueError):
            break
    return found
