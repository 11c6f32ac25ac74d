"""When a foot strikes the ground and when its toes leave it.

It strikes where its middle comes down the fastest (O'Connor, Thorpe, O'Malley & Vaughan, Automatic detection of gait events using
kinematic data, Gait & Posture 25, 2007), and leaves where its toes are furthest behind the pelvis (Zeni, Richards & Higginson,
Two simple methods for determining gait events during treadmill and overground walking using kinematic data, Gait & Posture 27,
2008). Both need no ground and no travel, so they serve on the spot too. Heights and speeds let a foot stand too early, when it
is low and slow already, and let it go too early, when its toes roll: what they say is put off, never brought forward.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import kernels
from reflexa.motion.arrays import Array

Bools = NDArray[np.bool_]

# How long after heights and speeds say so events are looked for, seconds.
_STRIKE, _LEAVE = 0.12, 0.18
# A foot that gets less far back under the body in a stance than this share of the leg takes no step.
_STEP = 0.3
# Toes that have risen by more than this share of the leg are off the ground, wherever they are.
_RISE = 0.03


def refined(stands: list[Bools], points: list[Array], body: Array, leg: float, rate: float) -> list[Bools]:
    """When heel, ball and tip of a foot stand ``(frames,)`` each, with the ends of its stances put where it strikes and leaves.

    points: their tracks, body: the pelvis's, ``(frames, 3)``; leg: its length, metres. A stance that is no step of a walk stays
    as it is, and so does one that begins or ends with the clip.
    """
    steps = kernels.spans.Steps(_STEP * leg, round(_STRIKE * rate), round(_LEAVE * rate), _RISE * leg)
    out = np.empty((len(stands), len(body)), dtype=bool)
    kernels.spans.refined(steps, np.array(stands), np.array(points), body, out)
    return list(out)
