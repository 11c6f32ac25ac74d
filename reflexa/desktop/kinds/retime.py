"""Retime, by hand: the curve from new time to old, and how fast it goes."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPen
from PySide6.QtWidgets import QLabel

from reflexa.desktop.kinds.model import StepView
from reflexa.desktop.kinds.time_lanes import TimeLanes
from reflexa.desktop.look import theme
from reflexa.desktop.session import Session, line
from reflexa.desktop.settings.step_panel import StepPanel
from reflexa.desktop.widgets.own_keys import ARROWS, OwnKeys
from reflexa.motion.arrays import Array
from reflexa.steps.retime import RetimeReport, RetimeSettings

_DOT = 5.0
Point = tuple[float, float]


class CurvePicture(OwnKeys):
    """Old frames over new ones. Drag a point, or step the one clicked last with the arrow keys; double-click puts one in or
    takes one out."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setFixedHeight(190)
        self.setAccessibleName("Time curve")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setToolTip(
            "Which old frame stands at each new one. Drag a point; double-click puts one in, or takes one out"
        )
        self._hot = -1
        self._dragged = False

    def sizeHint(self) -> QSize:
        return QSize(220, 190)

    @property
    def _old(self) -> int:
        below = self.session.below
        return below.frames - 1 if below is not None and below.frames > 1 else 1

    def points(self) -> list[Point]:
        """(old frame, new frame), in order of new ones; straight through where nothing is drawn."""
        settings = self.session.step.settings if self.session.step is not None else None
        given = sorted(settings.curve, key=lambda p: p[1]) if isinstance(settings, RetimeSettings) else []
        return given if len(given) > 1 else [(0.0, 0.0), (float(self._old), float(self._old))]

    def _wide(self) -> float:
        return max(self.points()[-1][1] * 1.15, 2.0)

    def pixel(self, point: Point) -> QPointF:
        w, h = self.width() - 20, self.height() - 40
        return QPointF(10 + point[1] / self._wide() * w, self.height() - 12 - point[0] / self._old * h)

    def _value(self, at: QPointF) -> Point:
        w, h = self.width() - 20, self.height() - 40
        old = round(float(np.clip((self.height() - 12 - at.y()) / h, 0, 1)) * self._old)
        return float(old), float(max(round((at.x() - 10) / w * self._wide()), 0))

    def paintEvent(self, _: object) -> None:
        t, points = theme.current(), self.points()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.colour("field"))
        p.drawRoundedRect(QRectF(0, 0, self.width(), self.height()), 6, 6)
        # As fast as before, for comparison.
        p.setPen(QPen(t.colour("line"), 1, Qt.PenStyle.DashLine))
        p.drawLine(self.pixel((0.0, points[0][1])), self.pixel((float(self._old), points[0][1] + self._old)))
        from reflexa.motion.curves import monotone

        old, new = np.array(points).T
        if np.all(np.diff(new) > 0):
            xs = np.linspace(new[0], new[-1], 90)
            ys = monotone(new, old, xs)
            path = QPainterPath(self.pixel((float(ys[0]), float(xs[0]))))
            for x, y in zip(xs[1:], ys[1:], strict=True):
                path.lineTo(self.pixel((float(y), float(x))))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(t.colour("accent"), 2))
            p.drawPath(path)
        p.setPen(QPen(t.colour("accent"), 1.6))
        for i, point in enumerate(points):
            p.setBrush(t.colour("ink" if i == self._hot else "card"))
            p.drawEllipse(self.pixel(point), _DOT, _DOT)
        p.setPen(t.colour("quiet"))
        p.drawText(QRectF(10, 3, self.width() - 20, 16), Qt.AlignmentFlag.AlignLeft, f"old frame, 0 to {self._old}")
        last = f"{points[-1][1]:g} new frames"
        p.drawText(QRectF(10, self.height() - 30, self.width() - 20, 16), Qt.AlignmentFlag.AlignRight, last)
        if self._hot >= 0 and self._hot < len(points):
            said = f"old {points[self._hot][0]:g} at new {points[self._hot][1]:g}"
            p.drawText(QRectF(10, 3, self.width() - 20, 16), Qt.AlignmentFlag.AlignRight, said)
        p.end()

    def _at(self, at: QPointF) -> int:
        return next((i for i, q in enumerate(self.points()) if (self.pixel(q) - at).manhattanLength() < 13), -1)

    def _set(self, points: list[Point], merge: str = "") -> None:
        settings = self.session.step.settings if self.session.step is not None else None
        if isinstance(settings, RetimeSettings):
            new = replace(settings, how="curve", curve=tuple(points))
            line.edit_settings(self.session, "draw the time curve", new, merge)
        self.update()

    def _move(self, which: int, to: Point) -> None:
        points = self.points()
        settings = self.session.step.settings if self.session.step is not None else None
        back = isinstance(settings, RetimeSettings) and settings.backwards
        before, after = (points[i] if 0 <= i < len(points) else None for i in (which - 1, which + 1))
        low, high = (before[1] + 1 if before else 0.0), (after[1] - 1 if after else 1e6)
        least, most = (0.0 if before is None or back else before[0]), (self._old if after is None or back else after[0])
        points[which] = (float(np.clip(to[0], least, most)), float(np.clip(to[1], low, high)) if which else 0.0)
        self._set(points, merge="time curve")

    def mousePressEvent(self, e: QMouseEvent) -> None:
        self._hot = self._at(e.position()) if e.button() == Qt.MouseButton.LeftButton else -1
        self._dragged = self._hot >= 0
        self.update()

    def mouseMoveEvent(self, e: QMouseEvent) -> None:
        if self._dragged and self._hot >= 0:
            self._move(self._hot, self._value(e.position()))

    def mouseReleaseEvent(self, _: QMouseEvent) -> None:
        self._dragged = False
        self.session.history.end_merge()
        self.update()

    def mouseDoubleClickEvent(self, e: QMouseEvent) -> None:
        points, at = self.points(), self._at(e.position())
        if 0 < at < len(points) - 1:
            self._set([q for i, q in enumerate(points) if i != at])
        elif at < 0:
            new = self._value(e.position())
            if new[1] not in [q[1] for q in points]:
                self._set(sorted([*points, new], key=lambda q: q[1]))
                self._hot = self.points().index(new) if new in self.points() else -1

    def wants(self, key: Qt.Key) -> bool:
        return self._hot >= 0 and key in ARROWS

    def keyPressEvent(self, e: QKeyEvent) -> None:
        by = {Qt.Key.Key_Left: (0, -1), Qt.Key.Key_Right: (0, 1), Qt.Key.Key_Up: (1, 0), Qt.Key.Key_Down: (-1, 0)}
        points, step = self.points(), by.get(Qt.Key(e.key()))
        if step is None or not 0 <= self._hot < len(points):
            super().keyPressEvent(e)
            return
        old, new = points[self._hot]
        self._move(self._hot, (old + step[0], new + step[1]))


class RetimePanel(StepPanel):
    """The curve, where one is drawn, and what it comes to."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.said = QLabel(wordWrap=True)
        self.picture = CurvePicture(session)
        self.column.addWidget(self.picture)
        self.column.addWidget(self.said)

    def refresh(self) -> None:
        session, report = self.session, self.session.report
        settings = session.step.settings if session.step is not None else None
        self.picture.setVisible(isinstance(settings, RetimeSettings) and settings.how == "curve")
        self.picture.update()
        if session.step_problem:
            self.said.setText(session.step_problem)
        elif isinstance(report, RetimeReport):
            a, b = report.seconds
            self.said.setText(
                f"{report.before} frames, {a:.2f} s, become {report.after}, {b:.2f} s; {_speeds(report.speed)} as fast."
            )


def _speeds(speed: Array) -> str:
    low, high = float(speed.min()), float(speed.max())
    return f"{low:.2f} times" if high - low < 0.005 else f"{low:.2f} to {high:.2f} times"


VIEW = StepView("retime", panel=RetimePanel, hidden=frozenset({"curve"}), lanes=TimeLanes, lanes_title="Time")
