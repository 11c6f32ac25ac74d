"""The pace along a path, drawn and edited."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPainterPath, QPen

from reflexa.desktop.look import theme
from reflexa.desktop.widgets.points import HOW, Point, PointsByHand
from reflexa.motion.arrays import Array
from reflexa.motion.curves import monotone
from reflexa.session import Session, line
from reflexa.steps.root_motion import RootMotionSettings


class PacePicture(PointsByHand):
    """The speed along the path over the clip's time, by points (share of the time, pace beside the others)."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setFixedHeight(92)
        self.setMouseTracking(True)
        self.setAccessibleName("Pace along the path")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setToolTip(f"Speed over the clip's time.\n{HOW}")
        self._speed = np.zeros(0)

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
        ys = monotone(np.array([a for a, _ in points]), np.array([b for _, b in points]), xs)
        path = QPainterPath(self.pixel((float(xs[0]), float(ys[0]))))
        for x, y in zip(xs[1:], ys[1:], strict=True):
            path.lineTo(self.pixel((float(x), float(max(y, 0.0)))))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(t.colour("accent"), 2))
        p.drawPath(path)
        self.paint_points(p, 5.0)
        p.setPen(t.colour("quiet"))
        text = "pace"
        if len(self._speed):
            text = f"pace: {self._speed.min():.2f} to {self._speed.max():.2f} m/s"
        p.drawText(QRectF(8, 3, self.width() - 16, 16), Qt.AlignmentFlag.AlignLeft, text)
        frame = self.session.player.frame / max(self.session.computed.frames - 1, 1)
        p.setPen(QPen(t.colour("ink"), 1.2))
        x = self.pixel((frame, 0.0)).x()
        p.drawLine(QPointF(x, 20), QPointF(x, self.height() - 4))
        p.end()

    def value(self, at: QPointF) -> Point:
        w, h = self.width() - 16, self.height() - 30
        share = float(np.clip((at.x() - 8) / w, 0, 1))
        return round(share, 3), round(max((self.height() - 8 - at.y()) / h * self._most(), 0.0), 3)

    def stepped(self, point: Point, across: int, up: int) -> Point:
        return round(point[0] + 0.01 * across, 3), round(max(point[1] + 0.05 * up, 0.0), 3)

    def within(self, which: int, to: Point) -> Point:
        points = self.points()
        if self.stays(which):
            return points[which][0], to[1]
        return float(np.clip(to[0], points[which - 1][0] + 0.02, points[which + 1][0] - 0.02)), to[1]

    def stays(self, which: int) -> bool:
        return which in (0, len(self.points()) - 1)

    def put(self, points: list[Point], merge: str) -> None:
        settings = self.session.step.settings if self.session.step is not None else None
        if isinstance(settings, RootMotionSettings):
            new = replace(settings, pace=tuple(points))
            line.edit_settings(self.session, "set the pace", new, merge and f"pace {merge}")

    def end_edit(self) -> None:
        self.session.history.end_merge()
