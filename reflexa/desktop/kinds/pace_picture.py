"""The pace along a path, drawn and edited."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QMouseEvent, QPainter, QPainterPath, QPen
from PySide6.QtWidgets import QWidget

from reflexa.desktop.look import theme
from reflexa.desktop.session import Session, line
from reflexa.motion.arrays import Array
from reflexa.steps.root_motion import RootMotionSettings

DOT = 5.0
Point = tuple[float, float]


class PacePicture(QWidget):
    """The speed along the path over the clip's time: drag points up and down, double-click puts one in or takes one out."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setFixedHeight(92)
        self.setAccessibleName("Pace along the path")
        self.setToolTip("Speed over the clip's time. Drag a point; double-click puts one in, or takes one out")
        self._speed = np.zeros(0)
        self._drag = -1

    def sizeHint(self) -> QSize:
        return QSize(200, 92)

    def show_speed(self, speed: Array) -> None:
        """Speed ``(frames,)`` in m/s after the step."""
        self._speed = speed
        self.update()

    def points(self) -> list[Point]:
        """The pace as it is set; even where it is not."""
        settings = self.session.step.settings if self.session.step is not None else None
        given = list(settings.pace) if isinstance(settings, RootMotionSettings) else []
        return given if len(given) > 1 else [(0.0, 1.0), (1.0, 1.0)]

    def _most(self) -> float:
        return max(1.6, 1.25 * max(v for _, v in self.points()))

    def pixel(self, point: Point) -> QPointF:
        w, h = self.width() - 16, self.height() - 30
        return QPointF(8 + point[0] * w, self.height() - 8 - point[1] / self._most() * h)

    def paintEvent(self, _: object) -> None:
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.colour("field"))
        p.drawRoundedRect(QRectF(0, 0, self.width(), self.height()), 6, 6)
        points = self.points()
        xs = np.linspace(points[0][0], points[-1][0], 80)
        from scipy.interpolate import PchipInterpolator

        ys = PchipInterpolator([a for a, _ in points], [b for _, b in points])(xs)
        path = QPainterPath(self.pixel((float(xs[0]), float(ys[0]))))
        for x, y in zip(xs[1:], ys[1:], strict=True):
            path.lineTo(self.pixel((float(x), float(max(y, 0.0)))))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(t.colour("accent"), 2))
        p.drawPath(path)
        for i, point in enumerate(points):
            p.setBrush(t.colour("card"))
            p.drawEllipse(self.pixel(point), DOT + (i == self._drag), DOT + (i == self._drag))
        p.setPen(t.colour("quiet"))
        text = "pace"
        if len(self._speed):
            text = f"pace: {self._speed.min():.2f} to {self._speed.max():.2f} m a second"
        p.drawText(QRectF(8, 3, self.width() - 16, 16), Qt.AlignmentFlag.AlignLeft, text)
        frame = self.session.player.frame / max(self.session.frames - 1, 1)
        p.setPen(QPen(t.colour("ink"), 1.2))
        x = self.pixel((frame, 0.0)).x()
        p.drawLine(QPointF(x, 20), QPointF(x, self.height() - 4))
        p.end()

    def _at(self, at: QPointF) -> int:
        return next((i for i, q in enumerate(self.points()) if (self.pixel(q) - at).manhattanLength() < 13), -1)

    def _value(self, at: QPointF) -> Point:
        w, h = self.width() - 16, self.height() - 30
        share = float(np.clip((at.x() - 8) / w, 0, 1))
        return round(share, 3), round(max((self.height() - 8 - at.y()) / h * self._most(), 0.0), 3)

    def _set(self, points: list[Point], merge: str = "") -> None:
        settings = self.session.step.settings if self.session.step is not None else None
        if isinstance(settings, RootMotionSettings):
            line.edit_settings(self.session, "set the pace", replace(settings, pace=tuple(points)), merge)

    def mousePressEvent(self, e: QMouseEvent) -> None:
        self._drag = self._at(e.position()) if e.button() == Qt.MouseButton.LeftButton else -1

    def mouseMoveEvent(self, e: QMouseEvent) -> None:
        if self._drag < 0:
            return
        points = self.points()
        share, pace = self._value(e.position())
        low = points[self._drag - 1][0] + 0.02 if self._drag else 0.0
        high = points[self._drag + 1][0] - 0.02 if self._drag + 1 < len(points) else 1.0
        ends = self._drag in (0, len(points) - 1)
        points[self._drag] = (points[self._drag][0] if ends else float(np.clip(share, low, high)), pace)
        self._set(points, merge="pace")

    def mouseReleaseEvent(self, _: QMouseEvent) -> None:
        self._drag = -1
        self.session.history.end_merge()
        self.update()

    def mouseDoubleClickEvent(self, e: QMouseEvent) -> None:
        points, at = self.points(), self._at(e.position())
        if 0 < at < len(points) - 1:
            self._set([q for i, q in enumerate(points) if i != at])
        elif at < 0:
            self._set(sorted([*points, self._value(e.position())]))
