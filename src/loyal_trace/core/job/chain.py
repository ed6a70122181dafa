"""The chain of a logbook: each line carries the hash of the line before it, so that no silent change stays unseen.

Lines of version 1 carry none; the chain begins with the first that does.
"""

import json
from collections.abc import Sequence
from dataclasses import dataclass

from loyal_trace.core.job.entries import line_hash
from loyal_trace.core.vocabulary.phrases import say


@dataclass(frozen=True)
class ChainFault:
    """A line (counted from 1) whose hash of its predecessor is not that of the line before it."""

    line: int
    what: str


def head_of(lines: Sequence[str]) -> str:
    """The hash of the last line; empty for an empty logbook."""
    return line_hash(lines[-1]) if lines else ""


def check_chain(lines: Sequence[str], head: str = "") -> tuple[ChainFault, ...]:
    """Every break of the chain; with a `head` kept elsewhere, a cut or changed end as well."""
    faults = []
    begun, before = False, ""
    for number, line in enumerate(lines, start=1):
        previous = _previous(line)
        if previous or begun:
            begun = True
            if previous != before:
                faults.append(ChainFault(number, say("the line before it was changed, removed or put in")))
        before = line_hash(line)
    if head and head != before:
        faults.append(ChainFault(len(lines), say("the logbook does not end as it was written")))
    return tuple(faults)


def _previous(line: str) -> str:
    try:
        found = json.loads(line)
    except ValueError:
        return ""
    return str(found.get("previous", "")) if isinstance(found, dict) else ""
