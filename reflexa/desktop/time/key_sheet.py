"""The key sheet: a row of keys for each joint of the selected layer."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from functools import partial

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QLineF, QPoint, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QContextMenuEvent, QImage, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QMenu

from reflexa.desktop.look import theme
from reflexa.desktop.time import key_marks
from reflexa.desktop.time.key_marks import KeyMarks
from reflexa.desktop.time.lanes import Lanes, adds
from reflexa.desktop.time.row_hands import RowHands
from reflexa.desktop.time.rows import Row
from reflexa.desktop.time.time_map import TimeMap
from reflexa.desktop.widgets import menus
from reflexa.motion.curves import Interpolation
from reflexa.session import Session, keys, line
from reflexa.session.selection import Keys
from reflexa.steps.correction import CorrectionSettings, Track, move_keys
from reflexa.steps.correction.timing import EASES
from reflexa.words import plain

ROW = 22
# Pixels from key to key, below which keys are ticks: their shapes would cover each other.
DENSE = 12.0
_THEN: dict[Interpolation, str] = {
    "smooth": "Smooth (circle)",
    "eased": "Eased (drop)",
    "linear": "Linear (diamond)",
    "hold": "Hold (square)",
}


class KeySheet(Lanes):
    """Click selects, drag moves on whole frames, drag from empty space boxes, Delete removes. A part's name folds its rows
    away; names are dragged to put rows in another order."""

    def __init__(self, session: Session, time: TimeMap) -> None:
        super().__init__(session, time, "Keys")
        self._press: QPointF | None = None
        self._now = QPointF()
        self._mode = ""
        self._moved = 0
        self._base: tuple[CorrectionSettings, Keys] | None = None
        self._marks = KeyMarks()
        self.hands = RowHands(session, self._refresh)
        self._rows: list[Row] = []
        self._chosen: dict[str, list[int]] = {}
        self._dragged: Row | None = None
        for signal in (session.take_changed, session.selection.changed, session.evaluator.done):
            signal.connect(self._refresh)
        self._refresh()

    @property
    def rows(self) -> list[Row]:
        """The rows from top to bottom."""
        return self._rows

    def _refresh(self) -> None:
        self._rows = self.hands.rows()
        self._chosen = {}
        for joint, frame in self.session.selection.keys:
            self._chosen.setdefault(joint, []).append(frame)
        self.setMinimumHeight(max(self._height(), 34))
        self.changed()

    def sizeHint(self) -> QSize:
        return QSize(600, self._height())

    def _height(self) -> int:
        return (len(self._rows) + bool(self.hands.out_of_sight())) * ROW + 12

    def _y(self, row: int) -> float:
        return 4 + row * ROW + ROW / 2

    # Painting ---------------------------------------------------------------------------------------------------

    def paint_still(self, p: QPainter) -> None:
        away = self.hands.out_of_sight()
        if away:
            p.setPen(theme.current().colour("quiet"))
            p.drawText(QPointF(10, self._y(len(self._rows)) + 4), f"{away}. Click to show all.")
        elif not self._rows:
            p.setPen(theme.current().colour("quiet"))
            p.drawText(
                QRectF(self.left, 2, self.width() - self.left, 30), Qt.AlignmentFlag.AlignCenter, self.why_empty()
            )
        for i, row in enumerate(self._rows):
            self._paint_row(p, self._y(i), row)

    def paint_over(self, p: QPainter) -> None:
        t = theme.current()
        self.paint_playhead(p)
        if self._mode == "box" and self._press is not None:
            p.setPen(QPen(t.colour("accent"), 1, Qt.PenStyle.DashLine))
            p.setBrush(t.colour("accent", 30))
            p.drawRect(QRectF(self._press, self._now))
        elif self._mode == "row" and self._dragged is not None:
            row, after = self._row_under(self._now)
            y = self._y(self._rows.index(row)) + (ROW / 2 if after else -ROW / 2) - 1
            p.setPen(QPen(t.colour("accent"), 2))
            p.drawLine(QPointF(4, y), QPointF(self.left - 6, y))

    def why_empty(self) -> str:
        """What stands there where there are no keys."""
        session = self.session
        if session.step is None:
            return "Select a step to see its envelope and keys here." if session.take is not None else ""
        if session.layer is not None:
            return "No keys yet: pick a joint in the picture and drag one of its hoops, or type degrees on the right."
        kind = session.kind
        whole = kind is not None and not kind.weighed
        return f"{session.step.name} acts on the whole clip: it has no envelope and no keys." if whole else ""

    def _paint_row(self, p: QPainter, y: float, row: Row) -> None:
        t, left, group = theme.current(), self.left, row.track is None
        chosen = not group and row.name == self.session.selection.joint
        place = QRectF(left, y - ROW / 2, self.width() - left, ROW - 2)
        p.fillRect(place, t.colour("panel" if group else "soft" if chosen else "field"))
        fold = ("▸ " if row.name in self.hands.view.folded else "▾ ") if group else ""
        self.paint_name(p, place.y(), place.height(), fold + row.name, strong=group or chosen)
        p.setClipRect(QRectF(left - 8, 0, self.width() - left + 8, self.height()))
        if row.track is None:
            self._paint_ticks(p, y, row)
        elif self.dense(row):
            p.setPen(QPen(t.colour("quiet"), 1.2))
            p.drawLine(QLineF(self.time.x(float(row.frames[0])), y, self.time.x(float(row.frames[-1])), y))
            self._paint_ticks(p, y, row)
        else:
            self._paint_track(p, y, row.track)
        p.setClipping(False)

    def dense(self, row: Row) -> bool:
        """True if the visible keys are too close together to draw their shapes."""
        seen = row.frames[slice(*np.searchsorted(row.frames, (self.time.first, self.time.last)))]
        return len(seen) > 2 and bool((seen[-1] - seen[0]) * self.time.frame_width() < DENSE * (len(seen) - 1))

    def _paint_track(self, p: QPainter, y: float, track: Track) -> None:
        """A joint's keys by their shapes, and bars where nothing changes."""
        t, time = theme.current(), self.time
        first = bisect_left(track.keys, time.first, key=lambda k: k.frame)
        last = bisect_right(track.keys, time.last, key=lambda k: k.frame)
        seen = track.keys[max(first - 1, 0) : last + 1]  # one more on each side, where lines come from
        xs = [time.x(k.frame) for k in seen]
        lines = []
        for a, b, x0, x1 in zip(seen, seen[1:], xs, xs[1:], strict=False):
            if (a.rotate, a.move, a.swing) == (b.rotate, b.move, b.swing) and not a.neutral:
                p.fillRect(QRectF(x0, y - 3, x1 - x0, 5), t.colour("accent", 70))
            elif not (a.neutral and b.neutral):
                lines.append(QLineF(x0, y, x1, y))
        p.setPen(QPen(t.colour("quiet"), 1.2))
        p.drawLines(lines)
        for key, x in zip(seen, xs, strict=True):
            chosen = (track.joint, key.frame) in self.session.selection.keys
            mark = self._marks.mark(key.then, key.neutral, chosen, self.devicePixelRatioF())
            p.drawPixmap(QPointF(x - key_marks.SIZE / 2, y - key_marks.SIZE / 2), mark)

    def _paint_ticks(self, p: QPainter, y: float, row: Row) -> None:
        """A tick on every frame with a key; a heavy one where one of them is selected."""
        chosen = np.array([f for track in row.tracks for f in self._chosen.get(track.joint, ())], dtype=np.intp)
        for frames, colour, width in ((row.frames, "quiet", 1), (chosen, "ink", 2)):
            self._paint_columns(p, y, frames, theme.current().colour(colour).rgba(), width)

    def _paint_columns(self, p: QPainter, y: float, frames: NDArray[np.intp], rgba: int, width: int) -> None:
        """As a picture one pixel high, drawn taller: thousands of ticks at once."""
        at = np.round(self.time.xs(frames)).astype(np.intp)
        columns = np.zeros(self.width() + 1, dtype=np.uint32)
        for i in range(width):
            columns[np.clip(at + i, 0, self.width())] = rgba
        columns[-1] = columns[0] = 0
        pixels = columns.tobytes()
        image = QImage(pixels, len(columns), 1, QImage.Format.Format_ARGB32)
        p.drawImage(QRectF(0, y - 6, len(columns), 12), image)

    # Hands ------------------------------------------------------------------------------------------------------

    def key_at(self, at: QPointF) -> tuple[str, int] | None:
        """The key under a place."""
        i = int((at.y() - 4) // ROW)
        if not 0 <= i < len(self._rows) or self._rows[i].track is None:
            return None
        frame = self._key_in(self._rows[i], at)
        return (self._rows[i].name, frame) if frame is not None else None

    def _key_in(self, row: Row, at: QPointF) -> int | None:
        return row.key_within(self.time.frame(at.x()), 8 / self.time.frame_width())

    def key_place(self, joint: str, frame: int) -> QPoint:
        """Where a key is painted (for hands and tests)."""
        row = next(i for i, r in enumerate(self._rows) if r.track is not None and r.track.joint == joint)
        return QPoint(round(self.time.x(frame)), round(self._y(row)))

    def row_at(self, at: QPointF) -> Row | None:
        """The row under a place."""
        i = int((at.y() - 4) // ROW)
        return self._rows[i] if 0 <= i < len(self._rows) else None

    def _row_under(self, at: QPointF) -> tuple[Row, bool]:
        """The row nearest to a place, and whether the place is in its lower half."""
        i = min(max(int((at.y() - 4) // ROW), 0), len(self._rows) - 1)
        return self._rows[i], at.y() > self._y(i)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at, selection = event.position(), self.session.selection
        self._press = self._now = at
        self._mode = ""
        self.setFocus()
        if self.session.layer is None or event.button() != Qt.MouseButton.LeftButton:
            return
        found, row = self.key_at(at), self.row_at(at)
        if int((at.y() - 4) // ROW) == len(self._rows) and self.hands.out_of_sight():
            self.hands.show_all()
        elif row is not None and at.x() < self.left - 6:
            self._mode, self._dragged = "name", row
        elif found is not None:
            if adds(event):
                selection.select_keys(selection.keys ^ {found})
            elif found not in selection.keys:
                selection.select_keys({found})
            selection.select_joint(found[0])
            self._take(selection.keys)
        elif row is not None and row.track is None:
            self._press_group(row, at, adds(event))
        else:
            self._mode = "box"

    def _take(self, chosen: Keys) -> None:
        if self.session.layer is not None and chosen:
            self._mode, self._moved, self._base = "keys", 0, (self.session.layer, chosen)

    def _press_group(self, row: Row, at: QPointF, more: bool) -> None:
        """On a frame with keys: all of them."""
        frame = self._key_in(row, at)
        found = frozenset((j, k.frame) for j, k in row.keys if k.frame == frame)
        selection = self.session.selection
        selection.select_keys(selection.keys ^ found if more else found)
        if found:
            self._take(selection.keys)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._press is None or not event.buttons():
            hot = self.key_at(at)
            self.setCursor(Qt.CursorShape.PointingHandCursor if hot is not None else Qt.CursorShape.ArrowCursor)
            self._tip(hot)
            return
        self._now = at
        if self._mode == "name" and (at - self._press).manhattanLength() >= ROW / 2:
            self._mode = "row"
        if self._mode == "row":
            self.update()
        elif self._mode == "keys" and self._base is not None:
            self._drag_keys(*self._base, round((at.x() - self._press.x()) / self.time.frame_width()))
        elif self._mode == "box":
            box = QRectF(self._press, at).normalized()
            self.session.selection.select_keys({
                (joint, key.frame) for i, row in enumerate(self._rows) if row.track is not None
                for joint, key in row.keys if box.contains(QPointF(self.time.x(key.frame), self._y(i)))
            })  # fmt: skip
            self.update()

    def _drag_keys(self, settings: CorrectionSettings, chosen: Keys, by: int) -> None:
        last, frames = self.session.computed.frames - 1, [f for _, f in chosen]
        by = max(-min(frames), min(by, last - max(frames)))
        if by != self._moved:
            self._moved = by
            line.edit_layer(self.session, "move keys", move_keys(settings, chosen, by, last), merge="move keys")
            self.session.selection.select_keys({(j, f + by) for j, f in chosen})

    def _tip(self, found: tuple[str, int] | None) -> None:
        layer = self.session.layer
        key = next((k for k in layer.track(found[0]).keys if k.frame == found[1]), None) if found and layer else None
        if key is None or found is None:
            self.setToolTip("")
            return
        what = "neutral" if key.neutral else "turn " + ", ".join(f"{plain(v, 1)}°" for v in key.rotate)
        if any(key.move):
            what += " · move " + ", ".join(f"{plain(v * 100, 1)} cm" for v in key.move)
        self.setToolTip(f"{found[0]}, frame {key.frame}: {what}, then {key.then}")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        session, at = self.session, event.position()
        if self._mode == "box" and self._press is not None and (at - self._press).manhattanLength() < 4:
            session.selection.select_keys(set())
            session.player.set_frame(round(self.time.frame(at.x())))
        elif self._mode == "name" and self._dragged is not None:
            if self._dragged.track is None:
                self.hands.fold(self._dragged.name)
            else:
                session.selection.select_joint(self._dragged.name)
        elif self._mode == "row" and self._dragged is not None:
            self.hands.put(self._dragged, *self._row_under(at))
        elif self._mode == "keys":
            session.history.end_merge()
            found = self.key_at(at)
            if not self._moved and found is not None and not event.modifiers():
                session.selection.select_keys({found})
                session.player.set_frame(found[1])
        self._press, self._mode = None, ""
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        if key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            keys.delete(self.session)
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._to_row(1 if key == Qt.Key.Key_Down else -1)
        elif key in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            self._to_key(1 if key == Qt.Key.Key_PageDown else -1, adds(event))
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._take_here()
        elif event.text() in ("+", "-"):
            self._fold(event.text() == "-")
        else:
            super().keyPressEvent(event)

    def wants(self, key: Qt.Key) -> bool:
        """Rows and keys are gone through here; left and right are frames, as elsewhere."""
        return key in (Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_PageUp, Qt.Key.Key_PageDown, Qt.Key.Key_Delete)

    def row_now(self) -> Row | None:
        """The selected joint's row."""
        at = self._at_row()
        return self._rows[at] if at >= 0 else None

    def shift_row(self, by: int) -> None:
        """Move the selected joint's row up (-1) or down (1)."""
        row = self.row_now()
        if row is not None:
            self.hands.shift(row, by)

    def _at_row(self) -> int:
        chosen = self.session.selection.joint
        return next((i for i, r in enumerate(self._rows) if r.track is not None and r.name == chosen), -1)

    def _to_row(self, by: int) -> None:
        """Select the joint of the next row that has keys."""
        rows = [i for i, r in enumerate(self._rows) if r.track is not None]
        if rows:
            at = rows.index(self._at_row()) if self._at_row() in rows else (-1 if by > 0 else len(rows))
            self.session.selection.select_joint(self._rows[rows[min(max(at + by, 0), len(rows) - 1)]].name)

    def _to_key(self, by: int, more: bool) -> None:
        """Select the next key of the selected row, before or behind the playhead, and go there."""
        at, now = self._at_row(), self.session.player.frame
        if at < 0:
            self._to_row(1)
            return
        frames = [f for f in self._rows[at].frames if (f > now if by > 0 else f < now)]
        if frames:
            key = self._rows[at].name, int(frames[0] if by > 0 else frames[-1])
            chosen = self.session.selection
            chosen.select_keys({*chosen.keys, key} if more else {key})
            self.session.player.set_frame(key[1])

    def _take_here(self) -> None:
        """The key at the playhead in the selected row goes into the selection, or out of it."""
        at, now, chosen = self._at_row(), self.session.player.frame, self.session.selection
        if at >= 0 and now in self._rows[at].frames:
            chosen.select_keys({*chosen.keys} ^ {(self._rows[at].name, now)})

    def _fold(self, away: bool) -> None:
        """Fold the part that the selected row belongs to, or open every one."""
        at = self._at_row()
        group = next((r.name for r in reversed(self._rows[: at + 1]) if r.track is None), "")
        if not away:
            self.hands.unfold_all()
        elif group and group not in self.hands.view.folded:
            self.hands.fold(group)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        session = self.session
        found = self.key_at(QPointF(event.pos()))
        if found is not None and found not in session.selection.keys:
            session.selection.select_keys({found})
        if session.layer is None:
            return
        menu = QMenu(self)
        by_hand = event.reason() == QContextMenuEvent.Reason.Mouse
        row = self.row_at(QPointF(event.pos())) if by_hand else self.row_now()
        if not session.selection.keys or (by_hand and event.pos().x() < self.left - 6):
            self.hands.fill(menu, row)
            menus.show(menu, event.globalPos())
            return
        for then, text in _THEN.items():
            menu.addAction(text, partial(keys.interpolate, session, then))
        eases = menu.addMenu("Ease to the next key")
        for name, shares in EASES.items():
            eases.addAction(name, partial(keys.ease_by, session, name, shares))
        menu.addSeparator()
        menu.addAction("Make neutral", lambda: keys.make_neutral(session))
        menu.addAction(theme.icon("delete"), "Remove keys", lambda: keys.delete(session))
        self.hands.fill(menu.addMenu("Rows"), row)
        menus.show(menu, event.globalPos())
