"""Ledgers: everything that the core says of many cases, written out and held against what it said before.

A ledger is a text under tests/data/ledgers, one case after the other with all that was computed of it. Any change of a
limit, a weight or an order of the core moves a line of one; that is what they are for. When a change is meant, write
them anew with LOYAL_TRACE_LEDGERS=write and read the difference before it is committed: it tells what became of it.
"""

import hashlib
import os
from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping, Set
from dataclasses import MISSING, fields, is_dataclass
from datetime import datetime
from difflib import unified_diff
from enum import Enum
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import BaseModel

from loyal_trace.core.assess.assessment import Assessment
from loyal_trace.core.assess.at_iron import actions_of, board_type, drying_boards, methods_for, tally_of
from loyal_trace.core.assess.away import away, rare_in_place
from loyal_trace.core.assess.bench import shortfalls_of
from loyal_trace.core.assess.bits import bit_verdicts
from loyal_trace.core.assess.capacitors import estimated_rest, life_of, old_beside_new
from loyal_trace.core.assess.chips import odds_of_chip, steady_bit, unlike_good
from loyal_trace.core.assess.compare import orders_of, own_order_words, schools_of, sundries_of
from loyal_trace.core.assess.damage import damage_left
from loyal_trace.core.assess.effort import estimate
from loyal_trace.core.assess.extras import extras_of
from loyal_trace.core.assess.first_power import first_power_risk
from loyal_trace.core.assess.kit import kit_of
from loyal_trace.core.assess.known import known_of
from loyal_trace.core.assess.looking import leaks_on
from loyal_trace.core.assess.moment import Moment
from loyal_trace.core.assess.paths import states_now, without_path
from loyal_trace.core.assess.progress import map_marks, progress
from loyal_trace.core.assess.purchase import purchase_of
from loyal_trace.core.assess.rails import clock_tree, frequencies
from loyal_trace.core.assess.rates import rates_of
from loyal_trace.core.assess.rom_pages import reads_of, set_lines, vote_of
from loyal_trace.core.assess.roms import (
    complaint_expected,
    expected_signature,
    line_of_several,
    mixed_revisions,
    shared_line_faults,
    triage_of,
)
from loyal_trace.core.assess.suspects import cleared
from loyal_trace.core.assess.swaps import bad_spares, solved_swaps
from loyal_trace.core.assess.wanted import wanted_facts
from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.chips.library import ChipType
from loyal_trace.core.vocabulary.errors import LoyalTraceError
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import Phrase
from loyal_trace.core.vocabulary.stages import Stage

FULL = Path(__file__).parents[2] / "build" / "ledgers"
FOLDER = Path(__file__).parents[1] / "data" / "ledgers"
_WRITE = os.environ.get("LOYAL_TRACE_LEDGERS") == "write"
_WIDTH = 110


def hold(name: str, cases: Iterable[tuple[str, Any]]) -> None:
    """Each case with all that was computed of it is as it stands in the ledger of that name."""
    found = []
    for title, value in cases:
        found += [f"== {title}", *_lines(value)]
    path = FOLDER / f"{name}.txt"
    if _WRITE:
        path.write_text("\n".join(found) + "\n")
    before = path.read_text().splitlines()
    moved = list(unified_diff(before, found, "before", "now", lineterm="", n=2))
    assert not moved, "\n".join([f"{path.name} moved (see tests/helpers/ledger.py):", *moved[:60]])


def hold_wide(name: str, cases: Iterable[tuple[str, Any]], together: int = 20) -> None:
    """The same for very many cases: their answers by a hash for each few of one title, which stands for what moved.

    What was computed now is left under build/ledgers, so that it can be compared with what another state leaves there.
    """
    told, whole = list[tuple[str, str]](), list[str]()
    counts: Counter[str] = Counter()
    groups: dict[str, list[str]] = defaultdict(list)
    for title, value in cases:
        groups[f"{title} {counts[title] // together * together}"].append(written(value))
        counts[title] += 1
    for group, answers in groups.items():
        told.append((group, hashlib.sha1("\n".join(answers).encode()).hexdigest()[:12]))
        whole += [f"== {group}", *answers]
    FULL.mkdir(parents=True, exist_ok=True)
    (FULL / f"{name}.txt").write_text("\n".join(whole) + "\n")
    hold(name, told)


