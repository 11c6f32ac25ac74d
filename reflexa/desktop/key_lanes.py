"""Lanes below the ruler: the selected step's envelope, and a row of keys for each joint of a correction."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from dataclasses import dataclass
from functools import cached_property

import msgspec
import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QLineF, QPoint, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import (
    QContextMenuEvent,
    QFont,
    QImage,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
)
from PySide6.QtWidgets import QMenu, QWidget

from reflexa.desktop import theme
from reflexa.desktop.session import Session
from reflexa.rig import Rig
from reflexa.steps import KINDS
from reflexa.steps.correction import CorrectionSettings, Key, Track, change_keys, move_keys
from reflexa.steps.keys import EASES, ease

ENVELOPE_HEIGHT, ROW_HEIGHT = 44, 22


@dataclass
class Row:
    """A row of the key sheet: one joint's track, or a group of them (no track of its own) with all that they have."""

    name: str
    track: Track | None
    members: tuple[Track, ...] = ()

    @cached_property
    def frames(self) -> NDArray[np.intp]:
        """The frames with any key, rising."""
        return np.array(sorted({k.frame for _, k in self.keys}), dtype=np.intp)

    @property
    def keys(self) -> list[tuple[str, Key]]:
        """(joint, key) of everything in the row."""
        return [(t.joint, k) for t in (self.members if self.track is None else (self.track,)) for k in t.keys]


FEW = 5  # tracks that need no groups
MARK = 18  # pixels that a key's shape has
DENSE = 12.0  # pixels from key to key, below which keys are ticks: their shapes would cover each other


def _group(part: str) -> str:
    """The heading that a body part stands under."""
    side, _, limb = part.partition(" ")
    if side not in ("left", "right"):
        return "Body" if part else "Other joints"
    leg = limb in ("thigh", "shin", "foot", "toes")
    return f"{side.capitalize()} {'leg' if leg else 'hand' if 'finger' in limb or limb == 'thumb' else 'arm'}"


