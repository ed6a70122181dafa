"""Facts worth entering next: every example can be typed as it stands, and what was entered is not asked for again."""

from dataclasses import replace

import pytest

from loyal_trace.core.assess.boards import boards_of
from loyal_trace.core.assess.known import known_of
from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.assess.wanted import wanted_facts
from loyal_trace.core.boards.model import BoardDefinition, OwnPin, Part
from loyal_trace.core.job import entries as e
from loyal_trace.core.job.fold import fold
from loyal_trace.core.line.context import Status
from loyal_trace.core.vocabulary.stages import Stage
from tests.helpers.builders import made, small_board
from tests.helpers.lines import LIBRARY, context, read

LIST = [
    ("U1", {"number": "74LS138", "sort": "chip"}),
    ("U2", {"number": "HYB-3", "sort": "chip"}),
    ("U3", {"number": "74LS138", "sort": "chip"}),
    ("C1", {"number": "100u", "sort": "capacitor", "value": 1e-4, "polarised": True}),
    ("C2", {"number": "", "sort": "capacitor"}),
    ("F1", {"number": "", "sort": "fuse"}),
    ("BT1", {"number": "", "sort": "cell"}),
    ("J2", {"number": "plug", "sort": "connector"}),
]


def told(place, **fields):
    return made(e.PartTold, board="own", place=place, origin="list", source="a list", **fields)


def moment_of(*entries):
    snapshot = fold(entries)
    return Moment(boards_of({}, snapshot, LIBRARY), snapshot, LIBRARY, lambda sha: b"")


@pytest.mark.parametrize("entries", [(), tuple(told(place, **fields) for place, fields in LIST)])
@pytest.mark.parametrize("stage", list(Stage))
def test_every_stage_of_a_fresh_board_has_examples_that_can_be_typed(stage, entries):
    moment = moment_of(*entries)
    found = wanted_facts(moment, "own", stage)
    assert 1 <= len(found) <= 3
    here = context({}, entries)
    for fact in found:
        parsed = read(fact.example, here)
        assert parsed.status is Status.RECORDED, f"{fact.example}: {parsed.status} {parsed.message}"


def test_what_was_entered_is_not_asked_for_again():
    entries = tuple(told(place, **fields) for place, fields in LIST)
    moment = moment_of(*entries)
    for stage in Stage:
        for fact in wanted_facts(moment, "own", stage):
            said = read(fact.example, context({}, entries)).said
            after = moment_of(*entries, *(made(one.kind, **one.fields) for one in said.entries))
            again = [f.example for f in wanted_facts(after, "own", stage)]
            assert fact.example not in again, f"{stage}: {fact.example}"


@pytest.mark.parametrize("stage", list(Stage))
def test_what_is_asked_for_runs_out_when_it_is_entered_line_by_line(stage):
    entries, asked = [told(place, **fields) for place, fields in LIST], []
    while found := wanted_facts(moment_of(*entries), "own", stage):
        assert found[0].example not in asked and len(asked) < 30, asked
        asked.append(found[0].example)
        if asked[-1].startswith("drawer:"):
            break  # the drawer is the workshop's, not the job's
        said = read(found[0].example, context({}, entries)).said
        entries += [made(one.kind, **one.fields) for one in said.entries]
    assert asked and not any(f"{place} is LM324" in asked for place in ("C2", "F1", "BT1"))


def test_a_board_with_its_own_definition_is_not_asked():
    board = small_board()
    moment = Moment({"small": board}, fold([]), LIBRARY, lambda sha: b"")
    asked = [fact for stage in Stage for fact in wanted_facts(moment, "small", stage)]
    assert bool(asked) is not bool(board.blocks or board.checklist)


def test_what_is_known_is_counted_with_where_it_comes_from():
    nets = made(e.NetsTold, board="own", source="pins.csv", nets=(e.Net(name="D0", pins=(("U1", 3), ("U3", 2))),))
    placed = made(e.PartTold, board="own", place="U1", x=10.0, y=10.0, origin="photo", source="front.jpg")
    moment = moment_of(*(told(place, **fields) for place, fields in LIST), nets, placed)
    found = {one.name: (one.told, one.origin, one.state) for one in known_of(moment, moment.boards["own"], False)}
    assert found["Types"] == ("5 of 8", "a list", "doubtful")
    assert found["Positions"] == ("1 of 8", "front.jpg", "doubtful")
    assert found["Capacitor ratings"] == ("0 of 2", "", "unknown")
    assert found["Connections"] == ("1 net, 2 pins", "pins.csv", "good")


def test_a_chip_whose_pins_stand_in_the_boards_folder_is_not_asked_for_its_pins():
    hybrid = Part("U2", "HYB-3", placed=False)

    def asked(board):
        snapshot = fold([])
        moment = Moment({"own": board}, snapshot, LIBRARY, lambda sha: b"")
        return " ".join(fact.example for fact in wanted_facts(moment, "own", Stage.PROBE))

    unknown = BoardDefinition("own", "Own", parts=(hybrid,))
    filed = replace(unknown, own_pins=(OwnPin("U2", 3, "RESET", "in"),))
    other = replace(unknown, own_pins=(OwnPin("U9", 3, "RESET", "in"),))
    assert "U2." in asked(unknown) and "U2." in asked(other) and asked(filed) != asked(unknown)
