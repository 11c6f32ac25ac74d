"""A recipe for a clip: its steps as they are meant on that clip's rig, and what of it does not apply there."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from reflexa.errors import RecipeError
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.rig.joint_roles import RoleMap
from reflexa.stage import EMPTY, Stage
from reflexa.steps import Context, Given, Step, kind_of, outcome
from reflexa.take.carrying import carried
from reflexa.take.evaluate import NOWHERE, Surroundings, evaluate
from reflexa.take.model import Source, Take
from reflexa.take.recipe import Recipe, with_values


@dataclass(frozen=True)
class Fitted:
    """steps as they are meant; left_out: in words, what of them has no place on the rig."""

    steps: tuple[Step, ...]
    left_out: tuple[str, ...] = ()


def fitted(
    recipe: Recipe, clip: Clip, rig: Rig, within: Surroundings = NOWHERE, stage: Stage = EMPTY
) -> Fitted:  # fmt: skip
    """The steps of a recipe on a clip's rig: where they were made on another one, their joints are those that play the same
    there. Steps behind one that changes the rig are meant on the rig that it leads to. Nothing changes on the rig that a
    recipe was made on."""
    if not recipe.made_on:
        return Fitted(recipe.steps)
    now, on = clip.cut(0, 0), rig
    out: list[Step] = []
    lacks: list[str] = []
    last = max(i for i, s in enumerate(recipe.steps) if recipe.roles(s.id) is not None)
    for i, step in enumerate(recipe.steps):
        roles = recipe.roles(step.id)
        if roles is not None and roles.key != on.key:
            to = RoleMap(roles, on)
            step = carried(step, to)
            if to.lacks:
                lacks.append(f"{step.name}: there is no {', '.join(dict.fromkeys(to.lacks))} here")
        out.append(step)
        if i < last and step.acts and kind_of(step.kind).changes_rig:
            try:
                made = outcome(step, Given(now, on), Context(within.rigs, within.clips, stage))
            except RecipeError:
                continue  # it says so itself when it is run
            now, on = made.clip.cut(0, 0), made.rig
    return Fitted(tuple(out), tuple(lacks))


def not_applying(
    recipe: Recipe, values: Mapping[str, Any], clip: Clip, rig: Rig, within: Surroundings = NOWHERE
) -> list[str]:  # fmt: skip
    """In words, what of a recipe does not apply to a clip: joints that its rig has not, and steps that cannot be run, with why.
    Raises RecipeError for values that do not fit."""
    found = fitted(with_values(recipe, values), clip, rig, within)
    line = evaluate(Take(clip.name, Source("", clip.name), found.steps), clip, rig, within, lenient=True)
    return [*found.left_out, *refusals(line.take, line.refused)]


def refusals(take: Take, refused: Mapping[str, RecipeError]) -> list[str]:
    """Steps that could not be run, each with why."""
    return [f"{s.name}: {refused[s.id]}" for s in take.steps if s.id in refused]
