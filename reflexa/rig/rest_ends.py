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


def rest_ends(clip: Clip, rig: Rig) -> tuple[int, int]:
    """How many frames of rest pose stand at the head and at the tail of a clip; none where it is nothing else."""
    if clip.frames < 3:
        return 0, 0
    # What carries the figure may stand anywhere; fingers often never leave rest, and tell nothing.
    told = np.flatnonzero(np.ptp(clip.rotations, axis=0).max(axis=-1) > 1e-6)
    joints = [j for j in told.tolist() if clip.skeleton.parents[j] >= 0 and j != rig.travel_joint]
    if len(joints) < 2:
        return 0, 0
    off = np.full((clip.frames, len(joints)), np.inf)
    for rest in (clip.skeleton.rest_rotations, rig.neutral.rest_rotations):
        off = np.minimum(
            off, np.degrees(quat.angle(quat.multiply(quat.conjugate(rest[joints]), clip.rotations[:, joints])))
        )
    mean, most = off.mean(axis=1), off.max(axis=1)
    head, tail = _run(mean, most), _run(mean[::-1], most[::-1])
    return (head, tail) if head + tail <= clip.frames - 2 else (0, 0)


def _run(mean: Array, most: Array) -> int:
    """Frames of rest pose at the beginning."""
    same = (mean < _SAME) & (most < _SAME_MOST)
    exact = len(same) if same.all() else int(np.argmin(same))
    near = mean < _NEAR
    run = len(near) if near.all() else int(np.argmin(near))
    # The first frames may be near it and yet belong to the motion, which then goes on from them.
    return run if run < len(mean) and mean[run] - mean[run - 1] > _JUMP and run > 0 else exact
