"""The case: which firmware, which chip, which words; and how far each stage has come."""

from dataclasses import replace

import pytest

from loyal_trace.core.assess.gather import gather
from loyal_trace.core.assess.progress import map_marks, mark_for_word, progress
from loyal_trace.core.assess.rom_pages import repair_of
from loyal_trace.core.assess.roms import complaint_expected, firmware, judged_slots, triage_of
from loyal_trace.core.boards.model import CheckItem, Part, RomSlot, SelfTestCode
from loyal_trace.core.job import entries as e
from loyal_trace.core.job.entries import describe, number_or_overload, reading_words, stage_of
from loyal_trace.core.roms.images import RomImage
from loyal_trace.core.vocabulary.cautions import Caution
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.demo.images import program_image
from loyal_trace.resources import memory_types
from tests.helpers.builders import assessment_of, made, measured, moment_of, probed, small_board

A, B = program_image("case A", 0x800), program_image("case B", 0x800)
NAMES = {"a" * 64: A, "b" * 64: B, "c" * 64: bytes(b | 4 for b in B)}


def sums(data):
    return tuple((algorithm, RomImage("", data).digest(algorithm)) for algorithm in ("crc32", "sha1"))


def rom_board():
    return small_board(
        rom_slots=(RomSlot("U2", "2716", 0x800, sums=(("A", sums(A)), ("B", sums(B)))),), firmwares=("A", "B")
    )


def read(sha):
    return made(e.RomRead, board="small", place="U2", attachment=sha * 64, size=0x800)


def slot(entries):
    return judged_slots(moment_of(rom_board(), entries, NAMES))[PartRef("small", "U2")]


def test_the_firmware_is_the_one_read_until_someone_decides():
    assert firmware(moment_of(rom_board(), [read("a")], NAMES)) == "A"
    assert firmware(moment_of(rom_board(), [read("b")], NAMES)) == "B"
    decided = made(e.Decided, what="firmware", choice="B")
    assert firmware(moment_of(rom_board(), [read("a"), decided], NAMES)) == "B"
    assert slot([read("a"), decided]).verdict.verdict == "other-revision"
    assert firmware(moment_of(rom_board())) == ""


def test_a_slot_has_a_plain_word():
    assert slot([]).word == "not read" and slot([read("b")]).word == "matches" and slot([read("c")]).word == "differs"
    assert slot([read("a"), read("b")]).word == "unstable" and slot([read("a"), read("b")]).reads == 2


def test_the_true_image_at_hand_makes_the_verdict_exact():
    known = made(e.ImageKnown, board="small", place="U2", firmware="B", attachment="b" * 64, size=0x800)
    decided = made(e.Decided, what="firmware", choice="B")
    found = slot([known, decided, read("c")])
    assert found.reference == B and found.verdict.hypotheses[0].where == {"data": [2], "level": 1}
    assert "leaves 0" in found.verdict.hypotheses[0].evidence


def test_sums_taken_in_from_a_list_count_as_well():
    other = program_image("case C", 0x800)
    line = e.SumLine(name="u2.bin", digests=dict(sums(other)), firmware="C")
    entries = [
        made(e.ChecksumsKnown, source="c.sha1", lines=(line,)),
        made(e.RomRead, board="small", place="U2", attachment="d" * 64, size=0x800),
    ]
    found = judged_slots(moment_of(rom_board(), entries, {**NAMES, "d" * 64: other}))[PartRef("small", "U2")]
    assert found.word == "matches"


def test_a_replacement_of_another_type_is_judged_as_what_it_is():
    moment = moment_of(None, [made(e.Fitted, board="small", place="U1", number="74HCT00")])
    assert moment.chip_type(PartRef("small", "U1")).family.name == "HCT"
    assert moment_of(None).chip_type(PartRef("small", "C1")) is None
    unknown = moment_of(None, [made(e.Fitted, board="small", place="U1", number="MYSTERY")])
    assert unknown.chip_type(PartRef("small", "U1")).name == "74LS00"


