"""Bare parts lists of any spreadsheet."""

import pytest

from loyal_trace.core.vocabulary.errors import UserFileError
from loyal_trace.formats.part_list import is_part_list, read_part_list


def put(tmp_path, text, name="list.csv"):
    (tmp_path / name).write_text(text, encoding="utf-8")
    return tmp_path / name


@pytest.mark.parametrize(
    "text",
    [
        "refdes,part\n5C,74LS138\n5D,74LS166\n",
        "\ufeffPosition;Menge;Type\r\n5C;1;74LS138\r\n5D;1;74LS166\r\n",
        "Qty\tDevice\tReference\n2\t74LS138\t5C\n\t74LS166\t5D\n\n",
    ],
)
def test_two_columns_are_found_by_their_titles(tmp_path, text):
    path = put(tmp_path, text)
    assert is_part_list(path) and [(p.refdes, p.number) for p in read_part_list(path)] == [
        ("5C", "74LS138"),
        ("5D", "74LS166"),
    ]


def test_several_places_in_one_cell_are_parts_of_their_own(tmp_path):
    found = read_part_list(put(tmp_path, 'part,designator\n74LS00,"U1, U3 U7"\n,U9\n'))
    assert [p.refdes for p in found] == ["U1", "U3", "U7"]


@pytest.mark.parametrize("text", ["name,sha1,place\n", "refdes,sha1,part\n", "a,b\n1,2\n", ""])
def test_other_tables_are_no_parts_lists(tmp_path, text):
    assert not is_part_list(put(tmp_path, text)) and not is_part_list(put(tmp_path, "refdes,part\n", "x.txt"))


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("refdes,part\n", "lists no parts"),
        ("refdes,part\nU1,7400\n\nU1,7404\n", "line 4: U1 is listed twice"),
        ("a,b\n", "no columns"),
    ],
)
def test_what_will_not_do_is_named_with_its_line(tmp_path, text, words):
    with pytest.raises(UserFileError, match=words):
        read_part_list(put(tmp_path, text))
