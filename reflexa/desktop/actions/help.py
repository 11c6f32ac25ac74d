"""The Help menu. It speaks of all commands, so it is made with the list of them."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QMessageBox

from reflexa import __version__
from reflexa.desktop.actions.desk import Command, Desk
from reflexa.desktop.actions.files import import_dialog
from reflexa.desktop.actions.recent import open_demo, show_recent
from reflexa.desktop.actions.registry import Registry
from reflexa.desktop.dialogs.command_search import CommandSearch
from reflexa.desktop.dialogs.guide import Guide
from reflexa.desktop.dialogs.shortcuts import Shortcuts
from reflexa.desktop.dialogs.welcome import Welcome
from reflexa.desktop.tour import CLIP, Tour


def _about(d: Desk) -> None:
    QMessageBox.about(
        d.window, "About Reflexa", f"Reflexa {__version__}\nA revision bench for skeletal animation clips."
    )


def _guide(d: Desk) -> None:
    d.guide = d.guide or Guide(d.window)
    d.guide.show()
    d.guide.raise_()


def begin_tour(d: Desk) -> None:
    """Open the demo, where it is not open, and lead through a first clip."""
    if not any(CLIP in (c.name for c in x.clips) for x in d.session.sources.documents.values()):
        open_demo(d)
    if d.tour is not None:
        d.tour.close_tour()
    d.tabs.setCurrentWidget(d.clip_panel)
    d.tour = Tour(d)


def show_welcome(d: Desk) -> None:
    """What can be done, and ways into it."""
    ways: dict[str, Callable[[Desk], object]] = {
        "tour": begin_tour, "demo": open_demo, "import": import_dialog, "recent": show_recent, "empty": lambda _: None,
    }  # fmt: skip
    welcome = Welcome(d.session.work, d.window)
    welcome.chosen.connect(lambda what: ways[what](d))
    d.show(welcome)


def commands(every: Callable[[], Registry]) -> tuple[Command, ...]:
    """every: gives the list that they will be part of."""
    return (
        Command("tour", "First clip step by step", "Help/0", begin_tour, also="tutorial learn start help"),
        Command("welcome", "Welcome…", "Help/0", show_welcome, also="start begin"),
        Command("guide", "Guide", "Help/0", _guide, "Shift+F1", also="manual documentation help learn"),
        Command(
            "search", "Find a command…", "Help/1", lambda d: CommandSearch(every(), d.window).exec(), "Ctrl+P | F3"
        ),
        Command("shortcuts", "Keys and mouse", "Help/1", lambda d: Shortcuts(every(), d.window).exec(), "F1"),
        Command("about", "About Reflexa", "Help/2", _about),
    )
