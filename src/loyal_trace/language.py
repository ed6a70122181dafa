"""The language in which people read: sentences from a gettext catalogue, figures and times as its region writes them.

English needs no catalogue, and nothing is loaded for it. One language is in use for the whole process, since the first
widget and the last line of a command have the same reader; `use` sets it, and only where a program starts.
"""

import dataclasses
import os
from collections.abc import Mapping
from datetime import datetime
from enum import Enum, StrEnum
from gettext import GNUTranslations, NullTranslations
from importlib.resources import files
from io import BytesIO
from pathlib import Path
from typing import TypeVar, cast

from loyal_trace.core.vocabulary.phrases import Phrase, rendered, say

DOMAIN = "loyal-trace"
# A folder of catalogues being worked on (`<code>/LC_MESSAGES/loyal-trace.mo`); it comes before the shipped ones.
FOLDER = "LOYAL_TRACE_LOCALE"
_ENGLISH = ("", "en", "c", "posix")
# Values that are made to be shown; what else is in them (boards, parts) holds no sentence.
_SHOWN = ("loyal_trace.app.", "loyal_trace.report.")
# Fields that name a colour, a glyph or a key; they are looked up, not read.
_NAMES = frozenset({"kind", "glyph", "key", "id"})
Value = TypeVar("Value")


class Language:
    """Sentences by `translations`, figures and times by the region `region` (`de_DE`; English without one)."""

    def __init__(self, translations: NullTranslations | None = None, region: str = "", code: str = "en") -> None:
        self.translations, self.code = translations or NullTranslations(), code
        self.region = "" if _is_english(region) else region
        self._point, self._group = _separators(self.region) if self.region else (".", ",")
        self.translated = translations is not None
        self.plain = not self.translated and not self.region

    def gettext(self, message: str) -> str:
        return self.translations.gettext(message)

    def ngettext(self, msgid1: str, msgid2: str, n: int) -> str:
        return self.translations.ngettext(msgid1, msgid2, n)

    def figure(self, shown: str) -> str:
        if (self._point, self._group) == (".", ","):
            return shown
        return shown.translate({ord("."): self._point, ord(","): self._group})

    def moment(self, when: datetime, pattern: str) -> str:
        if not self.region:
            return format(when, pattern)
        from babel.dates import format_date, format_time  # only for who does not read English times

        date = [format_date(when, "medium", locale=self.region)] if "%Y" in pattern or "%d" in pattern else []
        time = [format_time(when, "medium" if "%S" in pattern else "short", locale=self.region)]
        return " ".join(date + (time if "%H" in pattern else []))

    def shown(self, text: str) -> str:
        """The text as this reader sees it."""
        return text if self.plain else rendered(text, self)

    def localised(self, value: Value) -> Value:
        """A page, a row, a report: the same value with every sentence in it as this reader sees it."""
        return value if self.plain else cast(Value, self._localised(value))

    def _localised(self, value: object) -> object:
        if isinstance(value, Phrase):
            return rendered(value, self)
        if isinstance(value, StrEnum):
            return self.gettext(value.value)
        if isinstance(value, str | int | float | Enum) or value is None:
            return value
        if isinstance(value, tuple):
            return tuple(self._localised(piece) for piece in value)
        if isinstance(value, list):
            return [self._localised(piece) for piece in value]
        if isinstance(value, Mapping):
            return {key: self._localised(piece) for key, piece in value.items()}
        if (
            dataclasses.is_dataclass(value)
            and not isinstance(value, type)
            and type(value).__module__.startswith(_SHOWN)
        ):
            old = {field.name: getattr(value, field.name) for field in dataclasses.fields(value) if field.init}
            new = {name: piece if name in _NAMES else self._localised(piece) for name, piece in old.items()}
            return dataclasses.replace(value, **new) if any(new[name] is not old[name] for name in old) else value
        return value


def _is_english(region: str) -> bool:
    return region.partition("_")[0].partition(".")[0].lower() in _ENGLISH


def _separators(region: str) -> tuple[str, str]:
    from babel.core import UnknownLocaleError
    from babel.numbers import get_decimal_symbol, get_group_symbol  # only for who does not read English figures

    try:
        return get_decimal_symbol(region), get_group_symbol(region)
    except (UnknownLocaleError, ValueError):
        return ".", ","


def _first(environ: Mapping[str, str], *names: str) -> str:
    """The first of the variables that is set, without its encoding: `de_DE`."""
    found = next((environ[name] for name in names if environ.get(name)), "")
    return found.partition(":")[0].partition(".")[0].partition("@")[0]


def catalogue_of(code: str, folder: str = "") -> NullTranslations | None:
    """The catalogue of a language (`de_DE` falls back to `de`), of a folder first; None where there is none."""
    roots = [*([Path(folder)] if folder else []), files("loyal_trace.resources").joinpath("locale")]
    for root in roots:
        for name in dict.fromkeys((code, code.partition("_")[0])):
            found = root.joinpath(name, "LC_MESSAGES", f"{DOMAIN}.mo")
            if name and found.is_file():
                return GNUTranslations(BytesIO(found.read_bytes()))
    return None


def language_of(environ: Mapping[str, str] | None = None) -> Language:
    """The language that the environment asks for, as every program on the system follows it."""
    told = os.environ if environ is None else environ
    code = _first(told, "LANGUAGE", "LC_ALL", "LC_MESSAGES", "LANG")
    region = _first(told, "LC_ALL", "LC_NUMERIC", "LANG")
    return Language(None if _is_english(code) else catalogue_of(code, told.get(FOLDER, "")), region, code or "en")


_used = Language()


def use(language: Language) -> None:
    """From now on texts are shown in this language."""
    global _used
    _used = language


def used() -> Language:
    """The language in use."""
    return _used


def shown(text: str) -> str:
    """The text in the language in use."""
    return _used.shown(text)


def localised(value: Value) -> Value:
    """A page, a row, a report in the language in use."""
    return _used.localised(value)


def tr(template: str, /, **facts: object) -> str:
    """A text of the window, made and shown at once."""
    return _used.shown(say(template, **facts))
