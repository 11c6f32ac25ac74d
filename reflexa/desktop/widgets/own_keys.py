"""Keys that mean something to a widget while it has the focus, though the window has them for something else."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QWidget


class OwnKeys(QWidget):
    """Gets the keys that it ``wants``."""

    def __init__(self) -> None:
        super().__init__()
        self.installEventFilter(self)

    def wants(self, key: Qt.Key) -> bool:
        """Is a key meant for what is chosen here?"""
        return False

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if (
            event.type() == QEvent.Type.ShortcutOverride
            and isinstance(event, QKeyEvent)
            and self.wants(Qt.Key(event.key()))
        ):
            event.accept()
            return True
        return False


ARROWS = (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down)
