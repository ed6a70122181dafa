"""The moment: everything that an assessment may know, frozen. Boards as folded, the snapshot, the chip library, bytes.

An assessment is a function of a moment and nothing else. `once` remembers its result in the moment it was asked of;
`Memo` carries results over to later moments, under keys that hold every value that went in.
"""

from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass, field
from functools import wraps
from typing import Any, Concatenate, ParamSpec, TypeVar

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.chips.library import ChipLibrary
from loyal_trace.core.chips.model import ChipType
from loyal_trace.core.diagnosis.evidence import EvidenceTable, Priors
from loyal_trace.core.job.snapshot import JobSnapshot
from loyal_trace.core.parts.limits import CapacitorLimits
from loyal_trace.core.parts.stock import Offer, StockItem
from loyal_trace.core.planning.extras import ExtraRules
from loyal_trace.core.planning.methods import Methods
from loyal_trace.core.power.consumption import CurrentTable
from loyal_trace.core.proving.bench import BenchProfile
from loyal_trace.core.simulation.dictionary import Dictionary
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import say

Result = TypeVar("Result")
Given = ParamSpec("Given")
_MOST_KEPT = 20_000


class Memo:
    """Results under keys made of every value that they depend on. Shared by the moments of one job.

    Safe beside a worker thread: a result is put there whole, and computing one twice does no harm.
    """

    def __init__(self) -> None:
        self._kept: dict[Hashable, Any] = {}

    def knows(self, key: Hashable) -> bool:
        """Is there a result under that key?"""
        return key in self._kept

    def of(self, key: Hashable, compute: Callable[[], Result]) -> Result:
        """The result kept under a key, else computed now."""
        kept = self._kept
        if key in kept:
            found: Result = kept[key]
            return found
        result = compute()
        if len(kept) >= _MOST_KEPT:
            self._kept = {}
        self._kept[key] = result
        return result


@dataclass(frozen=True)
class DiagnosisTables:
    """The passed-in tables: weights of evidence, prior probabilities, limits on capacitors, methods of work,
    and what is offered beyond the evidence."""

    evidence: EvidenceTable
    priors: Priors
    capacitors: CapacitorLimits
    methods: Methods
    extras: ExtraRules


@dataclass(frozen=True, eq=False)
class Moment:
    """The inputs of all assessments at one moment; nothing in it ever changes.

    `dictionaries`: what the nets of a board show in free run, healthy and under every fault, as far as computed.
    """

    boards: Mapping[str, BoardDefinition]
    snapshot: JobSnapshot
    library: ChipLibrary
    blobs: Callable[[str], bytes]
    drawer: tuple[StockItem, ...] = ()
    offers: tuple[Offer, ...] = ()
    currents: CurrentTable | None = None
    workshop: BenchProfile | None = None
    tables: DiagnosisTables | None = None
    dictionaries: Mapping[str, Dictionary] = field(default_factory=dict)
    memo: Memo = field(default_factory=Memo)
    _done: dict[Hashable, Any] = field(default_factory=dict, repr=False)

    def part(self, place: PartRef) -> Part:
        """The part in a place; RequestError when its board has none."""
        return self.boards[place.board].part(place.refdes)

    def has(self, place: PartRef) -> bool:
        """Is there such a place on a board of this job?"""
        return place.board in self.boards and self.boards[place.board].has(place.refdes)

    def number_at(self, place: PartRef) -> str:
        """The type now in a place: what was fitted, else what the board says."""
        fitted = self.snapshot.parts.fitted.get(place)
        return fitted.number if fitted and self.library.knows(fitted.number) else self.part(place).number

    def chip_type(self, place: PartRef) -> ChipType | None:
        """The chip type now in a place (a fitted replacement counts), or None when the library does not know it."""
        number = self.number_at(place)
        return self.library.find(number) if self.library.knows(number) else None

    def remembered(self, key: Hashable, compute: Callable[[], Result]) -> Result:
        """The answer to a question asked of this moment before, else computed now."""
        if key not in self._done:
            self._done[key] = compute()
        found: Result = self._done[key]
        return found


def places_of(moment: Moment) -> tuple[PartRef, ...]:
    """Every part of every board of the job."""
    return tuple(PartRef(board_id, part.refdes) for board_id, board in moment.boards.items() for part in board.parts)


def tables_of(moment: Moment) -> DiagnosisTables:
    """The evidence weights and priors of this moment; RequestError when none were passed in."""
    if moment.tables is None:
        raise RequestError(say("no evidence tables were passed in"))
    return moment.tables


def once(
    question: Callable[Concatenate[Moment, Given], Result],
) -> Callable[Concatenate[Moment, Given], Result]:
    """A question asked of a moment again gets the answer it got before: the moment cannot have changed."""

    @wraps(question)
    def ask(moment: Moment, /, *args: Given.args, **kwargs: Given.kwargs) -> Result:
        return moment.remembered((question, args), lambda: question(moment, *args, **kwargs))

    return ask
