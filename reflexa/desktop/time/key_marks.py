"""The shapes of keys: a circle goes on smooth, a drop eased, a diamond linear, a square holds; hollow is neutral."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPainterPath, QPen, QPixmap, QPolygonF

from reflexa.desktop.look import theme

SIZE = 18  # pixels


class KeyMarks:
    """Painted once for each look."""

    def __init__(self) -> None:
        self._known: dict[tuple[str, str, bool, bool, float], QPixmap] = {}

    def mark(self, then: str, neutral: bool, chosen: bool, ratio: float) -> QPixmap:
        """The shape of a key, for a screen with so many pixels to the point."""
        look = (theme.current().name, then, neutral, chosen, ratio)
        if look not in self._known:
            self._known[look] = _painted(then, neutral, chosen, ratio)
        return self._known[look]


def _painted(then: str, neutral: bool, chosen: bool, ratio: float) -> QPixmap:
    t = theme.current()
    picture = QPixmap(round(SIZE * ratio), round(SIZE * ratio))
    picture.setDevicePixelRatio(ratio)
    picture.fill(Qt.GlobalColor.transparent)
    p = QPainter(picture)
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    p.translate(SIZE / 2, SIZE / 2)
    r = 6.5 if chosen else 5.0
    p.setPen(QPen(t.colour("ink" if chosen else "accent"), 2.2 if chosen else 1.6))
    p.setBrush(t.colour("field") if neutral else t.colour("accent"))
    if then == "hold":
        p.drawRect(QRectF(1 - r, 1 - r, 2 * r - 2, 2 * r - 2))
    elif then == "eased":
        drop = QPainterPath(QPointF(r + 2, 0))
        drop.cubicTo(QPointF(1, -r), QPointF(-r, -r), QPointF(-r, 0))
        drop.cubicTo(QPointF(-r, r), QPointF(1, r), QPointF(r + 2, 0))
        p.drawPath(drop)
    elif then == "linear":
        p.drawPolygon(QPolygonF([QPointF(-r, 0), QPointF(0, -r), QPointF(r, 0), QPointF(0, r)]))
    else:
        p.drawEllipse(QPointF(0, 0), r, r)
    p.end()
    return picture
