"""Returns the keyboard focus to the picture after a button was clicked with the mouse."""

from __future__ import annotations

from PySide6.QtCore import QObject, Qt
from PySide6.QtWidgets import QAbstractButton, QApplication, QComboBox, QWidget

_PRESSED = (QAbstractButton, QComboBox)


class FocusReturn(QObject):
    """Keeps the keyboard focus where it is when a button is clicked with the mouse; Tab still reaches it. If nothing has the
    focus that uses keys, ``home`` gets it; ``homes`` keep it."""

    def __init__(self, window: QWidget, home: QWidget, homes: tuple[QWidget, ...]) -> None:
        super().__init__(window)
        self._window, self._home, self._homes = window, home, (home, *homes)
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        app.focusChanged.connect(self._on_focus)

    def _on_focus(self, before: QWidget | None, now: QWidget | None) -> None:
        by_mouse = QApplication.mouseButtons() != Qt.MouseButton.NoButton
        if by_mouse and isinstance(now, _PRESSED) and now.window() is self._window:
            now.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            (before if before is not None and self._keeps(before) else self._home).setFocus()

    def _keeps(self, before: QWidget) -> bool:
        """Had it the keys, to go on with? Not what is pressed itself, and no field that one writes in."""
        writes = before.testAttribute(Qt.WidgetAttribute.WA_InputMethodEnabled)
        at_home = any(h is before or h.isAncestorOf(before) for h in self._homes)
        return at_home and not writes and not isinstance(before, _PRESSED)
