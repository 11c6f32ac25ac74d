"""Track, by hand: its curve before and after, and keys to drag."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPen

from reflexa.desktop.kinds.model import StepView
from reflexa.desktop.look import theme
from reflexa.desktop.session import Session, line
from reflexa.desktop.time.lanes import Lanes
from reflexa.desktop.time.time_map import TimeMap
from reflexa.desktop.widgets.own_keys import ARROWS
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.steps.track import TrackSettings

_TOP, _FOOT = 8, 10
Key = tuple[int, float]


class TrackLane(Lanes):
    """Drag a key (the arrow keys step the one clicked last); a double-click puts one in or takes one out."""

    def __init__(self, session: Session, time: TimeMap) -> None:
        super().__init__(session, time, "Curve of the track")
        self.setMinimumHeight(78)
        self.setToolTip("Drag a key; double-click puts one in, or takes one out; arrow keys step the one clicked last")
        self.hot = -1
        self._dragged = False
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
        known = [v for clip in (self.session.below, self.session.after_step) if (v := self._values(clip)) is not None]
        low, high = min([0.0, *(float(v.min()) for v in known)]), max([1.0, *(float(v.max()) for v in known)])
        return low - 0.05 * (high - low), high + 0.05 * (high - low)

    def level(self, value: float) -> float:
        low, high = self._span()
        return self.height() - _FOOT - (value - low) / (high - low) * (self.height() - _TOP - _FOOT)

    def value(self, y: float) -> float:
        low, high = self._span()
        return low + (self.height() - _FOOT - y) / (self.height() - _TOP - _FOOT) * (high - low)

    def place(self, key: Key) -> QPointF:
        """Where a key is drawn: on the curve that it makes."""
        s, below = self.settings, self._values(self.session.below)
        base = (
            float(below[key[0]])
            if s is not None and s.how == "add" and below is not None and key[0] < len(below)
            else 0.0
        )
        return QPointF(self.time.x(key[0]), self.level(base + key[1]))

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
        for clip, token, wide in ((self.session.below, "quiet", 1.2), (self.session.after_step, "accent", 2.0)):
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
        t, s = theme.current(), self.settings
        self.paint_playhead(p)
        p.setPen(QPen(t.colour("accent"), 1.6))
        for i, key in enumerate(s.keys if s is not None else ()):
            p.setBrush(t.colour("ink" if i == self.hot else "card"))
            p.drawEllipse(self.place(key), 4.5, 4.5)

    def _at(self, at: QPointF) -> int:
        keys = self.settings.keys if self.settings is not None else ()
        return next((i for i, k in enumerate(keys) if (self.place(k) - at).manhattanLength() < 12), -1)

    def _set(self, keys: list[Key], label: str, merge: str = "") -> None:
        s = self.settings
        if s is not None:
            line.edit_settings(self.session, label, replace(s, keys=tuple(sorted(keys))), merge)

    def _key_at(self, at: QPointF) -> Key:
        """The key that makes the curve go through a place."""
        s, below = self.settings, self._values(self.session.below)
        frame = int(min(max(round(self.time.frame(at.x())), 0), self.session.frames - 1))
        base = (
            float(below[frame])
            if s is not None and s.how == "add" and below is not None and frame < len(below)
            else 0.0
        )
        return frame, round(self.value(at.y()) - base, 3)

    def mousePressEvent(self, e: QMouseEvent) -> None:
        if e.button() != Qt.MouseButton.LeftButton:
            return
        self.setFocus()
        self.hot = self._at(e.position())
        self._dragged = self.hot >= 0
        if self.hot < 0:
            self.session.player.set_frame(round(self.time.frame(e.position().x())))
        self.update()

    def mouseMoveEvent(self, e: QMouseEvent) -> None:
        s = self.settings
        if self._dragged and s is not None and 0 <= self.hot < len(s.keys):
            self._move(self._key_at(e.position()))

    def _move(self, to: Key) -> None:
        s = self.settings
        if s is not None and 0 <= self.hot < len(s.keys):
            others = [k for i, k in enumerate(s.keys) if i != self.hot]
            if to[0] not in [f for f, _ in others]:
                self._set([*others, to], "move key", merge="track key")
                self.hot = sorted([*others, to]).index(to)

    def mouseReleaseEvent(self, _: QMouseEvent) -> None:
        self._dragged = False
        self.session.history.end_merge()

    def mouseDoubleClickEvent(self, e: QMouseEvent) -> None:
        s, at = self.settings, self._at(e.position())
        if s is None or e.position().x() < self.left:
            return
        if at >= 0:
            self._set([k for i, k in enumerate(s.keys) if i != at], "remove key")
            self.hot = -1
        else:
            new = self._key_at(e.position())
            self._set([*(k for k in s.keys if k[0] != new[0]), new], "add key")

    def wants(self, key: Qt.Key) -> bool:
        return self.hot >= 0 and key in (*ARROWS, Qt.Key.Key_Delete)

    def keyPressEvent(self, e: QKeyEvent) -> None:
        s, key = self.settings, Qt.Key(e.key())
        by = {
            Qt.Key.Key_Left: (-1, 0.0),
            Qt.Key.Key_Right: (1, 0.0),
            Qt.Key.Key_Up: (0, 0.05),
            Qt.Key.Key_Down: (0, -0.05),
        }
        if s is None or not 0 <= self.hot < len(s.keys):
            super().keyPressEvent(e)
        elif key == Qt.Key.Key_Delete:
            self._set([k for i, k in enumerate(s.keys) if i != self.hot], "remove key")
            self.hot = -1
        elif key in by:
            frame, value = s.keys[self.hot]
            step, more = by[key]
            self._move((min(max(frame + step, 0), self.session.frames - 1), round(value + more, 3)))
        else:
            super().keyPressEvent(e)


VIEW = StepView("track", hidden=frozenset({"keys"}), lanes=TrackLane, lanes_title="Track")
