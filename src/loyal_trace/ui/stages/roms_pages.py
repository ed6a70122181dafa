"""The further pages of the ROM stage as rows: the set, the reads of one chip beside each other, its repair."""

from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.assess.rom_pages import Repair, allowed_words, reads_of, set_lines, vote_of
from loyal_trace.core.assess.roms import SlotAssessment, mixed_revisions
from loyal_trace.core.roms.devices import Fit
from loyal_trace.core.roms.identify import Match
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.units import count_of, format_percent
from loyal_trace.ui.widgets.rows import Cell, Row

KIND = {"matches": "good", "differs": "bad", "unstable": "doubtful"}
_MOST_READS = 9
_SORTS = {"mask": "mask ROM", "fuse": "bipolar PROM", "otp": "one-time EPROM", "eprom": "EPROM", "eeprom": "EEPROM",
          "flash": "flash memory"}  # fmt: skip
_LEFTS = (36, 78, 136, 198, 280, 384, 462, 596)


def set_rows(moment: Moment, board_id: str, matches: tuple[Match, ...], asked: str) -> tuple[Row, ...]:
    """The table of sockets, what the revisions do to it, and what an identification found."""
    titles = zip(_LEFTS, ("No.", "place", "label", "device", "addresses", "lane", "revisions", "read"), strict=True)
    rows = [Row("", tuple(Cell(left, 120, title, bold=True) for left, title in titles), height=24)]
    for one in set_lines(moment, board_id):
        slot, line = one.line.slot, one.line
        read = f"{one.firmware or one.word}" if one.word == "matches" else one.word
        rows.append(Row(KIND.get(one.word, "unknown"), (
            Cell(36, 40, line.number, mono=True), Cell(78, 56, slot.refdes, bold=True, mono=True),
            Cell(136, 60, slot.label, mono=True), Cell(198, 78, slot.device, mono=True),
            Cell(280, 100, line.addresses, mono=True), Cell(384, 76, line.lane or "8 bit"),
            Cell(462, 130, line.changes), Cell(596, 0, read, KIND.get(one.word, ""), bold=True),
        ), height=24))  # fmt: skip
    mix = mixed_revisions(moment, board_id)
    rows.append(
        Row("doubtful" if mix.mixed else "", (Cell(36, 0, f"{mix.words[:1].upper()}{mix.words[1:]}."),), height=42)
    )
    if asked:
        rows.append(Row("", (), heading=f"What {asked} could be, held against every board of the store", height=26))
        rows += [_match_row(match) for match in matches[:5]]
        if not matches:
            rows.append(Row("unknown", (Cell(36, 0, "It resembles nothing known here, whole, in part or damaged."),)))
    return tuple(rows)


def _said(words: str, glyph: str) -> Row:
    return Row(glyph, (Cell(36, 0, f"{words[:1].upper()}{words[1:]}."),), height=42)


def _match_row(match: Match) -> Row:
    firmware = f"firmware {match.firmware}" if match.firmware else ""
    share = format_percent(match.fraction)
    return Row("", (
        Cell(106, 56, share, bold=True, mono=True), Cell(164, 70, match.name, bold=True, mono=True),
        Cell(238, 130, match.source), Cell(372, 90, firmware), Cell(466, 0, match.how),
    ), (2.0, 96.0, match.fraction, "ink"), height=25)  # fmt: skip


def read_rows(moment: Moment, place: PartRef) -> tuple[Row, ...]:
    """Every read of a chip, what they say together, and how many more would settle it."""
    reads = reads_of(moment, place)
    rows = [Row("", (), heading=f"{count_of(len(reads), 'read')} of {place[1]}", height=26)]
    for read in reads[-_MOST_READS:]:
        like = "" if read.like == read.number else f"like read {read.like}"
        word = "has the right sums" if read.right else like or ("first read" if read.number == 1 else "differs from it")
        rows.append(Row("good" if read.right else "", (
            Cell(36, 40, str(read.number), bold=True, mono=True), Cell(80, 130, read.source),
            Cell(214, 90, f"{read.size:,} bytes"), Cell(310, 90, read.crc32.upper(), mono=True), Cell(408, 0, word),
        ), height=24))  # fmt: skip
    found = vote_of(moment, place)
    if found is not None and found.bits:
        more = f" {count_of(found.more_reads, 'more read')} would settle it." if found.more_reads else ""
        told = f"All bits of the majority are right with {format_percent(found.confidence)}.{more}"
        rows.append(Row("doubtful", (Cell(36, 0, f"{found.why[:1].upper()}{found.why[1:]}. {told}"),), height=44))
    elif found is not None:
        rows.append(_said(f"all {found.reads} are alike: no contact comes and goes here", "good"))
    elif len(reads) == 1:
        rows.append(_said("one read tells nothing of what comes and goes; T reads it three times more", "unknown"))
    return tuple(rows)


def repair_rows(repair: Repair, slot: SlotAssessment) -> tuple[Row, ...]:
    """What must change in the chip, how its kind is written, and what could take its place."""
    rows = [Row("", (), heading=f"{slot.slot.refdes}: {repair.device}, {_SORTS[repair.technology]}", height=26)]
    way = repair.way.how if repair.way else ""
    glyph = {"nothing": "good", "over": "doubtful", "erase": "doubtful", "rewrite": "doubtful", "replace": "bad"}
    rows.append(
        Row(glyph.get(way, "unknown"), (Cell(36, 0, f"{repair.words[:1].upper()}{repair.words[1:]}."),), height=42)
    )
    if repair.proof:
        rows.append(Row("good", (Cell(36, 0, f"The true image was restored: {repair.proof}."),), height=42))
    if repair.minutes is not None:
        rows.append(Row("", (Cell(36, 0, f"Under this lamp {repair.minutes:.0f} minutes give the usual 15 W·s/cm²."),)))
    told = allowed_words(repair.technology)
    rows.append(Row("", (Cell(36, 0, f"{told[:1].upper()}{told[1:]}"),), height=62))
    rows.append(
        Row(
            "",
            (
                Cell(
                    36,
                    0,
                    "Type save FILE.bin (or .hex, and a larger device to fill), labels FILE.pdf for window labels.",
                ),
            ),
            height=26,
        )
    )
    if repair.fits:
        rows.append(Row("", (), heading="What could take its place", height=28))
        rows += [_fit_row(found) for found in repair.fits]
    return tuple(rows)


def _fit_row(found: Fit) -> Row:
    wires = "; ".join(f"{p.device} (pin {p.device_pin}) {p.wiring}" for p in found.pins if p.wiring)
    words = found.words.partition(": ")[2]
    speed = {True: "", False: "; too slow for this board", None: ""}[found.fast_enough]
    told = f"{words}{speed}{f' ({wires})' if wires else ''}"
    return Row("", (
        Cell(36, 70, found.new.name, bold=True, mono=True), Cell(110, 70, found.new.technology),
        Cell(184, 80, found.new.volts), Cell(268, 0, told),
    ), height=42 if len(told) > 62 else 25)  # fmt: skip
