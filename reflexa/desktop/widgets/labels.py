"""Labels by what they say."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QLabel, QSizePolicy

from reflexa.desktop.widgets.qt_properties import named


def heading(text: str) -> QLabel:
    return named(QLabel(text, wordWrap=True), "heading")


def section(text: str) -> QLabel:
    return named(QLabel(text), "section")


def text(text: str = "") -> QLabel:
    return QLabel(text, wordWrap=True)


def quiet(text: str = "") -> QLabel:
    return named(QLabel(text, wordWrap=True), "quiet")


def warning(text: str = "", strong: bool = True) -> QLabel:
    label = named(QLabel(text, wordWrap=True), "warn")
    if not strong:
        label.setStyleSheet("font-weight: 400;")
    return label


def say(label: QLabel, how: str) -> None:
    """Show a label as plain (an empty text), "quiet" or a "warn"ing."""
    if label.objectName() != how:
        label.setObjectName(how)
        label.style().unpolish(label)
        label.style().polish(label)


class Eliding(QLabel):
    """A name that ends in dots where its place is too narrow; the whole of it is in the tip."""

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self.setToolTip(text)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        text = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())
        p.drawText(self.rect(), Qt.AlignmentFlag.AlignVCenter, text)
        p.end()
