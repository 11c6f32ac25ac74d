"""Hands that meet kept together: in a mirrored clip of a figure that is not alike on both sides, and between two clips."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import NamedTuple

import numpy as np

from reflexa.contacts.relations import of_hands
from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.cuts import timing_of
from reflexa.motion.limbs import at_frames, limb_end, posed_clip
from reflexa.rig import Rig
from reflexa.rig.limbs import limb_of
from reflexa.rig.rig import SIDES
from reflexa.solve.arms import ArmGoal, Meeting, arm_depths, free_arm, partly_met, solve

# A figure whose partners are each other's reflection within this, millimetres, is alike on both sides: so is what its hands do.
_EVEN = 0.5
# Ways that all but cancel each other are not made longer than so many times.
_MOST_LONGER = 2.0


def hands_kept(source: Clip, mirrored: Clip, rig: Rig, reflect: Callable[[Array], Array]) -> Clip:
    """The mirrored clip with hands that meet in its source as far apart and, by the skin, arms no deeper in the body than the
    other arm is there. reflect: a way ``(…, 3)`` across the plane. A clip in which that holds already is given back as it is."""
    before, now = _ends(source, rig), _ends(mirrored, rig)
    if before is None or now is None or all(p.residual_mm < _EVEN for p in rig.pairs):
        return mirrored
    pair = of_hands(source, rig)
    if pair is None and not rig.meshes:
        return mirrored
    # What the left hand did the right one does: its way from the left one is that from the right, seen in the mirror.
    meeting = None if pair is None else partly_met(now, reflect(before[0] - before[1]), pair.weight)
    goals = [
        free_arm(f"{side} hand", end, arm_depths(rig, other, source.model) if rig.meshes else None)
        for side, other, end in zip(SIDES, SIDES[::-1], now, strict=True)
    ]
    return _solved(mirrored, rig, goals, meeting)


class Mixed(NamedTuple):
    """One of two clips that a blend lies between: the clip, its rig, and how much of its arms is in the blend ``(frames,)``."""

    clip: Clip
    rig: Rig
    share: Array


def hands_between(mixed: Clip, rig: Rig, both: Iterable[Mixed]) -> Clip:
    """A blend of clips of as many frames with hands that meet in them as far apart as they are there, by the clips' shares, seen
    from the trunk. One in which that holds already is given back as it is."""
    ends = _ends(mixed, rig)
    if ends is None:
        return mixed
    pull, far, wanted = np.zeros(mixed.frames), np.zeros(mixed.frames), np.zeros((mixed.frames, 3))
    for clip, own, share in both:
        there = _ends(clip, own)
        pair = of_hands(clip, own) if share.any() else None
        if pair is not None and there is not None:
            counts = pair.weight * share
            between = there[1] - there[0]
            pull += counts
            far += counts * np.linalg.norm(between, axis=1)
            wanted += counts[:, None] * quat.rotate(quat.conjugate(_trunk(clip, own)), between)
    if not pull.any():
        return mixed
    # As far apart as in both on the mean, also where one has the left hand ahead and the other the right one.
    longer = np.minimum(far / np.maximum(np.linalg.norm(wanted, axis=1), 1e-9), _MOST_LONGER)
    way = quat.rotate(_trunk(mixed, rig), wanted * (longer / np.maximum(pull, 1e-9))[:, None])
    goals = [free_arm(f"{side} hand", end) for side, end in zip(SIDES, ends, strict=True)]
    return _solved(mixed, rig, goals, partly_met(ends, way, pull))


def _ends(clip: Clip, rig: Rig) -> list[Array] | None:
    """Where both arms end ``(frames, 3)``; None for a figure without two."""
    arms = [limb_of(rig, f"{side} hand") for side in SIDES]
    return None if any(l is None for l in arms) else [limb_end(clip.model, l) for l in arms if l is not None]


def _trunk(clip: Clip, rig: Rig) -> Array:
    """How the trunk is turned from how it is at rest ``(frames, 4)``."""
    names = rig.body_map.get("spine", ())
    joint = rig.skeleton.index[names[-1]] if names else rig.travel_joint
    return quat.multiply(clip.model[0][:, joint], quat.conjugate(rig.neutral.rest_model[0][joint]))


def _solved(clip: Clip, rig: Rig, goals: list[ArmGoal], meeting: Meeting | None) -> Clip:
    frames = np.arange(clip.frames)
    posed = at_frames(clip.skeleton, clip.model, clip.rotations, frames)
    solve(posed, rig, goals, meeting, timing_of(clip))
    return posed_clip(clip, posed, frames) if posed.dirty else clip
