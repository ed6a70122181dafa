"""A ROM check failed in circuit: chip, pin or socket, decoder, bus, or the set-up?

The rules are those of the bench: content right out of circuit clears the cells; several sockets on one decoder or bus
that fail together accuse what they share; a check that never ends, or a watchdog that fires, is no ROM at all.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from loyal_trace.core.vocabulary.phrases import joined, say


@dataclass(frozen=True)
class Socket:
    """One socket in the in-circuit check: `right`, `wrong`, `none` (nothing came) or empty; what the chip read out of
    circuit (`matches`, `differs`, `unstable` or empty); and the parts that select it and carry its data."""

    refdes: str
    in_circuit: str = ""
    out_of_circuit: str = ""
    decoder: str = ""
    bus: str = ""


@dataclass(frozen=True)
class Triage:
    """Whom a failed check accuses, in a sentence, and the one next check."""

    culprit: str
    why: str
    next: str


def triage(socket: Socket, others: Sequence[Socket], watchdog: bool = False) -> Triage:
    """The verdict on one socket that failed in circuit, beside the others of the set."""
    name = socket.refdes
    if watchdog or socket.in_circuit == "none":
        why = (
            say("the watchdog fires during the check")
            if watchdog
            else say("no signature was shown: the processor did not release the bus")
        )
        return Triage(
            "set-up",
            say("{why}; this does not indicate a ROM", why=why),
            say("Disable the watchdog, check the bus request of the processor, repeat the check."),
        )
    if socket.in_circuit != "wrong":
        return Triage("", say("{name} does not fail in circuit", name=name), "")
    if not socket.out_of_circuit:
        return Triage(
            "open",
            say("{name} fails in circuit; its contents are not known", name=name),
            say("Take {name} out and read it.", name=name),
        )
    if socket.out_of_circuit == "unstable":
        why = say("{name} reads differently each time out of circuit too", name=name)
        return Triage(
            say("pin or chip"),
            why,
            say(
                "Clean the pins of {name} and read it three times. If the reads still differ, the chip is faulty.",
                name=name,
            ),
        )
    if socket.out_of_circuit == "differs":
        return Triage(
            "chip",
            say("{name} is wrong out of circuit too, which indicates the chip", name=name),
            say("See the verdict on {name}.", name=name),
        )
    return _shared(socket, others)


def _shared(socket: Socket, others: Sequence[Socket]) -> Triage:
    """The content is right: what do the sockets that fail with it have in common, and those that pass not?"""
    name = socket.refdes
    failing = [o for o in others if o.in_circuit == "wrong" and o.refdes != name]
    passing = [o for o in others if o.in_circuit == "right"]
    for what, part in (("decoder", socket.decoder), ("bus", socket.bus)):
        alike = [o.refdes for o in failing if part and part == getattr(o, what)]
        if alike and not any(part == getattr(o, what) for o in passing):
            why = say(
                "{name} and {alike} fail together and share {part}; none that passes does",
                name=name,
                alike=joined(", ", alike),
                part=part,
            )
            return Triage(what, why, say("Probe {part} while one of them is read.", part=part))
    why = say("{name} is right out of circuit, and the chips that share its decoder and bus pass", name=name)
    return Triage(
        say("pin or socket"),
        why,
        say("Inspect the pins of {name} and its socket; press the chip and repeat the check.", name=name),
    )
