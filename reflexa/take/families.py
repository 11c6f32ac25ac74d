"""Takes that follow another one: they share everything with it but a few values, their name, and what is said of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from reflexa.errors import RecipeError
from reflexa.steps import Step
from reflexa.take.model import Take, Varies
from reflexa.take.variations import value_of, with_value


def value_in(take: Take, step: str, setting: str) -> Any:
    """The value of a setting (or ``weight``) of a step, by the step's id; None where the take has no such step."""
    found = take.step(step)
    if found is None:
        return None
    return value_of(found, setting)


def as_parent(parent: Take, child: Take) -> Take:
    """A take as its parent is, with the values that are its own. What the parent cannot take any more is passed over."""
    steps = list(parent.steps)
    for step, setting, value in child.varies.values if child.varies is not None else ():
        at = parent.index(step)
        if at >= 0:
            steps[at] = _with(steps[at], setting, value)
    export = replace(parent.export, name=child.export.name)
    return replace(
        child, source=parent.source, steps=tuple(steps), stage=parent.stage, export=export, ranges=parent.ranges
    )


def _with(step: Step, setting: str, value: Any) -> Step:
    try:
        return with_value(step, setting, value, "")
    except RecipeError:
        return step


@dataclass(frozen=True)
class _Family:
    parents: Mapping[str, Take]
    before: Mapping[str, Take]

    def followed(self, take: Take) -> Take:
        varies = take.varies
        parent = self.parents.get(varies.of) if varies is not None else None
        if varies is None or parent is None or parent.varies is not None:
            return take if varies is None else replace(take, varies=None)
        was = self.before.get(take.id)
        if was is take and self.before.get(parent.id) is parent:
            return take
        wanted = as_parent(parent, take)
        if take == wanted or was is None or was is take:
            return wanted if take != wanted else take
        # It was edited itself: what varies is its own.
        own = tuple((s, k, value_in(take, s, k)) for s, k, _ in varies.values)
        changed = replace(take, varies=Varies(varies.of, own))
        if changed != as_parent(parent, changed):
            raise RecipeError(
                f"{take.name!r} is a variation of {parent.name!r}: only its own values can be changed here",
                advice="Edit that take, and its variations follow; or choose Take, Variations, Detach.",
            )
        return changed


def followed(before: Sequence[Take], now: Sequence[Take]) -> tuple[Take, ...]:
    """Takes with every variation as its parent is. One whose parent is gone stands alone from then on. Raises RecipeError where
    a variation was edited otherwise than in what varies."""
    if not any(t.varies is not None for t in now):
        return tuple(now)
    family = _Family({t.id: t for t in now if t.id}, {t.id: t for t in before if t.id})
    return tuple(map(family.followed, now))


def values_of(take: Take) -> list[tuple[str, str, str]]:
    """The values that a variation has of its own, in words: the step's name, the setting, the value."""
    out = []
    for step_id, setting, value in take.varies.values if take.varies is not None else ():
        step = take.step(step_id)
        if step is not None:
            out.append((step.name, setting, f"{value:g}" if isinstance(value, float) else str(value)))
    return out


def between(parent: Take, a: Take, b: Take, share: float) -> Take:
    """A variation between two of one parent: numbers that vary are mixed (0 is the first, 1 the second), whole ones to the
    nearest; everything else is as in the first. Raises RecipeError where nothing of both can be mixed."""
    mixed, found = [], False
    other = {(s, k): v for s, k, v in b.varies.values} if b.varies is not None else {}
    for step, setting, value in a.varies.values if a.varies is not None else ():
        end = other.get((step, setting), value_in(b, step, setting))
        if _is_number(value) and _is_number(end):
            found = True
            between_ = value + share * (end - value)
            value = round(between_) if isinstance(value, int) and isinstance(end, int) else round(between_, 6)
        mixed.append((step, setting, value))
    if not found:
        raise RecipeError(f"{a.name!r} and {b.name!r} differ in no number", advice="Choose two that differ in one.")
    return as_parent(parent, replace(a, varies=Varies(parent.id, tuple(mixed))))


def _is_number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)
