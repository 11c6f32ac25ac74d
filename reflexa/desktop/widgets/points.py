"""Points of a curve, set by hand: what pictures and lanes in which points stand have in common."""

from __future__ import annotations

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen

from reflexa.desktop.look import theme
from reflexa.desktop.widgets.own_keys import ARROWS, OwnKeys

Point = tuple[float, float]
HOW = (
    "Drag a point, or move it with the arrow keys. Double-click adds or removes a point.\nKeyboard: Page Up and "
    "Page Down select, Insert adds, Delete removes"
)
_STEPS = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}
_NEAR = 13.0


class PointsByHand(OwnKeys):
    """A widget in which points can be dragged, stepped, put in and taken out. What they are is for a subclass to say."""

    hot = -1
    _held = False

    # What a subclass says ----------------------------------------------------------------------------------------

    def points(self) -> list[Point]:
        """The points, in order of time."""
        raise NotImplementedError

    def put(self, points: list[Point], merge: str) -> None:
        """Have these points, in order of time; merge: what makes one edit of several in a row."""
        raise NotImplementedError

    def pixel(self, point: Point) -> QPointF:
        """Where a point is drawn."""
        raise NotImplementedError

    def value(self, at: QPointF) -> Point:
        """The point that is drawn there, or the nearest that there can be."""
        raise NotImplementedError

    def stepped(self, point: Point, across: int, up: int) -> Point:
        """A point so many of the least steps on."""
        raise NotImplementedError

    def within(self, which: int, to: Point) -> Point:
        """Where a point may go, of where it is wanted: its neighbours leave it so much room."""
        raise NotImplementedError

    def moment(self, point: Point) -> float:
        """What of a point says when it is; two at one time there are not."""
        return point[0]

    def stays(self, which: int) -> bool:
        """True for a point that cannot be removed."""
        return False

    def inserted(self) -> QPointF:
        """Where a point is put in without a mouse: half way from the chosen one to the next."""
        points = self.points()
        at = min(max(self.hot, 0), len(points) - 2)
        return (self.pixel(points[at]) + self.pixel(points[at + 1])) / 2

    def pressed_beside(self, at: QPointF) -> None:
        """A press that meets no point."""

    def end_edit(self) -> None:
        """The hand lets go."""

    # Hands -------------------------------------------------------------------------------------------------------

    def paint_points(self, p: QPainter, size: float = 4.5) -> None:
        """Draw them, the chosen one filled."""
        t = theme.current()
        p.setPen(QPen(t.colour("accent"), 1.6))
        for i, point in enumerate(self.points()):
            p.setBrush(t.colour("ink" if i == self.hot else "card"))
            p.drawEllipse(self.pixel(point), size, size)

    def point_at(self, at: QPointF) -> int:
        """Which point is there, or -1."""
        return next((i for i, q in enumerate(self.points()) if (self.pixel(q) - at).manhattanLength() < _NEAR), -1)

    def _move(self, to: Point) -> None:
        points = self.points()
        if 0 <= self.hot < len(points):
            points[self.hot] = self.within(self.hot, to)
            self.put(points, f"point {self.hot}")
            self.update()

    def put_in(self, new: Point) -> None:
        """One more, in place of one at its time."""
        others = [q for q in self.points() if self.moment(q) != self.moment(new)]
        self.put(sorted([*others, new], key=self.moment), "")
        self.hot = next((i for i, q in enumerate(self.points()) if self.moment(q) == self.moment(new)), -1)
        self.update()

    def _take_out(self, which: int) -> None:
        points = self.points()
        if 0 <= which < len(points) and not self.stays(which):
            self.put([q for i, q in enumerate(points) if i != which], "")
            self.hot = -1
            self.update()

    def mousePressEvent(self, e: QMouseEvent) -> None:
        if e.button() != Qt.MouseButton.LeftButton:
            return
        self.setFocus()
        self.hot = self.point_at(e.position())
        self._held = self.hot >= 0
        if not self._held:
            self.pressed_beside(e.position())
        self.update()

    def mouseMoveEvent(self, e: QMouseEvent) -> None:
        if self._held and e.buttons():
            self._move(self.value(e.position()))
            return
        over = self.point_at(e.position()) >= 0
        self.setCursor(Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, _: QMouseEvent) -> None:
        if self._held:
            self._held = False
            self.end_edit()

    def mouseDoubleClickEvent(self, e: QMouseEvent) -> None:
        at = self.point_at(e.position())
        if at >= 0:
            self._take_out(at)
        else:
            self.put_in(self.value(e.position()))

    def wants(self, key: Qt.Key) -> bool:
        if key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown, Qt.Key.Key_Insert):
            return True
        return self.hot >= 0 and key in (*ARROWS, Qt.Key.Key_Delete)

    def keyPressEvent(self, e: QKeyEvent) -> None:
        key, points = Qt.Key(e.key()), self.points()
        chosen = 0 <= self.hot < len(points)
        if key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown) and points:
            by = 1 if key == Qt.Key.Key_PageDown else -1
            self.hot = (self.hot + by) % len(points) if chosen else (0 if by > 0 else len(points) - 1)
            self.update()
        elif key == Qt.Key.Key_Insert:
            self.put_in(self.value(self.inserted()))
        elif chosen and key == Qt.Key.Key_Delete:
            self._take_out(self.hot)
        elif chosen and key in _STEPS:
            self._move(self.stepped(points[self.hot], *_STEPS[key]))
        else:
            super().keyPressEvent(e)
