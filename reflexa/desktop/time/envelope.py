"""The selected step's envelope: how much of it counts at which frame."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QMouseEvent, QPainter, QPen, QPolygonF

from reflexa.desktop.look import theme
from reflexa.desktop.time.lanes import Lanes, between_neighbours
from reflexa.desktop.time.time_map import TimeMap
from reflexa.desktop.widgets.points import HOW, Point, PointsByHand
from reflexa.session import Session, line
from reflexa.steps import Step

HEIGHT = 44


class EnvelopeLane(PointsByHand, Lanes):
    """The envelope's points (frame, weight)."""

    def __init__(self, session: Session, time: TimeMap) -> None:
        super().__init__(session, time, "Envelope")
        self.setFixedHeight(HEIGHT)
        self.setToolTip(HOW)
        for signal in (session.take_changed, session.selection.changed):
            signal.connect(self.changed)

    def sizeHint(self) -> QSize:
        return QSize(600, HEIGHT)

    @property
    def step(self) -> Step | None:
        """The selected step, where it has an envelope."""
        kind = self.session.kind
        return self.session.step if kind is not None and kind.weighed else None

    def pixel(self, point: Point) -> QPointF:
        """Where a weight at a frame is painted."""
        return QPointF(self.time.x(point[0]), HEIGHT - 5 - point[1] * (HEIGHT - 12))

    def point_place(self, index: int) -> QPoint:
        """Where a point is painted (for hands and tests)."""
        return self.pixel(self.points()[index]).toPoint() if self.points() else QPoint()

    def paint_still(self, p: QPainter) -> None:
        step, t, time, left = self.step, theme.current(), self.time, self.left
        if step is None:
            return
        self.paint_name(p, 4, HEIGHT - 4, "Envelope", f"of {step.name}")
        p.fillRect(QRectF(left, 3, self.width() - left, HEIGHT - 4), t.colour("field"))
        points = list(step.envelope)
        right = time.frame(self.width())
        ends = (time.first, points[0][1] if points else 1.0), (right, points[-1][1] if points else 1.0)
        top = [self.pixel(q) for q in (ends[0], *points, ends[1])]
        p.setClipRect(QRectF(left, 0, self.width() - left, HEIGHT))
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.colour("accent", 42))
        p.drawPolygon(QPolygonF([*top, self.pixel((right, 0)), self.pixel((time.first, 0))]))
        p.setPen(QPen(t.colour("accent"), 1.8))
        p.drawPolyline(QPolygonF(top))
        p.setClipping(False)
        if not points:
            p.setPen(t.colour("quiet"))
            p.drawText(
                QRectF(left + 8, 16, self.width() - left - 16, 20), Qt.AlignmentFlag.AlignRight,
                "Full weight · double-click to add a point",
            )  # fmt: skip

    def paint_over(self, p: QPainter) -> None:
        if self.step is not None:
            self.paint_playhead(p)
            self.paint_points(p)

    def points(self) -> list[Point]:
        return list(self.step.envelope) if self.step is not None else []

    def value(self, at: QPointF) -> Point:
        frame = float(min(max(round(self.time.frame(at.x())), 0), self.session.computed.frames - 1))
        return frame, round(min(max((HEIGHT - 5 - at.y()) / (HEIGHT - 12), 0.0), 1.0), 2)

    def stepped(self, point: Point, across: int, up: int) -> Point:
        return point[0] + across, round(min(max(point[1] + 0.05 * up, 0.0), 1.0), 2)

    def within(self, which: int, to: Point) -> Point:
        frame, weight = between_neighbours(self.points(), which, to, self.session.computed.frames - 1)
        self.session.said.emit(f"Frame {frame:g}: weight {weight:.0%}")
        return float(frame), weight

    def put(self, points: list[Point], merge: str) -> None:
        if self.step is not None:
            new = replace(self.step, envelope=tuple(points))
            line.edit(self.session, "change the envelope", new, merge and f"envelope {merge}")

    def inserted(self) -> QPointF:
        return self._on_curve(self.session.player.frame)

    def _on_curve(self, frame: float) -> QPointF:
        step = self.step
        return self.pixel((frame, float(step.envelope_at([frame])[0]) if step is not None else 1.0))

    def end_edit(self) -> None:
        self.session.history.end_merge()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self.point_at(at) >= 0:
            super().mouseDoubleClickEvent(event)
        else:  # a new one stands on the envelope as it is
            self.put_in(self.value(self._on_curve(self.value(at)[0])))
