"""A note of a few lines that is written in its place."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtGui import QFocusEvent
from PySide6.QtWidgets import QPlainTextEdit

from reflexa.desktop.widgets.qt_properties import named


class Note(QPlainTextEdit):
    """``written``: another text, once the hand has left it. Tab leaves it."""

    written = Signal(str)

    def __init__(self, what: str, empty: str) -> None:
        super().__init__()
        named(self, "note")
        self.setAccessibleName(what)
        self.setPlaceholderText(empty)
        self.setTabChangesFocus(True)
        self._shown = ""
        self.document().contentsChanged.connect(self._fit)
        self._fit()

    def show_text(self, text: str) -> None:
        """What is written there now; not while a hand is at it."""
        if not self.hasFocus() and text != self.toPlainText():
            self._shown = text
            self.setPlainText(text)

    def _fit(self) -> None:
        """As high as its text, within reason."""
        line = self.fontMetrics().lineSpacing()
        rows = int(self.document().size().height())
        self.setFixedHeight(min(max(rows, 1), 5) * line + 14)

    def resizeEvent(self, event: object) -> None:
        super().resizeEvent(event)  # type: ignore[arg-type]
        self._fit()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        text = self.toPlainText().strip()
        if text != self._shown:
            self._shown = text
            self.written.emit(text)
