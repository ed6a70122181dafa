"""What has to be proved on a board of one's own: every function that was said, every part that was replaced."""

from loyal_trace.core.assess.proof import proof_of
from loyal_trace.core.job.entries import Fitted
from tests.core.assess.test_gather import SHA, TRUE, read, rom_board
from tests.core.assess.test_reasonings import after
from tests.helpers.builders import made, moment_of

BELL = ("U1 is 4066", "U2 is LM324", "path bell: U1 U2", "fails: bell")


def items(moment):
    return {item.name: item.status for item in proof_of(moment).items}


def test_a_function_is_proved_when_it_was_tried_after_the_replacement_on_its_path():
    assert items(after(*BELL)) == {"bell": "failed"}
    assert items(after(*BELL, "works: bell")) == {"bell": "passed"}
    assert items(after(*BELL, "works: bell", "U1 replaced")) == {"bell": "open", "U1 replaced": "open"}
    assert items(after(*BELL, "U1 replaced", "works: bell")) == {"bell": "passed", "U1 replaced": "passed"}
    assert items(after(*BELL, "check: bell ok")) == {"bell": "passed"}


def test_a_replaced_part_is_open_until_something_shows_that_it_works():
    start = ("C1 is 100u 16V", "C2 is 100u 16V", "C1 replaced")
    assert items(after(*start)) == {"C1 replaced": "open"}
    assert items(after(*start, "C2 measures 98u out of circuit"))["C1 replaced"] == "open"
    assert items(after(*start, "C1 measures 98u out of circuit"))["C1 replaced"] == "passed"
    assert items(after(*start, "check: C1 replaced ok"))["C1 replaced"] == "passed"
    assert items(after(*start, "check: C1 replaced fails, hums"))["C1 replaced"] == "failed"
    assert "C1 replaced" not in items(after("C1 is 100u 16V", "before: C1 replaced"))


def test_another_type_in_a_place_says_what_it_gives_up():
    def how(line):
        proof = proof_of(after("U1 is 74LS374", "U2 is 74LS374", line))
        return next(item.how for item in proof.items if item.name == "U1 replaced")

    assert how("U1 replaced with 74HC374").startswith("74HC374 in place of 74LS374: its inputs need 3.5 V")
    assert "in place of" not in how("U1 replaced with 74LS374")


def test_a_replaced_rom_is_proved_by_its_contents():
    fitted = made(Fitted, board="small", place="U3", number="2716", origin="tray 1")

    def of_u3(contents):
        proof = proof_of(moment_of(rom_board(), [fitted, read()], {SHA: contents}))
        return next((item.status, item.note) for item in proof.items if item.name == "U3 replaced")

    assert of_u3(TRUE) == ("passed", "its contents read right")
    assert of_u3(bytes(byte | 1 for byte in TRUE))[0] == "open"
