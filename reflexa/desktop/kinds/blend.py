"""How two clips are lined up: two strips, the other one slid by hand, with the contacts of the feet marked on both."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen

from reflexa.desktop.kinds.model import StepView
from reflexa.desktop.look import theme
from reflexa.desktop.settings.step_panel import StepPanel
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.focus import paint_focus
from reflexa.desktop.widgets.own_keys import SIDEWAYS, OwnKeys
from reflexa.motion import stances
from reflexa.motion.arrays import Array
from reflexa.session import Session, line
from reflexa.steps.blend import BlendReport, BlendSettings
from reflexa.words import counted


def settings_of(session: Session) -> BlendSettings | None:
    """The selected blend's settings."""
    settings = session.step.settings if session.step is not None else None
    return settings if isinstance(settings, BlendSettings) else None


class Strips(OwnKeys):
    """This clip above, the other below, as it plays against it. Drag, Left and Right slide the other by whole frames."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setFixedHeight(64)
        self.setCursor(Qt.CursorShape.SizeHorCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Alignment of the clips")
        self.setToolTip(
            "Drag to slide the other clip by whole frames, or press Left and Right (Shift: ten).\nMarks: "
            "contacts of the left foot (ring colour) and the right foot"
        )
        self._report: BlendReport | None = None
        self._press: tuple[float, int] | None = None

    def sizeHint(self) -> QSize:
        return QSize(200, 64)

    def show_report(self, report: BlendReport | None) -> None:
        """Show how the clips lie to each other."""
        self._report = report
        self.update()

    def _x(self, frame: float) -> float:
        frames = len(self._report.at) if self._report is not None else 1
        return 1 + (self.width() - 2) * frame / max(frames - 1, 1)

    def paintEvent(self, event: QPaintEvent) -> None:
        report, settings = self._report, settings_of(self.session)
        if report is None or settings is None or not len(report.at):
            return
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        frames = len(report.at)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.colour("soft"))
        p.drawRoundedRect(QRectF(1, 4, self.width() - 2, 24), 4, 4)
        self._mark(p, 4, report.stands, np.arange(frames))
        period = max(report.frames - 1, 1)
        turns = np.floor(np.clip(report.at, -1e6, 1e6) / period)
        for turn in np.unique(turns):
            inside = np.flatnonzero(turns == turn)
            first, last = self._x(inside[0]), self._x(min(inside[-1] + 1, frames - 1))
            held = not settings.repeat and turn != 0
            p.setBrush(t.colour("line" if held else "soft", 120 if held else 255))
            p.drawRoundedRect(QRectF(first, 36, max(last - first - 1, 1), 24), 4, 4)
        at = np.mod(report.at, period) if settings.repeat else np.clip(report.at, 0, period)
        self._mark(p, 36, report.other_stands, at)
        p.setPen(QPen(t.colour("ink"), 1.2))
        here = self._x(min(self.session.player.frame, frames - 1))
        p.drawLine(QPointF(here, 2), QPointF(here, 62))
        paint_focus(self, p)
        p.end()

    def _mark(
        self, p: QPainter, top: float, stands: Mapping[str, NDArray[np.bool_]], at: Array | NDArray[np.intp]
    ) -> None:
        """Bars where each foot stands, seen at frames ``at`` of its own clip."""
        for row, side in enumerate(("left", "right")):
            if side not in stands:
                continue
            mask = stands[side][np.clip(np.round(at).astype(int), 0, len(stands[side]) - 1)]
            p.setBrush(theme.current().colour(side))
            for first, last in stances.spans(mask):
                p.drawRect(QRectF(self._x(first), top + 5 + 9 * row, max(self._x(last) - self._x(first), 2.0), 5))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        settings = settings_of(self.session)
        if self._report is not None and settings is not None:
            self._press = (event.position().x(), settings.shift)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        settings = settings_of(self.session)
        if self._press is None or settings is None or self._report is None:
            return
        x, shift = self._press
        self._slide(settings, shift + round((event.position().x() - x) / self.width() * (len(self._report.at) - 1)))

    def _slide(self, settings: BlendSettings, to: int) -> None:
        line.edit_settings(self.session, "slide the clip", replace(settings, shift=to), "slide")

    def wants(self, key: Qt.Key) -> bool:
        return key in SIDEWAYS

    def keyPressEvent(self, event: QKeyEvent) -> None:
        settings, key = settings_of(self.session), Qt.Key(event.key())
        if settings is None or not self.wants(key):
            super().keyPressEvent(event)
            return
        by = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
        self._slide(settings, settings.shift + by * SIDEWAYS[key])

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._press = None
        self.session.history.end_merge()


class BlendPanel(StepPanel):
    """The strips, and what they say in words."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.summary = labels.text()
        self.column.addWidget(self.summary)
        self.strips = Strips(session)
        self.column.addWidget(self.strips)

    def refresh(self) -> None:
        session, settings, report = self.session, settings_of(self.session), self.session.computed.report
        if settings is None:
            return
        known = report if isinstance(report, BlendReport) and not session.computed.step_problem else None
        if known is not None:
            said = f"{counted(known.frames, 'frame')}, {known.seconds:.2f} s: {known.ratio:.2f} times as long as this clip."
        else:
            said = session.computed.step_problem or ("" if settings.clip else "Choose the clip to blend.")
        self.summary.setText(said)
        self.strips.show_report(known)
        self.strips.setVisible(known is not None)


VIEW = StepView("blend", also="mix additive layer combine", panel=BlendPanel, dropped="clip", mask_first=True)
