"""Which reading accuses whom: small boards, a few entries, one belief at a time."""

from dataclasses import replace

import pytest

from loyal_trace.core.assess.chips import judged_chip, odds_of_chip
from loyal_trace.core.assess.gather import gather
from loyal_trace.core.assess.next_puzzles import steady_things
from loyal_trace.core.assess.next_things import next_things
from loyal_trace.core.boards.model import Block, Part, RomSlot, SelfTestCode
from loyal_trace.core.boards.supplies import ChainPoint, Rail
from loyal_trace.core.job import entries as e
from loyal_trace.core.parts.stock import StockItem
from loyal_trace.core.roms.images import RomImage
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.demo.images import program_image
from tests.helpers.builders import assessment_of, made, measured, moment_of, probed, small_board

TRUE = program_image("evidence", 0x800)
SHA = "a" * 64


def rom_board(**more):
    digests = (("crc32", RomImage("", TRUE).digest("crc32")), ("sha1", RomImage("", TRUE).digest("sha1")))
    slot = RomSlot("U3", "2716", 0x800, number=3, sums=(("A", digests),))
    parts = (
        *small_board().parts,
        Part("U3", "2716", "DIP-24", x=90, y=20, socketed=True),
        Part("U4", "74LS138", "DIP-16", x=90, y=60),
    )
    codes = (SelfTestCode("ROM 3", "ROM 3 fails", ("U3", "U4")), SelfTestCode("ROM 4", "ROM 4 fails", ("U4",)))
    return small_board(parts=parts, rom_slots=(slot,), self_tests=codes, **more)


def kinds(board, entries, place, blobs=None):
    lines = gather(moment_of(board, entries, blobs))
    return [line.kind for line in lines.get(("small", place), [])]


def read(data_sha=SHA):
    return made(e.RomRead, board="small", place="U3", attachment=data_sha, size=0x800)


def test_rom_reads_speak_for_or_against_their_chip():
    bad = bytes(b | 1 for b in TRUE)
    assert kinds(rom_board(), [read()], "U3", {SHA: TRUE}) == ["rom-right"]
    assert kinds(rom_board(), [read()], "U3", {SHA: bad}) == ["rom-wrong"]
    shaky = bytes([TRUE[0] ^ 1]) + TRUE[1:]
    assert kinds(rom_board(), [read("b" * 64), read()], "U3", {SHA: TRUE, "b" * 64: shaky}) == ["rom-unstable"]
    assert kinds(rom_board(), [read()], "U3", {SHA: TRUE * 2}) == [], "a wrong size is the reader's setting"


def test_one_line_wrong_in_several_roms_is_rather_the_reader_and_in_one_the_chip():
    board = rom_board()
    other = Part("U5", "2716", "DIP-24", x=130, y=20, socketed=True)
    board = replace(board, parts=(*board.parts, other), rom_slots=(*board.rom_slots, RomSlot("U5", "2716", 0x800)))
    here, there = "c" * 64, "d" * 64
    high = {here: bytes(b | 8 for b in TRUE), there: bytes(b * 7 % 256 | 8 for b in TRUE)}
    both = [read(here), made(e.RomRead, board="small", place="U5", attachment=there, size=0x800)]
    assert [kinds(board, both, place, high) for place in ("U3", "U5")] == [["rom-wrong", "rom-line-of-several"]] * 2
    advised = {thing.place.refdes: thing for thing in next_things(moment_of(board, both, high), 30, (Stage.ROMS,))}
    assert "U5" not in advised and advised["U3"].minutes == 2.0, "one good chip in the reader answers for both"
    good = {**high, there: bytes(b * 7 % 256 for b in TRUE)}
    assert kinds(board, both, "U3", good) == ["rom-wrong"], "its own pin or output"


def test_a_code_is_explained_by_a_bad_rom_and_means_contact_when_it_reads_right():
    code = made(e.Started, clean=False, code="ROM 3")
    assert kinds(rom_board(), [read(), code], "U3", {SHA: bytes(b | 1 for b in TRUE)}) == ["rom-wrong", "self-test"]
    assert kinds(rom_board(), [read(), code], "U4", {SHA: bytes(b | 1 for b in TRUE)}) == []
    assert kinds(rom_board(), [read(), code], "U3", {SHA: TRUE}) == ["rom-right-but-accused", "fails-in-circuit"]
    assert kinds(rom_board(), [read(), code], "U4", {SHA: TRUE}) == ["self-test-shared"]
    things = next_things(moment_of(rom_board(), [read(), code], {SHA: TRUE}), 30, (Stage.INSPECT,))
    look = next(thing for thing in things if thing.place.refdes == "U3" and "reads right but fails" in thing.text)
    assert look.minutes == 2.0 and look.stage is Stage.INSPECT


