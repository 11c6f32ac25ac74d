"""Curves of the selected joint: its keyed change, to be shaped by hand, and what comes out of it, to be judged."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import msgspec
import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from reflexa.desktop import theme
from reflexa.desktop.handle import HOOPS
from reflexa.desktop.session import Session
from reflexa.motion import quat
from reflexa.motion.curves import eased_slopes
from reflexa.steps.correction import CorrectionSettings, Key, change_keys, move_keys, track_at, with_keys, with_track

# What can be shown: title, unit, whether hands may change it.
VIEWS: dict[str, tuple[str, str, bool]] = {
    "turn": ("Turn, keyed", "°", True),
    "move": ("Move, keyed", "cm", True),
    "place": ("Place in the world", "cm", False),
    "angles": ("Angles to the parent", "°", False),
}
GRAB = 9.0
TANGENT = 46.0  # pixels from a key to the bead of its tangent


@dataclass(frozen=True)
class _Grab:
    """What is in the hand: a key's value (``way`` is empty) or a tangent, with the settings as they were."""

    frame: int
    axis: int
    start: QPointF
    settings: CorrectionSettings
    keys: frozenset[int]
    way: str = ""


class CurveView(QWidget):
    """Drag a key up and down for its value, sideways for its frame; the curve before the drag stays in sight, pale. An
    eased key that is selected has beads to set its tangents by (with Ctrl one side alone). Dragging from empty space
    boxes keys: they move as one.

    Ctrl+wheel zooms the values, double-click brings all of it into sight. Normalised, each axis
    fills the height with its own range.
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
        self.normalised = False
        self._each: list[tuple[float, float]] = []
        self._grab: _Grab | None = None
        self._box: tuple[QPointF, QPointF] | None = None
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

    def set_normalised(self, on: bool) -> None:
        """Each axis over its own range, or all over the same."""
        self.normalised = on
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
        self._low, self._high = _room(values)
        self._each = [_room(values[:, axis]) for axis in range(3)]

    def _range(self, axis: int) -> tuple[float, float]:
        return self._each[axis] if self.normalised and self._each else (self._low, self._high)

    def y(self, value: float, axis: int) -> float:
        """Pixel of an axis' value."""
        low, high = self._range(axis)
        return 6 + (high - value) / (high - low) * (self.height() - 12)

    def value(self, y: float, axis: int) -> float:
        """The axis' value at a pixel."""
        low, high = self._range(axis)
        return high - (y - 6) / (self.height() - 12) * (high - low)

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
        if not self.normalised:
            self._paint_scale(p, t, left)
        p.setClipRect(QRectF(left - 8, 0, self.width() - left + 8, self.height()))
        if self._grab is not None and (before := self.curve(self._grab.settings)) is not None:
            self._paint_lines(p, before, lambda c: theme.current().colour("quiet", 110), 1.2)
        self._paint_lines(p, values, _colour, 1.8)
        if VIEWS[self.view][2]:
            self._paint_tangents(p)
            self._paint_keys(p, t)
        if self._box is not None:
            p.setPen(QPen(t.colour("accent"), 1, Qt.PenStyle.DashLine))
            p.setBrush(t.colour("accent", 30))
            p.drawRect(QRectF(*self._box).normalized())
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
            points = [QPointF(time.x(f), self.y(float(values[f, axis]), axis)) for f in range(first, last + 1)]
            p.setPen(QPen(colour(axis), wide))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawPolyline(QPolygonF(points))

    def _paint_keys(self, p: QPainter, t: theme.Theme) -> None:
        for axis in range(3):
            for key in self._keys():
                at = self._place(key, axis)
                chosen = (self.session.joint, key.frame) in self.session.keys
                p.setPen(QPen(t.colour("ink") if chosen else _colour(axis), 2.0 if chosen else 1.4))
                p.setBrush(t.colour("field") if key.neutral else _colour(axis))
                p.drawEllipse(at, 5.0 if chosen else 4.0, 5.0 if chosen else 4.0)

    def _paint_tangents(self, p: QPainter) -> None:
        for key, axis, _, bead in self.tangents():
            p.setPen(QPen(_colour(axis), 1.2))
            p.drawLine(self._place(key, axis), bead)
            p.setBrush(theme.current().colour("card"))
            p.drawRect(QRectF(bead.x() - 3.5, bead.y() - 3.5, 7, 7))

    def _paint_scale(self, p: QPainter, t: theme.Theme, left: float) -> None:
        span = self._high - self._low
        rounds = (0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 5000, 1e9)
        step = next(s for s in rounds if s * self.height() / span > 26)
        v = np.ceil(self._low / step) * step
        while v <= self._high:
            y = self.y(float(v), 0)
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

    def _place(self, key: Key, axis: int) -> QPointF:
        return QPointF(self.time.x(key.frame), self.y(self._of(key, axis), axis))

    def tangents(self) -> list[tuple[Key, int, str, QPointF]]:
        """The beads of the selected keys' tangents: key, axis, "arrive" or "leave", and place."""
        keys = self._keys()
        frames = {f for j, f in self.session.keys if j == self.session.joint}
        if not VIEWS[self.view][2] or not frames or not any(k.then == "eased" for k in keys):
            return []
        own = _usual(keys)
        first, scale = (0, 1.0) if self.view == "turn" else (3, 100.0)
        out = []
        for i, key in enumerate(keys):
            if key.frame not in frames:
                continue
            for way, sign, there in (
                ("arrive", -1, i > 0 and keys[i - 1].then == "eased"),
                ("leave", 1, key.then == "eased" and i + 1 < len(keys)),
            ):
                for axis in range(3) if there else ():
                    given = getattr(key, way)
                    slope = (given[first + axis] if given else own[i, first + axis]) * scale
                    at = self._place(key, axis)
                    rise = self.y(self._of(key, axis) + slope, axis) - at.y()
                    run = np.hypot(self.time.frame_width(), rise)
                    out.append((key, axis, way, at + sign * TANGENT / run * QPointF(self.time.frame_width(), rise)))
        return out

    def tangent_at(self, at: QPointF) -> tuple[Key, int, str] | None:
        """The tangent whose bead is under a place."""
        near = [(abs(b.x() - at.x()) + abs(b.y() - at.y()), i) for i, (*_, b) in enumerate(self.tangents())]
        away, i = min(near, default=(GRAB, 0))
        return self.tangents()[i][:3] if away < GRAB else None

    def key_at(self, at: QPointF) -> tuple[int, int] | None:
        """Frame and axis of the key under a place, or None."""
        best, least = None, GRAB
        if not VIEWS[self.view][2]:
            return None
        for key in self._keys():
            for axis in range(3):
                off = self._place(key, axis) - at
                away = float(np.hypot(off.x(), off.y()))
                if away < least:
                    best, least = (key.frame, axis), away
        return best

    def mousePressEvent(self, e: QMouseEvent) -> None:
        self.setFocus()
        session, at = self.session, e.position()
        if session.correction is None or not VIEWS[self.view][2]:
            session.set_frame(round(self.time.frame(at.x())))
            return
        tangent = self.tangent_at(at)
        if tangent is not None:
            key, axis, way = tangent
            self._grab = _Grab(key.frame, axis, at, session.correction, frozenset({key.frame}), way)
            return
        found = self.key_at(at)
        if found is None:
            self._box = (at, at)
            return
        frame, axis = found
        own = (session.joint, frame)
        if e.modifiers() & (Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier) and session.keys:
            session.select_keys(session.keys | {own})
        elif own not in session.keys:
            session.select_keys({own})
        frames = frozenset(f for j, f in session.keys if j == session.joint)
        self._grab = _Grab(frame, axis, at, session.correction, frames)

    def mouseMoveEvent(self, e: QMouseEvent) -> None:
        at, session, grab = e.position(), self.session, self._grab
        if grab is None:
            hot = self.tangent_at(at) or self.key_at(at)
            self.setCursor(Qt.CursorShape.PointingHandCursor if hot else Qt.CursorShape.ArrowCursor)
            if self._box is not None:
                self._box = (self._box[0], at)
                self._select_boxed()
            elif e.buttons() & Qt.MouseButton.LeftButton:
                session.set_frame(round(self.time.frame(at.x())))
            return
        control = bool(e.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if grab.way:
            self._set_tangent(grab, at, alone=control)
            return
        by = round((at.x() - grab.start.x()) / self.time.frame_width())
        # Shift keeps the frame, Ctrl the value: a slip of the hand must not change the other.
        if e.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            by = 0
        rise = 0.0 if control else self.value(at.y(), grab.axis) - self.value(grab.start.y(), grab.axis)
        self.move_keys(grab.settings, set(grab.keys), grab.axis, rise, by)

    def _select_boxed(self) -> None:
        assert self._box is not None
        box = QRectF(*self._box).normalized()
        inside = {k.frame for k in self._keys() for axis in range(3) if box.contains(self._place(k, axis))}
        self.session.select_keys({(self.session.joint, f) for f in inside})

    def move_keys(self, settings: CorrectionSettings, frames: set[int], axis: int, rise: float, by: int) -> None:
        """Keys of the joint raised on an axis (in the view's unit) and moved in time, as one edit of what there was."""
        session = self.session
        joint = session.joint
        track = settings.track(joint)
        field, scale = ("rotate", 1.0) if self.view == "turn" else ("move", 0.01)
        keys = []
        for key in track.keys:
            if key.frame in frames:
                vector = list(getattr(key, field))
                vector[axis] += rise * scale
                key = msgspec.structs.replace(key, **{field: tuple(vector)})
            keys.append(key)
        new = with_track(settings, msgspec.structs.replace(track, keys=tuple(keys)))
        by = max(-min(frames), min(by, session.frames - 1 - max(frames)))
        new = move_keys(new, {(joint, f) for f in frames}, by, session.frames - 1)
        session.edit_correction(f"shape {joint}", new, merge="shape")
        session.select_keys({(joint, f + by) for f in frames})

    def _set_tangent(self, grab: _Grab, at: QPointF, alone: bool) -> None:
        """The slope from the key to where the bead is held; the other side goes along unless it is to stay."""
        track = grab.settings.track(self.session.joint)
        key = next(k for k in track.keys if k.frame == grab.frame)
        place = self._place(key, grab.axis)
        run = (at.x() - place.x()) / self.time.frame_width()
        run = max(run, 0.2) if grab.way == "leave" else min(run, -0.2)  # a tangent never turns back in time
        slope = (self.value(at.y(), grab.axis) - self.value(place.y(), grab.axis)) / run
        first, scale = (0, 1.0) if self.view == "turn" else (3, 0.01)
        changed = {}
        for way in (grab.way,) if alone else ("arrive", "leave"):
            slopes = list(getattr(key, way) or _usual(track.keys)[track.keys.index(key)])
            slopes[first + grab.axis] = slope * scale
            changed[way] = tuple(slopes)
        self.session.edit_correction(
            f"shape {self.session.joint}",
            with_track(grab.settings, with_keys(track, msgspec.structs.replace(key, **changed))),
            merge="shape",
        )

    def mouseReleaseEvent(self, e: QMouseEvent) -> None:
        if self._box is not None and (e.position() - self._box[0]).manhattanLength() < 4:
            self.session.select_keys(set())
            self.session.set_frame(round(self.time.frame(e.position().x())))
        self._grab = self._box = None
        self.session.end_merge()
        self.update()

    def keyPressEvent(self, e: QKeyEvent) -> None:
        session = self.session
        if e.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and session.correction is not None and session.keys:
            session.edit_correction("delete keys", change_keys(session.correction, session.keys))
        else:
            super().keyPressEvent(e)

    def mouseDoubleClickEvent(self, _: QMouseEvent) -> None:
        self._fitted = None
        self.update()

    def show_frames(self, first: int, last: int) -> None:
        """Bring the values between two frames into sight."""
        values = self.curve()
        if values is not None:
            self._fit(values[first : last + 1])
            self.update()

    def wheelEvent(self, e: object) -> None:
        if e.modifiers() & Qt.KeyboardModifier.ControlModifier:
            by = 0.9985 ** e.angleDelta().y()
            share = (e.position().y() - 6) / (self.height() - 12)
            self._low, self._high = _zoomed((self._low, self._high), share, by)
            self._each = [_zoomed(each, share, by) for each in self._each]
            self.update()
        else:
            self.time.wheel(e)


def _usual(keys: tuple[Key, ...]) -> np.ndarray:
    """The slopes ``(keys, 7)`` that an eased curve has by itself."""
    values = np.array([(*k.rotate, *k.move, k.swing) for k in keys])
    return eased_slopes(np.array([float(k.frame) for k in keys]), values)


def _room(values: np.ndarray) -> tuple[float, float]:
    """The range of values with some room about it."""
    low, high = float(values.min()), float(values.max())
    room = max(0.12 * (high - low), 1.0)
    return low - room, high + room


def _zoomed(ends: tuple[float, float], share: float, by: float) -> tuple[float, float]:
    low, high = ends
    at = high - share * (high - low)
    return at + (low - at) * by, at + (high - at) * by


def _colour(axis: int) -> QColor:
    """The hue of an axis as its hoop has it, a little darker or lighter for the theme."""
    colour = QColor.fromRgbF(*HOOPS[axis][1])
    return colour.darker(118) if theme.current() is theme.DAYLIGHT else colour.lighter(130)
