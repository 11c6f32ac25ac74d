"""How a clip in a library folder is drawn: its light figure, its name, and small marks for what matters at a glance."""

from __future__ import annotations

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QFont, QPainter, QPen
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from reflexa.desktop.library.model import LibraryModel
from reflexa.desktop.library.words import listed, short
from reflexa.desktop.look import theme
from reflexa.desktop.widgets.light_figure import draw_light
from reflexa.library.finder import Row
from reflexa.library.fits import EXACTLY, RENAME, RETARGET
from reflexa.library.light import Light

CELL, ROW = QSize(112, 138), QSize(180, 58)
Index = QModelIndex | QPersistentModelIndex


class LibraryCell(QStyledItemDelegate):
    """Cells of a grid; the one under the pointer plays."""

    def __init__(self, model: LibraryModel, parent: QWidget) -> None:
        super().__init__(parent)
        self._model, self._widget = model, parent
        self.rows = False
        self.playing = -1
        self.seconds = 0.0

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return ROW if self.rows else CELL

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        row = self._model.row(index.row())
        if row is None:
            return
        t, p = theme.current(), painter
        rect: QRectF = QRectF(option.rect)
        state: QStyle.StateFlag = option.state
        box = rect.adjusted(2, 2, -2, -2)
        chosen = bool(state & QStyle.StateFlag.State_Selected)
        focused = bool(state & QStyle.StateFlag.State_HasFocus)
        p.save()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(QPen(t.colour("accent"), 2) if chosen or focused else QPen(t.colour("line"), 1))
        p.setBrush(t.colour("soft" if chosen else "card"))
        p.drawRoundedRect(box, 6, 6)
        if self.rows:
            self._draw_figure(p, QRectF(box.x() + 4, box.y() + 4, 50, box.height() - 8), row)
            right = self._draw_marks(p, box, row)
            self._title(p, QRectF(box.x() + 62, box.y() + 1, right - box.x() - 66, 18), row)
            self._lines(p, QRectF(box.x() + 62, box.y() + 1, box.width() - 68, 36), row, listed(row))
            p.restore()
            return
        picture = QRectF(box.x() + 6, box.y() + 20, box.width() - 12, box.height() - 62)
        self._draw_figure(p, picture, row)
        self._draw_marks(p, box, row)
        room = QRectF(box.x() + 6, box.bottom() - 38, box.width() - 12, 36)
        self._title(p, QRectF(room.x(), room.y(), room.width(), 18), row)
        self._lines(p, room, row, short(row))
        p.restore()

    def _draw_figure(self, p: QPainter, room: QRectF, row: Row) -> None:
        figure = self._model.poses(row.id) if row.id > 0 else None
        if figure is None:
            p.setPen(theme.current().colour("warn"))
            p.drawText(room, Qt.AlignmentFlag.AlignCenter, "?")
            return
        draw_light(p, room, figure, self.pose_of(row, figure[1]), row.height)

    def pose_of(self, row: Row, light: Light) -> float:
        """The pose that is shown of one just now."""
        last = len(light.points) - 1
        if row.id == self.playing and row.duration > 0:
            return (self.seconds % row.duration) / row.duration * last
        if row.said.frame is not None and row.frames > 1:
            return min(row.said.frame / (row.frames - 1), 1.0) * last
        return float(row.pose)

    def _draw_marks(self, p: QPainter, box: QRectF, row: Row) -> float:
        """How it fits at the top left; findings, untidy, stars at the top right. Where those begin."""
        t = theme.current()
        fit = self._model.work.fits.get(row.rig, "")
        at = QPointF(box.x() + 10, box.y() + 10)
        p.setBrush(Qt.BrushStyle.NoBrush)
        if fit == EXACTLY:
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(t.colour("good"))
            p.drawEllipse(at, 4, 4)
        elif fit == RENAME:
            p.setPen(QPen(t.colour("good"), 2))
            p.drawEllipse(at, 3.5, 3.5)
        elif fit == RETARGET:
            p.setPen(QPen(t.colour("quiet"), 2))
            p.drawLine(at + QPointF(-4, 0), at + QPointF(4, 0))
        small = QFont(self._widget.font())
        small.setPointSizeF(small.pointSizeF() * 0.85)
        p.setFont(small)
        right = box.right() - 5
        if row.findings:
            text = f"{row.findings}"
            width = max(p.fontMetrics().horizontalAdvance(text) + 8, 15)
            badge = QRectF(right - width, box.y() + 4, width, 15)
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(t.colour("warn"))
            p.drawRoundedRect(badge, 7, 7)
            p.setPen(t.colour("card"))
            p.drawText(badge, Qt.AlignmentFlag.AlignCenter, text)
            right -= width + 5
        for token, text in (("accent", "★" * row.said.stars), ("quiet", "untidy" if row.untidy else "")):
            width = p.fontMetrics().horizontalAdvance(text)
            p.setPen(t.colour(token))
            p.drawText(QRectF(right - width, box.y() + 4, width + 1, 15), Qt.AlignmentFlag.AlignVCenter, text)
            right -= width + 5 if text else 0
        return right

    def _title(self, p: QPainter, room: QRectF, row: Row) -> None:
        p.setFont(theme.strong(self._widget.font()))
        p.setPen(theme.current().colour("ink" if not row.error else "quiet"))
        title = p.fontMetrics().elidedText(row.clip, Qt.TextElideMode.ElideMiddle, int(room.width()))
        p.drawText(room, Qt.AlignmentFlag.AlignVCenter, title)

    def _lines(self, p: QPainter, room: QRectF, row: Row, told: str) -> None:
        """What is said below the title, which ``room`` has place for at its top."""
        p.setFont(self._widget.font())
        p.setPen(theme.current().colour("quiet"))
        if row.loop:
            theme.icon("loop", "quiet").paint(p, int(room.right()) - 14, int(room.y()) + 18, 14, 14)
        for i, line in enumerate(told.split("\n")):
            width = int(room.width()) - (16 if row.loop and i == 0 else 0)
            text = p.fontMetrics().elidedText(line, Qt.TextElideMode.ElideRight, width)
            p.drawText(QRectF(room.x(), room.y() + 17 * (i + 1), width, 17), Qt.AlignmentFlag.AlignVCenter, text)
