"""The Project menu."""

from __future__ import annotations

from functools import partial

from reflexa.desktop.actions import conditions as needs
from reflexa.desktop.actions import files, recent
from reflexa.desktop.actions.desk import Command, Desk
from reflexa.desktop.kinds import VIEWS, Offer


def _make(kind: str, offer: Offer, d: Desk) -> None:
    d.clip_panel.make_with(kind, offer)


def commands() -> tuple[Command, ...]:
    """One for each kind of step that clips are offered to be made takes with, too."""
    return (
        Command("new", "New project", "Project/1", files.new_project, "Ctrl+N"),
        Command("open", "Open project…", "Project/1", files.open_project, "Ctrl+O"),
        Command("recent", "Recent projects…", "Project/1", recent.show_recent, "Ctrl+Shift+O"),
        Command("demo", "Open the demo project", "Project/1", recent.open_demo),
        Command("save", "Save", "Project/2", files.save, "Ctrl+S"),
        Command("save_as", "Save a copy as…", "Project/2", files.save_as, "Ctrl+Shift+S"),
        Command("import", "Import clips…", "Project/3", files.import_dialog, "Ctrl+I"),
        Command("export", "Export…", "Project/3", files.export_dialog, "Ctrl+E", needs.result),
        *(
            Command(
                f"make_{view.kind}", view.offer.title.format("the selected clips"), "Project/3",
                partial(_make, view.kind, view.offer), view.offer.shortcut, needs.chosen_clips,
            )
            for view in VIEWS.values() if view.offer is not None
        ),
        Command("export_takes", "Export all takes…", "Project/3", files.export_takes, "Ctrl+Shift+E", needs.takes),
        Command("build", "Build…", "Project/3", files.build_dialog, "Ctrl+Shift+B", needs.takes),
        Command("quit", "Quit", "Project/4", lambda d: d.window.close(), "Ctrl+Q"),
    )  # fmt: skip
