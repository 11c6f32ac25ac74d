"""Keys that mean something to a widget while it has the focus, though the window has them for something else."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QWidget

Wants = Callable[[Qt.Key], bool]
_COMMANDS = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier | Qt.KeyboardModifier.MetaModifier


class _Keys(QObject):
    def __init__(self, widget: QWidget, wants: Wants) -> None:
        super().__init__(widget)
        self._wants = wants
        widget.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() != QEvent.Type.ShortcutOverride or not isinstance(event, QKeyEvent):
            return False
        # With Ctrl or Alt a key is a command's, wherever the focus is.
        wanted = not event.modifiers() & _COMMANDS and self._wants(Qt.Key(event.key()))
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
        """True for a key that acts on what is selected here."""
        return False


# By how many places keys go.
SIDEWAYS = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
UPRIGHT = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
PAGES = {Qt.Key.Key_PageUp: -1, Qt.Key.Key_PageDown: 1}
ARROWS = (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down)
