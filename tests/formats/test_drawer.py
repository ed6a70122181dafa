"""The drawer's file: read with every error named, changed cell by cell, nothing else touched; offers of shops."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loyal_trace.app.drawer import item_from_words, item_words, with_state
from loyal_trace.core.parts.stock import State, StockItem
from loyal_trace.core.vocabulary.errors import RequestError, UserFileError
from loyal_trace.formats.drawer import DrawerFile, parse_drawer, parse_offers, read_drawer

TEXT = """number,kind,count,place,state,bought,notes
74LS166,chip,2,tray 3,good,1999,"from the pier, wet"
74LS166,chip,1,tray 7,,,
100u 25V 6.3x11,capacitor,10,tray B,tested,,
"""


def drawer(text=TEXT):
    return read_drawer(text.encode(), "d.csv")


def test_states_have_two_names_and_a_number_describes_itself():
    items = drawer().items
    assert [item.state for item in items] == [State.GOOD, State.UNTESTED, State.GOOD]
    spec = items[2].spec
    assert (spec.value, spec.voltage, spec.diameter, spec.height) == (100e-6, 25, 6.3, 11)


def test_a_change_touches_its_cell_only_and_unknown_columns_stay():
    changed, item = with_state(drawer(), "74ls166", State.BORROWED, "tray 3", "Ines")
    assert changed.text().splitlines()[1] == '74LS166,chip,2,tray 3,borrowed,1999,"from the pier, wet",Ines'
    assert item.state == State.BORROWED and item.keeper == "Ines"
    assert read_drawer(changed.text().encode(), "d.csv").items == changed.items
    back, item = with_state(changed, "74LS166", State.GOOD, "tray 3")
    assert item.keeper == "" and back.items[0].state == State.GOOD
    with pytest.raises(RequestError, match="tray 3, tray 7"):
        with_state(drawer(), "74LS166", State.BAD)
    with pytest.raises(RequestError, match="no 74LS00"):
        with_state(drawer(), "74LS00", State.BAD)


def test_the_same_item_in_the_same_place_and_state_is_counted_together():
    more = (
        drawer()
        .added(item_from_words("3x 74LS166 in tray 3, good"))
        .added(item_from_words("2x 74LS166 in tray 3, bad"))
    )
    assert [(i.count, i.state) for i in more.items if i.place == "tray 3"] == [(5, State.GOOD), (2, State.BAD)]
    assert len(more.without(0).items) == 3
    first = DrawerFile().added(item_from_words("10x 47u 25V 5x11 in tray A"))
    assert first.text().startswith("number,kind,count") and first.items[0].value == pytest.approx(47e-6)


@pytest.mark.parametrize(
    ("cells", "words"),
    [
        ("a,chip,-1,,", "line 2"),
        ("a,chip,1.5,,", "not a number of parts"),
        ("a,chip,1e9,,", "not a number of parts"),
        ("a,chip,x,,", "count"),
        ("a,chip,1,,stolen", "stolen"),
        ('a,"chip', "not a table"),
    ],
)
def test_what_cannot_be_is_named_with_its_line(cells, words):
    with pytest.raises(UserFileError, match=words):
        parse_drawer(f"number,kind,count,place,state\n{cells}\n".encode())
    with pytest.raises(UserFileError, match="cannot be"):
        parse_drawer(b"number,value\na,0\n")
    with pytest.raises(UserFileError, match="no column"):
        parse_drawer(b"name,count\na,1\n")


@pytest.mark.parametrize(
    ("words", "count", "number", "place", "state", "kind"),
    [
        ("3x 74LS166 in tray 3, untested", 3, "74LS166", "tray 3", "unknown", "chip"),
        ("74ls00", 1, "74LS00", "", "unknown", "chip"),
        ("10 x 100u 25V in tray B, good", 10, "100u 25V", "tray B", "proven", "capacitor"),
        ("2 74LS74, bad", 2, "74LS74", "", "bad", "chip"),
    ],
)
def test_items_are_said_as_in_the_line(words, count, number, place, state, kind):
    item = item_from_words(words)
    assert (item.count, item.number, item.place, item.state, item.kind) == (count, number, place, state, kind)
    assert item_from_words(item_words(item)) == item
    with pytest.raises(RequestError):
        item_from_words(" , ")


NUMBERS = st.sampled_from(["74LS00", "27C64", "100u 25V", "crystal; 8 MHz", 'a "b", c'])


@given(st.lists(st.tuples(NUMBERS, st.integers(0, 50), st.sampled_from(["", "tray 1", "box, blue"])), max_size=6))
def test_a_drawer_written_is_read_back(rows):
    found = DrawerFile()
    for number, count, place in rows:
        found = found.added(StockItem(number, count=count, place=place))
    again = read_drawer(found.text().encode(), "drawer.csv")
    assert again.items == found.items and sum(i.count for i in again.items) == sum(count for _, count, _ in rows)


def test_offers_of_shops():
    found = parse_offers(
        b"seller,part,price,moq,shipping,days,trust\nHarbour,47u 25V,0.12,10,4.9,3,97\n,74LS00,1,,,,\n"
    )
    assert (found[0].shop, found[0].minimum, found[0].trust) == ("Harbour", 10, 0.97)
    assert (found[1].price, found[1].minimum, found[1].trust) == (1.0, 1, 0.95)
    with pytest.raises(UserFileError, match="line 2"):
        parse_offers(b"number,price\n47u,-1\n")
    with pytest.raises(UserFileError, match="no column"):
        parse_offers(b"shop,price\nA,1\n")
