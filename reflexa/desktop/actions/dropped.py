"""What is dropped on the window: clips, recipes, files and folders."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QMimeData

from reflexa.desktop.actions import library, recipes
from reflexa.desktop.actions.desk import Desk
from reflexa.desktop.actions.figure import import_rig
from reflexa.desktop.actions.files import import_paths
from reflexa.desktop.actions.recent import go_to
from reflexa.desktop.dropping import dropped, holds_clips, recipe_of
from reflexa.formats import suffixes
from reflexa.formats.rigfile import SUFFIX as RIG
from reflexa.names import file_name
from reflexa.project.store import PARTS, PROJECT, TAKES
from reflexa.stage.store import SUFFIX as STAGE
from reflexa.take.recipe import SUFFIX as RECIPE

TAKE_SUFFIX = PARTS[TAKES]


def _open_take(d: Desk, path: Path) -> None:
    """The project that a take lies in, at that take."""
    folder = path.resolve().parent.parent
    if not (folder / PROJECT).is_file():
        d.show_error(f"{path.name} is not in a project. Open the project that the take belongs to.")
        return
    go_to(d, folder)
    name = path.name.removesuffix(TAKE_SUFFIX)
    take = next((t for t in d.session.project.takes if file_name(t.name) == name), None)
    if take is not None:
        d.session.open_take(take.name)


# Our documents, by how their files end, and what is done with one that comes in.
DOCUMENTS: dict[str, Callable[[Desk, Path], None]] = {
    RECIPE: lambda d, path: recipes.import_recipes(d, [path]),
    RIG: import_rig,
    STAGE: lambda d, path: d.stage.open_file(path),
    TAKE_SUFFIX: _open_take,
}


def _files(data: QMimeData) -> list[Path]:
    return [Path(u.toLocalFile()) for u in data.urls() if u.isLocalFile()]


def welcome(data: QMimeData) -> bool:
    """True if the window can do something with it."""
    known = (*suffixes(), *DOCUMENTS)
    return (
        holds_clips(data)
        or bool(recipe_of(data))
        or any(p.name.lower().endswith(known) or p.is_dir() for p in _files(data))
    )


def take(d: Desk, data: QMimeData) -> None:
    """Make takes of clips, put a recipe into the open take, and take in files and folders."""
    if dropped(d.session, data, lambda sources: library.takes_of(d, sources)):
        return
    if recipe := recipe_of(data):
        recipes.put_into(d, recipe, d.session.selection.take)
    elif paths := _files(data):
        open_paths(d, paths)


def open_paths(d: Desk, paths: list[Path]) -> None:
    """Open a project; make folders of clips library folders, and import files."""
    projects = [p for p in paths if (p / PROJECT).is_file()]
    if projects:
        go_to(d, projects[0])
        return
    for folder in (p for p in paths if p.is_dir()):
        library.put_library_folder(d, folder)
    for path in paths:
        if (own := next((s for s in DOCUMENTS if path.name.lower().endswith(s)), None)) is not None:
            DOCUMENTS[own](d, path)
    clips = [p for p in paths if not p.is_dir() and not p.name.lower().endswith(tuple(DOCUMENTS))]
    if clips:
        import_paths(d, clips)
