"""What is written over the picture."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from reflexa.desktop.kinds import view_of
from reflexa.desktop.look import theme
from reflexa.desktop.picture.handle import HOOPS
from reflexa.desktop.picture.manipulator import Manipulator
from reflexa.desktop.picture.posed import PosedFigure
from reflexa.desktop.picture.snapshot import Snapshot
from reflexa.desktop.picture.viewport_input import ViewportInput
from reflexa.formats import suffixes
from reflexa.session import RESULT, SOURCE, Session

_LENGTHS = (0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100, 200)


def paint_labels(p: QPainter, seen: Snapshot, hands: ViewportInput, held: str, room: float) -> None:
    """Write over the picture. held: what is held by keys, in words. room: width in pixels that the caption has beside the tool
    bar."""
    session = seen.session
    if session.take is None:
        _paint_empty(p, seen)
        return
    _paint_caption(p, seen, room)
    side_by_side = seen.look.compare == "Side by side" and not seen.look.before_held
    for f in seen.figures:
        if f.role == "pale" or (f.role == "before" and not side_by_side):
            continue
        _paint_joint_names(p, f, seen, hands)
        if side_by_side and not session.selection.rest_shown:
            low, middle = f.placed.min(axis=0), f.placed.mean(axis=0)
            at = seen.sight.project(np.array([middle[0], low[1], middle[2]]))
            _label(p, QPointF(at[0], min(at[1] + 24, seen.sight.height - 60)), f.label, centred=True)
    if isinstance(seen.hold, Manipulator):
        _paint_handle(p, seen, seen.hold, hands, held)
    _paint_scale(p, seen)


def caption(seen: Snapshot) -> str:
    """The open take, and what of it is to be seen."""
    session, look = seen.session, seen.look
    take, card, other = session.take, session.selection.view_point, session.evaluator.other
    assert take is not None
    step = take.step(card)
    where = f"after {step.name}" if step is not None else {RESULT: "result", SOURCE: "source"}.get(card, "")
    solo = take.step(session.selection.solo)
    if solo is not None:
        where += f", {solo.name} alone"
    if look.mode == "Before":
        where = "source (before)"
        if look.step_held and session.step is not None:
            where = f"before {session.step.name}"
        elif other is not None:
            where = f"take {other.name}"
    elif other is not None and look.compare != "After":
        where += f", next to take {other.name}"
    if session.selection.rest_shown:
        own = len(seen.figures) > 1 and session.step is not None
        where = view_of(session.step.kind).rest_caption if own and session.step is not None else "rest pose"
    return f"{take.name} · {where}"


def _notice(session: Session) -> str:
    """What is under way, or what steps need."""
    if session.document is None:
        return ""
    evaluator = session.evaluator
    if session.computed.evaluation is None:
        return session.computed.problem or evaluator.computing or evaluator.refused or "Computing…"
    return evaluator.computing or session.computed.problem


def _paint_caption(p: QPainter, seen: Snapshot, width: float) -> None:
    t, session = theme.current(), seen.session
    take = session.take
    plain = p.font()
    p.setFont(theme.strong(plain))
    title, more = caption(seen), _notice(session)
    p.setPen(t.colour("ink"))
    gone, known = session.sources.gone(take.source) if take is not None else ("", "")
    if not gone and (file := session.being_read):
        gone, known = f"Reading {file}…", ""
    if gone:
        title, more = gone, known
        p.setPen(t.colour("warn"))
    p.drawText(14, 26, title)
    if more:
        wrap = int(Qt.TextFlag.TextWordWrap)
        box = QRectF(p.boundingRect(QRectF(14, 34, width, 120), wrap, more))
        p.fillRect(box.adjusted(-6, -2, 6, 3), t.colour("card", 215))
        p.drawText(box, wrap, more)
    p.setFont(plain)


def _paint_joint_names(p: QPainter, f: PosedFigure, seen: Snapshot, hands: ViewportInput) -> None:
    t, index, selected = theme.current(), f.clip.skeleton.index, seen.session.selection.joint
    for name in dict.fromkeys((hands.hovered, selected)):
        if name not in index:
            continue
        at = seen.sight.project(f.placed[index[name]])
        if not np.isfinite(at[2]):
            continue
        p.setPen(QPen(t.colour("accent"), 2.4 if name == selected else 1.6))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawEllipse(QPointF(at[0], at[1]), 9.5, 9.5)
        side = f.rig.side_of[index[name]]
        text = name + (f" · {side}" if side in ("left", "right") else " · no partner" if side == "none" else "")
        if name == selected and isinstance(seen.hold, str) and f.role == "after":
            text += f" · no handle: {seen.hold}"
        _label(p, QPointF(at[0] + 15, at[1] - 4), text)


def _paint_handle(p: QPainter, seen: Snapshot, hold: Manipulator, hands: ViewportInput, held: str) -> None:
    sight, handle = seen.sight, hold.handle
    for axis, (letter, _colour) in enumerate(HOOPS):
        at = sight.project(handle.bead(axis, sight.camera))
        p.setPen(QColor("white"))
        p.drawText(QRectF(at[0] - 8, at[1] - 8.5, 16, 16), Qt.AlignmentFlag.AlignCenter, letter)
    said = held or hands.says or (f"{hold.says}: {handle.says(hands.hot)}" if hands.hot >= 0 and not hands.busy else "")
    if said:
        at = sight.project(handle.centre)
        _label(p, QPointF(at[0] + 86, at[1] - 60), said)


def _paint_scale(p: QPainter, seen: Snapshot) -> None:
    """A bar of a round length in the corner, true at the camera's target."""
    sight = seen.sight
    size = sight.pixel_size(np.array(sight.camera.target))
    length = next((v for v in _LENGTHS if v / size > 56), _LENGTHS[-1])
    px = length / size
    x, y = sight.width - 16, sight.height - 20
    p.setPen(QPen(theme.current().colour("ink"), 1.6))
    p.drawLine(QPointF(x - px, y), QPointF(x, y))
    p.drawLine(QPointF(x - px, y - 4), QPointF(x - px, y))
    p.drawLine(QPointF(x, y - 4), QPointF(x, y))
    text = f"{length:g} m" if length >= 1 else f"{length * 100:g} cm"
    p.drawText(QRectF(x - px - 30, y - 22, px + 30, 16), Qt.AlignmentFlag.AlignRight, text)


def _paint_empty(p: QPainter, seen: Snapshot) -> None:
    width, middle = seen.sight.width, seen.sight.height / 2
    p.setPen(theme.current().colour("ink"))
    plain, big = p.font(), theme.strong(p.font())
    big.setPointSizeF(13)
    p.setFont(big)
    p.drawText(QRectF(0, middle - 30, width, 26), Qt.AlignmentFlag.AlignCenter, "No take is open")
    p.setFont(plain)
    kinds = ", ".join(suffixes())
    text = f"Drop a motion file ({kinds}) here, or double-click a clip on the left."
    p.drawText(QRectF(0, middle, width, 22), Qt.AlignmentFlag.AlignCenter, text)


def _label(p: QPainter, at: QPointF, text: str, centred: bool = False) -> None:
    t = theme.current()
    width = p.fontMetrics().horizontalAdvance(text) + 12
    box = QRectF(at.x() - (width / 2 if centred else 0), at.y() - 10, width, 20)
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(t.colour("card", 235))
    p.drawRoundedRect(box, 5, 5)
    p.setPen(t.colour("ink"))
    p.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