def all_said_of(found: Assessment, thorough: bool = True, few: int = 8) -> Iterator[tuple[str, Any]]:
    """Every answer of one moment, in as few words as it can be told in; else only the main ones.

    Of places and steps, so many are asked about one by one.
    """
    for board, report in found.rails.items():
        yield f"rails of {board}", report
    for question in ("roms", "chips", "capacitors", "suspects", "next", "plan", "proof"):
        yield question, getattr(found, question)
    yield "in favour of", cleared(found.suspects)
    if thorough:
        yield from _further_said_of(found, few)


def _further_said_of(found: Assessment, few: int) -> Iterator[tuple[str, Any]]:
    moment = found.moment
    for name, ask in _OF_MOMENTS.items():
        yield name, ask(moment)
    yield "estimate", estimate(found)
    yield "purchase", purchase_of(moment, found.plan)
    yield "progress", [(one.stage, one.filled, one.count) for one in progress(found)]
    if len(found.plan.steps) <= few:
        yield (
            "orders",
            [
                (o.grouping, o.sequence, [t.id for t in o.tasks], o.minutes, o.found, o.known, o.mix_up, o.damage)
                for o in orders_of(moment)
            ],
        )
    for place in found.roms:
        yield f"ROM {place.board} {place.refdes}", {name: ask(moment, place) for name, ask in _OF_ROMS.items()}
    for place in list(found.capacitors)[:few]:
        yield f"life of {place.refdes}", (life_of(moment, place), old_beside_new(moment, place))
    for place in list(found.chips)[:few]:
        yield (
            f"odds of {place.refdes}",
            (odds_of_chip(moment, place), steady_bit(moment, place), unlike_good(moment, place)),
        )
    for step in found.plan.steps[:few:2]:
        ways = [(way.id, way.minutes) for way in methods_for(moment, step.place)] if step.place else ()
        yield f"at the iron: {step.id}", ([one.name for one in actions_of(moment, step)], ways)
    for board in moment.boards:
        yield f"of {board}", {name: ask(moment, board) for name, ask in _OF_BOARDS.items()}
        yield f"wanted of {board}", [wanted_facts(moment, board, stage) for stage in Stage]
        marks = {stage.word: map_marks(found, board, stage) for stage in Stage}
        yield (
            f"map of {board}",
            {word: [(p, m.kind, m.word) for p, m in some.items()][:6] for word, some in marks.items()},
        )


_OF_MOMENTS: dict[str, Callable[[Moment], Any]] = {
    "schools": schools_of,
    "sundries": sundries_of,
    "own order": own_order_words,
    "rest": estimated_rest,
    "bits": bit_verdicts,
    "extras": extras_of,
    "first power": first_power_risk,
    "swaps": solved_swaps,
    "bad spares": bad_spares,
    "kit": kit_of,
    "counted": tally_of,
    "drying": drying_boards,
    "away": away,
    "rare": rare_in_place,
    "lacking": shortfalls_of,
    "damage": damage_left,
}
_OF_ROMS: dict[str, Callable[[Moment, PartRef], Any]] = {
    "triage": triage_of,
    "signature": expected_signature,
    "complaint": complaint_expected,
    "reads": reads_of,
    "vote": vote_of,
    "line of several": line_of_several,
}
_OF_BOARDS: dict[str, Callable[[Moment, str], Any]] = {
    "revisions": mixed_revisions,
    "shared": shared_line_faults,
    "leaks": leaks_on,
    "rates": rates_of,
    "clocks": clock_tree,
    "states": states_now,
    "without path": without_path,
    "type": board_type,
    "frequencies": frequencies,
    "ROM set": set_lines,
    "known": lambda moment, board: known_of(moment, moment.boards[board], True),
}


def tried(call: Callable[..., Any], *given: Any) -> Any:
    """What a call gives, or in which words it refuses."""
    try:
        return call(*given)
    except LoyalTraceError as error:
        return f"refused: {error}"


