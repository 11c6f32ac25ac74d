"""Curves of the selected joint: its keyed change, to be shaped by hand, and what comes out of it, to be judged."""

from __future__ import annotations

from collections.abc import Callable, Set
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPen,
    QPolygonF,
    QResizeEvent,
    QShowEvent,
    QWheelEvent,
)

from reflexa.desktop.look import theme
from reflexa.desktop.picture.handle import HOOPS
from reflexa.desktop.time.curve_values import VIEWS, View, clip_values, key_value, keyed_values, usual_slopes
from reflexa.desktop.time.lanes import Lanes, adds
from reflexa.desktop.time.time_map import TimeMap
from reflexa.desktop.time.value_map import ValueMap
from reflexa.draw.palette import readable
from reflexa.motion.arrays import Array
from reflexa.session import Session, keys, line
from reflexa.steps.correction import CorrectionSettings, Key, move_keys, with_keys, with_track
from reflexa.words import plain

GRAB = 9.0
TANGENT = 46.0  # pixels from a key to the bead of its tangent
_ROUND = (0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 5000, 1e9)


@dataclass(frozen=True)
class _Grab:
    """What is in the hand: a key's value (``way`` is empty) or a tangent, with the settings as they were, and their curve."""

    frame: int
    axis: int
    start: QPointF
    settings: CorrectionSettings
    frames: frozenset[int]
    before: Array | None
    way: str = ""


@dataclass(frozen=True)
class Tangent:
    """One side of a key's slope, "arrive" or "leave", and where its bead is painted."""

    key: Key
    axis: int
    way: str
    bead: QPointF


