"""What a step does to time, under the ruler: the frames before it, those after it, and which becomes which."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QKeyEvent, QMouseEvent, QPainter, QPen

from reflexa.desktop.look import theme
from reflexa.desktop.time.lanes import Lanes
from reflexa.desktop.time.time_map import TimeMap, tick_step
from reflexa.motion.arrays import Array
from reflexa.motion.stances import spans
from reflexa.session import Session, line
from reflexa.steps import Settings

_BEFORE, _AFTER, _BAR = 6, 52, 18
_NEAR = 7.0


@dataclass(frozen=True)
class Ends:
    """What can be dragged on the frames before a step. frames(settings, count): where handles stand; moved(settings, which,
    frame, count): the settings with one of them elsewhere; swept(settings, first, last): with a span that was drawn over, where
    that means something; tip: what they are."""

    frames: Callable[[Any, int], list[int]]
    moved: Callable[[Any, int, int, int], Settings]
    tip: str
    swept: Callable[[Any, int, int], Settings] | None = None


def jumps(times: Array) -> NDArray[np.bool_]:
    """After which frames time does not go on as it does about there, but leaves some out or turns back: ``(frames - 1,)``."""
    from scipy.ndimage import median_filter  # takes its time to load

    if len(times) < 2:
        return np.zeros(0, dtype=bool)
    steps = np.abs(np.diff(times))
    return np.asarray(steps > 1.5 * np.maximum(median_filter(steps, 9, mode="nearest"), 1.0))


def still_there(times: Array, count: int) -> NDArray[np.bool_]:
    """Which of so many frames are seen at one of these times, or passed over from one to the next."""
    low, high = np.floor(times).astype(int), np.ceil(times).astype(int)
    on = ~jumps(times)
    low[:-1][on], high[:-1][on] = np.minimum(low[:-1], low[1:])[on], np.maximum(high[:-1], high[1:])[on]
    passed = np.zeros(count + 1, dtype=int)
    np.add.at(passed, np.clip(low, 0, count), 1)
    np.add.at(passed, np.clip(high + 1, 0, count), -1)
    return np.asarray(np.cumsum(passed)[:-1] > 0)


class TimeLanes(Lanes):
    """Drag a handle on the upper bar, or step it with the arrow keys once it was clicked; drag over frames to sweep them."""

    def __init__(self, session: Session, time: TimeMap, ends: Ends | None = None) -> None:
        super().__init__(session, time, "Time before and after the step")
        self.ends = ends
        self.setMinimumHeight(_AFTER + _BAR + 6)
        if ends is not None:
            self.setToolTip(ends.tip)
        self.hot = -1
        self._sweep: tuple[int, int] | None = None
        for signal in (session.evaluator.done, session.take_changed, session.selection.changed):
            signal.connect(self.changed)

    @property
    def _at(self) -> int:
        """Where the step was in what was computed last, or -1."""
        evaluation = self.session.computed.evaluation
        return evaluation.take.index(self.session.selection.card) if evaluation is not None else -1

    @property
    def times(self) -> Array | None:
        """Which frame before the step stands at each frame after it; None while that is computed."""
        evaluation, at = self.session.computed.evaluation, self._at
        return evaluation.outcomes[at + 1].times if evaluation is not None and at >= 0 else None

    @property
    def count(self) -> int:
        """How many frames there were before the step."""
        evaluation, at = self.session.computed.evaluation, self._at
        return evaluation.clips[at].frames if evaluation is not None and at >= 0 else 1

    def old_x(self, frame: float) -> float:
        """Pixels of a frame before the step: all of them are always in sight, as the ruler shows a whole clip."""
        return self.left + (frame / max(self.count - 1, 1) + 0.015) / 1.03 * (self.width() - self.left - 10)

    def old_frame(self, x: float) -> int:
        share = (x - self.left) / max(self.width() - self.left - 10, 1) * 1.03 - 0.015
        return int(min(max(round(share * (self.count - 1)), 0), self.count - 1))

    def handles(self) -> list[int]:
        step = self.session.step
        return self.ends.frames(step.settings, self.count) if self.ends is not None and step is not None else []

    # Drawing ------------------------------------------------------------------------------------------------

    def paint_still(self, p: QPainter) -> None:
        t, times = theme.current(), self.times
        self.paint_name(p, _BEFORE, _BAR, f"Before · {self.count}")
        p.fillRect(QRectF(self.old_x(0), _BEFORE, self.old_x(self.count - 1) - self.old_x(0), _BAR), t.colour("field"))
        if times is None or len(times) == 0:
            return
        self.paint_name(p, _AFTER, _BAR, f"After · {len(times)}")
        p.setClipRect(QRectF(self.left - 1, 0, self.width() - self.left + 1, self.height()))
        p.fillRect(QRectF(self.time.x(0), _AFTER, self.time.x(len(times) - 1) - self.time.x(0), _BAR), t.colour("soft"))
        self._paint_kept(p, times)
        self._paint_ways(p, times)
        self._paint_numbers(p)
        p.setClipping(False)

    def _paint_kept(self, p: QPainter, times: Array) -> None:
        """Frames that are still there are filled, those that fall out hatched."""
        t = theme.current()
        used = still_there(times, self.count)
        for a, b in spans(used):
            p.fillRect(QRectF(self.old_x(a), _BEFORE, max(self.old_x(b) - self.old_x(a), 2.0), _BAR), t.colour("soft"))
        gone = QBrush(t.colour("warn"), Qt.BrushStyle.BDiagPattern)
        for a, b in spans(~used):
            p.fillRect(QRectF(self.old_x(max(a - 0.5, 0)), _BEFORE, self.old_x(b - a + 1) - self.old_x(0), _BAR), gone)

    def _paint_ways(self, p: QPainter, times: Array) -> None:
        t = theme.current()
        step = max(1, int(9 / max(self.time.frame_width(), 1e-6)))
        for i in range(0, len(times), step):
            x = self.time.x(i)
            if self.left - 1 <= x <= self.width():
                held = 0 < i < len(times) - 1 and abs(times[i + 1] - times[i - 1]) < 1e-9
                p.setPen(QPen(t.colour("warn" if held else "line"), 1.6 if held else 1.0))
                p.drawLine(QPointF(self.old_x(times[i]), _BEFORE + _BAR), QPointF(x, _AFTER))
        p.setPen(QPen(t.colour("accent"), 2.0))
        for i in np.flatnonzero(jumps(times)).tolist():
            x = self.time.x(i + 0.5)
            p.drawLine(QPointF(x, _AFTER - 4), QPointF(x, _AFTER + _BAR + 4))

    def _paint_numbers(self, p: QPainter) -> None:
        p.setPen(theme.current().colour("quiet"))
        step = tick_step(self.old_x(1) - self.old_x(0))
        for f in range(0, self.count, step):
            p.drawText(QRectF(self.old_x(f) + 2, _BEFORE, 60, _BAR), Qt.AlignmentFlag.AlignVCenter, str(f))

    def paint_over(self, p: QPainter) -> None:
        t = theme.current()
        for i, f in enumerate(self.handles()):
            x = self.old_x(f)
            p.setPen(QPen(t.colour("card"), 1))
            p.setBrush(t.colour("ink" if i == self.hot else "accent"))
            p.drawRoundedRect(QRectF(x - 4, _BEFORE - 4, 8, _BAR + 8), 3, 3)
        if self._sweep is not None:
            a, b = sorted(self._sweep)
            p.fillRect(
                QRectF(self.old_x(a), _BEFORE, self.old_x(b) - self.old_x(a), _BAR),
                QBrush(t.colour("warn"), Qt.BrushStyle.Dense4Pattern),
            )
        times, frame = self.times, self.session.player.frame
        if times is not None and 0 <= frame < len(times):
            p.setPen(QPen(t.colour("ink"), 1.4))
            x = self.old_x(times[frame])
            p.drawLine(QPointF(x, _BEFORE - 4), QPointF(x, _BEFORE + _BAR + 4))
            p.drawLine(QPointF(x, _BEFORE + _BAR + 4), QPointF(self.time.x(frame), _AFTER))
            p.drawLine(QPointF(self.time.x(frame), _AFTER), QPointF(self.time.x(frame), _AFTER + _BAR))

    # Hands --------------------------------------------------------------------------------------------------

    def _handle_at(self, at: QPointF) -> int:
        if not _BEFORE - 6 <= at.y() <= _BEFORE + _BAR + 6:
            return -1
        near = [(abs(self.old_x(f) - at.x()), i) for i, f in enumerate(self.handles())]
        return min(near)[1] if near and min(near)[0] < _NEAR else -1

    def _move(self, which: int, frame: int) -> None:
        step = self.session.step
        if self.ends is None or step is None or not 0 <= which < len(self.handles()):
            return
        new = self.ends.moved(step.settings, which, min(max(frame, 0), self.count - 1), self.count)
        if new != step.settings:
            line.edit_settings(self.session, f"set {step.name}", new, merge=f"time handle {which}")

    def mousePressEvent(self, e: QMouseEvent) -> None:
        if e.button() != Qt.MouseButton.LeftButton:
            return
        self.setFocus()
        self.hot = self._handle_at(e.position())
        if self.hot < 0 and e.position().y() >= _AFTER - 4:
            self.session.player.set_frame(round(self.time.frame(e.position().x())))
        elif (
            self.hot < 0 and self.ends is not None and self.ends.swept is not None and e.position().x() >= self.left - 4
        ):
            at = self.old_frame(e.position().x())
            self._sweep = (at, at)
        self.update()

    def mouseMoveEvent(self, e: QMouseEvent) -> None:
        if not e.buttons() & Qt.MouseButton.LeftButton:
            over = self._handle_at(e.position()) >= 0
            self.setCursor(Qt.CursorShape.SizeHorCursor if over else Qt.CursorShape.ArrowCursor)
        elif self.hot >= 0:
            self._move(self.hot, self.old_frame(e.position().x()))
        elif self._sweep is not None:
            self._sweep = (self._sweep[0], self.old_frame(e.position().x()))
            self.update()

    def mouseReleaseEvent(self, e: QMouseEvent) -> None:
        step, sweep = self.session.step, self._sweep
        self._sweep = None
        if (
            sweep is not None
            and sweep[0] != sweep[1]
            and step is not None
            and self.ends is not None
            and self.ends.swept
        ):
            line.edit_settings(self.session, f"set {step.name}", self.ends.swept(step.settings, *sorted(sweep)))
        self.session.history.end_merge()
        self.update()

    def wants(self, key: Qt.Key) -> bool:
        return self.hot >= 0 and key in (Qt.Key.Key_Left, Qt.Key.Key_Right)

    def keyPressEvent(self, e: QKeyEvent) -> None:
        handles = self.handles()
        by = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(e.key()), 0)
        if e.key() == Qt.Key.Key_Tab or not handles or not by or self.hot < 0:
            super().keyPressEvent(e)
            return
        self._move(self.hot, handles[self.hot] + by)