def test_a_code_seen_before_its_part_was_put_right_is_answered():
    code, fitted = made(e.Started, clean=False, code="ROM 3"), made(e.Fitted, board="small", place="U3", number="2716")
    assert kinds(rom_board(), [code, fitted], "U4") == []
    assert "self-test-shared" in kinds(rom_board(), [fitted, made(e.Started, clean=False, code="ROM 3")], "U4")


def test_an_impossible_output_accuses_its_chip_and_a_little_whoever_shares_the_line():
    entries = [probed("U1", "1=L 2=H 3=L")]
    assert kinds(small_board(), entries, "U1") == ["output-impossible"]
    assert kinds(small_board(), entries, "U2") == ["line-held"]
    shorted = [*entries, measured("U1.3", "resistance", 2.0)]
    assert kinds(small_board(), shorted, "U2") == ["line-held", "line-shorted-neighbour"]
    free = [*entries, measured("U1.3", "resistance", 4300.0)]
    assert kinds(small_board(), free, "U1") == ["output-impossible", "line-free-owner"]


def test_pins_of_one_net_share_their_reading_and_two_that_differ_name_the_track_between():
    nets = (("A", (("U1", 3), ("U2", 1))), ("GND", (("U1", 1), ("U1", 7))))
    board = small_board(nets=nets)
    moment = moment_of(board, [probed("U1", "2=H 3=L")])
    assert judged_chip(moment, PartRef("small", "U1")).impossible, "input 1 is on ground"
    inverter = [probed("U1", "3=L"), probed("U2", "2=L")]
    assert judged_chip(moment_of(board, inverter), PartRef("small", "U2")).impossible, (
        "its input was read at the other end"
    )
    broken = moment_of(board, [probed("U1", "3=L"), probed("U2", "1=H 2=L")])
    assert "net-differs" in [line.kind for line in gather(broken)[PartRef("small", "U1")]]
    assert any("read U1.3 and U2.1 again" in thing.text for thing in next_things(broken, 9, (Stage.PROBE,)))
    twice = moment_of(board, [probed("U1", "3=L"), probed("U2", "1=H 2=L")] * 2)
    assert any("continuity from U1.3 to U2.1" in thing.text for thing in next_things(twice, 9, (Stage.PROBE,)))
    assert not judged_chip(broken, PartRef("small", "U2")).impossible
    rung = [probed("U1", "3=L"), probed("U2", "1=H 2=L")] * 2 + [measured("U1.3 U2.1", "continuity", 0.2)]
    told = next_things(moment_of(board, rung), 9, (Stage.PROBE,))
    assert not any("continuity" in thing.text for thing in told), "measured already"


def test_the_other_end_of_a_net_doubts_or_confirms_what_was_read_at_an_output():
    board, chip = small_board(nets=(("A", (("U1", 3), ("U2", 1))),)), PartRef("small", "U1")

    def odds(*more):
        return odds_of_chip(moment_of(board, [probed("U1", "1=L 2=H 3=L"), *more]), chip).log_ratio

    alone, alike, otherwise = odds(), odds(probed("U2", "1=L")), odds(probed("U2", "1=H"))
    assert alike > alone > otherwise, "impossible where it was read, and right at the other end: rather misread"


def test_an_output_unlike_a_good_board_with_inputs_alike_is_evidence_and_unlike_inputs_are_not():
    def at(pins, source="hand"):
        return probed("U1", pins).model_copy(update={"source": source})

    good = at("1=P 2=P 3=P", e.GOOD_BOARD)
    assert "unlike-good" in kinds(small_board(), [good, at("1=P 2=P 3=H")], "U1")
    assert "unlike-good" not in kinds(small_board(), [good, at("1=P 2=L 3=H")], "U1")
    assert kinds(small_board(), [good], "U1") == [], "what a good board shows is no reading of this one"