def _lines(value: Any, depth: int = 1) -> Iterator[str]:
    """A value on one line where it is short, else one line for each of its fields."""
    told, indent = written(value), "  " * depth
    if len(told) + len(indent) <= _WIDTH:
        yield indent + told
        return
    named = _named(value)
    if named is None:
        yield indent + told
        return
    title, inner = named
    yield f"{indent}{title}"
    for name, one in inner:
        words = f"{name}: {written(one)}" if name else written(one)
        if len(words) + len(indent) + 2 <= _WIDTH or _named(one) is None:
            yield f"{indent}  {words}"
        else:
            if name:
                yield f"{indent}  {name}:"
            yield from _lines(one, depth + (2 if name else 1))


def _named(value: Any) -> tuple[str, list[tuple[str, Any]]] | None:
    """A value with parts: its title, and each part with its name."""
    if isinstance(value, BaseModel | Moment | BoardDefinition | Part | ChipType | Phrase | str | bytes):
        return None
    if is_dataclass(value) and not isinstance(value, type):
        return type(value).__name__, _told_fields(value)
    if isinstance(value, Mapping):
        return "{}", [(written(key), one) for key, one in value.items()]
    if isinstance(value, list | tuple) and not hasattr(value, "_fields"):
        return "[]", [("", one) for one in value]
    return None


def _told_fields(value: Any) -> list[tuple[str, Any]]:
    """The fields of a dataclass that are not what they are by default."""
    told = []
    for spec in fields(value):
        one = getattr(value, spec.name)
        default = spec.default_factory() if spec.default_factory is not MISSING else spec.default
        if not isinstance(one, Moment) and (default is MISSING or not _same(one, default)):
            told.append((spec.name, one))
    return told


def _same(one: Any, default: Any) -> bool:
    return not isinstance(one, np.ndarray) and type(one) is type(default) and bool(one == default)


def written(value: Any) -> str:
    """A value in one line: figures to four digits, bytes and arrays by their hash, boards and types by their names."""
    if value is None or (isinstance(value, bool | int) and not isinstance(value, Enum)):
        return repr(value)
    if isinstance(value, float | np.floating):
        return f"{value:.4g}"
    if isinstance(value, np.integer | np.bool_):
        return str(value)
    if isinstance(value, Enum):
        return str(value.value)
    if isinstance(value, str):
        return repr(str(value))
    return _written_with_parts(value)


def _written_with_parts(value: Any) -> str:
    if isinstance(value, bytes | bytearray | np.ndarray):
        return _by_hash(np.frombuffer(value, dtype=np.uint8) if not isinstance(value, np.ndarray) else value)
    if isinstance(value, datetime):
        return "<time>"
    if isinstance(value, BoardDefinition | ChipType | Part):
        return f"<{getattr(value, 'refdes', '') or getattr(value, 'id', '') or getattr(value, 'name', '')}>"
    if isinstance(value, BaseModel):
        told = {
            k: v
            for k, v in dict(value).items()
            if v not in ("", None, ()) and k not in ("id", "v", "time", "author", "part_of")
        }
        return f"{type(value).__name__}({_pairs(told.items())})"
    if isinstance(value, Set):
        return f"{{{', '.join(sorted(map(written, value)))}}}"
    if hasattr(value, "_fields"):
        return f"{type(value).__name__}({', '.join(map(written, value))})"
    named = _named(value)
    if named is None:
        return f"<{type(value).__name__}>"
    title, inner = named
    if title == "{}":
        return f"{{{', '.join(f'{name}: {written(one)}' for name, one in inner)}}}"
    if title == "[]":
        return f"[{', '.join(written(one) for _, one in inner)}]"
    return f"{title}({_pairs(inner)})"


def _by_hash(values: np.ndarray) -> str:
    return f"<{values.shape} {values.dtype} {hashlib.sha1(np.ascontiguousarray(values).tobytes()).hexdigest()[:8]}>"


def _pairs(inner: Iterable[tuple[str, Any]]) -> str:
    return ", ".join(f"{name}={written(one)}" for name, one in inner)
