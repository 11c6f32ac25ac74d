"""Close loop, by hand: how well frames match, as a picture to click in, and the best pairs as a list."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QLabel, QPushButton

from reflexa.desktop.kinds.model import StepView
from reflexa.desktop.kinds.time_lanes import Ends, TimeLanes
from reflexa.desktop.look import theme
from reflexa.desktop.settings.joint_table import JointTable, Row
from reflexa.desktop.settings.step_panel import StepPanel
from reflexa.desktop.widgets.own_keys import ARROWS, OwnKeys
from reflexa.motion.loops import Matches
from reflexa.session import Session, line
from reflexa.steps.close_loop import CloseLoopReport, CloseLoopSettings
from reflexa.words import counted

_SIDE = 208


def choose(session: Session, first: int, last: int) -> None:
    """Make the loop of these frames."""
    settings = session.step.settings if session.step is not None else None
    below = session.computed.below
    if isinstance(settings, CloseLoopSettings) and below is not None and last - first >= 3:
        end = -1 if last >= below.frames - 1 else last
        line.edit_settings(
            session, "choose the frames", replace(settings, find=False, first=first, last=end), "loop frames"
        )


class MatchPicture(OwnKeys):
    """Last frames across, first frames down: the darker, the nearer in pose and velocity. A click, a drag, or the arrow keys
    choose a pair."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setFixedHeight(_SIDE + 22)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("How frames match")
        self.setToolTip(
            "How similar each first frame (down) and last frame (across) are: dark is similar. Click to choose a pair"
        )
        self._matches: Matches | None = None
        self._image: QImage | None = None
        self._chosen = (0, 0)

    def sizeHint(self) -> QSize:
        return QSize(_SIDE, _SIDE + 22)

    def show_matches(self, matches: Matches, chosen: tuple[int, int]) -> None:
        if matches is not self._matches:
            self._matches, self._image = matches, None
        self._chosen = chosen
        self.update()

    def _end(self) -> int:
        return int(self._matches.at[-1]) if self._matches is not None and len(self._matches.at) else 1

    def pixel(self, first: int, last: int) -> QPointF:
        """Where a pair stands."""
        end = max(self._end(), 1)
        return QPointF(2 + last / end * (self.width() - 4), 20 + first / end * (_SIDE - 2))

    def _pair(self, at: QPointF) -> tuple[int, int]:
        end = self._end()
        first = round((at.y() - 20) / (_SIDE - 2) * end)
        last = round((at.x() - 2) / max(self.width() - 4, 1) * end)
        return min(max(first, 0), end), min(max(last, 0), end)

    def _drawn(self, matches: Matches) -> QImage:
        t, d = theme.current(), matches.distance
        known = np.isfinite(d)
        top = float(np.percentile(d[known], 90)) if known.any() else 1.0
        share = np.where(known, np.clip(d / max(top, 1e-9), 0, 1) ** 0.5, 1.0)[..., None]
        near, far = np.array(t.rgb("accent")), np.array(t.rgb("field"))
        rgb = np.where(known[..., None], near + share * (far - near), far)
        data = np.ascontiguousarray(np.clip(rgb * 255, 0, 255).astype(np.uint8))
        return QImage(data.tobytes(), d.shape[1], d.shape[0], 3 * d.shape[1], QImage.Format.Format_RGB888).copy()

    def paintEvent(self, _: object) -> None:
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(t.colour("quiet"))
        p.drawText(
            QRectF(2, 0, self.width() - 4, 18),
            Qt.AlignmentFlag.AlignLeft,
            f"first {self._chosen[0]}, last {self._chosen[1]}",
        )
        if self._matches is not None:
            self._image = self._image or self._drawn(self._matches)
            p.drawImage(QRectF(2, 20, self.width() - 4, _SIDE - 2), self._image)
            p.setBrush(Qt.BrushStyle.NoBrush)
            for pair in self._matches.pairs:
                p.setPen(QPen(t.colour("card"), 1.4))
                p.drawEllipse(self.pixel(pair.first, pair.last), 4, 4)
            at = self.pixel(*self._chosen)
            p.setPen(QPen(t.colour("ink"), 1.6))
            p.drawLine(QPointF(at.x(), 20), QPointF(at.x(), 18 + _SIDE))
            p.drawLine(QPointF(2, at.y()), QPointF(self.width() - 2, at.y()))
        p.end()

    def mousePressEvent(self, e: QMouseEvent) -> None:
        if e.button() == Qt.MouseButton.LeftButton and self._matches is not None:
            # What is clicked near a good pair means that pair.
            near = [
                q for q in self._matches.pairs if (self.pixel(q.first, q.last) - e.position()).manhattanLength() < 12
            ]
            choose(self.session, *((near[0].first, near[0].last) if near else self._pair(e.position())))

    def mouseMoveEvent(self, e: QMouseEvent) -> None:
        if e.buttons() & Qt.MouseButton.LeftButton:
            choose(self.session, *self._pair(e.position()))

    def mouseReleaseEvent(self, _: QMouseEvent) -> None:
        self.session.history.end_merge()

    def wants(self, key: Qt.Key) -> bool:
        return self._matches is not None and key in ARROWS

    def keyPressEvent(self, e: QKeyEvent) -> None:
        by = {Qt.Key.Key_Left: (0, -1), Qt.Key.Key_Right: (0, 1), Qt.Key.Key_Up: (-1, 0), Qt.Key.Key_Down: (1, 0)}
        step = by.get(Qt.Key(e.key()))
        if step is None:
            super().keyPressEvent(e)
        else:
            choose(self.session, self._chosen[0] + step[0], self._chosen[1] + step[1])


