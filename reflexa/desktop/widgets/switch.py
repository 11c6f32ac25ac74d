"""An on/off switch."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QToolButton

from reflexa.desktop.look import theme


class Switch(QToolButton):
    """Checked is on."""

    def __init__(self, on: bool, name: str, tip: str) -> None:
        super().__init__()
        self.setCheckable(True)
        self.setChecked(on)
        self.setFixedSize(30, 18)
        self.setAccessibleName(name)
        self.setToolTip(tip)

    def paintEvent(self, event: QPaintEvent) -> None:
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        on = self.isChecked()
        box = QRectF(2, 2, 26, 14)
        p.setPen(t.colour("accent") if self.hasFocus() or on else t.colour("quiet"))
        p.setBrush(t.colour("accent") if on else t.colour("panel"))
        p.drawRoundedRect(box, 7, 7)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.colour("on_accent") if on else t.colour("quiet"))
        p.drawEllipse(QRectF(16 if on else 4, 4, 10, 10))
        p.end()