class KeyLanes(QWidget):
    """Keys: click selects, drag moves on whole frames, drag from empty space boxes, Delete removes.

    A key's shape says how it goes on: a circle smooth, a drop eased, a diamond linear, a square holds; hollow is neutral.
    Envelope: drag points, double-click adds one, double-click on a point takes it away.
    """

    def __init__(self, session: Session, time: object) -> None:
        super().__init__()
        self.session, self.time = session, time
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Keys and envelope")
        self._press: QPointF | None = None
        self._mode = ""
        self._moved = 0
        self._base: tuple[object, set[tuple[str, int]]] | None = None
        self._point = -1
        self.folded: set[str] = set()
        self._marks: dict[tuple[str, str, bool, bool, float], QPixmap] = {}
        self._known: tuple[object, object, frozenset[str], list[Row]] | None = None
        time.changed.connect(self.update)
        for signal in (session.take_changed, session.selection_changed):
            signal.connect(self._resize)
        session.playhead_changed.connect(self.update)

    def _resize(self) -> None:
        self.setMinimumHeight(self._height())
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(600, self._height())

    def _height(self) -> int:
        if self.session.step is None:
            return 40
        return ENVELOPE_HEIGHT + len(self._rows()) * ROW_HEIGHT + 8

    def _rows(self) -> list[Row]:
        """Rows by body part: with more than a few tracks each part has a row of its own over them, which folds."""
        settings, rig = self.session.correction, self.session.step_rig
        known = self._known
        if known is None or known[0] is not settings or known[1] is not rig or known[2] != self.folded:
            known = self._known = (settings, rig, frozenset(self.folded), self._make_rows(settings, rig))
        return known[3]

    def _make_rows(self, settings: CorrectionSettings | None, rig: Rig | None) -> list[Row]:
        tracks = settings.tracks if settings else ()
        if len(tracks) < FEW or rig is None:
            return [Row(t.joint, t) for t in tracks]
        groups: dict[str, list[Track]] = {}
        for track in tracks:
            groups.setdefault(_group(rig.part_of(track.joint)), []).append(track)
        out: list[Row] = []
        for name, members in groups.items():
            if len(members) == 1:
                out.append(Row(members[0].joint, members[0]))
                continue
            out.append(Row(name, None, tuple(members)))
            if name not in self.folded:
                out += [Row(t.joint, t) for t in members]
        return out

    def _row_y(self, row: int) -> float:
        return ENVELOPE_HEIGHT + 4 + row * ROW_HEIGHT + ROW_HEIGHT / 2

    # Painting -----------------------------------------------------------------------------------------------

    def paintEvent(self, e: QPaintEvent) -> None:
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        session, time = self.session, self.time
        left = time.x(time.first)
        step = session.step
        if step is None:
            p.setPen(t.colour("quiet"))
            text = "Select a step to see its envelope and keys here." if session.take else ""
            p.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, text)
        elif KINDS[step.kind].carry is not None:
            p.setPen(t.colour("quiet"))
            text = f"{step.name} takes the whole clip to another rig: it has no envelope and no keys."
            p.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, text)
        else:
            self._paint_envelope(p, t, left)
            self._paint_keys(p, t, left, e.rect().top(), e.rect().bottom())
        if session.take is not None:
            x = time.x(session.frame)
            if x >= left - 1:
                p.setPen(QPen(t.colour("ink"), 1.4))
                p.drawLine(QPointF(x, 0), QPointF(x, self.height()))
        if self._mode == "box" and self._press is not None:
            p.setPen(QPen(t.colour("accent"), 1, Qt.PenStyle.DashLine))
            p.setBrush(t.colour("accent", 30))
            p.drawRect(QRectF(self._press, self._now))
        p.end()

    def _envelope_y(self, weight: float) -> float:
        return ENVELOPE_HEIGHT - 5 - weight * (ENVELOPE_HEIGHT - 12)

    def _paint_envelope(self, p: QPainter, t: theme.Theme, left: float) -> None:
        session, time = self.session, self.time
        step = session.step
        self._lane_name(p, t, 4, ENVELOPE_HEIGHT - 4, "Envelope", f"of {step.name}")
        p.fillRect(QRectF(left, 3, self.width() - left, ENVELOPE_HEIGHT - 4), t.colour("field"))
        points = list(step.envelope)
        line = [(time.first, points[0][1] if points else 1.0), *points, (time.last, points[-1][1] if points else 1.0)]
        polygon = QPolygonF([QPointF(time.x(f), self._envelope_y(w)) for f, w in line])
        area = QPolygonF(polygon)
        area.append(QPointF(time.x(time.last), self._envelope_y(0)))
        area.append(QPointF(time.x(time.first), self._envelope_y(0)))
        p.setClipRect(QRectF(left, 0, self.width() - left, ENVELOPE_HEIGHT))
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.colour("accent", 42))
        p.drawPolygon(area)
        p.setPen(QPen(t.colour("accent"), 1.8))
        p.drawPolyline(polygon)
        p.setBrush(t.colour("card"))
        for f, w in points:
            p.drawEllipse(QPointF(time.x(f), self._envelope_y(w)), 4.5, 4.5)
        p.setClipping(False)
        if not points:
            p.setPen(t.colour("quiet"))
            p.drawText(
                QRectF(left + 8, 16, self.width() - left - 16, 20), Qt.AlignmentFlag.AlignRight,
                "Full weight all the time · double-click to add a point",
            )  # fmt: skip

    def _paint_keys(self, p: QPainter, t: theme.Theme, left: float, top: float, bottom: float) -> None:
        """The rows between two heights; only what can be seen is drawn."""
        session = self.session
        if session.correction is None:
            return
        rows = self._rows()
        if not rows:
            p.setPen(t.colour("quiet"))
            p.drawText(
                QRectF(left, ENVELOPE_HEIGHT + 2, self.width() - left, 30), Qt.AlignmentFlag.AlignCenter,
                "No keys yet: pick a joint in the picture and pull one of its hoops, or type degrees on the right.",
            )  # fmt: skip
        for i, row in enumerate(rows):
            y = self._row_y(i)
            if y + ROW_HEIGHT < top or y - ROW_HEIGHT > bottom:
                continue
            group = row.track is None
            chosen = not group and row.name == session.joint
            place = QRectF(left, y - ROW_HEIGHT / 2, self.width() - left, ROW_HEIGHT - 2)
            p.fillRect(place, t.colour("panel" if group else "soft" if chosen else "field"))
            fold = ("▸ " if row.name in self.folded else "▾ ") if group else ""
            self._lane_name(p, t, place.y(), place.height(), fold + row.name, "", group or chosen)
            p.setClipRect(QRectF(left - 8, 0, self.width() - left + 8, self.height()))
            if row.track is None:
                self._paint_ticks(p, t, y, row)
            elif self._dense(row):
                p.setPen(QPen(t.colour("quiet"), 1.2))
                p.drawLine(QLineF(self.time.x(row.frames[0]), y, self.time.x(row.frames[-1]), y))
                self._paint_ticks(p, t, y, row)
            else:
                self._paint_track(p, t, y, row.track)
            p.setClipping(False)

    def _dense(self, row: Row) -> bool:
        """Do the keys in the visible time stand too close for their shapes?"""
        seen = row.frames[slice(*np.searchsorted(row.frames, (self.time.first, self.time.last)))]
        return len(seen) > 2 and (seen[-1] - seen[0]) * self.time.frame_width() < DENSE * (len(seen) - 1)

    def _paint_track(self, p: QPainter, t: theme.Theme, y: float, track: Track) -> None:
        """A joint's keys by their shapes, and bars where nothing changes."""
        time = self.time
        first = bisect_left(track.keys, time.first, key=lambda k: k.frame)
        last = bisect_right(track.keys, time.last, key=lambda k: k.frame)
        keys = track.keys[max(first - 1, 0) : last + 1]  # one more on each side, where lines come from
        xs = time.x(np.array([k.frame for k in keys])).tolist()
        lines = []
        for a, b, x0, x1 in zip(keys, keys[1:], xs, xs[1:], strict=False):
            if (a.rotate, a.move, a.swing) == (b.rotate, b.move, b.swing) and not a.neutral:
                p.fillRect(QRectF(x0, y - 3, x1 - x0, 5), t.colour("accent", 70))
            elif not (a.neutral and b.neutral):
                lines.append(QLineF(x0, y, x1, y))
        p.setPen(QPen(t.colour("quiet"), 1.2))
        p.drawLines(lines)
        for key, x in zip(keys, xs, strict=True):
            mark = self._mark(t, key.then, key.neutral, (track.joint, key.frame) in self.session.keys)
            p.drawPixmap(QPointF(x - MARK / 2, y - MARK / 2), mark)

    def _paint_ticks(self, p: QPainter, t: theme.Theme, y: float, row: Row) -> None:
        """A tick on every frame with a key; a heavy one where one of them is selected."""
        joints = {track.joint for track in row.members} if row.track is None else {row.track.joint}
        chosen = np.array([f for j, f in self.session.keys if j in joints], dtype=np.intp)
        for frames, colour, width in ((row.frames, "quiet", 1), (chosen, "ink", 2)):
            # As a picture one pixel high, drawn taller: thousands of ticks at once.
            at = np.round(self.time.x(frames)).astype(np.intp)
            columns = np.zeros(self.width() + 1, dtype=np.uint32)
            for i in range(width):
                columns[np.clip(at + i, 0, self.width())] = t.colour(colour).rgba()
            columns[-1] = columns[0] = 0
            image = QImage(columns.tobytes(), len(columns), 1, QImage.Format.Format_ARGB32)
            p.drawImage(QRectF(0, y - 6, len(columns), 12), image)

    def _mark(self, t: theme.Theme, then: str, neutral: bool, chosen: bool) -> QPixmap:
        """The shape of a key, painted once for each look."""
        look = (t.name, then, neutral, chosen, self.devicePixelRatioF())
        if look in self._marks:
            return self._marks[look]
        picture = QPixmap(round(MARK * look[-1]), round(MARK * look[-1]))
        picture.setDevicePixelRatio(look[-1])
        picture.fill(Qt.GlobalColor.transparent)
        p = QPainter(picture)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.translate(MARK / 2, MARK / 2)
        r = 6.5 if chosen else 5.0
        p.setPen(QPen(t.colour("ink" if chosen else "accent"), 2.2 if chosen else 1.6))
        p.setBrush(t.colour("field") if neutral else t.colour("accent"))
        if then == "hold":
            p.drawRect(QRectF(1 - r, 1 - r, 2 * r - 2, 2 * r - 2))
        elif then == "eased":
            drop = QPainterPath(QPointF(r + 2, 0))
            drop.cubicTo(QPointF(1, -r), QPointF(-r, -r), QPointF(-r, 0))
            drop.cubicTo(QPointF(-r, r), QPointF(1, r), QPointF(r + 2, 0))
            p.drawPath(drop)
        elif then == "linear":
            p.drawPolygon(QPolygonF([QPointF(-r, 0), QPointF(0, -r), QPointF(r, 0), QPointF(0, r)]))
        else:
            p.drawEllipse(QPointF(0, 0), r, r)
        p.end()
        return self._marks.setdefault(look, picture)

    def _lane_name(
        self, p: QPainter, t: theme.Theme, y: float, h: float, name: str, more: str, strong: bool = False
    ) -> None:
        width = self.time.x(self.time.first) - 14
        font = QFont(self.font())
        font.setWeight(QFont.Weight.DemiBold if strong or more else QFont.Weight.Normal)
        p.setFont(font)
        p.setPen(t.colour("ink"))
        middle = Qt.AlignmentFlag.AlignVCenter
        text = p.fontMetrics().elidedText(name, Qt.TextElideMode.ElideMiddle, int(width - 10))
        p.drawText(QRectF(10, y, width - 8, h / (2 if more else 1)), middle, text)
        p.setFont(self.font())
        if more:
            p.setPen(t.colour("quiet"))
            text = p.fontMetrics().elidedText(more, Qt.TextElideMode.ElideRight, int(width - 10))
            p.drawText(QRectF(10, y + h / 2, width - 8, h / 2), middle, text)

    # Hands --------------------------------------------------------------------------------------------------

    def key_at(self, at: QPointF) -> tuple[str, int] | None:
        best, least = None, 8.0
        for i, row in enumerate(self._rows()):
            if row.track is None or abs(self._row_y(i) - at.y()) > ROW_HEIGHT / 2:
                continue
            for joint, key in row.keys:
                away = abs(self.time.x(key.frame) - at.x())
                if away < least:
                    best, least = (joint, key.frame), away
        return best

    def group_at(self, at: QPointF) -> Row | None:
        """The part's row under a place."""
        rows = self._rows()
        i = int((at.y() - ENVELOPE_HEIGHT - 4) // ROW_HEIGHT)
        return rows[i] if 0 <= i < len(rows) and rows[i].track is None else None

    def fold(self, name: str) -> None:
        """Fold a part's rows away, or out again."""
        self.folded ^= {name}
        self._resize()

    def _press_group(self, row: Row, at: QPointF, more: bool) -> None:
        """On the name: fold. On a frame with keys: all of them."""
        if at.x() < self.time.x(self.time.first) - 6:
            self.fold(row.name)
            return
        near = [(abs(self.time.x(k.frame) - at.x()), k.frame) for _, k in row.keys]
        away, frame = min(near)
        found = {(j, k.frame) for j, k in row.keys if k.frame == frame} if away < 8 else set()
        self.session.select_keys(self.session.keys ^ found if more else found)
        if found:
            self._mode, self._moved = "keys", 0
            self._base = (self.session.correction, set(self.session.keys))

    def key_place(self, joint: str, frame: int) -> QPoint:
        """Where a key is painted (for hands and tests)."""
        row = next(i for i, r in enumerate(self._rows()) if r.track is not None and r.track.joint == joint)
        return QPoint(round(self.time.x(frame)), round(self._row_y(row)))

    def _point_at(self, at: QPointF) -> int:
        step = self.session.step
        if step is None or at.y() > ENVELOPE_HEIGHT:
            return -1
        for i, (f, w) in enumerate(step.envelope):
            if abs(self.time.x(f) - at.x()) < 8 and abs(self._envelope_y(w) - at.y()) < 9:
                return i
        return -1

    def mousePressEvent(self, e: QMouseEvent) -> None:
        at = e.position()
        self._press = self._now = at
        self._mode = ""
        self.setFocus()
        session = self.session
        if session.step is None or e.button() != Qt.MouseButton.LeftButton:
            return
        point = self._point_at(at)
        if point >= 0:
            self._mode, self._point = "point", point
            return
        found = self.key_at(at)
        if found is not None:
            more = e.modifiers() & (Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier)
            if more:
                session.select_keys(session.keys ^ {found})
            elif found not in session.keys:
                session.select_keys({found})
            session.select_joint(found[0])
            self._mode, self._moved = "keys", 0
            self._base = (session.correction, set(session.keys))
        elif (row := self.group_at(at)) is not None:
            more = bool(e.modifiers() & (Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier))
            self._press_group(row, at, more)
        elif at.y() > ENVELOPE_HEIGHT and session.correction is not None:
            self._mode = "box"

    def mouseMoveEvent(self, e: QMouseEvent) -> None:
        at = e.position()
        session = self.session
        if self._press is None or not e.buttons():
            hot = self.key_at(at) is not None or self._point_at(at) >= 0
            self.setCursor(Qt.CursorShape.PointingHandCursor if hot else Qt.CursorShape.ArrowCursor)
            self._tip(at)
            return
        self._now = at
        if self._mode == "keys" and self._base is not None:
            settings, keys = self._base
            by = round((at.x() - self._press.x()) / self.time.frame_width())
            frames = [f for _, f in keys]
            if not frames:
                return
            by = max(-min(frames), min(by, session.frames - 1 - max(frames)))
            if by != self._moved:
                self._moved = by
                session.edit_correction(
                    "move keys", move_keys(settings, keys, by, session.frames - 1), merge="move keys"
                )
                session.select_keys({(j, f + by) for j, f in keys})
        elif self._mode == "point":
            self._drag_point(at)
        elif self._mode == "box":
            box = QRectF(self._press, at).normalized()
            inside = {
                (joint, key.frame)
                for i, row in enumerate(self._rows())
                for joint, key in row.keys
                if row.track is not None and box.contains(QPointF(self.time.x(key.frame), self._row_y(i)))
            }
            session.select_keys(inside)
            self.update()

    def _tip(self, at: QPointF) -> None:
        found = self.key_at(at)
        if found is None:
            self.setToolTip("")
            return
        key = next(k for k in self.session.correction.track(found[0]).keys if k.frame == found[1])
        what = "neutral" if key.neutral else "turn " + ", ".join(f"{v:.1f}°" for v in key.rotate)
        if any(key.move):
            what += " · move " + ", ".join(f"{v * 100:.1f} cm" for v in key.move)
        self.setToolTip(f"{found[0]}, frame {key.frame}: {what}, then {key.then}")

    def _drag_point(self, at: QPointF) -> None:
        step = self.session.step
        points = list(step.envelope)
        i = self._point
        low = points[i - 1][0] + 1 if i else 0
        high = points[i + 1][0] - 1 if i + 1 < len(points) else self.session.frames - 1
        frame = float(min(max(round(self.time.frame(at.x())), low), high))
        weight = (ENVELOPE_HEIGHT - 5 - at.y()) / (ENVELOPE_HEIGHT - 12)
        points[i] = (frame, round(min(max(weight, 0.0), 1.0), 2))
        self._set_envelope(points, "envelope")
        self.session.said.emit(f"Frame {frame:g}: weight {points[i][1]:.0%}")

    def _set_envelope(self, points: list[tuple[float, float]], merge: str = "") -> None:
        step = self.session.step
        self.session.edit_step("change the envelope", msgspec.structs.replace(step, envelope=tuple(points)), merge)

    def mouseReleaseEvent(self, e: QMouseEvent) -> None:
        if self._mode == "box" and self._press is not None and (e.position() - self._press).manhattanLength() < 4:
            self.session.select_keys(set())
            self.session.set_frame(round(self.time.frame(e.position().x())))
        elif self._mode in ("keys", "point"):
            self.session.end_merge()
            found = self.key_at(e.position())
            if self._mode == "keys" and not self._moved and found is not None and not e.modifiers():
                self.session.select_keys({found})
                self.session.set_frame(found[1])
        self._press, self._mode = None, ""
        self.update()

    def mouseDoubleClickEvent(self, e: QMouseEvent) -> None:
        step = self.session.step
        at = e.position()
        if step is None or at.y() > ENVELOPE_HEIGHT or KINDS[step.kind].carry is not None:
            return
        points = list(step.envelope)
        found = self._point_at(at)
        if found >= 0:
            del points[found]
        else:
            frame = float(min(max(round(self.time.frame(at.x())), 0), self.session.frames - 1))
            weight = round(float(step.envelope_at([frame])[0]), 2)
            points = sorted([p for p in points if p[0] != frame] + [(frame, weight)])
        self._set_envelope(points)

    def keyPressEvent(self, e: object) -> None:
        if e.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.delete_keys()
        else:
            super().keyPressEvent(e)

    def delete_keys(self) -> None:
        session = self.session
        if session.correction is not None and session.keys:
            n = len(session.keys)
            session.edit_correction(
                f"delete {n} keys" if n > 1 else "delete a key", change_keys(session.correction, session.keys)
            )

    def set_interpolation(self, then: str) -> None:
        session = self.session
        if session.correction is not None and session.keys:
            session.edit_correction(f"make keys {then}", change_keys(session.correction, session.keys, then=then))

    def ease(self, name: str, begin: float, end: float) -> None:
        """The spans that begin with the selected keys."""
        session = self.session
        if session.correction is not None and session.keys:
            session.edit_correction(f"ease: {name.lower()}", ease(session.correction, session.keys, begin, end))

    def contextMenuEvent(self, e: QContextMenuEvent) -> None:
        session = self.session
        if session.correction is None:
            return
        found = self.key_at(QPointF(e.pos()))
        if found is not None and found not in session.keys:
            session.select_keys({found})
        if not session.keys:
            return
        menu = QMenu(self)
        for then, text in (
            ("smooth", "Smooth (circle)"),
            ("eased", "Eased (drop)"),
            ("linear", "Linear (diamond)"),
            ("hold", "Hold (square)"),
        ):
            menu.addAction(text, lambda n=then: self.set_interpolation(n))
        eases = menu.addMenu("Ease to the next key")
        for name, shares in EASES.items():
            eases.addAction(name, lambda n=name, s=shares: self.ease(n, *s))
        menu.addSeparator()
        menu.addAction("Make neutral", self._make_neutral)
        menu.addAction(theme.icon("delete"), "Delete", self.delete_keys)
        menu.exec(e.globalPos())

    def _make_neutral(self) -> None:
        session = self.session
        zero = (0.0, 0.0, 0.0)
        session.edit_correction(
            "make keys neutral", change_keys(session.correction, session.keys, rotate=zero, move=zero)
        )

    def wheelEvent(self, e: object) -> None:
        self.time.wheel(e)
