"""The logic language: integers and arrays, decisions and leaves give one answer."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.chips.expressions import (
    compile_expression,
    compile_tree,
    control_names,
    evaluate_tree,
    leaf_for,
    leaf_names,
)
from loyal_trace.core.vocabulary.errors import RequestError

BITS = st.fixed_dictionaries(dict.fromkeys(("A", "B", "/G", "S"), st.integers(0, 1)))
TEXT = "A & ~B if ~/G else (A ^ B if S else 1)"


@given(BITS)
def test_the_operators_are_those_of_logic(v):
    def value(text):
        return compile_expression(text).evaluate(v)

    assert value("~A") == 1 - v["A"] and value("A ^ B") == (v["A"] + v["B"]) % 2
    assert value("A & B") == min(v["A"], v["B"]) and value("A | B") == max(v["A"], v["B"])
    assert value("/G") == v["/G"] and value("0") == 0 and value("1") == 1
    assert value("A if S else B") == (v["A"] if v["S"] else v["B"])


@given(BITS)
def test_a_tree_gives_what_its_leaf_gives(v):
    tree = compile_tree(TEXT)
    expected = (v["A"] & (1 - v["B"])) if not v["/G"] else (v["A"] ^ v["B"] if v["S"] else 1)
    assert evaluate_tree(tree, v) == expected == leaf_for(tree, v).evaluate(v)
    arrays = {name: np.array([bit, bit], dtype=np.uint8) for name, bit in v.items()}
    assert np.all(evaluate_tree(tree, arrays) == expected)


def test_controls_decide_and_leaves_carry_data():
    tree = compile_tree(TEXT)
    assert control_names(tree) == {"/G", "S"} and leaf_names(tree) == {"A", "B"}
    assert compile_expression("A & A | /G").names == ("/G", "A")


@pytest.mark.parametrize("text", ["A +", "A + B", "A and B", "f(A)", "A < B", "-A", "[A]"])
def test_nothing_but_logic_is_taken(text):
    with pytest.raises(RequestError, match="chip logic"):
        compile_expression(text)
