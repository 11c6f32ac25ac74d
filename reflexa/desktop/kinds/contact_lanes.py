"""Lanes of the selected contacts step: a bar for every span of every foot and hand, over the height and speed it comes from."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import (
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPen,
    QWheelEvent,
)
from PySide6.QtWidgets import QMenu

from reflexa.desktop.kinds.contacts_now import contacts_of, edit, report_of, settings_of
from reflexa.desktop.look import theme
from reflexa.desktop.time.lanes import Lanes
from reflexa.desktop.time.time_map import TimeMap
from reflexa.desktop.widgets import menus
from reflexa.motion.contact import PARTS, Contact
from reflexa.rig import Rig
from reflexa.session import Session
from reflexa.steps.contacts import ContactsReport
from reflexa.steps.foot_lock import LIMBS, FootLockSettings, Traces, picked_place
from reflexa.steps.foot_lock import find as edits

# A lane that shows heights and speeds below its bars, and one that does not, pixels.
TALL, LOW = 42, 22
ORDER: list[str] = list(PARTS)
GRAB = 6.0


class ContactLanes(Lanes):
    """Drag an end, a heel or ball notch, or the bar; double-click puts one in; Delete takes it out; S splits, J joins.

    The line is the height of the sole, the fill its speed, each against its threshold (the dashed line).
    """

    def __init__(self, session: Session, time: TimeMap) -> None:
        super().__init__(session, time, "Contacts")
        self.chosen: Contact | None = None
        self._contacts: tuple[Contact, ...] = ()
        self._rows: list[str] = []
        self.row = TALL
        self._grab: tuple[str, tuple[Contact, ...], int, float] | None = None
        for signal in (session.take_changed, session.selection.changed, session.evaluator.reported):
            signal.connect(self._refresh)

    def _refresh(self) -> None:
        report, settings = report_of(self.session), settings_of(self.session)
        self._contacts, self._rows = contacts_of(self.session), []
        if self.chosen not in self._contacts:
            self.chosen = None
        used = dict.fromkeys(p.name for p in self._contacts)
        if report is not None and settings is not None:
            self.row, limbs = TALL, report.traces.tracks
            self._rows = [n for n in limbs if n.endswith("foot") or n in used or settings.hands]
        elif isinstance(self.session.computed.report, ContactsReport):
            self.row = LOW
            self._rows = rows_of(self.session.computed.step_rig, used)
        self.setMinimumHeight(len(self._rows) * self.row + 8)
        self.updateGeometry()
        self.changed()

    def sizeHint(self) -> QSize:
        return QSize(600, 4 * self.row)

    def rows(self) -> list[str]:
        """Parts that can touch, and what of the body they touch."""
        return self._rows

    def rect_of(self, contact: Contact) -> QRectF:
        """Where a contact's bar is drawn."""
        top = self._rows.index(contact.name) * self.row if contact.name in self._rows else 0
        x0, x1 = self.time.x(contact.first), self.time.x(contact.last)
        return QRectF(x0 - 2, top + self.row - 18, max(x1 - x0, 1) + 4, 13)

    # Drawing ------------------------------------------------------------------------------------------------

    def paint_still(self, p: QPainter) -> None:
        t, session = theme.current(), self.session
        report, settings, rows = report_of(session), settings_of(session), self.rows()
        left = self.left
        if not rows:
            p.setPen(t.colour("quiet"))
            text = (
                "" if self.session.computed.report is None else "This rig has no feet: assign them in the Figure view."
            )
            p.drawText(QRectF(left, 8, self.width() - left, 20), Qt.AlignmentFlag.AlignLeft, text)
            return
        for i, limb in enumerate(rows):
            top = i * self.row
            p.setPen(t.colour("ink"))
            p.drawText(QRectF(10, top, left - 16, self.row), Qt.AlignmentFlag.AlignVCenter, _lane_name(limb))
            p.fillRect(QRectF(left, top + 1, self.width() - left, self.row - 3), t.colour("field"))
            p.save()
            p.setClipRect(QRectF(left, top + 1, self.width() - left, self.row - 3))
            if report is not None and settings is not None:
                self._paint_traces(p, top, limb, report.traces, settings)
            for contact in self._contacts:
                if contact.name == limb and contact.first <= self.time.last and contact.last >= self.time.first:
                    self._paint_bar(p, t, contact)
            p.restore()

    def paint_over(self, p: QPainter) -> None:
        self.paint_playhead(p)

    def _paint_traces(self, p: QPainter, top: float, limb: str, traces: Traces, settings: FootLockSettings) -> None:
        """Speed as a faint fill, height as a line; their thresholds lie at half of the lane."""
        t = theme.current()
        (height, speed), leg = traces.tracks[limb], traces.leg
        base, full = top + self.row - 4, self.row - 8
        slow, low = max(settings.slow / 100 * leg, 1e-6), max(settings.low / 100 * leg, 1e-6)
        # Zoomed out, a pixel shows its fastest and its lowest frame.
        xs, fast = self.time.seen(speed, np.maximum)
        fill = [QPointF(x, base - min(v / slow / 2, 1.2) * full) for x, v in zip(xs, fast, strict=True)]
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.colour("soft"))
        p.drawPolygon([QPointF(xs[0], base), *fill, QPointF(xs[-1], base)])
        if np.isfinite(height).any():
            lows = np.clip(self.time.seen(height, np.minimum)[1] / low / 2, -0.1, 1.2)
            p.setPen(QPen(t.colour("quiet"), 1.3))
            p.drawPolyline([QPointF(x, base - v * full) for x, v in zip(xs, lows, strict=True)])
        p.setPen(QPen(t.colour("line"), 1, Qt.PenStyle.DashLine))
        p.drawLine(QPointF(self.time.x(self.time.first), base - full / 2), QPointF(self.width(), base - full / 2))

    def _paint_bar(self, p: QPainter, t: theme.Theme, contact: Contact) -> None:
        rect = self.rect_of(contact)
        side = contact.limb.split()[0].replace("seat", "centre")
        p.setPen(QPen(t.colour("ink"), 2.0) if contact == self.chosen else Qt.PenStyle.NoPen)
        p.setBrush(t.colour(side, 235 if contact.on else 70))
        p.drawRoundedRect(rect, 4, 4)
        p.setPen(QPen(t.colour("card"), 1.6))
        if contact.limb.endswith("foot"):
            # On the heel alone the bar is open below, on the ball alone above.
            p.setBrush(t.colour("card", 150))
            p.setPen(Qt.PenStyle.NoPen)
            if contact.ball_from > contact.first:
                x = self.time.x(min(contact.ball_from, contact.last))
                p.drawRect(QRectF(rect.left() + 2, rect.top() + 7, max(x - rect.left() - 2, 1), 4))
            if contact.heel_to < contact.last:
                x = self.time.x(max(contact.heel_to, contact.first))
                p.drawRect(QRectF(x, rect.top() + 2, max(rect.right() - x - 2, 1), 4))
        if contact.place is not None:
            p.setBrush(t.colour("card"))
            p.drawEllipse(rect.center(), 3, 3)

    # Hands --------------------------------------------------------------------------------------------------

    def hit(self, at: QPointF) -> tuple[Contact | None, str]:
        """The contact under the pointer, and what of it: first, last, ball, heel, or the whole."""
        for contact in reversed(self._contacts):
            rect = self.rect_of(contact)
            if not rect.adjusted(-GRAB, -3, GRAB, 3).contains(at):
                continue
            if contact.limb.endswith("foot"):
                for part, frame, inner in (
                    ("ball", contact.ball_from, contact.ball_from > contact.first),
                    ("heel", contact.heel_to, contact.heel_to < contact.last),
                ):
                    if inner and abs(at.x() - self.time.x(frame)) < GRAB - 1 and rect.width() > 4 * GRAB:
                        return contact, part
            if abs(at.x() - rect.left()) < GRAB and at.x() < rect.center().x():
                return contact, "first"
            if abs(at.x() - rect.right()) < GRAB:
                return contact, "last"
            return contact, "whole"
        return None, ""

    def limb_at(self, y: float) -> str:
        rows = self.rows()
        i = int(y // self.row)
        return rows[i] if 0 <= i < len(rows) else ""

    def mousePressEvent(self, e: QMouseEvent) -> None:
        if e.button() != Qt.MouseButton.LeftButton:
            return
        contact, part = self.hit(e.position())
        self.chosen = contact
        if contact is not None:
            contacts = contacts_of(self.session)
            self._grab = (part, contacts, contacts.index(contact), e.position().x())
        else:
            self.session.player.set_frame(round(self.time.frame(e.position().x())))
        self.changed()

    def mouseMoveEvent(self, e: QMouseEvent) -> None:
        at = e.position()
        if self._grab is None:
            contact, part = self.hit(at)
            shape = Qt.CursorShape.SizeHorCursor if part not in ("", "whole") else Qt.CursorShape.ArrowCursor
            self.setCursor(Qt.CursorShape.OpenHandCursor if part == "whole" else shape)
            self.setToolTip(_said(contact, part))
            return
        part, contacts, index, from_ = self._grab
        by = round(self.time.frame(at.x()) - self.time.frame(from_))
        p, frames = contacts[index], self.session.computed.frames
        if part == "ball":
            new = edits.with_roll(contacts, index, ball_down=p.ball_from + by)
        elif part == "heel":
            new = edits.with_roll(contacts, index, heel_up=p.heel_to + by)
        elif part == "whole":
            new = edits.moved(contacts, index, by, frames)
        else:
            first, last = p.first + (by if part == "first" else 0), p.last + (by if part == "last" else 0)
            new = edits.with_ends(contacts, index, min(first, p.last), max(last, p.first), frames)
        if new != contacts_of(self.session):
            # Which of them is in hand: the one that was not there before.
            self.chosen = next((q for q in new if q not in contacts), p)
            edit(self.session, "change a contact", new, merge="contact")

    def mouseReleaseEvent(self, _: QMouseEvent) -> None:
        self._grab = None
        self.session.history.end_merge()

    def mouseDoubleClickEvent(self, e: QMouseEvent) -> None:
        limb = self.limb_at(e.position().y())
        if limb and self.hit(e.position())[0] is None:
            frame = min(max(round(self.time.frame(e.position().x())), 0), self.session.computed.frames - 1)
            edit(
                self.session,
                "add a contact",
                edits.added(contacts_of(self.session), limb, frame, self.session.computed.frames),
            )

    def keyPressEvent(self, e: QKeyEvent) -> None:
        if e.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and self.chosen is not None:
            self.change("delete")
        elif e.key() == Qt.Key.Key_S and self.chosen is not None and not e.modifiers():
            self.change("split")
        elif e.key() == Qt.Key.Key_J and self.chosen is not None and not e.modifiers():
            self.change("join")
        else:
            super().keyPressEvent(e)

    def change(self, what: str) -> None:
        """Delete, split at the playhead, join with the next, or switch on and off the chosen contact."""
        contacts = contacts_of(self.session)
        if self.chosen not in contacts:
            return
        index = contacts.index(self.chosen)
        if what == "delete":
            edit(self.session, "remove a contact", (*contacts[:index], *contacts[index + 1 :]))
        elif what == "split":
            new = edits.split(contacts, index, self.session.player.frame)
            if new == contacts:
                self.session.said.emit("Move the playhead into the contact first: it is split there.")
            edit(self.session, "split a contact", new)
        elif what == "join":
            new = edits.joined(contacts, index)
            if new == contacts:
                self.session.said.emit("There is no later contact of this part to join with.")
            edit(self.session, "join contacts", new)
        elif what == "switch":
            p = replace(self.chosen, on=not self.chosen.on)
            edit(
                self.session,
                "ignore a contact" if not p.on else "use a contact",
                (*contacts[:index], p, *contacts[index + 1 :]),
            )
        elif what == "pick":
            below, rig = self.session.computed.below, self.session.computed.below_rig
            if below is not None and rig is not None:
                p = replace(self.chosen, place=picked_place(below, rig, self.chosen, self.session.player.frame))
                edit(self.session, "hold as at the playhead", (*contacts[:index], p, *contacts[index + 1 :]))
        elif what == "free":
            p = replace(self.chosen, place=None)
            edit(self.session, "hold at its own place", (*contacts[:index], p, *contacts[index + 1 :]))

    def contextMenuEvent(self, e: QContextMenuEvent) -> None:
        at = QPointF(e.pos())
        contact, _ = self.hit(at)
        menu = QMenu(self)
        if contact is None:
            limb = self.limb_at(at.y())
            if not limb:
                return
            frame = min(max(round(self.time.frame(at.x())), 0), self.session.computed.frames - 1)
            menu.addAction(
                f"Add a contact here: {limb}",
                lambda: edit(
                    self.session,
                    "add a contact",
                    edits.added(contacts_of(self.session), limb, frame, self.session.computed.frames),
                ),
            )
        else:
            self.chosen = contact
            menu.addAction("Split at the playhead (S)", lambda: self.change("split"))
            menu.addAction("Join with the next (J)", lambda: self.change("join"))
            menu.addAction("Ignore" if contact.on else "Hold", lambda: self.change("switch"))
            if settings_of(self.session) is not None:
                menu.addAction("Hold at its place at the playhead", lambda: self.change("pick"))
            if contact.place is not None:
                menu.addAction("Hold at its own place, not at a picked one", lambda: self.change("free"))
            menu.addSeparator()
            menu.addAction("Remove (Del)", lambda: self.change("delete"))
        menus.show(menu, e.globalPos())
        self.changed()

    def wheelEvent(self, e: QWheelEvent) -> None:
        if e.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.time.wheel(e)
        else:
            e.ignore()


def _lane_name(name: str) -> str:
    """What stands before a lane: of a part that touches another, which stands below its own lane, the other alone."""
    _, on, other = name.partition(" on ")
    return f"    on {other}" if on else name.capitalize()


def rows_of(rig: Rig | None, used: Iterable[str]) -> list[str]:
    """The lanes of a rig's contacts: its feet and hands always, all else where it touches something."""
    if rig is None:
        return []
    always = [limb for limb in LIMBS if rig.joint(limb) >= 0]
    rest = [name for name in used if name not in always]
    # What one part touches stands together.
    return sorted([*always, *rest], key=lambda n: (ORDER.index(n.partition(" on ")[0]), n))


def _said(contact: Contact | None, part: str) -> str:
    if contact is None:
        return "Double-click to add a contact here"
    text = f"{contact.name.capitalize()}, frames {contact.first} to {contact.last}"
    if contact.limb.endswith("foot"):
        if contact.ball_from > contact.first:
            text += f"; on the heel until {contact.ball_from}"
        if contact.heel_to < contact.last:
            text += f"; on the ball from {contact.heel_to}"
        if contact.ball_to < contact.last:
            text += f"; on the tip of the toes from {contact.ball_to}"
    return text + {"ball": ". Drag: when the ball comes down", "heel": ". Drag: when the heel lifts"}.get(part, "")
