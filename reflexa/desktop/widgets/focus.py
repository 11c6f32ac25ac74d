"""A frame about what has the focus of the keyboard, for widgets that are painted by hand."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import QWidget

from reflexa.desktop.look import theme


def paint_focus(widget: QWidget, p: QPainter) -> None:
    """Draw the frame where the widget has the focus."""
    if widget.hasFocus():
        p.setPen(QPen(theme.current().colour("accent"), 1.5))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRoundedRect(QRectF(widget.rect()).adjusted(1, 1, -1, -1), 5, 5)
