"""Curves of the selected joint: its keyed change, to be shaped by hand, and what comes out of it, to be judged."""

from __future__ import annotations

from collections.abc import Callable

import msgspec
import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from reflexa.desktop import theme
from reflexa.desktop.handle import HOOPS
from reflexa.desktop.session import Session
from reflexa.motion import quat
from reflexa.steps.correction import CorrectionSettings, Key, move_keys, track_at, with_track

# What can be shown: title, unit, whether hands may change it.
VIEWS: dict[str, tuple[str, str, bool]] = {
    "turn": ("Turn, keyed", "°", True),
    "move": ("Move, keyed", "cm", True),
    "place": ("Place in the world", "cm", False),
    "angles": ("Angles to the parent", "°", False),
}
GRAB = 9.0


class CurveView(QWidget):
    """Drag a key up and down for its value, sideways for its frame; the curve before the drag stays in sight, pale.

    Ctrl+wheel zooms the values, double-click brings all of it into sight.
    """

    def __init__(self, session: Session, time: object) -> None:
        super().__init__()
        self.session, self.time = session, time
        self.view = "turn"
        self.setMouseTracking(True)
        self.setMinimumHeight(86)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Curves")
        self._low, self._high = -10.0, 10.0
        self._fitted: object = None
        self._grab: tuple[int, int, QPointF, CorrectionSettings, float] | None = None
        self._moved = 0
        time.changed.connect(self.update)
        for signal in (session.take_changed, session.selection_changed, session.playhead_changed, session.evaluated):
            signal.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(600, 120)

    def set_view(self, name: str) -> None:
        """Show another of ``VIEWS``."""
        self.view = name
        self._fitted = None
        self.update()

    # What is shown ------------------------------------------------------------------------------------------

    def curve(self, settings: CorrectionSettings | None = None) -> np.ndarray | None:
        """Values ``(frames, 3)`` in the unit of the view; None where there is nothing to show."""
        session = self.session
        joint = session.joint
        if VIEWS[self.view][2]:
            settings = settings or session.correction
            track = settings.track(joint) if settings is not None else None
            if track is None or not track.keys:
                return None
            r, m, _ = track_at(track, np.arange(session.frames))
            return r if self.view == "turn" else 100 * m
        clip = session.shown
        if clip is None or joint not in clip.skeleton.index:
            return None
        j = clip.skeleton.index[joint]
        if self.view == "place":
            return 100 * clip.model[1][:, j]
        return np.unwrap(np.degrees(quat.to_euler(clip.rotations[:, j], "ZXY"))[:, [1, 2, 0]], axis=0, period=360)

    def why_empty(self) -> str:
        session = self.session
        if not session.joint:
            return "Pick a joint to see its curves."
        if VIEWS[self.view][2]:
            if session.correction is None:
                return "Select a correction to see what it changes, or look at the result's curves."
            return f"{session.joint} has no keys in this correction yet."
        return "There is nothing to show yet."

    def _fit(self, values: np.ndarray) -> None:
        low, high = float(values.min()), float(values.max())
        room = max(0.12 * (high - low), 1.0)
        self._low, self._high = low - room, high + room

    def y(self, value: float) -> float:
        """Pixel of a value."""
        return 6 + (self._high - value) / (self._high - self._low) * (self.height() - 12)

    def value(self, y: float) -> float:
        """The value at a pixel."""
        return self._high - (y - 6) / (self.height() - 12) * (self._high - self._low)

    # Painting -----------------------------------------------------------------------------------------------

    def paintEvent(self, _: object) -> None:
        t, time, session = theme.current(), self.time, self.session
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        left = time.x(time.first)
        p.fillRect(QRectF(left, 2, self.width() - left, self.height() - 4), t.colour("field"))
        values = self.curve()
        if values is None:
            p.setPen(t.colour("quiet"))
            middle = QRectF(left, 0, self.width() - left, self.height())
            p.drawText(middle, Qt.AlignmentFlag.AlignCenter, self.why_empty())
            p.end()
            return
        what = (session.take_name, session.card, session.joint, self.view)
        if what != self._fitted and self._grab is None:
            self._fitted = what
            self._fit(values)
        self._paint_scale(p, t, left)
        p.setClipRect(QRectF(left - 8, 0, self.width() - left + 8, self.height()))
        if self._grab is not None and (before := self.curve(self._grab[3])) is not None:
            self._paint_lines(p, before, lambda c: theme.current().colour("quiet", 110), 1.2)
        self._paint_lines(p, values, _colour, 1.8)
        if VIEWS[self.view][2]:
            self._paint_keys(p, t)
        p.setPen(QPen(t.colour("ink"), 1.4))
        x = time.x(session.frame)
        p.drawLine(QPointF(x, 0), QPointF(x, self.height()))
        p.setClipping(False)
        here = values[min(session.frame, len(values) - 1)]
        unit = VIEWS[self.view][1]
        for axis, (letter, _) in enumerate(HOOPS):
            p.setPen(_colour(axis))
            text = f"{letter}  {round(here[axis], 1) + 0.0:.1f} {unit}"
            p.drawText(QRectF(10, 6 + 17 * axis, left - 18, 16), Qt.AlignmentFlag.AlignVCenter, text)
        p.end()

    def _paint_lines(self, p: QPainter, values: np.ndarray, colour: Callable[[int], QColor], wide: float) -> None:
        time = self.time
        first, last = max(0, int(time.first) - 1), min(len(values) - 1, int(np.ceil(time.last)) + 1)
        for axis in range(3):
            points = [QPointF(time.x(f), self.y(float(values[f, axis]))) for f in range(first, last + 1)]
            p.setPen(QPen(colour(axis), wide))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawPolyline(QPolygonF(points))

    def _paint_keys(self, p: QPainter, t: theme.Theme) -> None:
        for axis in range(3):
            for key in self._keys():
                at = QPointF(self.time.x(key.frame), self.y(self._of(key, axis)))
                chosen = (self.session.joint, key.frame) in self.session.keys
                p.setPen(QPen(t.colour("ink") if chosen else _colour(axis), 2.0 if chosen else 1.4))
                p.setBrush(t.colour("field") if key.neutral else _colour(axis))
                p.drawEllipse(at, 5.0 if chosen else 4.0, 5.0 if chosen else 4.0)

    def _paint_scale(self, p: QPainter, t: theme.Theme, left: float) -> None:
        span = self._high - self._low
        rounds = (0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 5000, 1e9)
        step = next(s for s in rounds if s * self.height() / span > 26)
        v = np.ceil(self._low / step) * step
        while v <= self._high:
            y = self.y(float(v))
            p.setPen(QPen(t.colour("line"), 1.6 if abs(v) < 1e-9 else 0.8))
            p.drawLine(QPointF(left, y), QPointF(self.width(), y))
            p.setPen(t.colour("quiet"))
            p.drawText(
                QRectF(self.width() - 62, y - 14, 58, 14),
                Qt.AlignmentFlag.AlignRight,
                f"{v if abs(v) > 1e-9 else 0.0:g}",
            )
            v += step

    # Hands --------------------------------------------------------------------------------------------------

    def _keys(self) -> tuple[Key, ...]:
        settings = self.session.correction
        return settings.track(self.session.joint).keys if settings is not None else ()

    def _of(self, key: Key, axis: int) -> float:
        return key.rotate[axis] if self.view == "turn" else 100 * key.move[axis]

    def key_at(self, at: QPointF) -> tuple[int, int] | None:
        """Frame and axis of the key under a place, or None."""
        best, least = None, GRAB
        if not VIEWS[self.view][2]:
            return None
        for key in self._keys():
            for axis in range(3):
                away = float(np.hypot(self.time.x(key.frame) - at.x(), self.y(self._of(key, axis)) - at.y()))
                if away < least:
                    best, least = (key.frame, axis), away
        return best

    def mousePressEvent(self, e: QMouseEvent) -> None:
        self.setFocus()
        session, at = self.session, e.position()
        found = self.key_at(at)
        if found is None or session.correction is None:
            session.set_frame(round(self.time.frame(at.x())))
            return
        frame, axis = found
        key = next(k for k in self._keys() if k.frame == frame)
        session.select_keys({(session.joint, frame)})
        self._grab = (frame, axis, at, session.correction, self._of(key, axis))
        self._moved = 0

    def mouseMoveEvent(self, e: QMouseEvent) -> None:
        at, session = e.position(), self.session
        if self._grab is None:
            self.setCursor(Qt.CursorShape.PointingHandCursor if self.key_at(at) else Qt.CursorShape.ArrowCursor)
            if e.buttons() & Qt.MouseButton.LeftButton:
                session.set_frame(round(self.time.frame(at.x())))
            return
        frame, axis, start, settings, old = self._grab
        by = round((at.x() - start.x()) / self.time.frame_width())
        # Shift keeps the frame, Ctrl the value: a slip of the hand must not change the other.
        if e.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            by = 0
        kept = e.modifiers() & Qt.KeyboardModifier.ControlModifier
        value = old if kept else old + self.value(at.y()) - self.value(start.y())
        self.set_key(settings, frame, axis, value, by)

    def set_key(self, settings: CorrectionSettings, frame: int, axis: int, value: float, by: int) -> None:
        """One key's value, and its frame moved, as one edit from what there was before."""
        session = self.session
        joint = session.joint
        track = settings.track(joint)
        field, scale = ("rotate", 1.0) if self.view == "turn" else ("move", 0.01)
        keys = []
        for key in track.keys:
            if key.frame == frame:
                vector = list(getattr(key, field))
                vector[axis] = value * scale
                key = msgspec.structs.replace(key, **{field: tuple(vector)})
            keys.append(key)
        new = with_track(settings, msgspec.structs.replace(track, keys=tuple(keys)))
        by = max(-frame, min(by, session.frames - 1 - frame))
        new = move_keys(new, {(joint, frame)}, by, session.frames - 1)
        session.edit_correction(f"shape {joint}", new, merge="shape")
        session.select_keys({(joint, frame + by)})

    def mouseReleaseEvent(self, _: QMouseEvent) -> None:
        self._grab = None
        self.session.end_merge()
        self.update()

    def mouseDoubleClickEvent(self, _: QMouseEvent) -> None:
        self._fitted = None
        self.update()

    def wheelEvent(self, e: object) -> None:
        if e.modifiers() & Qt.KeyboardModifier.ControlModifier:
            at = self.value(e.position().y())
            by = 0.9985 ** e.angleDelta().y()
            self._low, self._high = at + (self._low - at) * by, at + (self._high - at) * by
            self.update()
        else:
            self.time.wheel(e)


def _colour(axis: int) -> QColor:
    """The hue of an axis as its hoop has it, a little darker or lighter for the theme."""
    colour = QColor.fromRgbF(*HOOPS[axis][1])
    return colour.darker(118) if theme.current() is theme.DAYLIGHT else colour.lighter(130)
