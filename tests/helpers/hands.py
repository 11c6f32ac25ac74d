"""What a hand does to widgets, with real events."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent, QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QLabel, QPushButton, QWidget

LEFT = Qt.MouseButton.LeftButton
NONE = Qt.KeyboardModifier.NoModifier


def click(widget: QWidget, at: QPoint | None = None) -> None:
    """One click, in the middle where no place is given."""
    QTest.mouseClick(widget, LEFT, NONE, at or QPoint())


def double_click(widget: QWidget, at: QPoint) -> None:
    """A double-click, let go."""
    QTest.mouseDClick(widget, LEFT, NONE, at)
    QTest.mouseRelease(widget, LEFT, NONE, at)


def move(widget: QWidget, at: QPointF, buttons: Qt.MouseButton, modifier: Qt.KeyboardModifier = NONE) -> None:
    """The pointer comes to a place."""
    where = QPointF(widget.mapToGlobal(at.toPoint()))
    event = QMouseEvent(QMouseEvent.Type.MouseMove, at, where, Qt.MouseButton.NoButton, buttons, modifier)
    QApplication.sendEvent(widget, event)


def hover(widget: QWidget, at: QPoint) -> None:
    """The pointer comes to a place without a button."""
    move(widget, QPointF(at), Qt.MouseButton.NoButton)


def drag(widget: QWidget, start: QPoint, end: QPoint, steps: int = 8, modifier: Qt.KeyboardModifier = NONE) -> None:
    """Press, move in steps, release, with the left button."""
    QTest.mousePress(widget, LEFT, modifier, start)
    for i in range(1, steps + 1):
        by = QPointF(end - start) * (i / steps)
        move(widget, QPointF(start) + by, LEFT, modifier)
    QTest.mouseRelease(widget, LEFT, modifier, end)


def drop(window: QWidget, *paths: Path) -> None:
    """Files are let go over a window."""
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(p)) for p in paths])
    window.dropEvent(QDropEvent(QPointF(300, 300), Qt.DropAction.CopyAction, mime, LEFT, NONE))


def button(panel: QWidget, text: str) -> QPushButton:
    """The button of that text."""
    return next(b for b in panel.findChildren(QPushButton) if b.text() == text)


def combo(panel: QWidget, name: str) -> QComboBox:
    """The list of that name."""
    return next(b for b in panel.findChildren(QComboBox) if b.accessibleName() == name)


def choose(panel: QWidget, name: str, text: str) -> None:
    """Take an entry of a list."""
    box = combo(panel, name)
    box.setCurrentIndex(box.findText(text))
    assert box.currentText() == text
    box.activated.emit(box.currentIndex())


def said(panel: QWidget) -> str:
    """Everything that its labels say."""
    return " ".join(label.text() for label in panel.findChildren(QLabel))


def dropped_clips(widget: QWidget, clips: list[tuple[str, str]]) -> None:
    """Clips of the list, (file, clip) each, are let go over a widget."""
    import msgspec

    from reflexa.desktop.dropping import CLIPS

    mime = QMimeData()
    mime.setData(CLIPS, msgspec.json.encode(clips))
    event = QDropEvent(QPointF(20, 20), Qt.DropAction.CopyAction, mime, LEFT, NONE)
    widget.dropEvent(event)
