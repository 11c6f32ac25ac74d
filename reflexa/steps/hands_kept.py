"""Hands of a mirrored clip kept to each other and out of the body, on a figure that is not alike on both sides."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from reflexa.contacts.relations import relations
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.cuts import timing_of
from reflexa.motion.limbs import at_frames, limb_end, posed_clip
from reflexa.rig import Rig
from reflexa.rig.limbs import limb_of
from reflexa.rig.rig import SIDES
from reflexa.solve.arms import ArmGoal, Meeting, arm_depths, solve

# A figure whose partners are each other's reflection within this, millimetres, is alike on both sides: so is what its hands do.
_EVEN = 0.5


def hands_kept(source: Clip, mirrored: Clip, rig: Rig, reflect: Callable[[Array], Array]) -> Clip:
    """The mirrored clip with hands that meet in its source as far apart and, by the skin, arms no deeper in the body than the
    other arm is there. reflect: a way ``(…, 3)`` across the plane. A clip in which that holds already is given back as it is."""
    arms = [limb_of(rig, f"{side} hand") for side in SIDES]
    if any(l is None for l in arms) or all(p.residual_mm < _EVEN for p in rig.pairs):
        return mirrored
    before = [limb_end(source.model, l) for l in arms if l is not None]
    now = [limb_end(mirrored.model, l) for l in arms if l is not None]
    pair = next((r for r in relations(source, rig) if r.other.endswith("hand")), None)
    meeting = None
    if pair is not None:
        # What the left hand did the right one does: its way from the left one is that from the right, seen in the mirror.
        way = reflect(before[0] - before[1])
        apart = now[1] - now[0]
        meeting = Meeting(apart + pair.weight[:, None] * (way - apart), pair.weight)
    free = np.zeros(source.frames)
    if meeting is None and not rig.meshes:
        return mirrored
    goals = []
    for side, other, end in zip(SIDES, SIDES[::-1], now, strict=True):
        deep = arm_depths(rig, other, source.model)
        goals.append(ArmGoal(f"{side} hand", end, free, deep if rig.meshes else np.full(deep.shape, np.inf)))
    frames = np.arange(source.frames)
    posed = at_frames(mirrored.skeleton, mirrored.model, mirrored.rotations, frames)
    solve(posed, rig, goals, meeting, timing_of(mirrored))
    return posed_clip(mirrored, posed, frames) if posed.loose else mirrored
