"""What lanes below the ruler have in common: their names, the playhead, and what stands there instead of keys."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFont, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap, QWheelEvent

from reflexa.desktop.look import theme
from reflexa.desktop.time.time_map import TimeMap
from reflexa.desktop.widgets.focus import paint_focus
from reflexa.desktop.widgets.own_keys import OwnKeys
from reflexa.desktop.widgets.points import Point
from reflexa.session import Session

_MORE = Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier


def adds(event: QMouseEvent | QKeyEvent) -> bool:
    """True if the click adds to the selection."""
    return bool(event.modifiers() & _MORE)


def between_neighbours(points: list[Point], which: int, to: Point, last: int) -> Point:
    """Where a point may go that stands on whole frames, of where it is wanted: between its neighbours, inside the clip."""
    low = points[which - 1][0] + 1 if which else 0
    high = points[which + 1][0] - 1 if which + 1 < len(points) else last
    return min(max(round(to[0]), low), high), to[1]


class Lanes(OwnKeys):
    """A widget under the time axis."""

    def __init__(self, session: Session, time: TimeMap, name: str) -> None:
        super().__init__()
        self.session, self.time = session, time
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(name)
        self._still: tuple[object, QPixmap] | None = None
        time.changed.connect(self.changed)
        session.player.moved.connect(self.update)

    def changed(self) -> None:
        """Draw it anew; while only the playhead moves, what stands still is drawn once."""
        self._still = None
        self.update()

    def paint_still(self, p: QPainter) -> None:
        """Draw what does not move with the playhead."""

    def paint_over(self, p: QPainter) -> None:
        """Draw what lies over it, and moves."""

    def paintEvent(self, event: QPaintEvent) -> None:
        ratio = self.devicePixelRatioF()
        look = (self.size(), ratio, theme.current().name)
        if self._still is None or self._still[0] != look:
            picture = QPixmap(self.size() * ratio)
            picture.setDevicePixelRatio(ratio)
            picture.fill(Qt.GlobalColor.transparent)
            p = QPainter(picture)
            p.setRenderHint(QPainter.RenderHint.Antialiasing)
            p.setFont(self.font())
            self.paint_still(p)
            p.end()
            self._still = (look, picture)
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.drawPixmap(0, 0, self._still[1])
        self.paint_over(p)
        paint_focus(self, p)
        p.end()

    @property
    def left(self) -> float:
        """Where the names end and the frames begin, in pixels."""
        return self.time.x(self.time.first)

    def paint_playhead(self, p: QPainter) -> None:
        """A line through all lanes."""
        x = self.time.x(self.session.player.frame)
        if self.session.take is not None and x >= self.left - 1:
            p.setPen(QPen(theme.current().colour("ink"), 1.4))
            p.drawLine(QPointF(x, 0), QPointF(x, self.height()))

    def paint_name(self, p: QPainter, y: float, h: float, name: str, more: str = "", strong: bool = False) -> None:
        """The name of a lane from ``y`` down, with a quiet line below it."""
        t, width = theme.current(), self.left - 14
        font = QFont(self.font())
        font.setWeight(QFont.Weight.DemiBold if strong or more else QFont.Weight.Normal)
        p.setFont(font)
        p.setPen(t.colour("ink"))
        middle = Qt.AlignmentFlag.AlignVCenter
        text = p.fontMetrics().elidedText(name, Qt.TextElideMode.ElideMiddle, int(width - 10))
        p.drawText(QRectF(10, y, width - 8, h / (2 if more else 1)), middle, text)
        p.setFont(self.font())
        if more:
            p.setPen(t.colour("quiet"))
            text = p.fontMetrics().elidedText(more, Qt.TextElideMode.ElideRight, int(width - 10))
            p.drawText(QRectF(10, y + h / 2, width - 8, h / 2), middle, text)

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.time.wheel(event)