class CurveView(Lanes):
    """Drag a key up and down for its value, sideways for its frame; the curve before the drag stays in sight, pale. An
    eased key that is selected has beads to set its tangents by (with Ctrl one side alone). Dragging from empty space
    boxes keys: they move as one.

    Ctrl+wheel zooms the values, double-click brings all of it into sight. Normalised, each axis
    fills the height with its own range.
    """

    def __init__(self, session: Session, time: TimeMap) -> None:
        super().__init__(session, time, "Curves")
        self.name = "turn"
        self.setMinimumHeight(86)
        self.values = ValueMap()
        self._fitted: object = None
        self._grab: _Grab | None = None
        self._box: tuple[QPointF, QPointF] | None = None
        self._values: Array | None = None
        for signal in (
            session.take_changed,
            session.selection.changed,
            session.selection.looked,
            session.evaluator.done,
        ):
            signal.connect(self.refresh)

    def sizeHint(self) -> QSize:
        return QSize(600, 120)

    @property
    def view(self) -> View:
        """What is shown."""
        return VIEWS[self.name]

    def set_view(self, name: str) -> None:
        """Show another of ``VIEWS``."""
        self.name = name
        self._fitted = None
        self.refresh()

    def set_normalised(self, on: bool) -> None:
        """Each axis over its own range, or all over the same."""
        self.values.normalised = on
        self.changed()

    # What is shown ----------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Bring the curve up to date, where it is in sight."""
        session = self.session
        self._values = None
        if self.isVisible():
            self._values = self.curve(session.layer)
            what = (session.selection.take, session.selection.card, session.selection.joint, self.name)
            if self._values is not None and what != self._fitted and self._grab is None:
                self._fitted = what
                self.values.fit(self._values)
        self.changed()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.values.height = self.height()

    def showEvent(self, event: QShowEvent) -> None:
        self.refresh()

    def curve(self, settings: CorrectionSettings | None) -> Array | None:
        """Values ``(frames, 3)`` in the unit of the view; None where there is nothing to show."""
        session, joint = self.session, self.session.selection.joint
        if self.view.keyed:
            return keyed_values(self.view, settings, joint, session.computed.frames) if settings is not None else None
        return clip_values(self.name, session.computed.shown, joint) if session.computed.shown is not None else None

    def why_empty(self) -> str:
        """What stands there where there is no curve."""
        session = self.session
        if not session.selection.joint:
            return "Pick a joint to see its curves."
        if self.view.keyed:
            if session.layer is None:
                return "Select a correction to see its keys, or choose the curves of the result."
            return f"{session.selection.joint} has no keys in this correction yet."
        return "There is nothing to show yet."

    def place(self, key: Key, axis: int) -> QPointF:
        """Where a key's value is painted."""
        return QPointF(self.time.x(key.frame), self.values.pixel(key_value(self.view, key, axis), axis))

    # Painting ---------------------------------------------------------------------------------------------------

    def paint_still(self, p: QPainter) -> None:
        t, left, values = theme.current(), self.left, self._values
        p.fillRect(QRectF(left, 2, self.width() - left, self.height() - 4), t.colour("field"))
        if values is None:
            p.setPen(t.colour("quiet"))
            middle = QRectF(left, 0, self.width() - left, self.height())
            p.drawText(middle, Qt.AlignmentFlag.AlignCenter, self.why_empty())
            return
        if not self.values.normalised:
            self._paint_scale(p)
        p.setClipRect(QRectF(left - 8, 0, self.width() - left + 8, self.height()))
        if self._grab is not None and self._grab.before is not None:
            self._paint_lines(p, self._grab.before, lambda _: t.colour("quiet", 110), 1.2)
        self._paint_lines(p, values, _colour, 1.8)
        if self.view.keyed:
            self._paint_tangents(p)
            self._paint_keys(p)

    def paint_over(self, p: QPainter) -> None:
        t, values = theme.current(), self._values
        if values is None:
            return
        if self._box is not None:
            p.setPen(QPen(t.colour("accent"), 1, Qt.PenStyle.DashLine))
            p.setBrush(t.colour("accent", 30))
            p.drawRect(QRectF(*self._box).normalized())
        self.paint_playhead(p)
        here = values[min(self.session.player.frame, len(values) - 1)]
        for axis, (letter, _) in enumerate(HOOPS):
            p.setPen(_colour(axis))
            text = f"{letter}  {plain(float(here[axis]), 1)} {self.view.unit}"
            p.drawText(QRectF(10, 6 + 17 * axis, self.left - 18, 16), Qt.AlignmentFlag.AlignVCenter, text)

    def _paint_lines(self, p: QPainter, values: Array, colour: Callable[[int], QColor], wide: float) -> None:
        """Zoomed out, a pixel shows the least and the most of its frames: no peak is lost."""
        p.setBrush(Qt.BrushStyle.NoBrush)
        for axis in range(3):
            p.setPen(QPen(colour(axis), wide))
            xs, least = self.time.seen(values[:, axis], np.minimum)
            points = [QPointF(x, self.values.pixel(float(v), axis)) for x, v in zip(xs, least, strict=True)]
            if self.time.frame_width() < 1:
                most = self.time.seen(values[:, axis], np.maximum)[1]
                upper = [QPointF(x, self.values.pixel(float(v), axis)) for x, v in zip(xs, most, strict=True)]
                points = [q for pair in zip(points, upper, strict=True) for q in pair]
            p.drawPolyline(QPolygonF(points))

    def _paint_keys(self, p: QPainter) -> None:
        t, joint, chosen_keys = theme.current(), self.session.selection.joint, self.session.selection.keys
        for axis in range(3):
            for key in self._keys():
                chosen = (joint, key.frame) in chosen_keys
                p.setPen(QPen(t.colour("ink") if chosen else _colour(axis), 2.0 if chosen else 1.4))
                p.setBrush(t.colour("field") if key.neutral else _colour(axis))
                p.drawEllipse(self.place(key, axis), 5.0 if chosen else 4.0, 5.0 if chosen else 4.0)

    def _paint_tangents(self, p: QPainter) -> None:
        for tangent in self.tangents():
            p.setPen(QPen(_colour(tangent.axis), 1.2))
            p.drawLine(self.place(tangent.key, tangent.axis), tangent.bead)
            p.setBrush(theme.current().colour("card"))
            p.drawRect(QRectF(tangent.bead.x() - 3.5, tangent.bead.y() - 3.5, 7, 7))

    def _paint_scale(self, p: QPainter) -> None:
        t, left, span = theme.current(), self.left, self.values.high - self.values.low
        step = next(s for s in _ROUND if s * self.height() / span > 26)
        v = np.ceil(self.values.low / step) * step
        while v <= self.values.high:
            y = self.values.pixel(float(v), 0)
            p.setPen(QPen(t.colour("line"), 1.6 if abs(v) < 1e-9 else 0.8))
            p.drawLine(QPointF(left, y), QPointF(self.width(), y))
            p.setPen(t.colour("quiet"))
            place = QRectF(self.width() - 62, y - 14, 58, 14)
            p.drawText(place, Qt.AlignmentFlag.AlignRight, f"{v if abs(v) > 1e-9 else 0.0:g}")
            v += step

    # Hands ------------------------------------------------------------------------------------------------------

    def _keys(self) -> tuple[Key, ...]:
        settings = self.session.layer
        return settings.track(self.session.selection.joint).keys if settings is not None else ()

    def tangents(self) -> list[Tangent]:
        """The tangents of the selected keys."""
        own_keys, joint = self._keys(), self.session.selection.joint
        frames = {f for j, f in self.session.selection.keys if j == joint}
        if not self.view.keyed or not frames or not any(k.then == "eased" for k in own_keys):
            return []
        own, out = usual_slopes(own_keys), []
        for i, key in enumerate(own_keys):
            if key.frame not in frames:
                continue
            if i > 0 and own_keys[i - 1].then == "eased":
                out += [self._tangent(key, axis, "arrive", own[i]) for axis in range(3)]
            if key.then == "eased" and i + 1 < len(own_keys):
                out += [self._tangent(key, axis, "leave", own[i]) for axis in range(3)]
        return out

    def _tangent(self, key: Key, axis: int, way: str, own: Array) -> Tangent:
        given = key.arrive if way == "arrive" else key.leave
        at = self.view.first + axis
        slope = float(given[at] if given else own[at]) / self.view.scale
        place = self.place(key, axis)
        run = self.time.frame_width()
        rise = self.values.pixel(key_value(self.view, key, axis) + slope, axis) - place.y()
        long = TANGENT / float(np.hypot(run, rise)) * (-1 if way == "arrive" else 1)
        return Tangent(key, axis, way, place + QPointF(run * long, rise * long))

    def tangent_at(self, at: QPointF) -> Tangent | None:
        """The tangent whose bead is under a place."""
        near = [(abs(t.bead.x() - at.x()) + abs(t.bead.y() - at.y()), i, t) for i, t in enumerate(self.tangents())]
        away, _, found = min(near, default=(GRAB, 0, None))
        return found if away < GRAB else None

    def key_at(self, at: QPointF) -> tuple[int, int] | None:
        """Frame and axis of the key under a place, or None."""
        best, least = None, GRAB
        for key in self._keys() if self.view.keyed else ():
            for axis in range(3):
                off = self.place(key, axis) - at
                away = float(np.hypot(off.x(), off.y()))
                if away < least:
                    best, least = (key.frame, axis), away
        return best

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        session, at, layer = self.session, event.position(), self.session.layer
        if layer is None or not self.view.keyed:
            session.player.set_frame(round(self.time.frame(at.x())))
            return
        tangent, found = self.tangent_at(at), self.key_at(at)
        if tangent is not None:
            frame = tangent.key.frame
            self._grab = _Grab(frame, tangent.axis, at, layer, frozenset({frame}), self._values, tangent.way)
        elif found is None:
            self._box = (at, at)
        else:
            frame, axis = found
            own = (session.selection.joint, frame)
            if adds(event) and session.selection.keys:
                session.selection.select_keys(session.selection.keys | {own})
            elif own not in session.selection.keys:
                session.selection.select_keys({own})
            frames = frozenset(f for j, f in session.selection.keys if j == session.selection.joint)
            self._grab = _Grab(frame, axis, at, layer, frames, self._values)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at, session, grab = event.position(), self.session, self._grab
        if grab is None:
            hot = self.tangent_at(at) or self.key_at(at)
            self.setCursor(Qt.CursorShape.PointingHandCursor if hot else Qt.CursorShape.ArrowCursor)
            if self._box is not None:
                self._box = (self._box[0], at)
                self._select_boxed(QRectF(*self._box).normalized())
            elif event.buttons() & Qt.MouseButton.LeftButton:
                session.player.set_frame(round(self.time.frame(at.x())))
            return
        control = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if grab.way:
            self._set_tangent(grab, at, alone=control)
            return
        by = round((at.x() - grab.start.x()) / self.time.frame_width())
        # Shift keeps the frame, Ctrl the value: a slip of the hand must not change the other.
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            by = 0
        rise = 0.0 if control else self.values.value(at.y(), grab.axis) - self.values.value(grab.start.y(), grab.axis)
        self.move_keys(grab.settings, grab.frames, grab.axis, rise, by)

    def _select_boxed(self, box: QRectF) -> None:
        inside = {k.frame for k in self._keys() for axis in range(3) if box.contains(self.place(k, axis))}
        self.session.selection.select_keys({(self.session.selection.joint, f) for f in inside})
        self.update()

    def move_keys(self, settings: CorrectionSettings, frames: Set[int], axis: int, rise: float, by: int) -> None:
        """Keys of the joint raised on an axis (in the view's unit) and moved in time, as one edit of what there was."""
        session, joint, field = self.session, self.session.selection.joint, self.view.field
        track = settings.track(joint)
        raised = []
        for key in track.keys:
            if key.frame in frames:
                vector = list(getattr(key, field))
                vector[axis] += rise * self.view.scale
                key = replace(key, **{field: tuple(vector)})
            raised.append(key)
        new = with_track(settings, replace(track, keys=tuple(raised)))
        by = max(-min(frames), min(by, session.computed.frames - 1 - max(frames)))
        new = move_keys(new, {(joint, f) for f in frames}, by, session.computed.frames - 1)
        line.edit_layer(session, f"shape {joint}", new, merge="shape")
        session.selection.select_keys({(joint, f + by) for f in frames})

    def _set_tangent(self, grab: _Grab, at: QPointF, alone: bool) -> None:
        """The slope from the key to where the bead is held; the other side goes along unless it is to stay."""
        track = grab.settings.track(self.session.selection.joint)
        key = next(k for k in track.keys if k.frame == grab.frame)
        place = self.place(key, grab.axis)
        run = (at.x() - place.x()) / self.time.frame_width()
        run = max(run, 0.2) if grab.way == "leave" else min(run, -0.2)  # a tangent never turns back in time
        slope = (self.values.value(at.y(), grab.axis) - self.values.value(place.y(), grab.axis)) / run
        changed = {}
        for way in (grab.way,) if alone else ("arrive", "leave"):
            slopes = list(getattr(key, way) or usual_slopes(track.keys)[track.keys.index(key)])
            slopes[self.view.first + grab.axis] = float(slope * self.view.scale)
            changed[way] = tuple(slopes)
        new = with_track(grab.settings, with_keys(track, replace(key, **changed)))
        line.edit_layer(self.session, f"shape {self.session.selection.joint}", new, merge="shape")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._box is not None and (event.position() - self._box[0]).manhattanLength() < 4:
            self.session.selection.select_keys(set())
            self.session.player.set_frame(round(self.time.frame(event.position().x())))
        self._grab = self._box = None
        self.session.history.end_merge()
        self.changed()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and self.session.selection.keys:
            keys.delete(self.session)
        else:
            super().keyPressEvent(event)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._fitted = None
        self.refresh()

    def show_frames(self, first: int, last: int) -> None:
        """Bring the values between two frames into sight."""
        values = self.curve(self.session.layer)
        if values is not None:
            self.values.fit(values[first : last + 1])
            self.changed()

    def wheelEvent(self, event: QWheelEvent) -> None:
        if not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            super().wheelEvent(event)
            return
        self.values.zoom(0.9985 ** event.angleDelta().y(), event.position().y())
        self.changed()


def _colour(axis: int) -> QColor:
    """The hue of an axis as its hoop has it, as dark or light as it has to be to be read."""
    t = theme.current()
    return QColor.fromRgbF(*readable(HOOPS[axis][1], t.rgb("field"), t.rgb("ink")))
