"""Findings over time: a bar a finding with a mark where it is worst, the shape of the mark by what it is about."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from reflexa.checks import Finding
from reflexa.checks.registry import check_of
from reflexa.desktop.look import theme
from reflexa.desktop.time.time_map import GUTTER, TimeMap
from reflexa.session import Session, findings

_HIGH, _NEAR, _MARK = 18, 7.0, 4.5


class FindingsLane(QWidget):
    """Hover says what it is, a click goes there. Gone where nothing is found, or other frames are looked at."""

    # Does it leave its room to what is below?
    away = False

    def __init__(self, session: Session, time: TimeMap) -> None:
        super().__init__()
        self.session, self.time = session, time
        self.setAccessibleName("Findings over time")
        self.setMouseTracking(True)
        self.setFixedHeight(_HIGH)
        for signal in (time.changed, session.player.moved):
            signal.connect(self.update)
        for signal in (session.evaluator.found, session.evaluator.done, session.selection.looked):
            signal.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Shown where there is something to be shown."""
        self.setVisible(
            bool(self.session.evaluator.judgement.groups) and self.session.computed.by_result and not self.away
        )
        self.update()

    def marks(self) -> list[tuple[Finding, bool]]:
        """Every finding and whether it is accepted; those of the whole clip first, so that others stand over them."""
        groups = self.session.evaluator.judgement.groups
        found = [(f, bool(g.accepted)) for g in groups for f in g.findings]
        return sorted(found, key=lambda m: m[0].frames[0] - m[0].frames[1])

    def paintEvent(self, event: QPaintEvent) -> None:
        t, p = theme.current(), QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(t.colour("quiet"))
        count = self.session.evaluator.judgement.count
        p.drawText(QRectF(10, 0, GUTTER - 14, _HIGH), Qt.AlignmentFlag.AlignVCenter, f"Findings ({count})")
        p.setClipRect(QRectF(GUTTER - 8, 0, self.width() - GUTTER + 8, _HIGH))
        middle = _HIGH / 2
        for f, put_up in self.marks():
            colour = QColor(t.colour("quiet" if put_up else "warn"))
            a, b = self.time.x(f.frames[0]), self.time.x(f.frames[1])
            faint = QColor(colour)
            faint.setAlpha(70)
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(faint)
            p.drawRoundedRect(QRectF(a - 1, middle - 2.5, max(b - a, 1) + 2, 5), 2, 2)
        for f, put_up in self.marks():
            colour = t.colour("quiet" if put_up else "warn")
            p.setPen(QPen(t.colour("panel"), 1.0))
            p.setBrush(Qt.BrushStyle.NoBrush if put_up else colour)
            if put_up:
                p.setPen(QPen(colour, 1.2))
            _draw(
                p, check.about if (check := check_of(f.kind)) is not None else "", QPointF(self.time.x(f.worst), middle)
            )
        x = self.time.x(self.session.player.frame)
        p.setPen(QPen(t.colour("ink"), 1.0))
        p.drawLine(QPointF(x, 0), QPointF(x, _HIGH))
        p.end()

    def at(self, x: float) -> Finding | None:
        """The finding whose mark is near; else the shortest one whose bar is there."""
        marks = [f for f, _ in self.marks()]
        near = min(marks, key=lambda f: abs(self.time.x(f.worst) - x), default=None)
        if near is not None and abs(self.time.x(near.worst) - x) <= _NEAR:
            return near
        over = [f for f in marks if self.time.x(f.frames[0]) - 2 <= x <= self.time.x(f.frames[1]) + 2]
        return min(over, key=lambda f: f.frames[1] - f.frames[0], default=None)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        f = self.at(event.position().x())
        self.setCursor(Qt.CursorShape.PointingHandCursor if f is not None else Qt.CursorShape.ArrowCursor)
        by = findings.name_of(self.session, f.step) if f is not None else ""
        said = f"{f.text}, frames {f.frames[0]} to {f.frames[1]}" if f is not None else ""
        self.setToolTip(f"{said}; caused by {by}" if by else said)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        f = self.at(event.position().x())
        if f is not None and event.button() == Qt.MouseButton.LeftButton:
            findings.go_to(self.session, f)


def _draw(p: QPainter, about: str, at: QPointF) -> None:
    """A mark: a triangle that stands on the ground, a diamond, a square, a circle."""
    r, x, y = _MARK, at.x(), at.y()
    if about == "ground":
        p.drawPolygon(QPolygonF([QPointF(x - r, y - r), QPointF(x + r, y - r), QPointF(x, y + r)]))
    elif about == "joint":
        p.drawPolygon(QPolygonF([QPointF(x, y - r), QPointF(x + r, y), QPointF(x, y + r), QPointF(x - r, y)]))
    elif about == "time":
        p.drawRect(QRectF(x - r * 0.8, y - r * 0.8, 1.6 * r, 1.6 * r))
    else:
        p.drawEllipse(at, r * 0.9, r * 0.9)