@pytest.mark.parametrize(("hertz", "told"), [(1e6, True), (2.01e6, False)])
def test_a_frequency_unlike_that_of_a_good_board_is_evidence(hertz, told):
    def at(frequency, source):
        pins = (e.PinState(pin=1, state="P"), e.PinState(pin=3, state="P", frequency=frequency))
        return made(e.PinsProbed, board="small", place="U1", pins=pins, source=source)

    assert ("unlike-good" in kinds(small_board(), [at(2e6, e.GOOD_BOARD), at(hertz, "hand")], "U1")) == told


def test_a_memory_with_one_data_line_at_rest_among_moving_ones_is_evidence_against_it_and_its_line():
    parts = (Part("U1", "6116", "DIP-24"), Part("U2", "74LS245", "DIP-20"))
    board = small_board(parts=parts, nets=(("D3", (("U1", 13), ("U2", 5))),))
    moving = "9=P 10=P 11=P 14=P 15=P"
    once, again = probed("U1", f"{moving} 13=L"), probed("U1", "13=L")
    assert kinds(board, [once], "U1") == [], "one misread pin looks the same"
    assert any("read U1.13 again" in thing.text for thing in steady_things(moment_of(board, [once])))
    assert "steady-bit" in kinds(board, [once, again], "U1")
    assert kinds(board, [once, again], "U2") == ["steady-bit-beside"]
    assert list(steady_things(moment_of(board, [once, again]))) == []
    assert "steady-bit" not in kinds(board, [probed("U1", "9=L 10=P 11=P 13=L"), again], "U1")


def test_a_chip_without_supply_is_not_judged_and_not_accused():
    entries = [probed("U1", "1=L 2=H 3=L 14=L")]
    assert judged_chip(moment_of(None, entries), PartRef("small", "U1")).word == "cannot be judged"
    assert kinds(small_board(), entries, "U1") == []


def test_a_chip_whose_every_output_could_be_right_is_cleared_and_half_a_chip_is_not():
    inverter = "1=L 2=H 3=H 4=L 5=L 6=H 9=P 8=P 11=L 10=H 13=H 12=L"
    assert kinds(small_board(), [probed("U2", inverter)], "U2") == ["outputs-possible"]
    assert kinds(small_board(), [probed("U2", "1=L 2=H")], "U2") == []


def test_the_odd_one_out_needs_siblings_that_were_checked():
    parts = tuple(Part(f"U{n}", "74LS04", "DIP-14", x=20 * n, y=10) for n in (1, 2, 3))
    board = small_board(parts=parts, nets=(), siblings=(("U1", "U2", "U3"),))
    good, bad = "1=L 2=H", "1=L 2=L"
    assert "odd-one-out" in kinds(board, [probed("U1", bad), probed("U2", good)], "U1")
    assert "odd-one-out" not in kinds(board, [probed("U1", bad)], "U1")
    assert "odd-one-out" not in kinds(board, [probed("U1", bad), probed("U2", bad), probed("U3", good)], "U1")


CHAIN = (
    ChainPoint("F1", "resistance", 0, 0.5, "F1", powered=False),
    ChainPoint("REG1", "voltage", 4.85, 5.15, "REG1"),
    ChainPoint("U2.14", "voltage", 4.75, 5.25, "U2"),
)


def supply_board(**more):
    parts = (*small_board().parts, Part("F1", "2 A", kind="fuse"), Part("REG1", "5 V", kind="regulator"))
    return small_board(parts=parts, chain=CHAIN, **more)


def test_the_first_bad_point_accuses_its_part_and_good_points_clear_theirs():
    entries = [measured("F1", "resistance", 0.1), measured("REG1", "voltage", 3.1), measured("U2.14", "voltage", 3.0)]
    assert kinds(supply_board(), entries, "F1") == ["rail-good"]
    assert kinds(supply_board(), entries, "REG1") == ["rail-bad"]
    assert kinds(supply_board(), entries, "U2") == [], "what follows the first bad point is not accused"


def test_a_missing_rail_excuses_the_blocks_that_need_it():
    block = Block("logic", ("U1",), ("+5 V",), ("dead",))
    board = supply_board(blocks=(block,), rails=(Rail("+5 V", 5.0, 4.75, 5.25, far="U2.14"),))
    symptom = made(e.SymptomSeen, board="small", text="dead")
    assert kinds(board, [symptom], "U1") == ["symptom"]
    assert kinds(board, [symptom, measured("U2.14", "voltage", 3.0)], "U1") == []
    assert kinds(board, [symptom, made(e.SymptomSeen, board="small", text="dead", present=False)], "U1") == []


