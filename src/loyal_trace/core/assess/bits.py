"""Codes that were sent and shown in the job: the faulty line of the bus, and the parts that sit on it."""

import re
from collections.abc import Iterator
from functools import partial

from loyal_trace.core.assess.moment import Moment, once, tables_of
from loyal_trace.core.assess.parts import last_change, renewed
from loyal_trace.core.boards.model import BoardDefinition
from loyal_trace.core.diagnosis.bits import BitFault, BitVerdict, judge_bits
from loyal_trace.core.diagnosis.evidence import Evidence, logit
from loyal_trace.core.job.entries import PairSeen
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.units import format_percent

_WORTH, _MOST = 0.05, 0.9
# A part that was put in has less of what its line is suspected of: spares are bad with 0.15.
_NEW = 0.15
_DATA_LINE = re.compile(r"(?:[A-Z]{0,3}D|DATA|BD|Q)\[?(\d{1,2})\]?")


@once
def bit_verdicts(moment: Moment) -> dict[str, BitVerdict]:
    """The verdict on the bus of each board of which codes were sent and shown, since anything on it was changed."""
    found = {}
    for board_id in dict.fromkeys(pair.board for pair in moment.snapshot.readings.pairs):
        pairs = _counting(moment, board_id)
        width = max((_width(pair) for pair in pairs), default=0)
        codes = [(_code(pair.sent, pair.text), _code(pair.shown, pair.text)) for pair in pairs if _width(pair) == width]
        if codes and width:
            # The next code to send takes a while to find, and most entries change nothing of the pairs.
            key = ("bits", tuple(codes), width)
            found[board_id] = moment.memo.of(key, partial(judge_bits, codes, width))
    return found


def _counting(moment: Moment, board_id: str) -> list[PairSeen]:
    pairs = [pair for pair in moment.snapshot.readings.pairs if pair.board == board_id]
    board = moment.boards.get(board_id)
    on_bus = {refdes for line in range(16) for refdes in members(moment, board, line)} if board is not None else set()
    changes = [since for refdes in on_bus if (since := last_change(moment, PartRef(board_id, refdes)))]
    return [pair for pair in pairs if not changes or pair.time > max(changes)]


def _width(pair: PairSeen) -> int:
    if pair.text:
        return 8
    digits = max(len(pair.sent.strip()), len(pair.shown.strip()))
    return 4 if digits == 1 else 8 if digits == 2 else 16 if digits <= 4 else 0


def _code(text: str, is_text: bool) -> int:
    return ord(text[0]) & 0xFF if is_text and text else int(text or "0", 16)


def members(moment: Moment, board: BoardDefinition | None, line: int) -> list[str]:
    """The parts on a data line, by its name in the netlist or as it was said; one of eight twins has its own line."""
    if board is None:
        return []
    found = {
        refdes for net, pins in board.nets if _number(net) == line for refdes, _ in pins if _is_chip(board, refdes)
    }
    for told in moment.snapshot.facts.lines:
        if told.board == board.id and told.bus == "data" and _number(told.name) == line:
            found |= {named.refdes for named in told.members}
    if not found:
        found = {group[line] for group in board.siblings if len(group) in (8, 16) and line < len(group)}
    return sorted(found)


def _number(net: str) -> int | None:
    match = _DATA_LINE.fullmatch(net.upper())
    return int(match[1]) if match else None


def _is_chip(board: BoardDefinition, refdes: str) -> bool:
    return board.has(refdes) and board.part(refdes).is_chip


def bit_evidence(moment: Moment) -> Iterator[Evidence]:
    """Each line that is probably wrong, for the parts that sit on it, shared between them."""
    for board_id, verdict in bit_verdicts(moment).items():
        if not verdict.wrong:
            continue  # codes that came out right accuse nothing, however few they are
        board = moment.boards.get(board_id)
        for line, probability in enumerate(verdict.lines):
            parts = members(moment, board, line) if probability >= _WORTH else []
            weights = [_NEW if renewed(moment, PartRef(board_id, refdes)) else 1.0 for refdes in parts]
            for refdes, weight in zip(parts, weights, strict=True):
                place = PartRef(board_id, refdes)
                prior = tables_of(moment).priors.of(moment.part(place), moment.boards[board_id])
                target = min(_MOST, prior + probability * (1 - prior) * weight / sum(weights))
                fault, share = next((one for one in verdict.faults if line in one[0].lines), verdict.faults[0])
                text = say(
                    "codes sent and shown: {fault} ({probability})",
                    fault=fault_words(fault),
                    probability=format_percent(share),
                )
                yield Evidence(place, "bits", text, logit(target) - logit(prior))


def fault_words(fault: BitFault) -> str:
    """A fault of one or two data lines in words."""
    first = f"D{fault.lines[0]}" if fault.lines else ""
    second = f"D{fault.lines[1]}" if len(fault.lines) > 1 else ""
    if fault.kind == "right":
        return say("every data line is right")
    if fault.kind == "stuck":
        return (
            say("{first} is stuck low", first=first)
            if fault.way == "low"
            else say("{first} is stuck high", first=first)
        )
    if fault.kind == "inverted":
        return say("{first} is inverted", first=first)
    if fault.kind == "exchanged":
        return say("{first} and {second} are exchanged", first=first, second=second)
    if fault.kind == "bridged":
        level = say("low") if fault.way == "and" else say("high")
        return say("{first} and {second} are bridged; {level} wins", first=first, second=second, level=level)
    return {
        "copy": say("{first} follows {second}", first=first, second=second),
        "and": say("{first} is low whenever {second} is", first=first, second=second),
        "or": say("{first} is high whenever {second} is", first=first, second=second),
    }[fault.way]


def advice_words(verdict: BitVerdict) -> str:
    """What to send next, or that nothing more is needed."""
    if verdict.settled:
        return ""
    code = f"{verdict.send:0{verdict.width // 4}X}"
    if verdict.together:
        alike = joined(say(" or "), (fault_words(one) for one in verdict.together[:2]))
        return say("cannot be told from: {alike}. Send {code} next", alike=alike, code=code)
    return say("one wrong code can be a misreading. Send {code} next", code=code)
