"""What is written over the picture."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QPainter, QPen

from reflexa.desktop import stage_hand, theme
from reflexa.desktop.handle import HOOPS, RODS, SWING
from reflexa.desktop.session import RESULT_CARD
from reflexa.desktop.shown import Shown, retarget_match


class Labels:
    """Part of the viewport: what is written over the picture."""

    def _paint_labels(self, painter: QPainter) -> None:
        t = theme.current()
        session = self.session
        take = session.take
        if take is None:
            self._paint_empty(painter)
            return
        bold = QFont(self.font())
        bold.setWeight(QFont.Weight.DemiBold)
        painter.setFont(bold)
        painter.setPen(t.colour("ink"))
        lines = [self._caption()]
        if session.evaluation is None:
            lines.append(session.problem or session.computing or ("Computing…" if session.document is not None else ""))
        elif session.computing or session.problem:
            lines.append(session.computing or session.problem)
        if session.take and session.document is None:
            lines = [f"{take.source.file} is missing or cannot be read", session.missing.get(take.source.file, "")]
            painter.setPen(t.colour("warn"))
        painter.drawText(14, 26, lines[0])
        room = QRectF(14, 34, min(self.width() - 28, max(self.tool_bar.x() - 28, 260)), 120)
        if len(lines) > 1 and any(lines[1:]):
            text, wrap = "\n".join(lines[1:]), int(Qt.TextFlag.TextWordWrap)
            box = QRectF(painter.boundingRect(room, wrap, text))
            painter.fillRect(box.adjusted(-6, -2, 6, 3), t.colour("card", 215))
            painter.drawText(box, wrap, text)
        painter.setFont(self.font())
        side_by_side = self.compare == "Side by side" and not self.before_held
        for f in self.figures():
            if f.role == "pale" or (f.role == "before" and not side_by_side):
                continue
            self._paint_joint_names(painter, f)
            if side_by_side and not session.rest_shown:
                low, middle = f.placed.min(axis=0), f.placed.mean(axis=0)
                at = self.camera.project(np.array([middle[0], low[1], middle[2]]), self.width(), self.height())
                _label(painter, QPointF(at[0], min(at[1] + 24, self.height() - 60)), f.label, t, centred=True)
        handle = self.handle()
        if handle is not None:
            for axis, (letter, _colour) in enumerate(HOOPS):
                at = self.camera.project(handle.bead(axis, self.camera), self.width(), self.height())
                painter.setPen(QColor("white"))
                painter.drawText(QRectF(at[0] - 8, at[1] - 8.5, 16, 16), Qt.AlignmentFlag.AlignCenter, letter)
            if self._grab is None and self._hot >= 0:
                at = self.camera.project(handle.centre, self.width(), self.height())
                _label(
                    painter,
                    QPointF(at[0] + 86, at[1] - 60),
                    f"{stage_hand.says(session) or session.joint}: {handle.says(self._hot)}",
                    t,
                )
            if self._grab is not None:
                at = self.camera.project(handle.centre, self.width(), self.height())
                grabbed = self._grab[0]
                text = f"{self._turned:.1f} cm"
                if grabbed < RODS or grabbed == SWING:
                    text = f"{'swing' if grabbed == SWING else HOOPS[grabbed][0]}  {self._turned:+.1f}°"
                _label(painter, QPointF(at[0] + 86, at[1] - 60), text, t)
        self._paint_scale(painter, t)

    def _caption(self) -> str:
        session = self.session
        take = session.take
        assert take is not None
        where = {RESULT_CARD: "result", -1: "source"}.get(session.tap)
        if where is None:
            where = f"after {take.steps[session.tap].name}"
        if self.before_held or self.compare == "Before":
            where = "source (before)"
            if self.step_held and session.step is not None:
                where = f"before {session.step.name}"
            elif self.other_take:
                where = f"take {self.other_take}"
        elif self.other_take and self.compare != "After":
            where += f", beside take {self.other_take}"
        if session.rest_shown:
            where = (
                "rest pose" if retarget_match(session) is None else "aligned rest of the target under the source's rest"
            )
        return f"{take.name} · {where}"

    def _paint_joint_names(self, painter: QPainter, f: Shown) -> None:
        t = theme.current()
        index = f.clip.skeleton.index
        for name, strong in ((self.hovered, False), (self.session.joint, True)):
            if name in index and not (strong and name == self.hovered):
                at = self.camera.project(f.placed[index[name]], self.width(), self.height())
                if np.isfinite(at[2]):
                    painter.setPen(QPen(t.colour("accent"), 2.4 if name == self.session.joint else 1.6))
                    painter.setBrush(Qt.BrushStyle.NoBrush)
                    painter.drawEllipse(QPointF(at[0], at[1]), 9.5, 9.5)
                    side = f.rig.side_of[index[name]]
                    suffix = f" · {side}" if side in ("left", "right") else " · no partner" if side == "none" else ""
                    _label(painter, QPointF(at[0] + 15, at[1] - 4), name + suffix, t)

    def _paint_scale(self, painter: QPainter, t: theme.Theme) -> None:
        """A bar of a round length in the corner, true at the camera's target."""
        size = self.camera.pixel_size(np.array(self.camera.target), self.height())
        length = next(
            v for v in (0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100, 200) if v / size > 56 or v == 200
        )
        px = length / size
        x, y = self.width() - 16, self.height() - 20
        painter.setPen(QPen(t.colour("ink"), 1.6))
        painter.drawLine(QPointF(x - px, y), QPointF(x, y))
        painter.drawLine(QPointF(x - px, y - 4), QPointF(x - px, y))
        painter.drawLine(QPointF(x, y - 4), QPointF(x, y))
        text = f"{length:g} m" if length >= 1 else f"{length * 100:g} cm"
        painter.drawText(QRectF(x - px - 30, y - 22, px + 30, 16), Qt.AlignmentFlag.AlignRight, text)

    def _paint_empty(self, painter: QPainter) -> None:
        t = theme.current()
        painter.setPen(t.colour("ink"))
        big = QFont(self.font())
        big.setPointSizeF(13)
        big.setWeight(QFont.Weight.DemiBold)
        painter.setFont(big)
        middle = self.rect().center()
        painter.drawText(QRectF(0, middle.y() - 30, self.width(), 26), Qt.AlignmentFlag.AlignCenter, "No take is open")
        painter.setFont(self.font())
        text = "Drop a .bvh, .glb or .gltf file here, or double-click a clip on the left."
        painter.drawText(QRectF(0, middle.y(), self.width(), 22), Qt.AlignmentFlag.AlignCenter, text)


def _label(painter: QPainter, at: QPointF, text: str, t: theme.Theme, centred: bool = False) -> None:
    width = painter.fontMetrics().horizontalAdvance(text) + 12
    box = QRectF(at.x() - (width / 2 if centred else 0), at.y() - 10, width, 20)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(t.colour("card", 235))
    painter.drawRoundedRect(box, 5, 5)
    painter.setPen(t.colour("ink"))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
