"""The source as a strip: its segments one after the other, where they overlap, and how well they meet."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QInputDialog, QMenu

from reflexa.desktop.look import theme
from reflexa.desktop.time.lanes import Lanes
from reflexa.desktop.time.time_map import TimeMap
from reflexa.desktop.widgets import menus
from reflexa.session import Session, sequence
from reflexa.take import Segment

_TOP, _BAR, _STEP, _NEAR = 6, 24, 28, 7.0


class SequenceLane(Lanes):
    """Drag an end to trim, the middle to the left over the one before to crossfade, onto another place to reorder; a
    right-click offers the rest; Delete takes the chosen one out."""

    def __init__(self, session: Session, time: TimeMap) -> None:
        super().__init__(session, time, "Segments of the source")
        self.setMinimumHeight(_TOP + _BAR + _STEP + 22)
        self.setToolTip("Drag an end to trim; drag a segment over the one before to crossfade; right-click for more")
        self.hot = -1
        self._grab: tuple[str, float, Segment] | None = None
        self._slots: list[QRectF] = []  # where all were drawn when one was grabbed
        self._faded = False  # its crossfade was changed on the way
        self._to = -1  # the place that the one that is dragged would go to
        for signal in (session.evaluator.done, session.take_changed, session.selection.changed):
            signal.connect(self.changed)

    def rect_of(self, index: int) -> QRectF:
        """Where a segment is drawn."""
        first, last = sequence.spans(self.session)[index]
        x = self.time.x(first)
        return QRectF(x, _TOP + (index % 2) * _STEP, max(self.time.x(last) - x, 6.0), _BAR)

    def paint_still(self, p: QPainter) -> None:
        t, segments = theme.current(), sequence.segments(self.session)
        self.paint_name(p, _TOP, _BAR, "Segments")
        spans = sequence.spans(self.session)
        if len(spans) != len(segments):
            return
        p.setClipRect(QRectF(self.left - 8, 0, self.width() - self.left + 8, self.height()))
        for i, s in enumerate(segments):
            rect = self.rect_of(i)
            if i and spans[i][0] <= spans[i - 1][1]:  # both at once
                a, b = self.time.x(spans[i][0]), self.time.x(spans[i - 1][1])
                both = QBrush(t.colour("line"), Qt.BrushStyle.Dense5Pattern)
                p.fillRect(QRectF(a, _TOP, max(b - a, 2.0), _BAR + _STEP), both)
            p.setPen(QPen(t.colour("ink" if i == self.hot else "accent"), 1.8 if i == self.hot else 1.2))
            p.setBrush(t.colour("soft"))
            p.drawRoundedRect(rect, 4, 4)
            p.setPen(t.colour("ink"))
            said = p.fontMetrics().elidedText(title(s), Qt.TextElideMode.ElideRight, int(rect.width() - 10))
            p.drawText(rect.adjusted(6, 0, -4, 0), Qt.AlignmentFlag.AlignVCenter, said)
        if self._grab is not None and 0 <= self._to < len(self._slots) and self._to != self.hot:
            slot = self._slots[self._to]
            x = slot.left() if self._to < self.hot else slot.right()
            p.setPen(QPen(t.colour("ink"), 3))
            p.drawLine(QPointF(x, _TOP - 4), QPointF(x, _TOP + _BAR + _STEP + 4))
        p.setPen(t.colour("quiet"))
        free = self.left
        for frame, text in sequence.seams_said(self.session):
            wide = p.fontMetrics().horizontalAdvance(text) + 14
            x = max(self.time.x(frame) - wide / 2, free)
            p.drawText(QRectF(x, _TOP + _BAR + _STEP + 1, wide, 18), Qt.AlignmentFlag.AlignLeft, text)
            free = x + wide
        p.setClipping(False)

    def paint_over(self, p: QPainter) -> None:
        self.paint_playhead(p)

    def _at(self, at: QPointF) -> tuple[int, str]:
        for i in range(len(sequence.spans(self.session))):
            rect = self.rect_of(i)
            if rect.adjusted(-_NEAR, 0, _NEAR, 0).contains(at):
                if abs(at.x() - rect.left()) < _NEAR:
                    return i, "first"
                return i, "last" if abs(at.x() - rect.right()) < _NEAR else "whole"
        return -1, ""

    def mousePressEvent(self, e: QMouseEvent) -> None:
        if e.button() != Qt.MouseButton.LeftButton:
            return
        self.setFocus()
        self.hot, what = self._at(e.position())
        given = sequence.segments(self.session)
        self._grab = (what, e.position().x(), given[self.hot]) if 0 <= self.hot < len(given) else None
        self._slots, self._to = [self.rect_of(i) for i in range(len(sequence.spans(self.session)))], self.hot
        self._faded = False
        if self._grab is None:
            self.session.player.set_frame(round(self.time.frame(e.position().x())))
        self.changed()

    def mouseMoveEvent(self, e: QMouseEvent) -> None:
        if self._grab is None:
            edge = self._at(e.position())[1] in ("first", "last")
            self.setCursor(Qt.CursorShape.SizeHorCursor if edge else Qt.CursorShape.ArrowCursor)
            return
        what, start, old = self._grab
        by = round((e.position().x() - start) / max(self.time.frame_width(), 1e-6))
        if what == "whole":
            self._to = self._place_under(e.position().x())
            # Over another place it is moved there, and its crossfade is as it was.
            new = replace(old, crossfade=max(old.crossfade - by, 0)) if self._to == self.hot else old
            self._faded |= new != old
            sequence.change(self.session, self.hot, new, "crossfade")
            self.changed()
            return
        frames = round(by * old.speed) * (-1 if old.reversed else 1)
        first = (what == "first") != old.reversed
        sequence.trim(self.session, self.hot, old, frames if first else 0, 0 if first else frames)

    def mouseReleaseEvent(self, e: QMouseEvent) -> None:
        grab, self._grab = self._grab, None
        if grab is not None and grab[0] == "whole" and self._to not in (self.hot, -1):
            if self._faded:
                self.session.undo()  # it was on its way
            sequence.move(self.session, self.hot, self._to)
            self.hot = self._to
        self._to = -1
        self.session.history.end_merge()
        self.changed()

    def _place_under(self, x: float) -> int:
        """The place in the row that a pixel means for the segment that is dragged, as they were drawn when it was grabbed."""
        if not 0 <= self.hot < len(self._slots):
            return self.hot
        return sum(r.center().x() < x for i, r in enumerate(self._slots) if i != self.hot)

    def wants(self, key: Qt.Key) -> bool:
        return self.hot >= 0 and key in (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Delete)

    def keyPressEvent(self, e: QKeyEvent) -> None:
        if e.key() == Qt.Key.Key_Delete and self.hot >= 0:
            sequence.remove(self.session, self.hot)
        elif e.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right) and self.hot >= 0:
            sequence.move(self.session, self.hot, self.hot + (1 if e.key() == Qt.Key.Key_Right else -1))
        else:
            super().keyPressEvent(e)

    def contextMenuEvent(self, e: QContextMenuEvent) -> None:
        at, given = self._at(QPointF(e.pos()))[0], sequence.segments(self.session)
        if at < 0:
            return
        session, s, menu = self.session, given[at], QMenu(self)
        for text, on, other in (
            ("Reversed", s.reversed, replace(s, reversed=not s.reversed)),
            ("Mirrored", s.mirrored, replace(s, mirrored=not s.mirrored)),
            ("Keep its own place", s.in_place, replace(s, in_place=not s.in_place)),
            ("Match phase with the previous segment", not s.out_of_step, replace(s, out_of_step=not s.out_of_step)),
        ):
            entry = menu.addAction(text, partial(sequence.change, session, at, other))
            entry.setCheckable(True)
            entry.setChecked(on)
        menu.addAction(f"Speed ({s.speed:g} ×)…", partial(self._ask_speed, at))
        menu.addSeparator()
        # What a first, last or only segment cannot do is not offered.
        if at > 0:
            menu.addAction("Find the best frames for the seam before it", partial(sequence.best, session, at))
            menu.addAction("Earlier", partial(sequence.move, session, at, at - 1))
        if at < len(given) - 1:
            menu.addAction("Later", partial(sequence.move, session, at, at + 1))
        menu.addAction("Repeat segment", partial(sequence.again, session, at))
        if len(given) > 1:
            menu.addAction(theme.icon("delete"), "Remove", partial(sequence.remove, session, at))
        menus.show(menu, e.globalPos())

    def _ask_speed(self, at: int) -> None:
        s = sequence.segments(self.session)[at]
        value, good = QInputDialog.getDouble(self, "Speed", "Speed factor", s.speed, 0.01, 100.0, 2)
        if good:
            sequence.change(self.session, at, replace(s, speed=value), "")


def title(s: Segment) -> str:
    """A segment in words."""
    end = "" if s.last is None else str(s.last)
    marks = [f"{s.first}–{end or 'end'}"] if s.first or end else []
    marks += [f"× {s.speed:g}"] if s.speed != 1 else []
    marks += [name for name, on in (("reversed", s.reversed), ("mirrored", s.mirrored)) if on]
    return f"{s.clip} ({', '.join(marks)})" if marks else s.clip
