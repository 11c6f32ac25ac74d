"""How two clips are lined up: two strips, the other one slid by hand, with the plants of the feet marked on both."""

from __future__ import annotations

import msgspec
import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QLabel, QWidget

from reflexa.desktop import theme
from reflexa.desktop.session import Session
from reflexa.desktop.tables import StepPanel
from reflexa.errors import RecipeError
from reflexa.motion import contacts
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.stage.footing import planted_spans
from reflexa.steps.blend import clip_named, other_frames


class Strips(QWidget):
    """This clip above, the other below, as it will play against it. Drag slides the other by whole frames."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setFixedHeight(64)
        self.setCursor(Qt.CursorShape.SizeHorCursor)
        self.setAccessibleName("Alignment of the clips")
        self.setToolTip(
            "Drag to slide the other clip by whole frames. Marks: the left foot stands (ring colour), the right one"
        )
        self._base: tuple[Clip, Rig] | None = None
        self._other: tuple[Clip, Rig] | None = None
        self._stands: tuple[dict, dict] = ({}, {})
        self._at = np.zeros(0)
        self._press: tuple[float, int] | None = None

    def sizeHint(self) -> QSize:
        return QSize(200, 64)

    def show_clips(self, base: tuple[Clip, Rig] | None, other: tuple[Clip, Rig] | None) -> None:
        """Show how they lie to each other with the step's settings; nothing where one is missing."""
        if (base, other) != (self._base, self._other):
            self._base, self._other = base, other
            self._stands = (planted_spans(*base) if base else {}, planted_spans(*other) if other else {})
        step = self.session.step
        self._at = np.zeros(0)
        if base is not None and other is not None and step is not None:
            try:
                self._at = other_frames(*base, *other, step.settings)
            except RecipeError:
                self._at = np.zeros(0)
        self.update()

    def paintEvent(self, _: object) -> None:
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._base is None or len(self._at) == 0:
            p.end()
            return
        frames, w = self._base[0].frames, self.width() - 2
        x = lambda f: 1 + w * f / max(frames - 1, 1)  # noqa: E731
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.colour("soft"))
        p.drawRoundedRect(QRectF(1, 4, w, 24), 4, 4)
        self._mark(p, t, 4, self._stands[0], np.arange(frames), x)
        p.setPen(Qt.PenStyle.NoPen)
        other = self._other[0]
        period = max(other.frames - 1, 1)
        turns = np.floor(np.clip(self._at, -1e6, 1e6) / period)
        repeats = self.session.step.settings.repeat
        for turn in np.unique(turns):
            inside = np.flatnonzero(turns == turn)
            first, last = x(inside[0]), x(min(inside[-1] + 1, frames - 1))
            held = not repeats and turn != 0
            p.setBrush(t.colour("line" if held else "soft", 120 if held else 255))
            p.drawRoundedRect(QRectF(first, 36, max(last - first - 1, 1), 24), 4, 4)
        at = np.mod(self._at, period) if repeats else np.clip(self._at, 0, period)
        self._mark(p, t, 36, self._stands[1], at, x)
        p.setPen(QPen(t.colour("ink"), 1.2))
        here = x(min(self.session.frame, frames - 1))
        p.drawLine(QPointF(here, 2), QPointF(here, 62))
        p.end()

    def _mark(self, p: QPainter, t: theme.Theme, top: float, stands: dict, at: np.ndarray, x: object) -> None:
        """Bars where each foot stands, seen at frames ``at`` of its own clip."""
        for row, side in enumerate(("left", "right")):
            if side not in stands:
                continue
            mask = stands[side][np.clip(np.round(at).astype(int), 0, len(stands[side]) - 1)]
            p.setBrush(t.colour(side))
            for first, last in contacts.spans(mask):
                p.drawRect(QRectF(x(first), top + 5 + 9 * row, max(x(last) - x(first), 2.0), 5))

    def mousePressEvent(self, e: QMouseEvent) -> None:
        step = self.session.step
        if self._base is not None and len(self._at) and step is not None:
            self._press = (e.position().x(), step.settings.shift)

    def mouseMoveEvent(self, e: QMouseEvent) -> None:
        step = self.session.step
        if self._press is None or step is None:
            return
        by = round((e.position().x() - self._press[0]) / self.width() * (self._base[0].frames - 1))
        settings = msgspec.structs.replace(step.settings, shift=self._press[1] + by)
        self.session.edit_step("slide the clip", msgspec.structs.replace(step, settings=settings), merge="slide")

    def mouseReleaseEvent(self, _: QMouseEvent) -> None:
        self._press = None
        self.session.end_merge()


class BlendPanel(StepPanel):
    """The strips, and what they say in words."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        column = self.column
        self.summary = QLabel(wordWrap=True)
        column.addWidget(self.summary)
        self.strips = Strips(session)
        column.addWidget(self.strips)

    def refresh(self) -> None:
        """Bring the strips up to date with the step, the clip below it and the other clip."""
        session = self.session
        step, below, rig = session.step, session.below, session.step_rig
        if step is None or step.kind != "blend":
            return
        base = other = None
        if session.step_problem:
            said = session.step_problem
        else:
            said = "Choose the clip to blend."
        if below is not None and rig is not None:
            base = below, rig
            try:
                other = clip_named(step.settings.clip, session.known_clips())
            except RecipeError as e:
                said = str(e)
            else:
                ratio = other[0].duration / max(base[0].duration, 1e-9)
                said = f"{other[0].frames} frames, {other[0].duration:.2f} s: {ratio:.2f} times as long as this clip."
        self.summary.setText(said)
        self.strips.show_clips(base, other)
        self.strips.setVisible(other is not None)
