"""Works and fails: which parts explain it, what clears them, what a replacement and a swap change, what to try next."""

from datetime import timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.core.diagnosis.paths import Case, Exchange, Statement, path_odds
from loyal_trace.core.vocabulary.identity import PartRef
from tests.helpers.repairs import START, repaired

GUN = {"gun": "U1 D1 F1 J2", "speech": "U1 D1 C3", "engine": "U1 F1 B5", "bell": "U1 C3 J2"}


def part(name):
    return PartRef("own", name)


def case(states, exchanges=(), replaced=None, paths=GUN, priors=None):
    """`states`: (function, works|partly|fails) in the order said, a minute apart; times of the others are minutes too."""
    told = {name: tuple(part(p) for p in path.split()) for name, path in paths.items()}
    parts = {p for path in told.values() for p in path}
    return Case(
        told,
        tuple(Statement(f, s, START + timedelta(minutes=n)) for n, (f, s) in enumerate(states)),
        {p: (priors or {}).get(p.refdes, 0.05) for p in parts},
        tuple(Exchange(part(p), o, START + timedelta(minutes=at)) for p, o, at in exchanges),
        {part(p): tuple(START + timedelta(minutes=m) for m in at) for p, at in (replaced or {}).items()},
    )


def ranked(*args, **kwargs):
    odds = path_odds(case(*args, **kwargs))
    return [p.refdes for p, _ in sorted(odds.probability.items(), key=lambda item: -item[1])], odds


FIRST = (("speech", "works"), ("gun", "fails"), ("engine", "works"))


def test_what_only_the_failing_function_needs_comes_first_and_what_works_clears_by_section():
    order, odds = ranked(FIRST)
    chance = {p.refdes: v for p, v in odds.probability.items()}
    assert order[0] == "J2" and chance["J2"] > 1.5 * chance["D1"] > 3 * chance["C3"]
    assert chance["D1"] > chance["U1"], "three functions share U1, two D1: more of U1 is known to work"


def test_nothing_follows_while_nothing_fails_or_no_path_is_told():
    assert path_odds(case((("gun", "works"),))) is None
    assert path_odds(case((("siren", "fails"),))) is None


def test_a_repeated_answer_tells_nothing_new_and_a_corrected_one_counts():
    once, again = ranked(FIRST)[1], ranked((*FIRST, ("gun", "fails"), ("gun", "fails")))[1]
    assert once.probability == pytest.approx(again.probability)
    assert path_odds(case((("gun", "fails"), ("gun", "works")))) is None


def test_after_a_replacement_that_cured_nothing_the_others_rise():
    before, after = ranked(FIRST)[1], ranked((*FIRST, ("gun", "fails")), replaced={"J2": [2.5]})[1]
    assert after.probability[part("J2")] < 0.5 * before.probability[part("J2")]
    assert after.probability[part("D1")] > before.probability[part("D1")]


def test_after_a_replacement_that_cured_it_nothing_is_left_to_suspect():
    cured = ranked((*FIRST, ("gun", "works")), replaced={"J2": [2.5]})[1]
    assert max(cured.probability.values()) < 0.25


@pytest.mark.parametrize(("outcome", "rises"), [("gone", True), ("stays", False)])
def test_an_exchange_settles_more_than_a_statement_but_a_spare_can_be_bad(outcome, rises):
    before, after = ranked(FIRST)[1], ranked(FIRST, exchanges=[("J2", outcome, 5)])[1]
    assert (after.probability[part("J2")] > before.probability[part("J2")]) is rises
    assert 0.02 < after.probability[part("J2")] < 0.99


def test_two_faults_at_once_are_found():
    paths = {"left": "U1 U2", "right": "U1 U3", "both": "U1 U4"}
    order, _ = ranked((("left", "fails"), ("right", "fails"), ("both", "works")), paths=paths)
    assert set(order[:3]) == {"U1", "U2", "U3"}
    order, _ = ranked(
        (("left", "fails"), ("right", "fails"), ("both", "works")), exchanges=[("U1", "stays", 9)], paths=paths
    )
    assert set(order[:2]) == {"U2", "U3"}


def test_where_no_part_explains_it_the_gap_between_two_stages_is_asked_for():
    paths = {"gun": "U1 U2", "bell": "U1 U3", "horn": "U2 U3"}
    odds = ranked(
        (("gun", "fails"), ("bell", "works"), ("horn", "works")),
        exchanges=[("U1", "stays", 5), ("U2", "stays", 6), ("U1", "stays", 7), ("U2", "stays", 8)],
        paths=paths,
    )[1]
    assert odds.gap is not None and {odds.gap.first.refdes, odds.gap.second.refdes} == {"U1", "U2"}


def test_the_function_that_halves_the_suspects_is_worth_most_and_what_is_known_nothing():
    _, odds = ranked(FIRST)
    assert odds.worlds.bits_of_function("bell") > odds.worlds.bits_of_function("engine") >= 0
    assert odds.worlds.bits_of_exchange(part("J2")) > odds.worlds.bits_of_exchange(part("C3")) >= 0


STATE = st.sampled_from(["works", "partly", "fails"])


@given(st.lists(st.tuples(st.sampled_from(sorted(GUN)), STATE), min_size=1, max_size=8), st.integers(0, 3))
def test_probabilities_are_probabilities_and_the_names_of_parts_do_not_matter(states, shift):
    odds = path_odds(case(states))
    if odds is None:
        return
    assert all(0 <= p <= 1 for p in odds.probability.values())
    renamed = {f: " ".join(f"Z{(int(p[1:]) + 7 * shift)}{p[0]}" for p in path.split()) for f, path in GUN.items()}
    other = path_odds(case(states, paths=renamed))
    assert sorted(other.probability.values()) == pytest.approx(sorted(odds.probability.values()))
    assert all(0 <= odds.worlds.bits_of_function(f) < 2 for f in GUN)


def test_made_up_repairs_end_at_the_faulty_part_and_condemn_no_healthy_one():
    """Twelve boards, paths told, 2 % false answers, one spare in seven bad: after twelve lines. `make bench` has more."""
    found = repaired(12, 12)
    assert found.first >= 0.83 * 12 and found.three >= 0.92 * 12
    assert found.condemned > 6 and found.innocent <= found.condemned / 50
