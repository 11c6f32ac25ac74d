"""What a motion is like, as a few dozen numbers that do not depend on the rig: places and speeds of body parts, in leg and body
lengths, as the figure itself sees them."""

from __future__ import annotations

import numpy as np

from reflexa.motion import quat, travel
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.rig import Rig

_CENTRE = ("pelvis", "chest", "head")
_SIDED = ("forearm", "hand", "shin", "foot")
POINTS = (*_CENTRE, *(f"{side} {p}" for p in _SIDED for side in ("left", "right")))
# What of a part counts how much: where it is on the mean, how far it gets about that, how fast it goes.
_MEAN, _SPREAD, _SPEED, _WHOLE = 1.0, 1.5, 0.3, 0.5
# Of the body as a whole: forward and sideways over the ground, turning, the log of its length in time.
BODY = 4
LENGTH = len(POINTS) * 7 + BODY

_SWAP = np.array([POINTS.index(p.replace("left", "?").replace("right", "left").replace("?", "right")) for p in POINTS])
_ACROSS = np.array([-1.0, 1.0, 1.0])


def features(clip: Clip, rig: Rig) -> Array:
    """What the clip is like, ``(LENGTH,)``; NaN where the rig lacks the part."""
    out = np.full(LENGTH, np.nan)
    pelvis = rig.joint("pelvis")
    if pelvis < 0 or clip.frames < 2:
        return out
    turned, placed = clip.model
    tall = max(rig.height, 1e-6)
    ahead = quat.rotate(quat.conjugate(rig.skeleton.rest_model[0][pelvis]), rig.facing)
    up = quat.rotate(quat.conjugate(rig.skeleton.rest_model[0][pelvis]), np.array([0.0, 1.0, 0.0]))
    heading = travel.headings(turned[:, pelvis], ahead, up)
    back = travel.yaw(-heading)
    body = placed[:, pelvis] * [1.0, 0.0, 1.0]
    means, spreads, speeds = (
        np.full((len(POINTS), 3), np.nan),
        np.full((len(POINTS), 3), np.nan),
        np.full(len(POINTS), np.nan),
    )
    for i, part in enumerate(POINTS):
        j = _joint(rig, part)
        if j >= 0:
            seen = quat.rotate(back, placed[:, j] - body - [0.0, rig.ground, 0.0]) / tall
            means[i], spreads[i] = seen.mean(axis=0), seen.std(axis=0)
            speeds[i] = np.linalg.norm(np.diff(seen, axis=0), axis=1).mean() * clip.rate
    over = quat.rotate(back[1:], np.diff(body, axis=0)).mean(axis=0) * (clip.rate / tall)
    turning = float(np.diff(heading).mean()) * clip.rate
    whole = np.array([over[2], over[0], turning * 0.3, np.log(max(clip.duration, 1e-3)) * 0.3]) * _WHOLE
    return np.concatenate([(means * _MEAN).ravel(), (spreads * _SPREAD).ravel(), speeds * _SPEED, whole])


def _joint(rig: Rig, part: str) -> int:
    if part == "chest":
        spine = rig.body_map.get("spine", ())
        return rig.skeleton.index[spine[-1]] if spine else -1
    return rig.joint(part)


def mirrored(given: Array) -> Array:
    """The features ``(…, LENGTH)`` of the mirror image of a motion."""
    n = len(POINTS)
    shape = given.shape[:-1]
    means = given[..., : 3 * n].reshape(*shape, n, 3)[..., _SWAP, :] * _ACROSS
    spreads = given[..., 3 * n : 6 * n].reshape(*shape, n, 3)[..., _SWAP, :]
    whole = given[..., 7 * n :] * [1.0, -1.0, -1.0, 1.0]
    flat = (means.reshape(*shape, -1), spreads.reshape(*shape, -1), given[..., 6 * n : 7 * n][..., _SWAP], whole)
    return np.concatenate(flat, axis=-1)


def distances(one: Array, many: Array) -> Array:
    """How far ``many`` ``(n, LENGTH)`` are from ``one``, over the parts that both have; infinite where there are none."""
    off = (many - one) ** 2
    shared = np.isfinite(off)
    count = shared.sum(axis=1)
    with np.errstate(invalid="ignore"):
        mean = np.where(shared, off, 0.0).sum(axis=1) / np.maximum(count, 1)
    return np.asarray(np.where(count > LENGTH // 3, np.sqrt(mean), np.inf))
