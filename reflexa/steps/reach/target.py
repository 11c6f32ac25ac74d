"""Where a target is over a clip, what meets it, and how far from it the limb is."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from reflexa.errors import RecipeError
from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.rig.aim_axis import ahead_of, looks
from reflexa.rig.soles import soles
from reflexa.stage import Stage
from reflexa.stage.model import between_keys, grip_track, turn_of
from reflexa.steps.active_spans import weight_of
from reflexa.steps.reach.settings import ReachSettings


@dataclass(frozen=True, eq=False)
class TargetTrack:
    """Where a target is over a clip: turns ``(frames, 4)`` and places ``(frames, 3)``; weight ``(frames,)`` of the spans."""

    turn: Array
    place: Array
    weight: Array


def target_of(clip: Clip, settings: ReachSettings, stage: Stage) -> TargetTrack:
    """Where the target is. Raises RecipeError where its prop, grip or joint is not there."""
    s, n = settings, clip.frames
    if s.to == "grip":
        prop = stage.prop(s.prop)
        if prop is None:
            known = ", ".join(p.name for p in stage.props)
            raise RecipeError(
                f"there is no prop {s.prop!r} on the stage" if s.prop else "no prop is chosen",
                advice=f"On the stage: {known}." if known else "Put one on the stage first.",
            )
        q, p = grip_track(prop, s.grip, clip)
    elif s.to == "joint":
        if s.joint not in clip.skeleton.index:
            raise RecipeError(f"the rig has no joint {s.joint!r}" if s.joint else "no target joint is chosen")
        j = clip.skeleton.index[s.joint]
        q, p = clip.model[0][:, j], clip.model[1][:, j]
    elif s.to == "keyed" and s.keys:
        turns, p = between_keys(sorted(s.keys, key=lambda k: k.frame), np.arange(n))
        q = turn_of(turns)
    else:
        if not np.all(np.isfinite([*s.point, *s.turn])):
            raise RecipeError("the place of the target is not a finite number")
        q, p = np.tile(turn_of(s.turn), (n, 1)), np.tile(np.array(s.point), (n, 1))
    return TargetTrack(q, p + quat.rotate(q, np.array(s.offset) / 100), weight_of(s.spans, n))


def meets_with(rig: Rig, settings: ReachSettings) -> Array:
    """The point that meets the target, in the end joint's own axes ``(3,)`` metres: palm, sole, or the joint itself."""
    joint = end_joint(rig, settings.limb)
    side, _, part = settings.limb.partition(" ")
    if settings.meets == "joint" or part not in ("hand", "foot"):
        return np.zeros(3)
    if part == "foot":
        sole = soles(rig).get(side)
        if sole is None:
            return np.zeros(3)
        flat = sole.points(*(a[None] for a in rig.neutral.rest_model))
        turned, placed = rig.neutral.rest_model
        return quat.rotate(quat.conjugate(turned[joint]), (flat[0][0] + flat[1][0]) / 2 - placed[joint])
    turned, placed = rig.neutral.rest_model
    knuckles = [
        rig.skeleton.index[names[0]] for f in ("index finger", "middle finger", "ring finger", "little finger")
        if (names := rig.body_map.get(f"{side} {f}", ()))
    ]  # fmt: skip
    if knuckles:
        return quat.rotate(quat.conjugate(turned[joint]), 0.75 * (placed[knuckles].mean(axis=0) - placed[joint]))
    tip = rig.tips.get(rig.skeleton.names[joint])
    return np.zeros(3) if tip is None else 0.4 * tip


def end_joint(rig: Rig, name: str) -> int:
    """The joint that a limb's name stands for. Raises RecipeError where the rig has none."""
    joint = rig.joint_called(name)
    if joint < 0:
        raise RecipeError(
            f"the rig has no {name!r}", advice="Assign this joint in the Figure view, or choose another one."
        )
    return joint


def distance(clip: Clip, rig: Rig, settings: ReachSettings, stage: Stage) -> tuple[Array, Array]:
    """How far the limb is from its target ``(frames,)`` in metres (for a head that looks: in radians), and how much the goal
    acts ``(frames,)``. Raises RecipeError as ``reached`` does."""
    joint = end_joint(rig, settings.limb)
    target = target_of(clip, settings, stage)
    turned, placed = clip.model[0][:, joint], clip.model[1][:, joint]
    if looks(rig, settings.limb):
        now = quat.rotate(turned, ahead_of(rig, joint))
        return quat.angle(quat.between(now, target.place - placed)), target.weight
    meets = placed + quat.rotate(turned, meets_with(rig, settings))
    return np.asarray(np.linalg.norm(target.place - meets, axis=-1)), target.weight
