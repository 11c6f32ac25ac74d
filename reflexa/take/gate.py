"""What may enter a take: plain data alone, so that whatever is edited can be computed, saved and read again."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import fields, is_dataclass, replace
from itertools import chain
from typing import Any

import msgspec
import numpy as np
from msgspec.structs import astuple
from msgspec.structs import replace as with_fields

from reflexa.errors import RecipeError
from reflexa.steps import new_id
from reflexa.steps.model import Step
from reflexa.take.model import Take


def admitted(take: Take, known: Take | None = None) -> Take:
    """The take with plain data alone: NumPy's numbers as Python's, and an id of its own for each step. What it shares with
    ``known``, which was admitted before, is not looked at again. Raises RecipeError, with its place, for what cannot be saved:
    numbers that are none, and objects of any other kind."""
    out = _plain(take, known, "")
    assert isinstance(out, Take)
    steps = with_own_ids(out.steps)
    return out if steps is out.steps else replace(out, steps=steps)


def with_own_ids(steps: tuple[Step, ...]) -> tuple[Step, ...]:
    """Steps each with an id of its own: the later of two that have the same gets another."""
    given: set[str] = set()
    out = []
    for step in steps:
        out.append(with_fields(step, id=new_id()) if step.id in given else step)
        given.add(out[-1].id)
    return steps if all(a is b for a, b in zip(steps, out, strict=True)) else tuple(out)


_AS_THEY_ARE = (str, int, bool, type(None))


def _plain(value: Any, known: Any, place: str) -> Any:
    """The value where all of it is plain, or one that is."""
    if value is known or type(value) in _AS_THEY_ARE:
        return value
    if isinstance(value, np.generic):
        value = value.item()
    if type(value) is float:
        if not math.isfinite(value):
            raise RecipeError(f"{value} is not a number that can be saved", place=place)
        return value
    if type(value) in _AS_THEY_ARE:
        return value
    if isinstance(value, tuple | list):
        old = known if isinstance(known, tuple | list) else ()
        if _all_plain([v for i, v in enumerate(value) if i >= len(old) or v is not old[i]]):
            return value
        came = [_plain(v, old[i] if i < len(old) else None, f"{place}[{i}]") for i, v in enumerate(value)]
        return value if all(a is b for a, b in zip(value, came, strict=True)) else type(value)(came)
    if isinstance(value, Mapping):
        before = known if isinstance(known, Mapping) else {}
        by = {_plain(k, None, place): _plain(v, before.get(k), f"{place}.{k}") for k, v in value.items()}
        return value if all(by[k] is v for k, v in value.items()) else by
    if isinstance(value, msgspec.Struct):
        return _fields(value, known, value.__struct_fields__, with_fields, place)
    if is_dataclass(value) and not isinstance(value, type):
        return _fields(value, known, tuple(f.name for f in fields(value)), replace, place)
    raise RecipeError(f"contains {type(value).__name__}, which cannot be saved", place=place)


def _all_plain(values: Sequence[Any]) -> bool:
    """True where many values are plain as they are, told for all of a kind at once (a layer may have a hundred thousand keys).
    Where it says no, they are looked at one by one."""
    kinds = set(map(type, values))
    for kind in kinds:
        own: Sequence[Any] = values if len(kinds) == 1 else [v for v in values if type(v) is kind]
        if kind is float:
            good = all(map(math.isfinite, own))
        elif kind is tuple:
            good = _all_plain(list(chain.from_iterable(own)))
        elif issubclass(kind, msgspec.Struct):
            good = all(_all_plain(column) for column in zip(*map(astuple, own), strict=True))
        else:
            good = kind in _AS_THEY_ARE
        if not good:
            return False
    return True


def _fields(value: Any, known: Any, names: tuple[str, ...], replaced: Any, place: str) -> Any:
    old = known if type(known) is type(value) else None
    changes = {}
    for name in names:
        own = getattr(value, name)
        came = _plain(own, getattr(old, name, None), f"{place}.{name}".lstrip("."))
        if came is not own:
            changes[name] = came
    return replaced(value, **changes) if changes else value
