"""Each line carries the hash of the one before it."""

from loyal_trace.core.job import entries as e
from loyal_trace.core.job.chain import check_chain, head_of
from tests.helpers.builders import made


def chained(count, previous=""):
    lines = []
    for number in range(count):
        entry = made(e.Note, text=f"line {number}").model_copy(update={"previous": previous})
        lines.append(e.write_entry(entry))
        previous = e.line_hash(lines[-1])
    return lines


def test_a_whole_chain_has_no_fault():
    lines = chained(5)
    assert check_chain(lines) == () and check_chain(lines, head_of(lines)) == ()


def test_a_changed_a_missing_and_an_extra_line_are_found_where_they_are():
    lines = chained(5)
    changed = [*lines[:2], lines[2].replace("line 2", "line X"), *lines[3:]]
    assert [fault.line for fault in check_chain(changed)] == [4]
    assert [fault.line for fault in check_chain(lines[:1] + lines[2:])] == [2]
    assert [fault.line for fault in check_chain([*lines[:3], *chained(1, "f" * 64), *lines[3:]])] == [4, 5]


def test_a_cut_or_changed_end_is_seen_by_the_head_kept_elsewhere():
    lines = chained(5)
    assert check_chain(lines[:-1], head_of(lines))[0].line == 4
    assert check_chain([*lines[:-1], lines[-1].replace("line 4", "line 9")], head_of(lines))


def test_lines_of_version_1_carry_no_hash_and_the_chain_begins_after_them():
    old = ['{"kind":"note","v":1}', "not even json"]
    lines = [*old, *chained(2, e.line_hash(old[-1]))]
    assert check_chain(lines) == ()
    assert check_chain([old[0], old[1] + " ", *lines[2:]])[0].line == 3
