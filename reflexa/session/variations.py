"""Variations of the open take: the same steps with other values for some settings, kept as takes that follow it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from reflexa.names import free_name
from reflexa.session.selection import Place
from reflexa.session.session import Session
from reflexa.steps import describe, kind_of, new_id
from reflexa.take import Take, Varies
from reflexa.take.families import between, values_of
from reflexa.take.recipe import Recipe
from reflexa.take.variations import Variation, value_of, variations, varied_from_text
from reflexa.words import counted


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
            for axis in "xyz":
                if value_of(step, f"{field['name']}.{axis}") is not None:
                    out.append((f"{step.name} · {field['title']} {axis}", f"steps.{i}.{field['name']}.{axis}"))
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
    """Variations as takes behind the one that they follow, in a folder of its name: one undo. How many there are. Variations of
    a variation follow what that one follows."""
    parent = take if take.varies is None else parent_of(session, take) or replace(take, varies=None)
    if not parent.id:
        parent = replace(parent, id=new_id())
    made = []
    for variation in members:
        own = {(s, k): v for s, k, v in (*(take.varies.values if take.varies is not None else ()), *variation.own)}
        one = replace(take_of(take, variation), varies=Varies(parent.id, tuple((s, k, v) for (s, k), v in own.items())))
        made.append(one)
    _put_behind(session, f"make {len(made)} variations", parent, made)
    return len(made)


def _put_behind(session: Session, label: str, parent: Take, made: Sequence[Take]) -> None:
    """Takes under names of their own behind the one that they follow and its other variations; the first is opened."""
    takes = [parent if t.name == parent.name else t for t in session.project.takes]
    names = [t.name for t in takes]
    at = max(i for i, t in enumerate(takes) if t is parent or (t.varies is not None and t.varies.of == parent.id)) + 1
    new = []
    for one in made:
        new.append(replace(one, id=new_id(), name=free_name(one.name, names), folder=f"{parent.name}, variations"))
        names.append(new[-1].name)
    takes[at:at] = new
    place = Place(new[0].name) if new else None
    session.edit(label, replace(session.project, takes=tuple(takes)), place=place)


def parent_of(session: Session, take: Take) -> Take | None:
    """The take that a variation follows; None where it is none."""
    varies = take.varies
    return next((t for t in session.project.takes if varies is not None and t.id == varies.of), None)


def said_of(take: Take) -> str:
    """The values that a variation has of its own, in words."""
    return ", ".join(f"{step}: {setting.replace('_', ' ')} {value}" for step, setting, value in values_of(take))


def detach(session: Session, names: Sequence[str]) -> None:
    """Variations as takes of their own: they stay as they are, and follow no longer."""
    takes = tuple(replace(t, varies=None) if t.name in names else t for t in session.project.takes)
    session.edit(f"detach {counted(len(names), 'variation')}", replace(session.project, takes=takes))


def pair_of(session: Session, names: Sequence[str]) -> tuple[Take, Take, Take] | None:
    """A parent and two variations of it; None where these are not two of one."""
    chosen = [t for t in session.project.takes if t.name in names and t.varies is not None]
    parents = [parent_of(session, t) for t in chosen]
    if len(chosen) != 2 or parents[0] is None or parents[0] is not parents[1]:
        return None
    return parents[0], chosen[0], chosen[1]


def keep_between(session: Session, parent: Take, a: Take, b: Take, share: float) -> None:
    """Another variation between two."""
    one = between(parent, a, b, share)
    _put_behind(session, f"make a variation between {a.name} and {b.name}", parent, [named_by_values(parent, one)])


def named_by_values(parent: Take, one: Take) -> Take:
    """A variation under a name that its values give."""
    return replace(one, name=f"{parent.name}, {said_of(one)}")
