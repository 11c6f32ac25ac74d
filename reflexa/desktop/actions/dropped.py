"""What is dropped on the window: clips, recipes, files and folders."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QMimeData

from reflexa.desktop.actions import recipes, shelves
from reflexa.desktop.actions.desk import Desk
from reflexa.desktop.actions.files import import_paths
from reflexa.desktop.actions.recent import go_to
from reflexa.desktop.session.dropping import dropped, holds_clips, recipe_of
from reflexa.formats import suffixes
from reflexa.project.store import PROJECT
from reflexa.take.recipe import SUFFIX


def _files(data: QMimeData) -> list[Path]:
    return [Path(u.toLocalFile()) for u in data.urls() if u.isLocalFile()]


def welcome(data: QMimeData) -> bool:
    """Is it something that the window can do anything with?"""
    known = (*suffixes(), SUFFIX)
    return (
        holds_clips(data)
        or bool(recipe_of(data))
        or any(p.name.lower().endswith(known) or p.is_dir() for p in _files(data))
    )


def take(d: Desk, data: QMimeData) -> None:
    """Make takes of clips, put a recipe into the open take, and take in files and folders."""
    if dropped(d.session, data, lambda sources: shelves.takes_of(d, sources)):
        return
    if recipe := recipe_of(data):
        recipes.put_into(d, recipe, d.session.selection.take)
    elif paths := _files(data):
        take_in(d, paths)


def take_in(d: Desk, paths: list[Path]) -> None:
    """Open a project; make folders of clips shelves, and import files."""
    projects = [p for p in paths if (p / PROJECT).is_file()]
    if projects:
        go_to(d, projects[0])
        return
    for folder in (p for p in paths if p.is_dir()):
        shelves.put_shelf(d, folder)
    kept = [p for p in paths if p.name.lower().endswith(SUFFIX)]
    recipes.take_in(d, kept)
    clips = [p for p in paths if not p.is_dir() and p not in kept]
    if clips:
        import_paths(d, clips)
