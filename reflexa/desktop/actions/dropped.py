"""Files and folders that are dropped on the window."""

from __future__ import annotations

from pathlib import Path

from reflexa.desktop.actions.desk import Desk
from reflexa.desktop.actions.files import import_paths
from reflexa.desktop.actions.recent import go_to
from reflexa.desktop.actions.shelves import put_shelf
from reflexa.project.store import PROJECT


def take_in(d: Desk, paths: list[Path]) -> None:
    """Open a project; make folders of clips shelves, and import files."""
    projects = [p for p in paths if (p / PROJECT).is_file()]
    if projects:
        go_to(d, projects[0])
        return
    for folder in (p for p in paths if p.is_dir()):
        put_shelf(d, folder)
    clips = [p for p in paths if not p.is_dir()]
    if clips:
        import_paths(d, clips)
