"""Keys that mean something to a widget while it has the focus, though the window has them for something else."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QWidget

Wants = Callable[[Qt.Key], bool]


class _Keys(QObject):
    def __init__(self, widget: QWidget, wants: Wants) -> None:
        super().__init__(widget)
        self._wants = wants
        widget.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() != QEvent.Type.ShortcutOverride or not isinstance(event, QKeyEvent):
            return False
        wanted = self._wants(Qt.Key(event.key()))
        if wanted:
            event.accept()
        return wanted


def keep_keys(widget: QWidget, *keys: Qt.Key) -> None:
    """Have a widget get some keys while it has the focus."""
    _Keys(widget, lambda key: key in keys)


class OwnKeys(QWidget):
    """Gets the keys that it ``wants``."""

    def __init__(self) -> None:
        super().__init__()
        _Keys(self, self.wants)

    def wants(self, key: Qt.Key) -> bool:
        """Is a key meant for what is chosen here?"""
        return False


ARROWS = (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down)
