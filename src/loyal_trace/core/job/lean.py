"""Entries in little memory. A long job holds hundreds of thousands of them.

The validator gives each entry a dictionary with keys of its own, and a set that names its fields; filled one by one, a
dictionary shares its keys with all others of its class, and nobody asks for the set.
"""

from collections.abc import Mapping
from functools import cache
from typing import Any, TypeVar, get_args, get_origin

from pydantic import BaseModel

from loyal_trace.core.job.base import Entry

_NOT_ASKED: set[str] = set()
_SET = object.__setattr__
_Model = TypeVar("_Model", bound=BaseModel)


def without_names(entry: Entry) -> Entry:
    """The same entry without the set of the fields that its line named: a third of a long job's memory."""
    _SET(entry, "__pydantic_fields_set__", _NOT_ASKED)
    return entry


def leaner(entry: Entry) -> Entry:
    """A copy of an entry without the hash of the line before it, in three quarters of the memory."""
    lean = _lean(entry)
    lean.__dict__["previous"] = ""
    return lean


def bare(kind: type[_Model]) -> tuple[_Model, dict[str, Any]]:
    """A model without any field yet, and the dictionary to be filled, in the order of its fields; then `set_up`."""
    made = object.__new__(kind)
    return made, made.__dict__


def set_up(model: BaseModel) -> None:
    """What a model needs beside its fields."""
    _SET(model, "__pydantic_fields_set__", _NOT_ASKED)
    _SET(model, "__pydantic_extra__", None)
    _SET(model, "__pydantic_private__", None)


def _lean(model: _Model) -> _Model:
    """A model and those in its tuples (pins of a probed chip), in dictionaries that share the keys of their class."""
    kind = type(model)
    lean, fields = bare(kind)
    for name, value in model.__dict__.items():
        fields[name] = value
    for name in models_in(kind):
        fields[name] = tuple([_lean(one) for one in fields[name]])
    set_up(lean)
    return lean


@cache
def models_in(kind: type[BaseModel]) -> Mapping[str, type[BaseModel]]:
    """The fields of a model that are tuples of models, and of which."""
    of_what = {
        name: get_args(f.annotation) for name, f in kind.model_fields.items() if get_origin(f.annotation) is tuple
    }
    return {name: one for name, (one, *_) in of_what.items() if isinstance(one, type) and issubclass(one, BaseModel)}
