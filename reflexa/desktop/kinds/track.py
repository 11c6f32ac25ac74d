"""Track, by hand: its curve before and after, and keys to drag."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QMouseEvent, QPainter, QPainterPath, QPen

from reflexa.desktop.kinds.model import StepView
from reflexa.desktop.look import theme
from reflexa.desktop.time.lanes import Lanes, between_neighbours
from reflexa.desktop.time.time_map import TimeMap
from reflexa.desktop.widgets.points import HOW, Point, PointsByHand
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.session import Session, line
from reflexa.steps.track import TrackSettings

_TOP, _FOOT = 8, 10


class TrackLane(PointsByHand, Lanes):
    """The track before and after, and its keys (frame, value)."""

    def __init__(self, session: Session, time: TimeMap) -> None:
        super().__init__(session, time, "Curve of the track")
        self.setMinimumHeight(78)
        self.setToolTip(HOW)
        for signal in (session.evaluator.done, session.take_changed, session.selection.changed):
            signal.connect(self.changed)

    @property
    def settings(self) -> TrackSettings | None:
        step = self.session.step
        return step.settings if step is not None and isinstance(step.settings, TrackSettings) else None

    def _values(self, clip: Clip | None) -> Array | None:
        s = self.settings
        return (
            next((t.values for t in clip.tracks if t.name == s.track), None)
            if clip is not None and s is not None
            else None
        )

    def _span(self) -> tuple[float, float]:
        """The lowest and highest value that there is room for."""
        known = [
            v
            for clip in (self.session.computed.below, self.session.computed.after_step)
            if (v := self._values(clip)) is not None
        ]
        low, high = min([0.0, *(float(v.min()) for v in known)]), max([1.0, *(float(v.max()) for v in known)])
        return low - 0.05 * (high - low), high + 0.05 * (high - low)

    def level(self, value: float) -> float:
        low, high = self._span()
        return self.height() - _FOOT - (value - low) / (high - low) * (self.height() - _TOP - _FOOT)

    def _base(self, frame: float) -> float:
        """What a key's value is added to at a frame."""
        s, below = self.settings, self._values(self.session.computed.below)
        added = s is not None and s.how == "add" and below is not None and 0 <= frame < len(below)
        return float(below[int(frame)]) if added and below is not None else 0.0

    def points(self) -> list[Point]:
        return [(f, v) for f, v in self.settings.keys] if self.settings is not None else []

    def pixel(self, point: Point) -> QPointF:
        """Where a key is drawn: on the curve that it makes."""
        return QPointF(self.time.x(point[0]), self.level(self._base(point[0]) + point[1]))

    def value(self, at: QPointF) -> Point:
        """The key that makes the curve go through a place."""
        frame = min(max(round(self.time.frame(at.x())), 0), self.session.computed.frames - 1)
        low, high = self._span()
        level = low + (self.height() - _FOOT - at.y()) / (self.height() - _TOP - _FOOT) * (high - low)
        return frame, round(level - self._base(frame), 3)

    def stepped(self, point: Point, across: int, up: int) -> Point:
        return point[0] + across, round(point[1] + 0.05 * up, 3)

    def within(self, which: int, to: Point) -> Point:
        return between_neighbours(self.points(), which, to, self.session.computed.frames - 1)

    def put(self, points: list[Point], merge: str) -> None:
        if self.settings is not None:
            new = replace(self.settings, keys=tuple((round(f), v) for f, v in points))
            line.edit_settings(self.session, "key the track", new, merge and f"track {merge}")

    def inserted(self) -> QPointF:
        frame, values = self.session.player.frame, self._values(self.session.computed.after_step)
        known = values is not None and frame < len(values)
        return QPointF(self.time.x(frame), self.level(float(values[frame]) if known and values is not None else 0.0))

    def pressed_beside(self, at: QPointF) -> None:
        self.session.player.set_frame(round(self.time.frame(at.x())))

    def end_edit(self) -> None:
        self.session.history.end_merge()

    def paint_still(self, p: QPainter) -> None:
        t, s = theme.current(), self.settings
        if s is None:
            return
        self.paint_name(p, _TOP, 24, s.track or "no track", f"{self._span()[0]:.2f} to {self._span()[1]:.2f}")
        p.setClipRect(QRectF(self.left - 8, 0, self.width() - self.left + 8, self.height()))
        p.fillRect(
            QRectF(self.left, _TOP, self.width() - self.left - 10, self.height() - _TOP - _FOOT), t.colour("field")
        )
        p.setPen(QPen(t.colour("line"), 1, Qt.PenStyle.DashLine))
        for level in (0.0, 1.0):
            p.drawLine(QPointF(self.left, self.level(level)), QPointF(self.width() - 10, self.level(level)))
        for clip, token, wide in (
            (self.session.computed.below, "quiet", 1.2),
            (self.session.computed.after_step, "accent", 2.0),
        ):
            values = self._values(clip)
            if values is not None:
                xs, ys = self.time.seen(values, np.maximum)
                path = QPainterPath(QPointF(xs[0], self.level(float(ys[0]))))
                for x, v in zip(xs[1:], ys[1:], strict=True):
                    path.lineTo(QPointF(x, self.level(float(v))))
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.setPen(QPen(t.colour(token), wide))
                p.drawPath(path)
        p.setClipping(False)

    def paint_over(self, p: QPainter) -> None:
        self.paint_playhead(p)
        self.paint_points(p)

    def mouseDoubleClickEvent(self, e: QMouseEvent) -> None:
        if e.position().x() >= self.left:
            super().mouseDoubleClickEvent(e)


VIEW = StepView(
    "track", also="morph face shape curve", hidden=frozenset({"keys"}), lanes=TrackLane, lanes_title="Track"
)
