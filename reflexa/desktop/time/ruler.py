"""Frame numbers, events, the playhead, and the handles of the range."""

from __future__ import annotations

from functools import partial
from itertools import zip_longest

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import (
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPen,
    QPolygonF,
    QResizeEvent,
)
from PySide6.QtWidgets import QApplication, QInputDialog, QMenu

from reflexa.desktop.look import theme
from reflexa.desktop.time.lanes import Lanes
from reflexa.desktop.time.time_map import GUTTER, TimeMap, tick_step
from reflexa.desktop.widgets import menus
from reflexa.desktop.widgets.own_keys import PAGES, SIDEWAYS
from reflexa.session import Session, events, line

_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
_TELLS = 4  # letters
_TYPED = "Name, or name = value (a number or text)"
_OWN = (*SIDEWAYS, *PAGES, Qt.Key.Key_Insert, Qt.Key.Key_Delete)
_HEIGHT, _TOP = 50, 20  # below the top lie the frames, above it the events


class Ruler(Lanes):
    """Drag moves the playhead, an end of the range, or an event; a double-click over the frames adds an event.

    By keyboard: Page Up and Page Down go from event to event; Shift+Left and Right move the one at the playhead, Return
    renames it, Delete removes it, Insert adds one.
    """

    def __init__(self, session: Session, time: TimeMap) -> None:
        super().__init__(session, time, "Time ruler")
        self.setFixedHeight(_HEIGHT)
        self._grab, self._event = "", -1
        self._pressed: float | None = None  # where an end of the range was pressed, until it is dragged
        for signal in (session.take_changed, session.evaluator.done, session.selection.looked):
            signal.connect(self.changed)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.time.width = self.width()
        self.time.changed.emit()

    def paint_still(self, p: QPainter) -> None:
        t, (first, last) = theme.current(), self.session.computed.range
        p.fillRect(QRectF(GUTTER, _TOP, self.width() - GUTTER, _HEIGHT - _TOP), t.colour("field"))
        p.setClipRect(QRectF(GUTTER - 8, 0, self.width() - GUTTER + 8, _HEIGHT))
        x0, x1 = self.time.x(first), self.time.x(last)
        p.fillRect(QRectF(x0, _TOP, x1 - x0, _HEIGHT - _TOP), t.colour("soft"))
        self._paint_numbers(p, first, last)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.colour("accent"))
        for x in (x0 - 6, x1):
            p.drawRoundedRect(QRectF(x, _TOP, 6, _HEIGHT - _TOP), 2, 2)
        self._paint_events(p)
        p.setClipping(False)
        p.setPen(t.colour("quiet"))
        p.drawText(QRectF(10, 3, GUTTER - 14, 16), _LEFT, "Events")
        p.drawText(QRectF(10, 24, GUTTER - 14, 18), _LEFT, "Frames")

    def paint_over(self, p: QPainter) -> None:
        p.setClipRect(QRectF(GUTTER - 8, 0, self.width() - GUTTER + 8, _HEIGHT))
        self._paint_playhead(p)
        p.setClipping(False)

    def _paint_numbers(self, p: QPainter, first: int, last: int) -> None:
        t, time, frames = theme.current(), self.time, self.session.computed.frames
        step = tick_step(time.frame_width())
        p.setPen(t.colour("quiet"))
        f = int(time.first // step) * step
        while f <= time.last:
            if 0 <= f < frames:
                x = time.x(f)
                p.drawLine(QPointF(x, 42), QPointF(x, _HEIGHT))
                # The handles of the range stand where the first and last number would be.
                aside = 13 if f == first else -13 if f == last else 0
                p.drawText(QRectF(x - 30 + aside, 23, 60, 16), Qt.AlignmentFlag.AlignCenter, str(f))
            f += step
        if time.frame_width() >= 5:
            p.setPen(t.colour("line"))
            for f in range(max(0, int(time.first)), min(frames, int(time.last) + 2)):
                x = time.x(f)
                p.drawLine(QPointF(x, 46), QPointF(x, _HEIGHT))

    def _paint_events(self, p: QPainter) -> None:
        t, clip = theme.current(), self.session.computed.shown
        # Names end before the next event; of which too little would be left is left to the tool tip.
        shown = list(clip.events) if clip is not None else []
        for event, after in zip_longest(shown, shown[1:]):
            x = self.time.x(event.frame)
            end = self.time.x(after.frame) - 6 if after is not None else self.width()
            p.setPen(t.colour("ink"))
            p.setBrush(t.colour("good"))
            p.drawPolygon(QPolygonF([QPointF(x, 19), QPointF(x - 4, 12), QPointF(x + 4, 12)]))
            name = p.fontMetrics().elidedText(event.label, Qt.TextElideMode.ElideRight, int(max(end - x - 6, 0)))
            if len(name) > _TELLS or name == event.label:
                p.drawText(QRectF(x + 6, 3, 160, 16), _LEFT, name)

    def _paint_playhead(self, p: QPainter) -> None:
        t, frame = theme.current(), self.session.player.frame
        x = self.time.x(frame)
        p.setPen(QPen(t.colour("ink"), 1.6))
        p.drawLine(QPointF(x, _TOP), QPointF(x, _HEIGHT))
        w = p.fontMetrics().horizontalAdvance(str(frame)) + 12
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.colour("ink"))
        p.drawRoundedRect(QRectF(x - w / 2, 22, w, 18), 4, 4)
        p.setPen(t.colour("card"))
        p.drawText(QRectF(x - w / 2, 22, w, 18), Qt.AlignmentFlag.AlignCenter, str(frame))

    def event_at(self, x: float, y: float) -> int:
        """Number of the event under a pixel, or -1."""
        if y >= _TOP:
            return -1
        near = [(abs(self.time.x(e.frame) - x), i) for i, e in enumerate(events.seen(self.session))]
        return min(near)[1] if near and min(near)[0] < 8 else -1

    def _what(self, x: float, y: float) -> str:
        first, last = self.session.computed.range
        if y >= _TOP - 2:
            if abs(x - self.time.x(first) + 3) < 6:
                return "first"
            if abs(x - self.time.x(last) - 3) < 6:
                return "last"
        return "playhead"

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            x, y = event.position().x(), event.position().y()
            self._event = self.event_at(x, y)
            self._grab = "event" if self._event >= 0 else self._what(x, y) if y >= _TOP - 2 else ""
            self._pressed = x if self._grab in ("first", "last") else None
            if self._grab != "event":
                self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        x = event.position().x()
        if not self._grab:
            over = self.event_at(x, event.position().y())
            found = events.seen(self.session)
            self.setToolTip(f"{found[over].label} at frame {found[over].frame:g}" if over >= 0 else "")
            edge = self._what(x, event.position().y()) != "playhead"
            self.setCursor(Qt.CursorShape.SizeHorCursor if edge else Qt.CursorShape.ArrowCursor)
            return
        if self._pressed is not None and abs(x - self._pressed) < QApplication.startDragDistance():
            return  # a click at an end of the range is meant for the playhead
        self._pressed = None
        frame = round(self.time.frame(x))
        if self._grab == "event":
            self._move_event(frame)
        elif self._grab == "playhead":
            self.session.player.set_frame(frame)
        elif self._grab == "first":
            line.set_range(self.session, first=frame)
        else:
            line.set_range(self.session, last=frame)

    def _move_event(self, frame: int) -> None:
        before = events.seen(self.session)
        if (
            not 0 <= self._event < len(before)
            or before[self._event].frame == frame
            or self.session.computed.settled is None
        ):
            return
        moved = before[self._event]
        events.move(self.session, self._event, frame)
        # They stand in order of time: it may have passed another.
        self._event = sum(
            e.frame < frame or (e.frame == frame and e.name < moved.name) for e in before if e is not moved
        )

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        x, y = event.position().x(), event.position().y()
        at = self.event_at(x, y)
        if at >= 0:
            self.rename_event(at)
        elif y < _TOP and x >= GUTTER - 8:
            self.add_event(round(self.time.frame(x)))

    def wants(self, key: Qt.Key) -> bool:
        return key in _OWN

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, player = Qt.Key(event.key()), self.session.player
        seen = events.seen(self.session)
        here = next((i for i, e in enumerate(seen) if round(e.frame) == player.frame), -1)
        if key in PAGES:
            before = [round(e.frame) for e in seen if round(e.frame) < player.frame]
            after = [round(e.frame) for e in seen if round(e.frame) > player.frame]
            player.set_frame(
                after[0]
                if key == Qt.Key.Key_PageDown and after
                else before[-1]
                if key == Qt.Key.Key_PageUp and before
                else player.frame
            )
        elif key == Qt.Key.Key_Insert:
            self.add_event(player.frame)
        elif key in SIDEWAYS:
            by = SIDEWAYS[key]
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                if here < 0 or self.session.computed.settled is None:
                    return
                self._event = here
                self._move_event(player.frame + by)
            player.set_frame(player.frame + by)
        elif here >= 0 and key == Qt.Key.Key_Delete:
            events.rename(self.session, here, "")
        elif here >= 0 and key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.rename_event(here)
        else:
            super().keyPressEvent(event)

    def add_event(self, frame: int) -> None:
        """Ask for the name of an event, and put it at a frame."""
        name, good = QInputDialog.getItem(
            self, "Add event", f"{_TYPED}, at frame {frame}", events.known_names(self.session) or [""]
        )
        if good and name.strip():
            events.add(self.session, name.strip(), min(max(frame, 0), self.session.computed.frames - 1))

    def rename_event(self, at: int) -> None:
        """Ask for another name of an event."""
        names, now = events.known_names(self.session), events.seen(self.session)[at].label
        name, good = QInputDialog.getItem(self, "Rename event", _TYPED, names, names.index(now))
        if good and name.strip():
            events.rename(self.session, at, name.strip())

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        session, menu = self.session, QMenu(self)
        at, frame = self.event_at(event.pos().x(), event.pos().y()), round(self.time.frame(event.pos().x()))
        if at >= 0:
            menu.addAction("Rename event or set its value…", partial(self.rename_event, at))
            menu.addAction(theme.icon("delete"), "Remove event", partial(events.rename, session, at, ""))
        menu.addAction(f"Add event at frame {frame}…", partial(self.add_event, frame))
        menu.addAction("Strikes and lifts from contacts", partial(events.from_contacts, session))
        clipboard = QApplication.clipboard()
        if events.seen(session):
            menu.addAction("Copy the events", lambda: clipboard.setText(events.as_text(session)))
        menu.addAction("Paste events", lambda: events.paste(session, clipboard.text()))
        menu.addSeparator()
        menu.addAction("Start the range here", partial(line.set_range, session, first=frame))
        menu.addAction("End the range here", partial(line.set_range, session, last=frame))
        menus.show(menu, event.globalPos())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._grab = ""
        if self._pressed is not None:
            self._pressed = None
            self.session.player.set_frame(round(self.time.frame(event.position().x())))
        self.session.history.end_merge()