def test_progress_counts_what_is_known_at_each_stage():
    entries = [
        made(e.Opened, title="x"),
        made(e.Observed, board="small", place="U1", finding="clean"),
        read("b"),
        *[probed("U1", "1=L 2=H 3=L")] * 4,
        made(e.Started, clean=True),
    ]
    stations = progress(assessment_of(rom_board(), entries, NAMES))
    assert [s.stage for s in stations] == list(Stage)
    counts = {s.stage.title: s.count for s in stations}
    assert (
        counts["Inspect"] == "1/3"
        and counts["ROMs"] == "1/1"
        and counts["Probe"] == "1/2"
        and counts["Suspects"] == "1"
    )
    assert stations[3].filled == 1.0 and stations[9].filled == 0.0 and all(0 <= s.filled <= 1 for s in stations)
    home = progress(assessment_of(rom_board(), [*entries, made(e.HandedBack)], NAMES))
    assert home[9].filled == 1.0


@pytest.mark.parametrize(
    ("stage", "part", "kind"),
    [
        (1, "U1", "bad"),
        (1, "U2", "unknown"),
        (3, "U2", "bad"),
        (4, "U1", "bad"),
        (5, "U1", "bad"),
        (6, "U1", "doubtful"),
        (8, "C1", "good"),
    ],
)
def test_the_map_shows_what_each_stage_knows(stage, part, kind):
    entries = [
        made(e.Observed, board="small", place="U1", finding="corroded"),
        read("c"),
        probed("U1", "1=L 2=H 3=L"),
        made(e.Fitted, board="small", place="C1", number="new"),
    ]
    marks = map_marks(assessment_of(rom_board(), entries, NAMES), "small", stage)
    assert marks[part].kind == kind and marks[part].word


def test_marks_are_words_first():
    assert mark_for_word("possible").kind == "good" and mark_for_word("never heard").kind == "unknown"
    assert map_marks(assessment_of(), "small", 0) == {}


@pytest.mark.parametrize(
    ("entry", "words", "stage"),
    [
        (made(e.Opened, title="Dead board"), "job opened: Dead board", 0),
        (measured("C1", "capacitance", 3.2e-3), "C1 capacitance 3200 µF", 6),
        (measured("U1.3", "resistance", float("inf")), "U1.3 resistance OL", 2),
        (probed("U1", "3=P"), "U1.3 pulsing", 4),
        (probed("U1", "1=L 2=L 3=L 4=L"), "U1 4 pins probed", 4),
        (made(e.Fitted, place="U1", number="74LS00", origin="drawer 1"), "U1 fitted with 74LS00 from drawer 1", 7),
        (made(e.Started, clean=False, code="ROM 2"), "failed start, code ROM 2", 8),
        (made(e.StepDone, step="x", what="Replace U1", skipped=True), "step skipped: Replace U1", 7),
        (made(e.Decided, what="firmware", choice="B", reason="labels"), "decided firmware: B, because labels", None),
        (made(e.HandedBack, note="paid"), "handed back (paid)", 9),
        (made(e.Note, text="smells of fish"), "smells of fish", None),
    ],
)
def test_entries_are_told_in_plain_words_at_their_stage(entry, words, stage):
    assert describe(entry) == words and stage_of(entry) == stage


def test_an_overload_is_kept_apart_from_a_number():
    assert number_or_overload(float("inf")) == (None, True) and number_or_overload(4.7) == (4.7, False)
    assert reading_words(measured("F1", "resistance", float("inf"))) == "OL"


def checklist_board():
    items = (CheckItem("sound", "at the speaker", ("speaker",)), CheckItem("picture", "bars", ("display",)))
    return small_board(checklist=items)


def test_the_checklist_follows_tests_lacks_and_symptoms():
    board = checklist_board()
    lacks = made(e.Decided, what="bench lacks", choice="speaker, harness")
    symptom = made(e.SymptomSeen, board="small", text="rolls")
    proof = assessment_of(board, [lacks, symptom]).proof
    assert [(i.name, i.status) for i in proof.items] == [
        ("sound", "not testable"),
        ("picture", "open"),
        ("symptom gone: rolls", "open"),
    ]
    assert dict(proof.not_tested)["sound"] == "this bench has no speaker" and proof.done == 1
    tested = [
        lacks,
        symptom,
        made(e.CheckResult, board="small", item="picture", passed=False, note="green is weak"),
        made(e.SymptomSeen, board="small", text="rolls", present=False),
        made(e.Started, clean=True),
    ]
    proof = assessment_of(board, tested).proof
    assert [i.status for i in proof.items] == ["not testable", "failed", "passed"] and proof.items[
        1
    ].note == "green is weak"
    assert "starts" not in dict(proof.not_tested)


