"""Everything that a picture is made of, looked up once for every change; painting it and pointing at it compute nothing."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from reflexa.desktop.kinds import by_hand, view_of
from reflexa.desktop.kinds.model import Ground, Moment
from reflexa.desktop.picture.figures import figures
from reflexa.desktop.picture.manipulator import Manipulator
from reflexa.desktop.picture.overlay import NOTHING, Overlay
from reflexa.desktop.picture.posed import PosedFigure
from reflexa.desktop.picture.props import drawn_props, grip_marks, prop_at, prop_hold
from reflexa.desktop.picture.view import Look, Sight
from reflexa.draw import Camera
from reflexa.draw.figure import usefulness
from reflexa.motion.arrays import Array
from reflexa.session import Session

# A mark is hit within so many pixels; one that is pulled every day counts as that much nearer, in pixels for each degree of
# usefulness, at this many metres to a pixel and more.
_NEAR, _USEFUL, _FAR = 14.0, 5.0, 0.0035


@dataclass(frozen=True, eq=False)
class Snapshot:
    """figures: the one that can be worked on first. hold: what a hand can take hold of, or why it cannot. ground: points
    that can be dragged over it (None: there are none)."""

    session: Session
    look: Look
    figures: tuple[PosedFigure, ...]
    sight: Sight
    hold: Manipulator | str | None
    ground: Ground | None

    @property
    def after(self) -> PosedFigure | None:
        """The figure that is worked on."""
        return next((f for f in self.figures if f.role == "after"), None)

    def overlay(self, hot_point: int) -> Overlay:
        """Props, and what the selected step says of the ground. hot_point: which point is under the pointer."""
        session, clip = self.session, self.session.computed.shown
        if clip is None or session.selection.rest_shown:
            return NOTHING
        frame, shift = min(session.player.frame, clip.frames - 1), self.sight.shift
        out = drawn_props(session.stage, clip, frame, shift, session.selection.prop)
        if session.selection.prop:
            out += Overlay(marks=(grip_marks(session.stage, clip, frame, shift),))
        step, stands, rig = session.step, session.computed.after_step, session.computed.step_rig
        view = view_of(step.kind) if step is not None and step.on else None
        if view is not None and view.overlay is not None and stands is not None and rig is not None:
            moment = Moment(session, stands, rig, min(session.player.frame, stands.frames - 1))
            out += view.overlay(moment, self.sight, hot_point)
        return out

    def joint_at(self, x: float, y: float) -> str:
        """The joint that a click at a pixel means: the most useful one that lies there; an empty text: none."""
        return next(iter(self.joints_at(x, y)), "")

    def joints_at(self, x: float, y: float) -> list[str]:
        """The joints whose marks lie at a pixel (within 14), what is pulled every day first, then by how near they are. Helper
        joints lie on the joints that they follow: the body wins."""
        found: dict[str, float] = {}
        for f in self.figures:
            if f.role == "pale":
                continue
            at = self.sight.project(f.placed)
            away = np.hypot(at[:, 0] - x, at[:, 1] - y) + np.where(np.isfinite(at[:, 2]), 0, 1e9)
            # Where one looks closely, joints are pixels apart, and the nearest is meant.
            bonus = _USEFUL * usefulness(f.rig) * np.minimum(self.sight.pixel_size(f.placed.mean(axis=0)) / _FAR, 1.0)
            names, useful = f.rig.skeleton.names, usefulness(f.rig)
            for j in np.flatnonzero(away < _NEAR).tolist():
                found[names[j]] = min(found.get(names[j], np.inf), float(away[j] - bonus[j]))
                # A finger is first of all a part of its hand.
                whole = next((a for a in f.rig.skeleton.above(j) if useful[a] >= 2), -1) if useful[j] == 0 else -1
                if whole >= 0:
                    found[names[whole]] = min(found.get(names[whole], np.inf), float(away[j] - bonus[whole]))
        return sorted(found, key=found.__getitem__)

    def point_at(self, x: float, y: float) -> int:
        """The point on the ground under a pixel, or -1."""
        if not self.ground or self.session.player.playing:
            return -1
        p = self.sight.project(np.array([(a, 0.0, b) for a, b in self.ground]) + self.sight.shift)
        away = np.hypot(p[:, 0] - x, p[:, 1] - y)
        return int(np.argmin(away)) if away.min() < 11 else -1

    def prop_at(self, x: float, y: float) -> str:
        """The prop under a pixel, or an empty text."""
        clip = self.session.computed.shown
        if clip is None or self.session.selection.rest_shown:
            return ""
        return prop_at(self.session.stage, clip, min(self.session.player.frame, clip.frames - 1), self.sight, x, y)


def snapshot(session: Session, look: Look, camera: Camera, width: int, height: int) -> Snapshot:
    """What is to be seen now, in a picture of that many pixels."""
    shown = figures(session, look, camera)
    sight = Sight(camera, width, height, _shift(session, look, shown))
    step = session.step
    ground = view_of(step.kind).ground if step is not None and step.on else None
    points = ground.now(session) if ground is not None else None
    return Snapshot(session, look, shown, sight, _hold(session, look, sight, shown), points)


def moved_camera(old: Snapshot, camera: Camera) -> Snapshot:
    """The same seen from elsewhere."""
    if old.look.mode == "Side by side":  # the two stand across the line of sight
        return snapshot(old.session, old.look, camera, old.sight.width, old.sight.height)
    sight = replace(old.sight, camera=camera)
    return replace(old, sight=sight, hold=_hold(old.session, old.look, sight, old.figures))


def _shift(session: Session, look: Look, shown: tuple[PosedFigure, ...]) -> Array:
    """How far the world is moved in the picture, so that the figure stays in it ``(3,)``."""
    after = next((f for f in shown if f.role == "after"), None)
    still = after is None or session.selection.rest_shown or look.compare == "Side by side"
    return np.zeros(3) if after is None or still else after.offset


def _hold(session: Session, look: Look, sight: Sight, shown: tuple[PosedFigure, ...]) -> Manipulator | str | None:
    """What a hand can take hold of: the selected prop, what the selected step's kind offers, the selected joint."""
    clip, step = session.computed.shown, session.step
    if session.player.playing or not shown or look.mode == "Before":
        return None
    if session.selection.prop and clip is not None and not session.selection.rest_shown:
        return prop_hold(session, clip, min(session.player.frame, clip.frames - 1), sight)
    view = view_of(step.kind) if step is not None else None
    own = view.hold(session, sight, shown[0]) if view is not None and view.hold is not None else None
    begins = by_hand()
    if own is not None or begins.hold is None:
        return own
    return begins.hold(session, sight, shown[0])
