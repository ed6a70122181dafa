"""The small logic language in which chips are described, and its compiled form.

An expression is built from pin names, state bits, 0, 1, `~ & | ^`, brackets and `a if condition else b`.
A pin whose name starts with a slash (`/CLR`) is active low; its value is the *level* of the pin, as everywhere.
The same compiled function takes plain integers or NumPy arrays of 0 and 1; a second one takes 64 steps to a word.
"""

import ast
import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from itertools import product
from typing import Any

import numpy as np

from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say

Value = Any  # int 0/1 or an array of them: the compiled code is the same
_TOKEN = re.compile(r"/?[A-Za-z0-9][A-Za-z0-9]*")
_KEEP = {"if", "else", "0", "1"}
_OPERATORS = {ast.BitAnd: "&", ast.BitOr: "|", ast.BitXor: "^"}
# What stands for 0, 1 and "not" where every bit of a word is a step of its own.
_CONSTANT = re.compile(r"\b([01])\b(?!')")
_WORDS = {"__builtins__": {}, "ONES": np.uint64(2**64 - 1), "ZERO": np.uint64(0)}


@dataclass(frozen=True, eq=False)
class Expr:
    """A compiled logic expression: `names` it reads and the function of a name → value mapping.

    `words` is the same function of packed streams (uint64, a step to a bit); without it, `evaluate` serves both.
    `code` is its source, in which a name stands as `v['NAME']`.
    """

    text: str
    names: tuple[str, ...]
    evaluate: Callable[[Mapping[str, Value]], Value]
    words: Callable[[Mapping[str, Value]], Value] | None = None
    code: str = ""

    def on_words(self, values: Mapping[str, Value]) -> Value:
        """The value of packed streams."""
        return (self.words or self.evaluate)(values)


@dataclass(frozen=True, eq=False)
class Branch:
    """A decision: when `condition` is 1 the `then` side counts, else the `other` side."""

    condition: Expr
    then: "Tree"
    other: "Tree"


Tree = Branch | Expr


def _mangle(name: str) -> str:
    return "n_" + name[1:] if name.startswith("/") else "p_" + name


def _demangle(name: str) -> str:
    return "/" + name[2:] if name.startswith("n_") else name[2:]


def _parse(text: str) -> ast.expr:
    mangled = _TOKEN.sub(lambda m: m[0] if m[0] in _KEEP else _mangle(m[0]), text)
    try:
        return ast.parse(mangled.strip(), mode="eval").body
    except SyntaxError:
        raise RequestError(say("chip logic “{text}” cannot be read", text=text)) from None


def _code(node: ast.expr, names: set[str]) -> str:
    """Python source that computes the node; refuses everything outside the little language."""
    if isinstance(node, ast.Name):
        names.add(_demangle(node.id))
        return f"v[{_demangle(node.id)!r}]"
    if isinstance(node, ast.Constant) and node.value in (0, 1):
        return str(node.value)
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Invert):
        return say("(1 ^ {code})", code=_code(node.operand, names))
    if isinstance(node, ast.BinOp) and type(node.op) in _OPERATORS:
        return say(
            "({code} {operators} {code2})",
            code=_code(node.left, names),
            operators=_OPERATORS[type(node.op)],
            code2=_code(node.right, names),
        )
    if isinstance(node, ast.IfExp):
        test, then, other = (_code(n, names) for n in (node.test, node.body, node.orelse))
        return say("(({test} & {then}) | ((1 ^ {test}) & {other}))", test=test, then=then, other=other)
    raise RequestError(say("chip logic may not contain “{unparse}”", unparse=ast.unparse(node)))


def _compile(node: ast.expr, text: str) -> Expr:
    names: set[str] = set()
    code = _code(node, names)
    function = eval(f"lambda v: {code}", {"__builtins__": {}})
    packed = _CONSTANT.sub(lambda m: "ONES" if m[1] == "1" else "ZERO", code)
    return Expr(text, tuple(sorted(names)), function, eval(f"lambda v: {packed}", dict(_WORDS)), code)


def compile_expression(text: str) -> Expr:
    """Compiles one expression; RequestError names what cannot be read."""
    return _compile(_parse(text), text)


def compile_tree(text: str) -> Tree:
    """Compiles an expression, keeping its outermost `if … else …` as decisions (control) over leaves (data)."""
    return _tree(_parse(text))


def _tree(node: ast.expr) -> Tree:
    if isinstance(node, ast.IfExp):
        return Branch(_compile(node.test, ast.unparse(node.test)), _tree(node.body), _tree(node.orelse))
    return _compile(node, ast.unparse(node))


def leaf_for(tree: Tree, values: Mapping[str, Value]) -> Expr:
    """The leaf that counts when the control names have these (integer) values."""
    while isinstance(tree, Branch):
        tree = tree.then if tree.condition.evaluate(values) else tree.other
    return tree


def control_names(tree: Tree) -> set[str]:
    """All names read by the decisions of a tree."""
    if isinstance(tree, Branch):
        return set(tree.condition.names) | control_names(tree.then) | control_names(tree.other)
    return set()


def leaf_names(tree: Tree) -> set[str]:
    """All names read by the leaves of a tree."""
    if isinstance(tree, Branch):
        return leaf_names(tree.then) | leaf_names(tree.other)
    return set(tree.names)


def tree_code(tree: Tree) -> str:
    """The source of a whole tree; only the side that counts is evaluated."""
    if isinstance(tree, Branch):
        return f"({tree_code(tree.then)} if {tree.condition.code} else {tree_code(tree.other)})"
    return tree.code


def tree_on_words(tree: Tree, values: Mapping[str, Value]) -> Value:
    """The value of a whole tree over packed streams."""
    if isinstance(tree, Branch):
        chosen = tree.condition.on_words(values)
        return (chosen & tree_on_words(tree.then, values)) | (~chosen & tree_on_words(tree.other, values))
    return tree.on_words(values)


def evaluate_tree(tree: Tree, values: Mapping[str, Value]) -> Value:
    """The value of a whole tree; arrays as well as integers."""
    if isinstance(tree, Branch):
        chosen = tree.condition.evaluate(values)
        return (chosen & evaluate_tree(tree.then, values)) | ((1 ^ chosen) & evaluate_tree(tree.other, values))
    return tree.evaluate(values)


def never_with(condition: Expr, names: Iterable[str]) -> tuple[str, int] | None:
    """The first of some names, with a level, at which a condition cannot hold whatever its other names are."""
    for name, level in product(names, (1, 0)):
        others = [other for other in condition.names if other != name]
        cases = product((0, 1), repeat=len(others))
        if not any(condition.evaluate({name: level, **dict(zip(others, case, strict=True))}) for case in cases):
            return name, level
    return None