def test_a_result_overrides_an_earlier_cannot():
    cannot = made(e.NotTestable, board="small", item="sound", reason="borrowed speaker is out")
    assert assessment_of(checklist_board(), [cannot]).proof.items[0].note == "borrowed speaker is out"
    passed = made(e.CheckResult, board="small", item="sound", passed=True)
    assert assessment_of(checklist_board(), [cannot, passed]).proof.items[0].status == "passed"


def test_the_start_target_can_be_decided():
    starts = [made(e.Started, clean=True) for _ in range(29)]
    strict = made(e.Decided, what="failure rate target", choice="0.1")
    assert assessment_of(None, starts).proof.starts.still_needed == 30
    assert assessment_of(None, [*starts, strict]).proof.starts.still_needed == 0


@pytest.mark.parametrize(
    ("firmware", "sha", "culprit"), [("A", "b", False), ("A", "a", True), ("", "b", True), ("B", "b", True)]
)
def test_a_self_test_that_knows_another_firmware_accuses_nobody(firmware, sha, culprit):
    code = SelfTestCode("ROM 2", "program ROM fails its sum", ("U2",), firmware)
    board = replace(rom_board(), self_tests=(code,))
    entries = [read(sha), made(e.Started, clean=False, code="ROM 2")]
    moment = moment_of(board, entries, NAMES)
    told = [line.text for lines in gather(moment).values() for line in lines]
    assert any("self-test reported" in text for text in told) == culprit
    expected = complaint_expected(moment, PartRef("small", "U2"))
    assert bool(expected) != culprit and ("knows only firmware A; the set is firmware B" in expected) != culprit


@pytest.mark.parametrize(
    ("contents", "how", "cautions"),
    [
        (bytes(b | b + 1 if n == 9 else b for n, b in enumerate(B)), "over", (Caution.AGED_CELLS,)),
        (bytes(b & b - 1 if n == 9 else b for n, b in enumerate(B)), "erase", (Caution.UV,)),
    ],
)
def test_cells_that_faded_are_programmed_over_with_a_caution_and_others_erased_under_the_lamp(contents, how, cautions):
    known = made(e.ImageKnown, board="small", place="U2", firmware="B", attachment="b" * 64, size=0x800)
    decided = made(e.Decided, what="firmware", choice="B")
    assert contents != B
    moment = moment_of(rom_board(), [known, decided, read("f")], {**NAMES, "f" * 64: contents})
    found = repair_of(moment, PartRef("small", "U2"), memory_types())
    assert found.way is not None and (found.way.how, found.cautions) == (how, cautions)


def test_two_sockets_that_fail_in_circuit_with_right_contents_point_at_the_buffer_and_not_at_the_processor():
    chips = (("U2", "2716", 24), ("U3", "2716", 24), ("U4", "74LS245", 20), ("U5", "Z80", 40))
    board = small_board(
        parts=tuple(Part(name, number, f"DIP-{pins}", socketed=pins == 24) for name, number, pins in chips),
        nets=(("D0", (("U5", 14), ("U2", 9), ("U3", 9), ("U4", 2))),),
        rom_slots=tuple(RomSlot(name, "2716", 0x800, sums=(("A", sums(A)),)) for name in ("U2", "U3")),
    )
    entries = [made(e.ImageKnown, board="small", place=name, attachment="a" * 64, size=0x800) for name in ("U2", "U3")]
    entries += [read("a"), read("a").model_copy(update={"place": "U3"})]
    entries += [made(e.SignatureTaken, board="small", place=name, value=0x1234) for name in ("U2", "U3")]
    found = triage_of(moment_of(board, entries, NAMES), PartRef("small", "U2"))
    assert found is not None and found.culprit == "bus" and "U4" in found.why and "U5" not in found.why
