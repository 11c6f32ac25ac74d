"""Sets the properties, the accessible name and the tool tip of a widget in one expression."""

from __future__ import annotations

from typing import TypeVar

from PySide6.QtWidgets import QWidget

W = TypeVar("W", bound=QWidget)


def named(widget: W, name: str) -> W:
    """The widget, under a name that the style sheet knows."""
    widget.setObjectName(name)
    return widget


def styled(widget: W, **properties: object) -> W:
    """The widget with Qt properties set, in their order, such as ``toolTip`` or ``accessibleName``. Raises ValueError for
    a property that it has not."""
    for name, value in properties.items():
        if not widget.setProperty(name, value):
            raise ValueError(f"{type(widget).__name__} has no property {name!r}")
    return widget
