"""The selected step's envelope: how much of it counts at which frame."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QMouseEvent, QPainter, QPen, QPolygonF

from reflexa.desktop.look import theme
from reflexa.desktop.session import Session, line
from reflexa.desktop.time.lanes import Lanes
from reflexa.desktop.time.time_map import TimeMap
from reflexa.steps import Step

HEIGHT = 44
Points = list[tuple[float, float]]


class EnvelopeLane(Lanes):
    """Drag points; double-click adds one, double-click on a point takes it away."""

    def __init__(self, session: Session, time: TimeMap) -> None:
        super().__init__(session, time, "Envelope")
        self.setFixedHeight(HEIGHT)
        self._point = -1
        for signal in (session.take_changed, session.selection.changed):
            signal.connect(self.changed)

    def sizeHint(self) -> QSize:
        return QSize(600, HEIGHT)

    @property
    def step(self) -> Step | None:
        """The selected step, where it has an envelope."""
        kind = self.session.kind
        return self.session.step if kind is not None and kind.weighed else None

    def place(self, frame: float, weight: float) -> QPointF:
        """Where a weight at a frame is painted."""
        return QPointF(self.time.x(frame), HEIGHT - 5 - weight * (HEIGHT - 12))

    def point_place(self, index: int) -> QPoint:
        """Where a point is painted (for hands and tests)."""
        return self.place(*self.step.envelope[index]).toPoint() if self.step is not None else QPoint()

    def paint_still(self, p: QPainter) -> None:
        step, t, time, left = self.step, theme.current(), self.time, self.left
        if step is None:
            return
        self.paint_name(p, 4, HEIGHT - 4, "Envelope", f"of {step.name}")
        p.fillRect(QRectF(left, 3, self.width() - left, HEIGHT - 4), t.colour("field"))
        points = list(step.envelope)
        right = time.frame(self.width())
        ends = (time.first, points[0][1] if points else 1.0), (right, points[-1][1] if points else 1.0)
        top = [self.place(f, w) for f, w in (ends[0], *points, ends[1])]
        p.setClipRect(QRectF(left, 0, self.width() - left, HEIGHT))
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.colour("accent", 42))
        p.drawPolygon(QPolygonF([*top, self.place(right, 0), self.place(time.first, 0)]))
        p.setPen(QPen(t.colour("accent"), 1.8))
        p.drawPolyline(QPolygonF(top))
        p.setBrush(t.colour("card"))
        for f, w in points:
            p.drawEllipse(self.place(f, w), 4.5, 4.5)
        p.setClipping(False)
        if not points:
            p.setPen(t.colour("quiet"))
            p.drawText(
                QRectF(left + 8, 16, self.width() - left - 16, 20), Qt.AlignmentFlag.AlignRight,
                "Full weight all the time · double-click to add a point",
            )  # fmt: skip

    def paint_over(self, p: QPainter) -> None:
        if self.step is not None:
            self.paint_playhead(p)

    def _at(self, at: QPointF) -> int:
        for i, point in enumerate(self.step.envelope if self.step is not None else ()):
            off = self.place(*point) - at
            if abs(off.x()) < 8 and abs(off.y()) < 9:
                return i
        return -1

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        if event.button() == Qt.MouseButton.LeftButton:
            self._point = self._at(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._point >= 0 and event.buttons():
            self._drag(event.position())
            return
        hot = self._at(event.position()) >= 0
        self.setCursor(Qt.CursorShape.PointingHandCursor if hot else Qt.CursorShape.ArrowCursor)

    def _drag(self, at: QPointF) -> None:
        points, i = list(self.step.envelope) if self.step is not None else [], self._point
        if i >= len(points):
            return
        low = points[i - 1][0] + 1 if i else 0
        high = points[i + 1][0] - 1 if i + 1 < len(points) else self.session.frames - 1
        frame = float(min(max(round(self.time.frame(at.x())), low), high))
        weight = (HEIGHT - 5 - at.y()) / (HEIGHT - 12)
        points[i] = (frame, round(min(max(weight, 0.0), 1.0), 2))
        self._set(points, "envelope")
        self.session.said.emit(f"Frame {frame:g}: weight {points[i][1]:.0%}")

    def _set(self, points: Points, merge: str = "") -> None:
        if self.step is not None:
            line.edit(self.session, "change the envelope", replace(self.step, envelope=tuple(points)), merge)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._point >= 0:
            self._point = -1
            self.session.history.end_merge()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        step, at = self.step, event.position()
        if step is None:
            return
        points, found = list(step.envelope), self._at(at)
        if found >= 0:
            del points[found]
        else:
            frame = float(min(max(round(self.time.frame(at.x())), 0), self.session.frames - 1))
            weight = round(float(step.envelope_at([frame])[0]), 2)
            points = sorted([q for q in points if q[0] != frame] + [(frame, weight)])
        self._set(points)
