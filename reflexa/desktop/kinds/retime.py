"""Retime, by hand: the curve from new time to old, and how fast it goes."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPainterPath, QPen
from PySide6.QtWidgets import QLabel

from reflexa.desktop.kinds.model import StepView
from reflexa.desktop.kinds.time_lanes import TimeLanes
from reflexa.desktop.look import theme
from reflexa.desktop.settings.step_panel import StepPanel
from reflexa.desktop.widgets.points import HOW, Point, PointsByHand
from reflexa.motion.arrays import Array
from reflexa.motion.curves import monotone
from reflexa.session import Session, line
from reflexa.steps.retime import RetimeReport, RetimeSettings
from reflexa.words import counted


class CurvePicture(PointsByHand):
    """Old frames over new ones, by points (old, new)."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setFixedHeight(190)
        self.setMouseTracking(True)
        self.setAccessibleName("Time curve")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setToolTip(f"Which old frame is shown at each new frame.\n{HOW}")

    def sizeHint(self) -> QSize:
        return QSize(220, 190)

    @property
    def _settings(self) -> RetimeSettings | None:
        settings = self.session.step.settings if self.session.step is not None else None
        return settings if isinstance(settings, RetimeSettings) else None

    @property
    def _old(self) -> int:
        below = self.session.computed.below
        return below.frames - 1 if below is not None and below.frames > 1 else 1

    def points(self) -> list[Point]:
        """(old frame, new frame), in order of new ones; straight through where nothing is drawn."""
        given = sorted(self._settings.curve, key=self.moment) if self._settings is not None else []
        return given if len(given) > 1 else [(0.0, 0.0), (float(self._old), float(self._old))]

    def _wide(self) -> float:
        return max(self.points()[-1][1] * 1.15, 2.0)

    def pixel(self, point: Point) -> QPointF:
        w, h = self.width() - 20, self.height() - 40
        return QPointF(10 + point[1] / self._wide() * w, self.height() - 12 - point[0] / self._old * h)

    def value(self, at: QPointF) -> Point:
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
        self.paint_points(p, 5.0)
        p.setPen(t.colour("quiet"))
        p.drawText(QRectF(10, 3, self.width() - 20, 16), Qt.AlignmentFlag.AlignLeft, f"old frame, 0 to {self._old}")
        last = f"{points[-1][1]:g} new frames"
        p.drawText(QRectF(10, self.height() - 30, self.width() - 20, 16), Qt.AlignmentFlag.AlignRight, last)
        if 0 <= self.hot < len(points):
            said = f"old {points[self.hot][0]:g} at new {points[self.hot][1]:g}"
            p.drawText(QRectF(10, 3, self.width() - 20, 16), Qt.AlignmentFlag.AlignRight, said)
        p.end()

    def moment(self, point: Point) -> float:
        return point[1]

    def stepped(self, point: Point, across: int, up: int) -> Point:
        return point[0] + up, point[1] + across

    def within(self, which: int, to: Point) -> Point:
        points = self.points()
        back = self._settings is not None and self._settings.backwards
        before, after = (points[i] if 0 <= i < len(points) else None for i in (which - 1, which + 1))
        low, high = (before[1] + 1 if before else 0.0), (after[1] - 1 if after else 1e6)
        least, most = (0.0 if before is None or back else before[0]), (self._old if after is None or back else after[0])
        return float(np.clip(to[0], least, most)), float(np.clip(to[1], low, high)) if which else 0.0

    def stays(self, which: int) -> bool:
        return which in (0, len(self.points()) - 1)

    def put(self, points: list[Point], merge: str) -> None:
        if self._settings is not None:
            new = replace(self._settings, how="curve", curve=tuple(points))
            line.edit_settings(self.session, "draw the time curve", new, merge)

    def end_edit(self) -> None:
        self.session.history.end_merge()


class RetimePanel(StepPanel):
    """The curve, where one is drawn, and what it comes to."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.said = QLabel(wordWrap=True)
        self.picture = CurvePicture(session)
        self.column.addWidget(self.picture)
        self.column.addWidget(self.said)

    def refresh(self) -> None:
        session, report = self.session, self.session.computed.report
        settings = session.step.settings if session.step is not None else None
        self.picture.setVisible(isinstance(settings, RetimeSettings) and settings.how == "curve")
        self.picture.update()
        if session.computed.step_problem:
            self.said.setText(session.computed.step_problem)
        elif isinstance(report, RetimeReport):
            a, b = report.seconds
            self.said.setText(
                f"{counted(report.before, 'frame')}, {a:.2f} s, become {report.after}, {b:.2f} s; speed "
                f"{_speeds(report.speed)}."
            )


def _speeds(speed: Array) -> str:
    low, high = float(speed.min()), float(speed.max())
    return f"{low:.2f} times" if high - low < 0.005 else f"{low:.2f} to {high:.2f} times"


VIEW = StepView(
    "retime",
    also="speed slow fast length warp rate",
    panel=RetimePanel,
    hidden=frozenset({"curve"}),
    lanes=TimeLanes,
    lanes_title="Time",
)
