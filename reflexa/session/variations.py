"""Variations of the open take: the same steps with other values for some settings, kept as takes of their own."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from reflexa.names import free_name
from reflexa.session.selection import Place
from reflexa.session.session import Session
from reflexa.steps import describe, kind_of
from reflexa.take import Take
from reflexa.take.recipe import Recipe
from reflexa.take.variations import Variation, variations, varied_from_text


def settings_of(take: Take) -> list[tuple[str, str]]:
    """The settings that a take's steps can vary in: each in words, and as ``varied_from_text`` names it."""
    out: list[tuple[str, str]] = []
    for i, step in enumerate(take.steps):
        kind = kind_of(step.kind)
        if kind.weighed:
            out.append((f"{step.name} · Weight", f"steps.{i}.weight"))
        for field in describe(kind)["settings"]:
            if isinstance(getattr(step.settings, field["name"], None), bool | int | float | str):
                out.append((f"{step.name} · {field['title']}", f"steps.{i}.{field['name']}"))
    return out


def family(take: Take, asked: Sequence[tuple[str, str]]) -> list[Variation]:
    """Every combination of values. asked: settings with their values as text. Raises RecipeError."""
    recipe = Recipe(take.name, take.steps)
    return list(variations(recipe, [varied_from_text(f"{setting}={values}", recipe) for setting, values in asked]))


def take_of(take: Take, variation: Variation) -> Take:
    """A variation as a take, named by its values."""
    said = ", ".join(f"{name.rpartition('.')[2].replace('_', ' ')} {value}" for name, value in variation.values)
    return replace(take, id="", name=f"{take.name}, {said}", steps=variation.recipe.steps)


def keep(session: Session, take: Take, members: Sequence[Variation]) -> int:
    """Variations as takes behind their parent, in a folder of its name: one undo. How many there are."""
    takes = list(session.project.takes)
    names = [t.name for t in takes]
    made = []
    for variation in members:
        one = take_of(take, variation)
        one = replace(one, name=free_name(one.name, names), folder=f"{take.name}, variations")
        names.append(one.name)
        made.append(one)
    at = next((i for i, t in enumerate(takes) if t.name == take.name), len(takes) - 1) + 1
    takes[at:at] = made
    label = f"make {len(made)} variations"
    session.edit(label, replace(session.project, takes=tuple(takes)), place=Place(made[0].name) if made else None)
    return len(made)
