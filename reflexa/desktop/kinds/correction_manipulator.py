"""The selected joint pulled in the picture: a correction, its key and its neutral keys are there."""

from __future__ import annotations

from typing import Any

import numpy as np

from reflexa.desktop.picture.handle import handle_at
from reflexa.desktop.picture.manipulator import SNAP_MOVE, Drag, Manipulator, snapped
from reflexa.desktop.picture.posed import PosedFigure
from reflexa.desktop.picture.view import Sight
from reflexa.motion import quat
from reflexa.motion.arrays import Array, vector
from reflexa.session import RESULT, Session, line
from reflexa.steps.correction import CorrectionSettings, Track, aim_point, set_key, track_at, usual_track


def why_not(session: Session) -> str:
    """Why the selected joint cannot be pulled in this picture, or an empty text."""
    take, line_ = session.take, session.computed.looked_at
    if session.selection.rest_shown:
        return "the rest pose cannot be edited"
    if take is None or line_ is None:
        return "no take is open"
    if session.selection.painting:
        return "a mask is being painted"
    seen = session.selection.view_point
    if session.layer is None:
        return "" if seen == RESULT else "the view point is not at the result"
    if session.selection.solo:
        return "only one step is shown"
    later = [s for s in take.steps[session.index + 1 :] if s.acts]
    if seen != session.selection.card and later:
        return "later steps change what this correction does"
    return ""


def hold(session: Session, sight: Sight, figure: PosedFigure) -> Manipulator | str | None:
    """Hoops about the selected joint, and rods, plates and a hub where it can be moved."""
    if session.selection.joint not in figure.rig.skeleton.index:
        return None
    reason = why_not(session)
    if reason:
        return reason
    rig, joint = figure.rig, figure.rig.skeleton.index[session.selection.joint]
    track = usual_track(session.layer or CorrectionSettings(), rig, session.selection.joint)
    axes = np.array(quat.IDENTITY)
    turned, parent = figure.clip.model[0][figure.frame], int(rig.skeleton.parents[joint])
    if track.space == "own":
        axes = turned[joint]
    elif track.space == "parent" and parent >= 0:
        axes = turned[parent]
    moves = track.drives != "joint"
    grip = bend = None
    if track.drives == "aim":
        grip = aim_point(rig, turned[joint], figure.placed[joint])
    elif track.drives == "limb" and (limb := rig.limb(rig.part_of(session.selection.joint))) is not None:
        bend = figure.placed[list(limb)]
    handle = handle_at(figure.placed[joint], axes, sight, moves, grip, bend)
    return Manipulator(handle, session.selection.joint, lambda: _begin(session, axes))


def _begin(session: Session, axes: Array) -> Drag | None:
    """Take hold of the joint; a correction is put in where none is selected."""
    if session.layer is None:
        line.add(session, "correction", f"Correct {session.selection.joint}")
    settings, rig = line.begun_layer(session), session.computed.step_rig
    if settings is None or rig is None:
        return None
    joint, frame = session.selection.joint, session.player.frame
    track = usual_track(settings, rig, joint)
    now = np.zeros(7)
    if settings.track(joint).keys:
        now = np.concatenate([np.ravel(v) for v in track_at(settings.track(joint), np.array([frame]))])
    return _drag(session, settings, track, now, axes)


def _drag(session: Session, settings: CorrectionSettings, track: Track, now: Array, axes: Array) -> Drag:
    """Everything is counted from where the drag began, so that it is one edit, and no rounding adds up."""
    frame = session.player.frame

    def key(label: str, **values: Any) -> None:
        new = set_key(
            settings, track.joint, frame, session.computed.frames - 1, drives=track.drives, stay=track.stay, space=track.space,
            **values,
        )  # fmt: skip
        line.edit_layer(session, label, new, "pull")
        session.selection.select_keys({(track.joint, frame)})

    def turn(axis: int, degrees: float, snap: bool) -> float:
        degrees = snapped(degrees, snap)
        change = quat.about(axis, np.radians(degrees))
        before = quat.from_rotvec(np.radians(now[:3]))
        own = track.space == "own"
        turned = quat.multiply(before, change) if own else quat.multiply(change, before)
        key(f"turn {track.joint}", rotate=vector(np.degrees(quat.to_rotvec(turned))))
        return degrees

    def move(by: Array, snap: bool) -> Array:
        world = np.round(by / SNAP_MOVE) * SNAP_MOVE if snap else by
        change = world if track.space == "world" else quat.rotate(quat.conjugate(axes), world)
        key(f"move {track.joint}", move=vector(now[3:6] + change))
        return np.asarray(world)

    def swing(degrees: float) -> None:
        key(f"swing {track.joint}", swing=float(now[6] + degrees))

    return Drag(turn, move, swing)
