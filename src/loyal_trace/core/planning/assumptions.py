"""What a plan assumes of the board, as typed: pairs of pins that must be connected (=) and pairs that must not (!)."""

import re
from typing import Any

from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say

_PIN = r"[A-Za-z0-9_/+-]+\.\w+"
_PAIR = re.compile(rf"({_PIN})\s*(=|!)\s*({_PIN})")
Pair = tuple[str, str]


def parse_assumption(text: str) -> dict[str, Any]:
    """The fields of an `Assumed` from `socket at 4A: 4A.3=4B.3, 4A.5!4B.6`; RequestError for what is no pair."""
    name, colon, rest = text.partition(":")
    pieces = [piece.strip() for piece in (rest if colon else text).replace(";", ",").split(",") if piece.strip()]
    found: dict[str, list[Pair]] = {"=": [], "!": []}
    for piece in pieces:
        match = _PAIR.fullmatch(piece)
        if match is None:
            raise RequestError(
                say("“{piece}” is not a pair; write 4A.3=4B.3 for joined, 4A.5!4B.6 for not joined", piece=piece)
            )
        if match[1] == match[3]:
            raise RequestError(say("{match} is paired with itself", match=match[1]))
        found[match[2]].append((match[1], match[3]))
    if not pieces:
        raise RequestError(say("an assumption needs pairs, for example: spare footprint: U9.3=U4.3, U9.5!U9.6"))
    return {"name": name.strip() if colon else pieces[0], "together": tuple(found["="]), "apart": tuple(found["!"])}
