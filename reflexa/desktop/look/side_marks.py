"""The side marks of the figure as small icons: ring left, diamond right, bar centre, cross unpaired."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QIcon, QPainter, QPen, QPixmap, QPolygonF

from reflexa.desktop.look import theme


def side_icon(side: str) -> QIcon:
    """The mark of ``"left"``, ``"right"``, ``"centre"`` or ``"none"`` in the colour that the figure has it in."""
    t = theme.current()
    pixmap = QPixmap(32, 32)
    pixmap.fill(Qt.GlobalColor.transparent)
    p = QPainter(pixmap)
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    if side == "left":
        p.setPen(QPen(t.colour("left"), 6))
        p.drawEllipse(QPointF(16, 16), 9, 9)
    else:
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.colour({"right": "right", "centre": "quiet"}.get(side, "warn")))
        if side == "right":
            p.drawPolygon(QPolygonF([QPointF(16, 3), QPointF(29, 16), QPointF(16, 29), QPointF(3, 16)]))
        elif side == "centre":
            p.drawRoundedRect(QRectF(4, 11, 24, 10), 2, 2)
        else:
            p.setPen(QPen(t.colour("warn"), 6))
            p.drawLine(QPointF(7, 7), QPointF(25, 25))
            p.drawLine(QPointF(25, 7), QPointF(7, 25))
    p.end()
    return QIcon(pixmap)
