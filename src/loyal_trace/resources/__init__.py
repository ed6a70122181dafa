"""Everything that ships beside the code: fonts, style, chip data, licences. One accessor; unknown names are refused."""

from functools import cache
from importlib.resources import files
from typing import TYPE_CHECKING

from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say

if TYPE_CHECKING:
    from loyal_trace.core.assess.moment import DiagnosisTables
    from loyal_trace.core.chips.library import ChipLibrary
    from loyal_trace.core.diagnosis.complaint import WordGroups
    from loyal_trace.core.parts.equivalents import FamilyTable
    from loyal_trace.core.planning.extras import ExtraRules
    from loyal_trace.core.planning.methods import Methods
    from loyal_trace.core.power.consumption import CurrentTable
    from loyal_trace.core.roms.devices import MemoryTypes

# The types of the demo and the most common ones first: the others are only read when they are asked for.
_CHIP_FILES = ("chips", "chips_74", "chips_4000", "chips_lsi")


def read_bytes(name: str) -> bytes:
    """The bytes of a shipped resource, by its path inside `resources/`."""
    target = files(__name__).joinpath(name)
    if not target.is_file():
        raise RequestError(say("there is no shipped resource called {name}", name=name))
    return target.read_bytes()


def read_text(name: str) -> str:
    """The text (UTF-8) of a shipped resource."""
    return read_bytes(name).decode("utf-8")


@cache
def current_table() -> "CurrentTable":
    """The supply currents that ship with the program."""
    from loyal_trace.core.power.consumption import CurrentTable  # not before the first paint

    return CurrentTable(read_text("data/currents.toml"))


@cache
def word_groups() -> "WordGroups":
    """The words of owners' complaints that ship with the program."""
    from loyal_trace.core.diagnosis.complaint import WordGroups  # not before the first paint

    return WordGroups(read_text("data/complaints.toml"))


@cache
def chip_library() -> "ChipLibrary":
    """The chip library that ships with the program."""
    from loyal_trace.core.chips.library import ChipLibrary  # not before the first paint

    return ChipLibrary(*(read_text(f"data/{name}.toml") for name in _CHIP_FILES))


@cache
def memory_types() -> "MemoryTypes":
    """The memory types that ship with the program."""
    from loyal_trace.core.roms.devices import MemoryTypes  # not before the first paint

    return MemoryTypes(read_text("data/memories.toml"))


@cache
def families() -> "FamilyTable":
    """What outputs and inputs of each logic family can do."""
    from loyal_trace.core.parts.equivalents import family_table  # not before the first paint

    return family_table(read_text("data/families.toml"))


@cache
def methods() -> "Methods":
    """How parts come off and go on, and what a wash asks for."""
    from loyal_trace.core.planning.methods import methods_from  # not before the first paint

    return methods_from(read_text("data/methods.toml"))


@cache
def extras() -> "ExtraRules":
    """What is offered beyond the evidence: usual service, improvements, what packages do with their heat."""
    from loyal_trace.core.planning.extras import extra_rules  # not before the first paint

    return extra_rules(read_text("data/extras.toml"))


@cache
def default_tables() -> "DiagnosisTables":
    """The evidence weights and priors that ship with the program."""
    from loyal_trace.core.assess.moment import DiagnosisTables  # not before the first paint
    from loyal_trace.core.diagnosis.evidence import EvidenceTable, Priors
    from loyal_trace.core.parts.limits import capacitor_limits

    evidence, priors = EvidenceTable(read_text("data/evidence.toml")), Priors(read_text("data/priors.toml"))
    limits = capacitor_limits(read_text("data/esr.toml"), read_text("data/capacitors.toml"))
    return DiagnosisTables(evidence, priors, limits, methods(), extras())
