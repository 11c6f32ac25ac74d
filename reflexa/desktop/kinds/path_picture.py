"""The way over the ground from above, drawn and edited."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPainterPath, QPen

from reflexa.desktop.look import theme
from reflexa.desktop.widgets.focus import paint_focus
from reflexa.desktop.widgets.points import HOW, Point, PointsByHand
from reflexa.motion import quat, travel
from reflexa.motion.arrays import Array
from reflexa.session import Session, line
from reflexa.stage.model import turn_of
from reflexa.stage.shapes import corners
from reflexa.steps.root_motion import RootMotionSettings

DOT = 5.0
_STEP = 0.05  # metres


class PathPicture(PointsByHand):
    """From above, forward up: the way before (grey) and after, a tick a second; the path's points are put by hand. Ctrl, and the
    arrow keys, keep to 5 cm."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setFixedHeight(190)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Path over the ground, from above")
        self.setToolTip(HOW)
        self._ways: tuple[Array, Array] | None = None
        self._rate = 30.0
        self._map: tuple[float, Array] = (1.0, np.zeros(2))

    def sizeHint(self) -> QSize:
        return QSize(200, 190)

    @property
    def settings(self) -> RootMotionSettings | None:
        settings = self.session.step.settings if self.session.step is not None else None
        return settings if isinstance(settings, RootMotionSettings) else None

    def editable(self) -> bool:
        return self.settings is not None and self.settings.operation == "along path"

    def show_ways(self, before: Array, after: Array, rate: float) -> None:
        """Places over the ground ``(frames, 2)`` before and after the step."""
        self._ways, self._rate = (before, after), rate
        if not self._held:
            self._fit()
        self.update()

    def points(self) -> list[Point]:
        return list(self.settings.path) if self.settings is not None and self.editable() else []

    def _fit(self) -> None:
        shown = [*(self._ways or ()), np.array(self.points()).reshape(-1, 2)]
        every = np.concatenate([w for w in shown if len(w)]) if any(len(w) for w in shown) else np.zeros((1, 2))
        low, high = every.min(axis=0), every.max(axis=0)
        room = max(float((high - low).max()), 0.6) * 1.25
        self._map = (
            min(self.width() / max(float(high[0] - low[0]) * 1.25, room * 0.6), self.height() / room),
            (low + high) / 2,
        )

    def pixel(self, place: Point | Array) -> QPointF:
        """Where a place on the ground is in the picture: the figure's left (+x) is left, forward (+z) up."""
        scale, middle = self._map
        return QPointF(
            self.width() / 2 - (place[0] - middle[0]) * scale, self.height() / 2 - (place[1] - middle[1]) * scale
        )

    def value(self, at: QPointF) -> Point:
        """The place on the ground that is drawn there."""
        scale, middle = self._map
        x, z = middle[0] - (at.x() - self.width() / 2) / scale, middle[1] - (at.y() - self.height() / 2) / scale
        return float(x), float(z)

    def resizeEvent(self, _: object) -> None:
        self._fit()

    def paintEvent(self, _: object) -> None:
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        whole = QPainterPath()
        whole.addRoundedRect(QRectF(0.5, 0.5, self.width() - 1, self.height() - 1), 6, 6)
        p.fillPath(whole, t.colour("field"))
        p.setClipPath(whole)
        scale, middle = self._map
        metre = next(m for m in (0.1, 0.5, 1.0, 5.0, 20.0, 100.0, 1e9) if m * scale > 24 or m == 1e9)
        p.setPen(QPen(t.colour("line", 120), 1))
        for axis, size in ((0, self.width()), (1, self.height())):
            half = size / 2 / scale
            for k in np.arange(np.ceil((middle[axis] - half) / metre), (middle[axis] + half) / metre + 1):
                at = self.pixel((k * metre, k * metre))
                if axis == 0:
                    p.drawLine(QPointF(at.x(), 0), QPointF(at.x(), self.height()))
                else:
                    p.drawLine(QPointF(0, at.y()), QPointF(self.width(), at.y()))
        self._paint_stage(p, t)
        if self._ways is not None:
            before, after = self._ways
            self._paint_way(p, before, t.colour("quiet", 150), 1.4, False)
            self._paint_way(p, after, t.colour("accent"), 2.2, True)
            frame = min(self.session.player.frame, len(after) - 1)
            p.setBrush(t.colour("accent"))
            p.setPen(QPen(t.colour("card"), 1.5))
            p.drawEllipse(self.pixel(after[frame]), 4.5, 4.5)
        points = self.points()
        if points:
            try:
                path = travel.Path(points)
                curve = path.at(np.linspace(0, path.length, 120))[0]
                self._paint_way(p, curve, t.colour("accent", 110), 1.6, False)
            except ValueError:
                pass
            self.paint_points(p, DOT)
            p.setPen(t.colour("ink"))
            for i, point in enumerate(points):
                p.drawText(self.pixel(point) + QPointF(8, -4), str(i + 1))
        p.setPen(t.colour("quiet"))
        p.drawText(QRectF(8, 4, self.width() - 16, 16), Qt.AlignmentFlag.AlignLeft, f"grid {metre:g} m")
        p.drawText(QRectF(8, 4, self.width() - 16, 16), Qt.AlignmentFlag.AlignRight, "forward ↑")
        paint_focus(self, p)
        p.end()

    def _paint_stage(self, p: QPainter, t: theme.Theme) -> None:
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.colour("line", 150))
        for prop in self.session.stage.props:
            tri = np.array(prop.place) + quat.rotate(turn_of(prop.turn), corners(prop))
            flat = QPainterPath()
            for a, b, c in tri[:, :, [0, 2]][:400]:
                flat.moveTo(self.pixel(a))
                flat.lineTo(self.pixel(b))
                flat.lineTo(self.pixel(c))
                flat.closeSubpath()
            flat.setFillRule(Qt.FillRule.WindingFill)
            p.drawPath(flat.simplified())

    def _paint_way(self, p: QPainter, way: Array, colour: QColor, wide: float, ticks: bool) -> None:
        path = QPainterPath(self.pixel(way[0]))
        for place in way[1:]:
            path.lineTo(self.pixel(place))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(colour, wide))
        p.drawPath(path)
        if ticks:
            for i in range(0, len(way), max(round(self._rate / 3), 1)):
                p.drawEllipse(self.pixel(way[i]), 1.6, 1.6)

    # Hands --------------------------------------------------------------------------------------------------

    def put(self, points: list[Point], merge: str = "") -> None:
        """Make these the points of the path."""
        if self.settings is not None:
            path = tuple((round(x, 4), round(z, 4)) for x, z in points)
            line.edit_settings(self.session, "draw the path", replace(self.settings, path=path), merge)

    def put_in(self, new: Point) -> None:
        if self.editable():
            points = _with_point(self.points(), new)
            self.put(points)
            self.hot = points.index(new)

    def inserted(self) -> QPointF:
        """Half way from the chosen point to the next; behind the last, as far on as it is from the one before."""
        points = self.points()
        if len(points) < 2:
            return self.pixel((0.0, float(len(points))))
        at = min(max(self.hot, 0), len(points) - 1)
        a, b = self.pixel(points[at]), self.pixel(points[min(at + 1, len(points) - 1)])
        return a + (a - self.pixel(points[at - 1])) if at == len(points) - 1 else (a + b) / 2

    def stepped(self, point: Point, across: int, up: int) -> Point:
        return _on_grid((point[0] - across * _STEP, point[1] + up * _STEP))

    def within(self, which: int, to: Point) -> Point:
        return to

    def end_edit(self) -> None:
        self.session.history.end_merge()
        self._fit()
        self.update()

    def mouseMoveEvent(self, e: QMouseEvent) -> None:
        if self._held and e.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self._move(_on_grid(self.value(e.position())))
        else:
            super().mouseMoveEvent(e)


def _on_grid(place: Point) -> Point:
    return round(place[0] / _STEP) * _STEP, round(place[1] / _STEP) * _STEP


def _with_point(points: list[Point], new: Point) -> list[Point]:
    """A point put in where it lengthens the path least: between two, or at an end."""
    if len(points) < 2:
        return [*points, new]

    def length(path: list[Point]) -> float:
        return float(np.linalg.norm(np.diff(np.array(path), axis=0), axis=1).sum())

    ways = [[*points[:i], new, *points[i:]] for i in range(len(points) + 1)]
    # At an end a longer path is meant; between two the detour counts double, so that the ends win where it is far out.
    costs = [length(w) - length(points) for w in ways]
    costs[1:-1] = [2 * c for c in costs[1:-1]]
    return ways[int(np.argmin(costs))]
