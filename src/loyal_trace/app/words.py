"""The words for what the line has to say: one sentence a message id, with its facts."""

from collections.abc import Mapping

from loyal_trace.core.line.context import Message
from loyal_trace.core.vocabulary.phrases import say

_SENTENCES: Mapping[str, str] = {
    "empty": say("There is nothing to record."),
    "which": say("This can be read in more than one way. Choose one."),
    "leftover": "Note only: “{word}” was not understood.",
    "unknown-place": "There is no {place} on {board}. Enter first what it is, such as {place} is 74LS00.",
    "place-elsewhere": "There is no {place} on {board}; it is on {others}.",
    "unknown-pin": "{place} has no pin {pin}.",
    "impossible-value": "“{value}” is not possible for {quantity}.",
    "pin-twice": "A pin of {place} is named twice.",
    "too-many-pins": "{place} has only {left} pins left from here on.",
    "word-too": "“{word}” is a word as well as a reading. Choose one.",
    "place-too": "“{word}” is a place as well as a value. Choose one.",
    "no-rail": "{parts} are not on one rail of this board.",
    "none-of-class": "There are no {sort} on this board.",
    "never-removed": "{place} was never removed.",
    "not-on-loan": "{place} is not on loan.",
    "same-part": "{place} cannot be exchanged with itself.",
    "other-kind": "{one} is a {first} and {other} a {second}: they cannot take each other’s place.",
    "other-pins": "{one} ({first}) and {other} ({second}) have different pins: they cannot take each other’s place.",
    "other-value": "{one} ({first}) and {other} ({second}) have different values.",
    "not-out": "{place} was not taken out in this job. Without “old” the line is about the part in its place.",
    "lamp-itself": "{place} cannot show itself.",
    "no-swap": say("No exchange is open that could be swapped back."),
    "no-symptom": "The symptom “{text}” was never recorded. Recorded so far: {known}.",
    "code-of-a-clean-start": say("A clean start has no code."),
    "pair-of-two-kinds": say("Give both codes in hexadecimal, or both as characters in quotation marks."),
    "travel-twice": "A position of {name} is named twice.",
    "same-pin": "{pin} is named on both sides.",
    "one-twin": say("Twins are at least two parts."),
    "supply-line": "This line does not describe a supply: {why}.",
    "assumption": "This assumption cannot be checked: {why}.",
    "no-rom-socket": "{place} ({number}) is not a memory that can be read.",
    "no-signature": "“{text}” is not a signature of this tester. Its symbols are {symbols}.",
    "signature-length": "“{text}” has {has} symbols; a signature of this tester has {needs}.",
    "unknown-checksum": "The checksum “{name}” is not known here.",
    "bad-checksum": "“{value}” is not a {name}: it has another length, or is not hexadecimal.",
    "bench-supplies": "The supplies were not recorded: {why}.",
    "register": "The register was not recorded: {why}.",
    "symbols": "The symbols were not recorded: {why}.",
    "clock": "The clock was not recorded: {why}.",
    "setting-name": "“{what}” is not a setting of a job. Perhaps {instead} is meant.",
    "setting-choice": "“{choice}” is not a choice for {what}. It can be: {choices}.",
    "lamp": "The lamp was not recorded: {why}.",
    "teardown": "The step was not recorded: {why}.",
    "nothing-off": "“{what}” was not recorded as taken off.",
}
_EMPTY = {
    "board": say("a board of this job"),
    "known": say("none"),
    "sockets": say("none"),
    "choices": say("another value"),
}


def sentence(message: Message) -> str:
    """The words of a message."""
    facts = {name: value or _EMPTY.get(name, value) for name, value in message.facts.items()}
    return say(_SENTENCES[message.id], **facts)


def message_ids() -> frozenset[str]:
    """Every id that has words."""
    return frozenset(_SENTENCES)
