"""When a foot strikes the ground and when its toes leave it, by where it is beside the pelvis.

After Zeni, Richards & Higginson, Two simple methods for determining gait events during treadmill and overground walking using
kinematic data, Gait & Posture 27, 2008: a foot strikes where its heel is furthest ahead of the sacrum, and leaves where its toes
are furthest behind it. Both need no ground and no travel, so they serve on the spot too. Heights and speeds let a foot stand
too early, when it is low and slow already, and let it go too early, when its toes roll: what they say is put off, never brought
forward.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import contacts
from reflexa.motion.arrays import Array

Bools = NDArray[np.bool_]

# How long after heights and speeds say so events are looked for, seconds.
_STRIKE, _LEAVE = 0.12, 0.18
# A foot that gets less far back under the body in a stance than this share of the leg takes no step.
_STEP = 0.3


def refined(stands: list[Bools], points: list[Array], body: Array, leg: float, rate: float) -> list[Bools]:
    """When heel, ball and tip of a foot stand ``(frames,)`` each, with the ends of its stances put where it strikes and leaves.

    points: their tracks, body: the pelvis's, ``(frames, 3)``; leg: its length, metres. A stance that is no step of a walk stays
    as it is, and so does one that begins or ends with the clip.
    """
    out = [np.array(s) for s in stands]
    beside = [(p - body)[:, [0, 2]] for p in points]
    n = len(body)
    for first, last in contacts.spans(np.any(stands, axis=0)):
        back = beside[1][last] - beside[1][first]
        far = float(np.linalg.norm(back))
        if far < _STEP * leg:
            continue
        behind = [b @ (back / far) for b in beside]
        if first > 0:
            lead = next(i for i in range(len(out)) if out[i][first])
            strikes = _turning(behind[lead], first, round(_STRIKE * rate), n)
            for point in out:
                point[first:strikes] = False
        if last < n - 1:
            leaves = _turning(-behind[-1], last, round(_LEAVE * rate), n)
            out[-1][last:leaves] = True
    return out


def _turning(behind: Array, near: int, within: int, n: int) -> int:
    """The frame from one on at which a point turns round, being least far behind; that one where it does not within so many."""
    high = min(near + within, n - 1)
    at = near + int(np.argmin(behind[near : high + 1]))
    return near if at == high else at
