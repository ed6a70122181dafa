"""The forms that can be said, one module a family. Importing this registers all of them."""

from loyal_trace.core.line.forms import (
    changes,
    checks,
    damage,
    extras,
    facts,
    measured,
    measured_asked,
    more_facts,
    papers,
    pins,
    positions,
    rails,
    roms,
    seen,
    trials,
)

__all__ = [
    "changes",
    "checks",
    "damage",
    "extras",
    "facts",
    "measured",
    "measured_asked",
    "more_facts",
    "papers",
    "pins",
    "positions",
    "rails",
    "roms",
    "seen",
    "trials",
]
