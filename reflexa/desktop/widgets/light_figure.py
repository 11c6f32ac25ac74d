"""A light figure, drawn in left and right colours."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from reflexa.desktop.look import theme
from reflexa.library.light import Light, Strokes
from reflexa.motion.arrays import Array

_YAW = np.radians(36.0)
_AROUND = np.array([[np.cos(_YAW), 0.0, -np.sin(_YAW)], [0.0, 1.0, 0.0], [np.sin(_YAW), 0.0, np.cos(_YAW)]])
# A head is drawn as a disc where its stroke is this thick.
_SKULL = 0.1


@lru_cache(maxsize=2000)
def _frame(light: Light) -> tuple[float, float, float, float]:
    """The rectangle that the figure fills over all of its poses, seen from where it is drawn: left, low, width, height."""
    seen = light.all_places @ _AROUND.T
    low, high = seen.min(axis=(0, 1)), seen.max(axis=(0, 1))
    down = min(float(low[1]), 0.0)
    return float(low[0]), down, float(high[0] - low[0]), float(high[1]) - down


def draw_light(p: QPainter, room: QRectF, figure: tuple[Strokes, Light], pose: float, height: float) -> None:
    """Draw a light figure at a pose into a rectangle. height: of the figure in rest, metres."""
    strokes, light = figure
    t = theme.current()
    left, low, wide, tall = _frame(light)
    thick = 0.12 * height
    scale = min(room.width() / max(wide + thick, 1e-6), room.height() / max(tall + thick, 1e-6))
    seen: Array = light.places(pose) @ _AROUND.T
    middle = QPointF(room.center().x() - (left + wide / 2) * scale, room.bottom() - (thick / 2 - low) * scale)

    def at(i: int) -> QPointF:
        return QPointF(middle.x() + float(seen[i, 0]) * scale, middle.y() - float(seen[i, 1]) * scale)

    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(t.colour("line"))
    shadow = min(0.2 * height * scale, room.width() / 3)
    p.drawEllipse(QPointF(middle.x(), middle.y()), shadow * 1.3, shadow * 0.36)
    colours = {"left": t.colour("left"), "right": t.colour("right"), "centre": t.colour("quiet")}
    order = sorted(range(len(strokes.joints)), key=lambda i: float(seen[i, 2]))
    for i in order:
        up = strokes.above[i]
        if up < 0:
            continue
        colour: QColor = colours[strokes.sides[i]]
        width = max(strokes.widths[i] * height * scale, 1.4)
        p.setPen(QPen(colour, width, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
        if strokes.widths[i] > _SKULL and strokes.ends[i]:
            p.drawLine(QPointF((at(up) * 2 + at(i)) / 3), QPointF((at(up) + at(i) * 2) / 3))
        else:
            p.drawLine(at(up), at(i))


class LightFigure(QWidget):
    """The figure at a moment, as large as there is room."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(300, 340)
        self.figure: tuple[Strokes, Light] | None = None
        self.pose, self.height_of = 0.0, 1.0

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        t = theme.current()
        p.setPen(t.colour("line"))
        p.setBrush(t.colour("card"))
        p.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 8, 8)
        if self.figure is not None:
            draw_light(p, QRectF(self.rect()).adjusted(24, 24, -24, -24), self.figure, self.pose, self.height_of)
        p.end()