def test_a_renewed_part_is_not_accused_by_what_was_seen_before():
    old = [
        made(e.Observed, board="small", place="U1", finding="scorched"),
        measured("C1", "capacitance", 1e-4),
        made(e.Swapped, board="small", place="U1", spare="x", result="gone"),
        probed("U1", "1=L 3=L"),
    ]
    assert kinds(small_board(), old, "U1") == ["output-impossible", "finding-bad", "swap-cured"]
    new = [made(e.Fitted, board="small", place=p, number="x") for p in ("U1", "C1")]
    assert kinds(small_board(), old + new, "U1") == [] and kinds(small_board(), old + new, "C1") == []


@pytest.mark.parametrize(
    ("finding", "kind"), [("looks good", "finding-good"), ("corroded", "finding-bad"), ("cleaned", "finding-good")]
)
def test_the_latest_finding_counts(finding, kind):
    entries = [made(e.Observed, board="small", place="U1", finding=f) for f in ("scorched", finding)]
    assert kinds(small_board(), entries, "U1") == [kind]


@pytest.mark.parametrize(
    ("result", "kind"), [("gone", "swap-cured"), ("moves", "swap-cured"), ("stays", "swap-no-change")]
)
def test_swaps_weigh_by_their_result(result, kind):
    assert kinds(small_board(), [made(e.Swapped, board="small", place="U1", spare="s", result=result)], "U1") == [kind]


def test_findings_at_points_that_are_no_parts_accuse_nobody():
    entries = [
        made(e.Observed, board="small", place="lid", finding="scorched"),
        made(e.Observed, board="other", place="U1", finding="scorched"),
    ]
    assert gather(moment_of(None, entries)) == {}


def test_suspects_are_ranked_and_carry_their_lines_strongest_first():
    found = assessment_of(
        None,
        [
            *[probed("U1", "1=L 2=H 3=L")] * 4,
            made(e.Observed, board="small", place="U1", finding="looks good"),
            measured("C1", "capacitance", 0.95e-3),
        ],
    )
    top = found.suspects[0]
    assert top.place == ("small", "U1")
    assert top.probability > 0.5 > top.prior and top.against[0].kind == "output-impossible"
    assert [line.kind for line in top.in_favour] == ["finding-good"]
    assert (
        found.suspect_at(PartRef("small", "C1")).probability < 0.15 and found.suspect_at(PartRef("small", "U9")) is None
    )


def test_the_next_things_offer_the_meter_the_probe_and_the_drawer():
    drawer = [StockItem("74LS00", count=1, place="drawer 1")]
    once = assessment_of(None, [probed("U1", "1=L 2=H 3=L")], drawer=drawer)
    assert "read U1 again at pins 1, 3: a misreading would explain it" in {t.text for t in once.next}
    found = assessment_of(None, [probed("U1", "1=L 2=H 3=L")] * 3, drawer=drawer)
    texts = {t.text for t in next_things(found.moment, 3, (Stage.RAILS,))}
    assert any("U1.3 to ground" in t for t in texts)
    swaps = next_things(found.moment, 3, (Stage.REPAIR,))
    assert [t.text for t in swaps] == ["exchange U1 with the 74LS00 from drawer 1"]
    assert [t.stage for t in found.probing] and all(t.stage in (2, 4) for t in found.probing)
    bad_spare = assessment_of(None, [probed("U1", "1=L 2=H 3=L")], drawer=[StockItem("74LS00", count=1, state="bad")])
    assert not any("exchange" in t.text for t in bad_spare.next)


def test_a_point_that_differs_from_a_good_board_is_evidence_against_the_part_it_belongs_to():
    good = measured("U1.2", "voltage", 2.4).model_copy(update={"source": e.GOOD_BOARD})
    unlike, alike = measured("U1.2", "voltage", 4.4), measured("U1.2", "voltage", 2.5)
    assert kinds(small_board(), [good, unlike], "U1") == ["differs-from-good"]
    assert kinds(small_board(), [good, alike], "U1") == []
