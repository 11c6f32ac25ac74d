"""Menus that come up where something is."""

from __future__ import annotations

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QMenu


def show(menu: QMenu, at: QPoint) -> None:
    """Put a menu on the screen, at a place of the screen. The menu has a parent; it is gone when it is left.

    No loop of its own runs meanwhile: what goes on in the window (playing, computing, closing) goes on.
    """
    menu.aboutToHide.connect(menu.deleteLater)
    menu.popup(at)
