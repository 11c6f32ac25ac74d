"""Projects that were open lately, and the demo."""

from __future__ import annotations

from pathlib import Path

from reflexa.desktop.actions.desk import Desk
from reflexa.desktop.actions.files import may_leave
from reflexa.desktop.actions.opening import open_folder
from reflexa.desktop.dialogs.recent import RecentDialog
from reflexa.desktop.recent import recent
from reflexa.session.sources import demo_copy


def show_recent(d: Desk) -> None:
    """Choose among them."""
    dialog = RecentDialog(recent(), d.window)
    dialog.chosen.connect(lambda folder: go_to(d, folder))
    d.show(dialog)


def go_to(d: Desk, folder: Path | None) -> None:
    """Open a project folder, or (None) a copy of the demo, once the one that is open may be left."""
    if may_leave(d):
        open_folder(d, folder if folder is not None else demo_copy())


def open_demo(d: Desk) -> None:
    """Open a copy of the demo project."""
    go_to(d, None)