class CloseLoopPanel(StepPanel):
    """What was open, what is left of it, and which frames would do better."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.said = QLabel(wordWrap=True)
        self.column.addWidget(self.said)
        self.finds = QPushButton("Find the best frames")
        self.finds.setToolTip("Use the two frames that are most similar in pose and velocity")
        self.finds.clicked.connect(self._find)
        self.column.addWidget(self.finds)
        self.picture = MatchPicture(session)
        self.column.addWidget(self.picture)
        self.table = JointTable(session, "Pairs of frames", ["Frames", "pose cm", "cm/s", "feet cm"])
        self.table.itemSelectionChanged.connect(self._picked)
        self.column.addWidget(self.table)
        self._shown: object = None

    def _find(self) -> None:
        report = self.session.computed.report
        if isinstance(report, CloseLoopReport) and report.matches.pairs:
            choose(self.session, report.matches.pairs[0].first, report.matches.pairs[0].last)

    def _picked(self) -> None:
        rows = {i.row() for i in self.table.selectedItems()}
        report = self.session.computed.report
        if rows and isinstance(report, CloseLoopReport):
            pair = report.matches.pairs[min(rows)]
            choose(self.session, pair.first, pair.last)
            self.session.history.end_merge()

    def refresh(self) -> None:
        report = self.session.computed.report
        if self.session.computed.step_problem:
            self.said.setText(self.session.computed.step_problem)
        if not isinstance(report, CloseLoopReport) or report is self._shown:
            return
        self._shown = report
        (away, turn, speed), (left, left_turn, _) = report.was, report.now
        self.said.setText(
            f"Frames {report.first} to {report.last}. The gap was {100 * away:.1f} cm, {np.degrees(turn):.1f}° "
            f"and {100 * speed:.0f} % of the highest speed; now {1000 * left:.2f} mm and "
            f"{np.degrees(left_turn):.2f}°."
        )
        self.picture.show_matches(report.matches, (report.first, report.last))
        rows: list[Row] = [
            (
                (f"{q.first}–{q.last}", f"{q.pose:.1f}", f"{q.velocity:.0f}", f"{q.feet:.1f}"),
                f"A loop of {counted(q.last - q.first + 1, 'frame')}", "", -1,
            ) for q in report.matches.pairs
        ]  # fmt: skip
        self.table.show_rows(rows, most=5)


def _moved(s: CloseLoopSettings, which: int, frame: int, count: int) -> CloseLoopSettings:
    last = count - 1 if s.last < 0 else s.last
    if which == 0:
        return replace(s, find=False, first=min(frame, last - 3))
    return replace(s, find=False, last=-1 if frame >= count - 1 else max(frame, s.first + 3))


ENDS = Ends(
    lambda s, count: [] if s.find else [min(s.first, count - 1), count - 1 if s.last < 0 else min(s.last, count - 1)],
    _moved,
    "Drag the first or the last frame of the loop",
)
VIEW = StepView(
    "close-loop",
    also="loop seamless cycle",
    panel=CloseLoopPanel,
    panel_first=True,
    lanes=lambda session, time: TimeLanes(session, time, ENDS),
    lanes_title="Time",
)
