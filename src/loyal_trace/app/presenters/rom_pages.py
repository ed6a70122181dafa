"""The further pages of the ROM stage as rows: the set, the reads of one chip beside each other, its repair."""

from loyal_trace.app.presenters.model import Cell, Row, heading
from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.assess.rom_pages import Repair, SetLine, allowed_words, reads_of, set_lines, vote_of
from loyal_trace.core.assess.roms import SlotAssessment, mixed_revisions, shared_line_faults
from loyal_trace.core.roms.devices import Fit
from loyal_trace.core.roms.identify import Match
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import after, capital, joined, say
from loyal_trace.core.vocabulary.units import count_of, format_percent

KIND = {"matches": "good", "differs": "bad", "unstable": "doubtful"}
_MOST_READS = 9
_SORTS = {
    "mask": say("mask ROM"),
    "fuse": say("bipolar PROM"),
    "otp": say("one-time EPROM"),
    "eprom": "EPROM",
    "eeprom": "EEPROM",
    "flash": say("flash memory"),
}
_COLUMNS = (
    (36, say("No.")),
    (78, say("place")),
    (136, say("label")),
    (198, say("device")),
    (280, say("addresses")),
    (384, say("byte lane")),
    (462, say("revisions")),
    (596, say("read")),
)
_LINE_FAULTS = 4
_GLYPH = {"nothing": "good", "over": "doubtful", "erase": "doubtful", "rewrite": "doubtful", "replace": "bad"}


def set_rows(moment: Moment, board_id: str, matches: tuple[Match, ...], asked: str) -> tuple[Row, ...]:
    """The table of sockets, what the revisions do to it, and what an identification found."""
    rows = [Row("", tuple(Cell(left, 120, title, bold=True) for left, title in _COLUMNS), height=24)]
    rows += [_set_row(one) for one in set_lines(moment, board_id)]
    mix = mixed_revisions(moment, board_id)
    rows.append(_said(mix.words, "doubtful" if mix.mixed else ""))
    rows += [_said(one.words, "doubtful") for one in shared_line_faults(moment, board_id)[:_LINE_FAULTS]]
    if asked:
        rows.append(heading(say("Contents of {asked}, compared with every board of the store", asked=asked), 26))
        rows += [_match_row(match) for match in matches[:5]]
        if not matches:
            rows.append(
                Row("unknown", (Cell(36, 0, say("It resembles no contents known here, whole, partial or damaged.")),))
            )
    return tuple(rows)


def _set_row(one: SetLine) -> Row:
    slot, told = one.line.slot, one.line
    read = one.firmware or one.word if one.word == "matches" else one.word
    cells = (
        Cell(36, 40, told.number, mono=True),
        Cell(78, 56, slot.refdes, bold=True, mono=True),
        Cell(136, 60, slot.label, mono=True),
        Cell(198, 78, slot.device, mono=True),
        Cell(280, 100, told.addresses, mono=True),
        Cell(384, 76, told.lane or "8 bit"),
        Cell(462, 130, told.changes),
        Cell(596, 0, read, KIND.get(one.word, ""), bold=True),
    )
    return Row(KIND.get(one.word, "unknown"), cells, height=24)


def _said(words: str, glyph: str, height: int = 42) -> Row:
    return Row(glyph, (Cell(36, 0, say("{rstrip}.", rstrip=capital(words).rstrip("."))),), height=height)


def _match_row(match: Match) -> Row:
    firmware = say("firmware {firmware}", firmware=match.firmware) if match.firmware else ""
    cells = (
        Cell(106, 56, format_percent(match.fraction), bold=True, mono=True),
        Cell(164, 70, match.name, bold=True, mono=True),
        Cell(238, 130, match.source),
        Cell(372, 90, firmware),
        Cell(466, 0, match.how),
    )
    return Row("", cells, (2.0, 96.0, match.fraction, "ink"), height=25)


def read_rows(moment: Moment, place: PartRef) -> tuple[Row, ...]:
    """Every read of a chip, what they say together, and how many more would settle it."""
    reads = reads_of(moment, place)
    rows = [heading(say("{reads} of {refdes}", reads=count_of(len(reads), say("read")), refdes=place.refdes), 26)]
    for read in reads[-_MOST_READS:]:
        like = "" if read.like == read.number else say("like read {like}", like=read.like)
        word = like or (say("first read") if read.number == 1 else say("differs from read 1"))
        cells = (
            Cell(36, 40, str(read.number), bold=True, mono=True),
            Cell(80, 130, read.source),
            Cell(214, 90, say("{size:,} bytes", size=read.size)),
            Cell(310, 90, read.crc32.upper(), mono=True),
            Cell(408, 0, say("checksums match") if read.right else word),
        )
        rows.append(Row("good" if read.right else "", cells, height=24))
    found = vote_of(moment, place)
    if found is not None and found.bits:
        more = (
            say(" {more_reads} would settle it.", more_reads=count_of(found.more_reads, "more read"))
            if found.more_reads
            else ""
        )
        told = say(
            "Probability that no bit of the majority is a random misread: {confidence}. A fault that all "
            "reads share does not show.{more}",
            confidence=format_percent(found.confidence),
            more=more,
        )
        rows.append(Row("doubtful", (Cell(36, 0, say("{why}. {told}", why=capital(found.why), told=told)),), height=44))
    elif found is not None:
        rows.append(
            _said(
                say(
                    "All {reads} reads are equal: no intermittent contact shows. Only checksums tell whether "
                    "they are right.",
                    reads=found.reads,
                ),
                "good",
            )
        )
    elif len(reads) == 1:
        rows.append(
            _said(say("One read cannot show an intermittent contact. Read it three more times (Alt+T)."), "unknown")
        )
    return tuple(rows)


def repair_rows(repair: Repair, slot: SlotAssessment) -> tuple[Row, ...]:
    """What must change in the chip, how its kind is written, and what could take its place."""
    rows = [
        heading(
            say(
                "{refdes}: {device}, {sorts}",
                refdes=slot.slot.refdes,
                device=repair.device,
                sorts=_SORTS[repair.technology],
            ),
            26,
        )
    ]
    rows.append(_said(repair.words, _GLYPH.get(repair.way.how if repair.way else "", "unknown")))
    if repair.proof:
        rows.append(_said(say("the reference image was restored: {proof}", proof=repair.proof), "good"))
    if repair.minutes is not None:
        rows.append(
            _said(
                say("with this lamp, {minutes:.0f} minutes give the usual dose of 15 W·s/cm²", minutes=repair.minutes),
                "",
                27,
            )
        )
    rows.append(_said(allowed_words(repair.technology), "", 62))
    if repair.fits:
        rows.append(heading(say("Possible substitutes")))
        rows += [_fit_row(found) for found in repair.fits]
    return tuple(rows)


def _fit_row(found: Fit) -> Row:
    wires = joined(
        "; ",
        (
            say("{device} (pin {device_pin}) {wiring}", device=p.device, device_pin=p.device_pin, wiring=p.wiring)
            for p in found.pins
            if p.wiring
        ),
    )
    words = after(": ", found.words)
    speed = {True: "", False: say("; too slow for this board"), None: ""}[found.fast_enough]
    told = say("{words}{speed}{say}", words=words, speed=speed, say=say(" ({wires})", wires=wires) if wires else "")
    cells = (
        Cell(36, 70, found.new.name, bold=True, mono=True),
        Cell(110, 70, _SORTS.get(found.new.technology, found.new.technology)),
        Cell(184, 80, found.new.volts),
        Cell(268, 0, told),
    )
    return Row("", cells, height=42 if len(told) > 62 else 25)
