"""Which figures the picture shows, in which pose, where, and in which colours."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from reflexa.desktop import picture
from reflexa.desktop.session import Session
from reflexa.draw import Camera
from reflexa.errors import RecipeError
from reflexa.motion import cycle, kinematics, quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip, rest_clip
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import Rig
from reflexa.rig.match import Match, match
from reflexa.steps.retarget.step import rig_named


@dataclass(frozen=True, eq=False)
class Shown:
    """A figure to draw: role "after", "before" (solid, tinted) or "pale" (see-through, bones only if ``bare``)."""

    clip: Clip
    frame: int
    role: str
    offset: Array
    rig: Rig
    colours: Array
    bare: bool = False
    label: str = ""

    @property
    def placed(self) -> Array:
        """Where its joints are in the picture ``(joints, 3)``."""
        return np.asarray(self.clip.model[1][self.frame] + self.offset)

    @property
    def bounds(self) -> Array:
        """Lowest and highest corner ``(2, 3)`` of the room that the figure needs through the whole clip, without its
        travel, with some room for hair and hats."""
        placed = self.clip.model[1]
        travel = placed[:, self.rig.travel_joint] * [1.0, 0.0, 1.0]
        stays = placed - travel[:, None] + travel[self.frame] + self.offset
        above = [0.0, 0.08 * self.rig.height if self.rig.meshes else 0.0, 0.0]
        return np.stack([stays.min(axis=(0, 1)), stays.max(axis=(0, 1)) + above])


@dataclass(frozen=True)
class Look:
    """How the person wants to look: comparing mode, whether the source is held up, in place, followed; whether what is
    held up is the figure before the selected step; which other take stands for the "before"."""

    compare: str
    before_held: bool
    in_place: bool
    follow: bool
    step_held: bool = False
    other_take: str = ""


def retarget_match(session: Session) -> Match | None:
    """The match of the selected retarget step, as it is being set up; None where it is no retarget or has no rig yet."""
    step, source = session.step, session.step_rig
    if step is None or step.kind != "retarget" or source is None:
        return None
    try:
        return match(source, rig_named(step.settings.rig, session.rigs))
    except RecipeError:
        return None


def frame_of(session: Session, clip: Clip) -> int:
    """The playhead within a clip."""
    return min(session.frame, clip.frames - 1)


def offset_of(session: Session, look: Look, clip: Clip, rig: Rig, now: Clip | None = None) -> Array:
    """What is added to show the figure in place (or to bring it to where the camera stays). now: the one frame that is
    shown of the clip, where that is not the playhead's."""
    if not (look.in_place or look.follow):
        return np.zeros(3)
    travel = clip.model[1][:, rig.travel_joint]
    at = travel[frame_of(session, clip)] if now is None else now.model[1][0, rig.travel_joint]
    by = travel[0] - at
    return np.array([by[0], 0.0, by[2]])


def figures(session: Session, look: Look, camera: Camera) -> list[Shown]:
    """Every figure to draw, the one that can be worked on first."""
    m = retarget_match(session)
    if session.rest_shown:
        return _rest(session, m)
    after, evaluation = session.shown, session.evaluation
    if after is None or evaluation is None:
        return []
    source, own, name = _before(session, look)
    rig = evaluation.rigs[session.stage_of(session.tap)]
    mode = "Before" if look.before_held else look.compare
    shown, frame = (session.preview, 0) if session.preview is not None else (after, frame_of(session, after))
    colour, own_colour = _colours(rig, m, session), _colours(own, m, session)
    if session.rounds and session.preview is None and after.loop and session.range == (0, after.frames - 1):
        shown, frame = cycle.after_rounds(after, rig.travel_joint, frame, session.rounds), 0
    now = shown if frame == 0 and shown is not after and session.preview is None else None
    place, own_place = offset_of(session, look, after, rig, now), offset_of(session, look, source, own)
    before = Shown(source, frame_of(session, source), "before", own_place, own, own_colour, label=name)
    if mode == "Before":
        return [before]
    out = [Shown(shown, frame, "after", place, rig, colour, label="After")]
    if mode == "Both":
        out.append(replace(before, role="pale", offset=place))
    if mode == "Side by side":
        right = camera.axes[0]
        # Far enough apart for arms held out, as rest poses have them.
        wide = max(0.32 * max(rig.height, own.height), 0.15)
        apart = right / max(float(np.hypot(right[0], right[2])), 1e-6) * wide
        out = [replace(out[0], offset=place + apart), replace(before, offset=own_place - apart)]
    return out


def _before(session: Session, look: Look) -> tuple[Clip, Rig, str]:
    """What the figure is compared with: the source, what stands before the selected step, or another take's result."""
    evaluation = session.evaluation
    assert evaluation is not None
    if look.step_held and session.step is not None:
        at = max(session.stage_of(session.card) - 1, 0)
        return evaluation.clips[at], evaluation.rigs[at], "Before the step"
    if look.other_take and (other := session.other_result(look.other_take)) is not None:
        return *other, look.other_take
    return evaluation.clips[0], evaluation.rigs[0], "Before"


def _colours(rig: Rig, m: Match | None, session: Session) -> Array:
    """By side; by mapped part while a retarget is being set up; by weight while a mask is being painted."""
    step, own = session.step, session.step_rig
    if session.painting and step is not None and own is not None and own.key == rig.key:
        try:
            weights = np.ones(len(rig.skeleton)) if step.mask is None else step.mask.weights(rig)
        except KeyError:
            weights = np.zeros(len(rig.skeleton))
        return picture.weight_colours(rig, weights)
    if m is None or rig.key not in (m.source.key, m.target.key):
        return picture.colours(rig)
    return picture.part_colours(rig, m)


def _rest(session: Session, m: Match | None) -> list[Shown]:
    """The neutral pose; for a retarget the target's aligned rest under the source's neutral pose."""
    if m is None:
        rig = session.rig
        if rig is None:
            return []
        return [Shown(rest_clip(rig.neutral), 0, "after", np.zeros(3), rig, picture.colours(rig), label="Rest pose")]
    turned, placed = m.aligned_rest
    target, s = m.target, m.target.neutral
    q, t = kinematics.inverse(s.parents, turned[None], placed[None])
    low = Shown(
        Clip("aligned rest", s, q, t, 30.0, None if s.rest_scales is None else s.rest_scales[None]), 0, "after",
        np.zeros(3), target, picture.part_colours(target, m), label="Aligned rest",
    )  # fmt: skip
    source = m.source.neutral
    scaled = Skeleton(source.names, source.parents, source.rest_rotations, source.rest_translations * m.stride)
    over = rest_clip(scaled)
    feet = [(m.source.joint(f"{side} foot"), target.joint(f"{side} foot")) for side in ("left", "right")]
    shift = np.zeros(3)
    if all(min(pair) >= 0 for pair in feet):
        own = np.mean([placed[b] for _, b in feet], axis=0)
        shift = own - np.mean([quat.rotate(m.turn, over.model[1][0, a]) for a, _ in feet], axis=0)
    tips = {n: tip * m.stride for n, tip in m.source.tips.items()}
    rig = replace(m.source, skeleton=scaled, meshes=(), tips=tips, reference=None)
    return [
        low,
        Shown(over, 0, "pale", shift, rig, picture.part_colours(m.source, m), bare=True, label="Source's rest, scaled"),
    ]
