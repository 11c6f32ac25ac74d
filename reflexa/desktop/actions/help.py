"""The Help menu. It speaks of all commands, so it is made with the list of them."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QMessageBox

from reflexa import __version__
from reflexa.desktop.actions.desk import Command, Desk
from reflexa.desktop.actions.registry import Registry
from reflexa.desktop.dialogs.command_search import CommandSearch
from reflexa.desktop.dialogs.shortcuts import Shortcuts


def _about(d: Desk) -> None:
    QMessageBox.about(
        d.window, "About Reflexa", f"Reflexa {__version__}\nA revision bench for skeletal animation clips."
    )


def commands(every: Callable[[], Registry]) -> tuple[Command, ...]:
    """every: gives the list that they will be part of."""
    return (
        Command(
            "search", "Find a command…", "Help/1", lambda d: CommandSearch(every(), d.window).exec(), "Ctrl+P | F3"
        ),
        Command("shortcuts", "Keys and mouse", "Help/1", lambda d: Shortcuts(every(), d.window).exec(), "F1"),
        Command("about", "About Reflexa", "Help/2", _about),
    )
