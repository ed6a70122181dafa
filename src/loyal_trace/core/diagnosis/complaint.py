"""The owner's words mapped to the board's own symptoms, for someone to say yes or no to: a suggestion, no evidence."""

import re
import tomllib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

_ENDINGS = ("ings", "ing", "edly", "ed", "es", "s", "ly")
_SHORT = 4
_JOINTS = re.compile("[-'’]")
_FROM = 0.34


@dataclass(frozen=True)
class Suggestion:
    """One symptom of a board that the complaint may mean, its score (0 to 1), and the complaint's words for it."""

    board: str
    symptom: str
    score: float
    shared: tuple[str, ...]


def stem(word: str) -> str:
    """A word without its ending, so that `colours` and `coloured` meet."""
    for ending in _ENDINGS:
        if word.endswith(ending) and len(word) - len(ending) >= _SHORT:
            return word[: -len(ending)]
    return word


class WordGroups:
    """Words that mean the same to an owner; `text` is TOML with `groups`, lists of words, and `ignored`."""

    def __init__(self, text: str) -> None:
        table: Mapping[str, list[object]] = tomllib.loads(text)
        self._ignored = {stem(str(word)) for word in table["ignored"]}
        self._meaning: dict[str, str] = {}
        for group in table["groups"]:
            words = [stem(str(word)) for word in group] if isinstance(group, list) else []
            self._meaning |= dict.fromkeys(words, words[0])

    def meanings(self, text: str) -> dict[str, str]:
        """What a text speaks of: one word a meaning → the word that the text itself has for it."""
        words = [(word, stem(word)) for word in re.findall(r"[a-zäöüß]+", _JOINTS.sub("", text.lower()))]
        return {self._meaning.get(root, root): word for word, root in words if root not in self._ignored}


def suggest(
    complaint: str, symptoms: Iterable[tuple[str, str]], groups: WordGroups, most: int = 5
) -> tuple[Suggestion, ...]:
    """The symptoms (board id, text) that a complaint may mean, best first.

    Score: the share of the symptom's meanings that the complaint has too, each weighted by how few symptoms have it.
    """
    listed = [(board, text, groups.meanings(text)) for board, text in symptoms]
    said = groups.meanings(complaint)
    count = {meaning: sum(meaning in has for _, _, has in listed) for _, _, all_ in listed for meaning in all_}
    found = []
    for board, text, has in listed:
        weight = {meaning: 1 / count[meaning] for meaning in has}
        shared = sorted(set(has) & set(said))
        score = sum(weight[m] for m in shared) / sum(weight.values()) if has else 0.0
        if score >= _FROM:
            found.append(Suggestion(board, text, score, tuple(said[m] for m in shared)))
    return tuple(sorted(found, key=lambda s: (-s.score, s.symptom))[:most])
