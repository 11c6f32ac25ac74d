"""Variations: one recipe with other values for one to three of its settings."""

from __future__ import annotations

import itertools
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from reflexa.errors import RecipeError
from reflexa.steps import Step, from_plain, to_plain
from reflexa.take.parse_step import split_at_commas, value_from_text
from reflexa.take.recipe import Recipe

# More are never meant: somebody has mistyped.
MOST = 1000
_AXES = "xyz"
_AT_RANDOM = re.compile(r"(-?\d+(?:\.\d+)?)\s*\.\.\s*(-?\d+(?:\.\d+)?)\s*~\s*(\d+)(?:#(\d+))?")
_EVENLY = re.compile(r"(-?\d+(?:\.\d+)?)\s*\.\.\s*(-?\d+(?:\.\d+)?)\s*/\s*(\d+)")


@dataclass(frozen=True)
class Varied:
    """A setting of a step that takes several values. step: its place among the steps; setting: the setting's name, or ``weight``;
    values: each with what it is called."""

    name: str
    step: int
    setting: str
    values: tuple[tuple[str, Any], ...]


@dataclass(frozen=True)
class Variation:
    """One of a family: its recipe, the settings that vary with their values, in words, and as ``Varies`` has them."""

    recipe: Recipe
    values: tuple[tuple[str, str], ...]
    own: tuple[tuple[str, str, Any], ...] = ()


def varied_from_text(text: str, recipe: Recipe) -> Varied:
    """``STEP.setting=a,b,c``, ``STEP.setting=a..b/n`` (so many values, evenly from a to b), or ``STEP.setting=a..b~n#seed`` (so
    many at random between a and b; the same seed gives the same). STEP: the kind or the name of a step, or ``steps.N``, its
    place from 0 on. A place has three settings, such as ``point.x``. Raises RecipeError with what is known."""
    place = f"--vary {text}"
    left, equals, right = text.partition("=")
    step, dot, setting = left.strip().rpartition(".")
    outer, _, place_setting = step.rpartition(".")
    if setting in _AXES and outer and place_setting.isidentifier():
        step, setting = outer, f"{place_setting}.{setting}"
    if not equals or not dot or not step or not setting or not right.strip():
        raise RecipeError(
            "is not STEP.setting=values",
            place=place,
            advice="For example mirror.weight=0.5,1 or steps.0.weight=0..1/5.",
        )
    at = _step_at(step, recipe.steps, place)
    with_value(recipe.steps[at], setting, None, place)
    values = tuple((v, value_from_text(setting, v, place)) for v in _values(right.strip(), place))
    return Varied(setting.replace(".", "_"), at, setting, values)


def variations(recipe: Recipe, varied: Sequence[Varied]) -> Iterator[Variation]:
    """Every combination of the values, the last setting changing fastest. Raises RecipeError for a value that a setting cannot
    take, for one setting twice, and for too many of them."""
    count = int(np.prod([len(v.values) for v in varied], dtype=np.int64))
    if count > MOST:
        raise RecipeError(f"{count:,} variations are too many", advice=f"At most {MOST:,} are made at once.")
    names = _told_apart(varied, recipe.steps)
    for combination in itertools.product(*(v.values for v in varied)):
        steps = list(recipe.steps)
        for one, (said, value) in zip(varied, combination, strict=True):
            steps[one.step] = with_value(steps[one.step], one.setting, value, f"{one.name}={said}")
        said_all = tuple((name, said) for name, (said, _) in zip(names, combination, strict=True))
        own = tuple((steps[v.step].id, v.setting, value_of(steps[v.step], v.setting)) for v in varied)
        yield Variation(replace(recipe, steps=tuple(steps)), said_all, own)


def _told_apart(varied: Sequence[Varied], steps: Sequence[Step]) -> list[str]:
    """The names of settings: with their step's kind, or its place, where several are called alike."""
    places = [(v.step, v.setting) for v in varied]
    if len(set(places)) < len(places):
        raise RecipeError("one setting is varied twice", advice="Give all of its values at once.")
    for name_of in (lambda v: v.name, lambda v: f"{steps[v.step].kind}.{v.name}"):
        names = [name_of(v) for v in varied]
        if len(set(names)) == len(names):
            return names
    return [f"steps.{v.step}.{v.name}" for v in varied]


def _step_at(word: str, steps: Sequence[Step], place: str) -> int:
    number = word.removeprefix("steps.")
    if number.isdigit() and int(number) < len(steps):
        return int(number)
    for called in ([s.name for s in steps], [s.kind for s in steps]):
        found = [i for i, name in enumerate(called) if name == word]
        if len(found) == 1:
            return found[0]
        if found:
            raise RecipeError(
                f"{len(found)} steps are called {word!r}", place=place,
                advice=f"Say which: {', '.join(f'steps.{i}' for i in found)}.",
            )  # fmt: skip
    names = ", ".join(f"{s.kind} (steps.{i})" for i, s in enumerate(steps)) or "none"
    raise RecipeError(f"there is no step {word!r}", place=place, advice=f"The steps are: {names}.")


def _values(text: str, place: str) -> list[str]:
    evenly = _EVENLY.fullmatch(text)
    if evenly is not None:
        first, last, count = float(evenly[1]), float(evenly[2]), int(evenly[3])
        if not 2 <= count <= MOST:
            raise RecipeError(f"{count} values", place=place, advice=f"Ask for 2 to {MOST:,}.")
        return [f"{v:.6g}" for v in np.linspace(first, last, count).tolist()]
    at_random = _AT_RANDOM.fullmatch(text)
    if at_random is not None:
        low, high, count = float(at_random[1]), float(at_random[2]), int(at_random[3])
        if not 1 <= count <= MOST:
            raise RecipeError(f"{count} values", place=place, advice=f"Ask for 1 to {MOST:,}.")
        drawn = np.random.default_rng(int(at_random[4] or 0)).uniform(min(low, high), max(low, high), count)
        return [f"{v:.4g}" for v in drawn.tolist()]
    out = [v.strip() for v in split_at_commas(text)]
    if not all(out):
        raise RecipeError("has an empty value", place=place)
    return out


def value_of(step: Step, setting: str) -> Any:
    """What a setting of a step is, or its weight; of a place along one axis, such as ``point.x``."""
    if setting == "weight":
        return step.weight
    name, dot, axis = setting.partition(".")
    value: Any = getattr(step.settings, name, None)
    if not dot:
        return value
    return value[_AXES.index(axis)] if _is_place(value) and axis and axis in _AXES else None


def _is_place(value: Any) -> bool:
    return isinstance(value, tuple) and len(value) == 3 and all(isinstance(v, float | int) for v in value)


def with_value(step: Step, setting: str, value: Any, place: str) -> Step:
    """A step with another value of a setting, or another weight; None: it is only asked whether there is such a setting."""
    fields = step.settings.__struct_fields__
    name, dot, axis = setting.partition(".")
    if setting != "weight" and (name not in fields or (dot and value_of(step, setting) is None)):
        raise RecipeError(
            f"{step.kind} has no setting {setting!r}", place=place, advice=f"Its settings: weight, {', '.join(fields)}."
        )
    if value is None:
        return step
    plain = to_plain(step)
    if setting == "weight":
        plain["weight"] = value
    else:
        if dot:
            now = getattr(step.settings, name)
            value = [value if a == axis else v for a, v in zip(_AXES, now, strict=True)]
        plain["settings"] = {**plain.get("settings", {}), name: value}
    try:
        return from_plain(plain, place)
    except RecipeError as e:
        raise RecipeError(e.reason, place=place, advice=e.advice) from None
