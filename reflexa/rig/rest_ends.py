"""Frames at the head or tail of a clip that are no motion but the rest pose: what captures and exports often leave there."""

from __future__ import annotations

import numpy as np

from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.rig.rig import Rig

# A frame is the rest pose where its joints are this near it on the mean and at most, degrees; or all but, and then the motion
# jumps away from it: by so many degrees on the mean.
_SAME, _SAME_MOST, _NEAR, _JUMP = 0.2, 1.0, 3.0, 6.0
# So many frames of a clip tell which of its joints move.
_LOOKS = 500


def rest_ends(clip: Clip, rig: Rig) -> tuple[int, int]:
    """How many frames of rest pose stand at the head and at the tail of a clip; none where it is nothing else. Only the ends are
    looked at, as far as they go, and of the rest enough to know which joints move at all."""
    if clip.frames < 3:
        return 0, 0
    # What carries the figure may stand anywhere; fingers often never leave rest, and tell nothing.
    told = np.flatnonzero(np.ptp(clip.rotations[:: clip.frames // _LOOKS + 1], axis=0).max(axis=-1) > 1e-6)
    joints = [j for j in told.tolist() if clip.skeleton.parents[j] >= 0 and j != rig.travel_joint]
    if len(joints) < 2:
        return 0, 0
    rests = (clip.skeleton.rest_rotations, rig.neutral.rest_rotations)
    head, tail = (_run(clip.rotations[::way], joints, rests) for way in (1, -1))
    return (head, tail) if head + tail <= clip.frames - 2 else (0, 0)


def _run(rotations: Array, joints: list[int], rests: tuple[Array, Array]) -> int:
    """Frames of rest pose at the beginning."""
    block = 2
    while True:
        mean, most = _off(rotations[:block, joints], [rest[joints] for rest in rests])
        near = mean < _NEAR
        if not near.all() or block >= len(rotations):
            break
        block *= 8
    same = (mean < _SAME) & (most < _SAME_MOST)
    exact = len(same) if same.all() else int(np.argmin(same))
    run = len(near) if near.all() else int(np.argmin(near))
    # The first frames may be near it and yet belong to the motion, which then goes on from them.
    return run if 0 < run < len(mean) and mean[run] - mean[run - 1] > _JUMP else exact


def _off(rotations: Array, rests: list[Array]) -> tuple[Array, Array]:
    """How far from the nearest rest pose ``(frames,)``: joints on the mean and at most, degrees."""
    turns = [np.degrees(quat.angle(quat.multiply(quat.conjugate(rest), rotations))) for rest in rests]
    off = np.minimum(*turns)
    return off.mean(axis=1), off.max(axis=1)
