"""How an item of the library is drawn: a picture beside its name, a quiet line, and the icons of its steps."""

from __future__ import annotations

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QRect, QRectF, QSize, Qt
from PySide6.QtGui import QFontMetrics, QPainter
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from reflexa.desktop.clips.previews import PICTURE, Previews, Thing
from reflexa.desktop.look import theme

# Of a row: what it is of, the lines below its name, icons of its steps, and the take as it is shown.
THING, LINES, ICONS, SHOWN = (Qt.ItemDataRole.UserRole + i for i in range(4))
_ICON = 13
Index = QModelIndex | QPersistentModelIndex


def _box(rect: QRect) -> QRectF:
    return QRectF(rect).adjusted(2, 1, -2, -1)


def _place(rect: QRect) -> QRectF:
    """Where the picture of an item stands."""
    return QRectF(_box(rect).x() + 3, _box(rect).y() + 2, PICTURE.width(), PICTURE.height() - 2)


def _words(rect: QRect) -> QRectF:
    """The room beside it."""
    return _box(rect).adjusted(_place(rect).right() + 7 - _box(rect).x(), 0, -4, 0)


class ItemDelegate(QStyledItemDelegate):
    """The open take is framed."""

    def __init__(self, previews: Previews, parent: QWidget) -> None:
        super().__init__(parent)
        self._previews, self._widget = previews, parent

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        thing: Thing = index.data(THING)
        return QSize(180, 24 if thing.heading else PICTURE.height() + 4)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        t, p = theme.current(), painter
        rect: QRect = option.rect
        state: QStyle.StateFlag = option.state
        box = _box(rect)
        thing: Thing = index.data(THING)
        if thing.heading:
            self._heading(p, box, index)
            return
        p.save()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        current = bool(thing.take) and thing.take == self._previews.session.selection.take
        hovered = bool(state & QStyle.StateFlag.State_MouseOver)
        if current or hovered or state & QStyle.StateFlag.State_Selected:
            p.setPen(t.colour("accent") if current else Qt.PenStyle.NoPen)
            p.setBrush(t.colour("soft" if current or hovered else "card"))
            p.drawRoundedRect(box, 6, 6)
        image = self._previews.image(thing)
        place = _place(rect)
        if image is not None:
            p.drawImage(place, image)
        else:
            p.fillRect(place, t.colour("line"))
        self._write(p, _words(rect), index)
        p.restore()

    def _heading(self, p: QPainter, box: QRectF, index: Index) -> None:
        t = theme.current()
        p.save()
        p.setFont(theme.strong(self._widget.font()))
        p.setPen(t.colour("quiet"))
        p.drawText(box.adjusted(6, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, index.data())
        p.setPen(t.colour("line"))
        p.drawLine(box.bottomLeft(), box.bottomRight())
        p.restore()

    def _write(self, p: QPainter, room: QRectF, index: Index) -> None:
        t, thing = theme.current(), index.data(THING)
        width, there = int(room.width()), bool(thing.take) or thing.source is not None
        p.setFont(theme.strong(self._widget.font()))
        p.setPen(t.colour("ink" if there else "quiet"))
        title = p.fontMetrics().elidedText(index.data(), Qt.TextElideMode.ElideRight, width)
        p.drawText(QRectF(room.x(), room.y() + 1, width, 17), Qt.AlignmentFlag.AlignVCenter, title)
        p.setFont(self._widget.font())
        p.setPen(t.colour("quiet"))
        text = p.fontMetrics().elidedText(self._second(index, width), Qt.TextElideMode.ElideRight, width)
        p.drawText(QRectF(room.x(), room.y() + 18, width, 15), Qt.AlignmentFlag.AlignVCenter, text)
        x = room.x() + p.fontMetrics().horizontalAdvance(text) + 8
        for name in index.data(ICONS) or ():
            if x + _ICON > room.right():
                break
            p.drawPixmap(round(x), round(room.y() + 19), theme.icon(name, "quiet").pixmap(_ICON, _ICON))
            x += _ICON + 4

    def _second(self, index: Index, width: int) -> str:
        """The quiet line: as many of its parts as there is room for, at least the first."""
        parts = index.data(LINES)
        m = QFontMetrics(self._widget.font())
        fits = (" · ".join(parts[:n]) for n in range(len(parts), 0, -1))
        return next((text for text in fits if m.horizontalAdvance(text) <= width), parts[0] if parts else "")

    def elided(self, index: Index, rect: QRect) -> list[str]:
        """The texts of an item that end in dots, drawn into a rectangle."""
        if index.data(THING).heading:
            return []
        width = int(_words(rect).width())
        pairs = ((theme.strong(self._widget.font()), index.data()), (self._widget.font(), self._second(index, width)))
        return [text for font, text in pairs if QFontMetrics(font).horizontalAdvance(text) > width]
