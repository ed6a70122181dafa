"""How the program speaks: every text against the table of terms, one colon a sentence, figures with their units."""

import re

import pytest

from tests.helpers.texts import SOURCE, code_texts, data_texts, page_texts

# The right-hand column of the table of terms, as patterns; the letters in a legitimate term stay.
NOT_THE_TERM = {
    "checksum": r"\bsums?\b(?!\s?(?:8|16|32|sha1|crc32|…))(?<!-bit sum)(?<!byte sum)",
    "reference image": r"\btrue images?\b|\btruth\b(?! table)",
    "pin": r"\blegs?\b",
    "replace": r"\brenew|\bput right\b",
    "re-program": r"\bprogramme\b|\banew\b",
    "probability": r"\bbelief|\bblam(?:e|ed|es|ing)\b|(?<!by )\bchances?\b(?! alone)",
    "evidence for / against": r"accus(?:e|ing)|(?<!Esc )(?<!CLR )(?<!\()\bclears\b|speaks? (?:for|against)|\binnocent",
    "worn contact": r"\btired\b|\bfolded\b",
    "faulty": r"\bill\b|\bdying\b|\bget far\b|\bdies\b|(?<!silicon )\bdie\b",
    "continuity": r"\brings?\b(?! counter)|\bring out\b",
    "supply limits; repair order": r"(?<!rail )(?<!order )\bschools?\b(?! computer)",
    "import, export, save": r"\btak(?:e|es|en) in\b|\bput out\b",
    "undo, redo": r"\btakes? back\b",
    "job settings": r"how this job is judged",
    "demo workshop": r"made-up workshop",
    "byte lane, data line": r"(?<!byte )(?<!Hollin )(?<!a )(?<!the )(?<!-)\blanes?\b(?! \d, base)(?!`| is|s)",
    "part, place, socket": r"\bthings?\b|\bsomewhere\b",
    "no archaisms": r"\bmade one\b|\bgo(?:es)? home\b",
    "is not a …": r"(?<!here )(?<!Here )\bis no (?!longer\b)",
    "no passives": r"\b(?:is|are) told\b|\btaken to be\b",
}
# Names that older logbooks and board folders carry, read so that they stay readable.
FORMER = {"leg folded or missing", "rail school", "order school", "renew capacitors first", "renew first"}
SENTENCES = [(where, text) for where, text in (*code_texts(), *data_texts()) if text not in FORMER]


@pytest.mark.parametrize("term", NOT_THE_TERM)
def test_each_thing_has_one_name_in_everything_the_program_says(term):
    pattern = re.compile(NOT_THE_TERM[term], re.IGNORECASE)
    wrong = [f"{where}: {found[0]!r} in {text[:90]!r}" for where, text in SENTENCES if (found := pattern.search(text))]
    assert not wrong, f"the term is {term}:\n" + "\n".join(wrong)


@pytest.mark.parametrize("term", NOT_THE_TERM)
def test_each_thing_has_one_name_in_the_documents(term):
    pattern = re.compile(NOT_THE_TERM[term], re.IGNORECASE)
    pages = page_texts()
    wrong = [f"{where}: {found[0]!r} in {text[:90]!r}" for where, text in pages if (found := pattern.search(text))]
    assert not wrong, f"the term is {term}:\n" + "\n".join(wrong)


def test_a_sentence_has_one_colon_or_dash_and_ends_once():
    wrong = []
    for where, text in SENTENCES:
        # Examples of what can be typed, parted by semicolons, are no sentences.
        if re.search(r"(?:^|; )(?:[\w ]+: [^;]*; )", text) or "type " in text or "for example" in text:
            continue
        for sentence in re.split(r"(?<=[.!?])\s+|\n", text):
            marks = len(re.findall(r":\s|\s[–—]\s", re.sub(r"\([^)]*\)|“[^”]*”|\bsupply [^:]*:", "", sentence)))
            if marks > 1 or re.search(r"\.\.(?!\.)(?<!\.\.\.)|[!?]\.|:\.", sentence):
                wrong.append(f"{where}: {sentence!r}")
    assert not wrong, "\n".join(wrong)


def test_figures_stand_apart_from_their_units():
    glued = re.compile(r"(?<![\w.=+-])\d+(?:\.\d+)?(?:%|V|mV|Ω|kΩ|Hz|kHz|MHz|µF|mm|°C|W)(?![\w.=/])")
    # Examples of what can be typed are glued, as hands type them.
    typed = re.compile(r"such as|^loyal-trace |\btype\b|\bwrite\b|; |for the pins", re.IGNORECASE)
    wrong = [f"{where}: {text!r}" for where, text in SENTENCES if glued.search(text) and not typed.search(text)]
    assert not wrong, "\n".join(wrong)


def test_no_share_is_written_with_its_sign_glued_on():
    glued = [
        f"{f.name}: {m}" for f in sorted(SOURCE.rglob("*.py")) for m in re.findall(r":\.\d%\}", f.read_text("utf-8"))
    ]
    assert not glued, glued
