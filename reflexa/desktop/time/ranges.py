"""The ranges of a take over the ruler: each a bar with its name."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QInputDialog, QMenu

from reflexa.desktop.look import theme
from reflexa.desktop.time.lanes import Lanes
from reflexa.desktop.time.time_map import GUTTER, TimeMap
from reflexa.desktop.widgets import menus
from reflexa.desktop.widgets.own_keys import ARROWS, PAGES, SIDEWAYS, UPRIGHT
from reflexa.session import Session, line, ranges
from reflexa.take import Range

_ROW, _NEAR = 18, 6.0
_PARTS = ("whole", "first", "last")


class RangeLane(Lanes):
    """Double-click plays one; its ends and itself can be dragged; a right-click offers the rest. Gone where there is none.

    By keyboard: Page Up and Page Down choose one, Up and Down the whole of it or one of its ends, Left and Right move
    that; Return plays it, Delete removes it.
    """

    # Does it leave its room to what is below?
    away = False

    def __init__(self, session: Session, time: TimeMap) -> None:
        super().__init__(session, time, "Ranges")
        self._grab: tuple[Range, str, int] | None = None
        self._chosen, self._part = "", "whole"
        for signal in (session.take_changed, session.evaluator.done, session.selection.looked):
            signal.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """As high as it needs to be."""
        rows = self.rows()
        self.setVisible(bool(rows) and self.session.computed.by_result and not self.away)
        self.setFixedHeight(_ROW * (1 + max((row for _, row in rows), default=0)) + 2)
        self.changed()

    def rows(self) -> list[tuple[Range, int]]:
        """Every range and the row it stands in, so that none covers another."""
        out: list[tuple[Range, int]] = []
        ends: list[int] = []
        for r in self.session.take.ranges if self.session.take is not None else ():
            row = next((i for i, end in enumerate(ends) if r.first > end), len(ends))
            ends[row : row + 1] = [r.last]
            out.append((r, row))
        return out

    def rect_of(self, r: Range, row: int) -> QRectF:
        """Where a range is drawn."""
        x = self.time.x(r.first)
        return QRectF(x, row * _ROW + 1, max(self.time.x(r.last) - x, 4.0), _ROW - 3)

    def paint_still(self, p: QPainter) -> None:
        t = theme.current()
        p.setPen(t.colour("quiet"))
        p.drawText(QRectF(10, 0, GUTTER - 14, _ROW), Qt.AlignmentFlag.AlignVCenter, "Ranges")
        p.setClipRect(QRectF(GUTTER - 8, 0, self.width() - GUTTER + 8, self.height()))
        for r, row in self.rows():
            rect = self.rect_of(r, row)
            p.setPen(QPen(t.colour("ink" if r.name == self._chosen else "accent"), 1.2))
            p.setBrush(t.colour("soft"))
            p.drawRoundedRect(rect, 4, 4)
            p.setPen(t.colour("ink"))
            text = f"{r.name} ⟳" if r.loop else r.name
            said = p.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(rect.width() - 8))
            p.drawText(rect.adjusted(6, 0, -2, 0), Qt.AlignmentFlag.AlignVCenter, said)
            if r.name == self._chosen and self._part != "whole":
                x = rect.left() if self._part == "first" else rect.right()
                p.setPen(QPen(t.colour("ink"), 3))
                p.drawLine(QPointF(x, rect.top()), QPointF(x, rect.bottom()))

    def _at(self, at: QPointF) -> tuple[Range, str] | None:
        for r, row in self.rows():
            rect = self.rect_of(r, row)
            if rect.adjusted(-_NEAR, 0, _NEAR, 0).contains(at):
                if abs(at.x() - rect.left()) < _NEAR:
                    return r, "first"
                return r, "last" if abs(at.x() - rect.right()) < _NEAR else "whole"
        return None

    def mousePressEvent(self, e: QMouseEvent) -> None:
        found = self._at(e.position()) if e.button() == Qt.MouseButton.LeftButton else None
        self._grab = (*found, round(self.time.frame(e.position().x()))) if found is not None else None
        self._chosen, self._part = found[0].name if found is not None else "", "whole"
        self.changed()

    def mouseMoveEvent(self, e: QMouseEvent) -> None:
        found = self._at(e.position())
        if self._grab is None:
            edge = found is not None and found[1] != "whole"
            self.setCursor(Qt.CursorShape.SizeHorCursor if edge else Qt.CursorShape.ArrowCursor)
            self.setToolTip(_tip(found[0]) if found is not None else "")
            return
        old, what, start = self._grab
        self._pull(old, what, round(self.time.frame(e.position().x())) - start)

    def _now(self, name: str) -> Range | None:
        """The range of that name, as it is now."""
        take = self.session.take
        return next((r for r in take.ranges if r.name == name), None) if take is not None else None

    def _pull(self, old: Range, what: str, by: int) -> None:
        """Move a range, or one of its ends, by so many frames from where it was."""
        last = self.session.computed.frames - 1
        if what == "whole":
            by = max(min(by, last - old.last), -old.first)
            new = replace(old, first=old.first + by, last=old.last + by)
        elif what == "first":
            new = replace(old, first=min(max(old.first + by, 0), old.last))
        else:
            new = replace(old, last=max(min(old.last + by, last), old.first))
        now = self._now(old.name)
        if now is not None and now != new:
            ranges.change(self.session, now, new, merge="drag range")

    def wants(self, key: Qt.Key) -> bool:
        return key in PAGES or (bool(self._chosen) and key in (*ARROWS, Qt.Key.Key_Delete))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, chosen = Qt.Key(event.key()), self._now(self._chosen)
        if key in PAGES:
            names = [r.name for r, _ in self.rows()]
            at = names.index(self._chosen) if self._chosen in names else (-1 if PAGES[key] > 0 else 0)
            self._chosen, self._part = names[(at + PAGES[key]) % len(names)] if names else "", "whole"
            self.changed()
        elif chosen is not None and key in UPRIGHT:
            self._part = _PARTS[(_PARTS.index(self._part) + UPRIGHT[key]) % len(_PARTS)]
            self.changed()
        elif chosen is not None and key in SIDEWAYS:
            self._pull(chosen, self._part, SIDEWAYS[key])
        elif chosen is not None and key == Qt.Key.Key_Delete:
            ranges.remove(self.session, chosen)
        elif chosen is not None and key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            play(self.session, chosen)
        else:
            super().keyPressEvent(event)

    def mouseReleaseEvent(self, _: QMouseEvent) -> None:
        self._grab = None
        self.session.history.end_merge()

    def mouseDoubleClickEvent(self, e: QMouseEvent) -> None:
        found = self._at(e.position())
        if found is not None:
            play(self.session, found[0])

    def contextMenuEvent(self, e: QContextMenuEvent) -> None:
        found = self._at(QPointF(e.pos()))
        r = found[0] if found is not None else self._now(self._chosen)
        if r is None:
            return
        menu = QMenu(self)
        menu.addAction("Play it", partial(play, self.session, r))
        menu.addAction("Rename…", partial(self._rename, r))
        loop = menu.addAction("Is a loop", partial(ranges.change, self.session, r, replace(r, loop=not r.loop)))
        loop.setCheckable(True)
        loop.setChecked(r.loop)
        menu.addSeparator()
        menu.addAction(theme.icon("delete"), "Remove", partial(ranges.remove, self.session, r))
        menus.show(menu, e.globalPos())

    def _rename(self, r: Range) -> None:
        name, good = QInputDialog.getText(self, "Rename range", "Name", text=r.name)
        if good and name.strip():
            ranges.change(self.session, r, replace(r, name=name.strip()))


def play(session: Session, r: Range) -> None:
    """Play a range: it becomes what is played."""
    line.set_range(session, first=0, last=session.computed.frames - 1)
    line.set_range(session, first=r.first, last=r.last)
    session.player.set_frame(r.first)
    session.player.play()


def _tip(r: Range) -> str:
    return f"{r.name}: frames {r.first} to {r.last}, {r.last - r.first + 1} of them{', a loop' if r.loop else ''}"
