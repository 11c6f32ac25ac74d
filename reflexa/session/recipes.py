"""Edits of the project's recipes, and recipes put into takes."""

from __future__ import annotations

from dataclasses import replace

from reflexa.motion.clip import Clip
from reflexa.names import free_name
from reflexa.rig import Rig
from reflexa.session.selection import Place
from reflexa.session.session import Session
from reflexa.take.edits import insert_step, named_step
from reflexa.take.fitting import fitted
from reflexa.take.recipe import Recipe, fresh


def recipe(session: Session, name: str) -> Recipe | None:
    """The project's recipe of that name."""
    return next((r for r in session.project.recipes if r.name == name), None)


def put(session: Session, label: str, given: Recipe) -> str:
    """One more recipe, under a name that is free. The name."""
    name = free_name(given.name or "recipe", (r.name for r in session.project.recipes))
    kept = (*session.project.recipes, replace(given, name=name))
    session.edit(f"{label} {name}", replace(session.project, recipes=kept))
    return name


def rename(session: Session, old: str, new: str) -> None:
    """Call a recipe otherwise."""
    new = new.strip()
    if new and new != old:
        new = free_name(new, (r.name for r in session.project.recipes if r.name != old))
        kept = tuple(replace(r, name=new) if r.name == old else r for r in session.project.recipes)
        session.edit(f"rename recipe to {new}", replace(session.project, recipes=kept))


def remove(session: Session, name: str) -> None:
    """Take a recipe out of the project; takes that were made with it stay as they are."""
    left = tuple(r for r in session.project.recipes if r.name != name)
    session.edit(f"remove recipe {name}", replace(session.project, recipes=left))


def put_into(session: Session, take: str, said: Recipe, on: tuple[Clip, Rig], at: int = -1) -> tuple[str, ...]:
    """Put the steps of a recipe, all of whose settings are said, into a take: from place ``at`` on (-1: behind the last). on: the
    clip and rig that they stand on there. In words, what was left out."""
    now = session.project.take(take)
    if now is None:
        return ()
    found = fitted(said, *on, session.within, now.stage)
    place, new = len(now.steps) if at < 0 else at, now
    steps = fresh(found.steps)
    for i, step in enumerate(steps):
        new = insert_step(new, place + i, named_step(new, step))
    card = steps[-1].id if steps else ""
    session.edit(f"put {said.name} into {take}", session.project.with_take(take, new), place=Place(take, card))
    return found.left_out
