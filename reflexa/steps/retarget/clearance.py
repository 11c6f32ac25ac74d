"""Arms of a broader figure led round its body instead of through it."""

from __future__ import annotations

import numpy as np

from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.limbs import Posed, turn_about, widened
from reflexa.motion.smoothing import Timing, gaussian
from reflexa.rig import bodies
from reflexa.rig.foot_rest import leg_length
from reflexa.rig.limbs import limb_of
from reflexa.rig.match import Match
from reflexa.rig.rig import SIDES

# A figure is the broader from this much on, relative to its legs.
_BROADER = 1.08
# Arms may touch: no deeper than this share of the leg is nothing that has to be fixed.
_TOUCHES = 0.012
# No arm is swung further than this, radians; over which time the way of it changes, seconds; and how often it is looked again.
_FURTHEST, _TURNS, _ROUNDS = np.radians(40), 0.15, 3


def broader(m: Match) -> bool:
    """Is the target so much broader than the source that arms would be in its body? A source without a skin is taken for slim."""
    mine, other = bodies.girth(m.target), bodies.girth(m.source)
    return mine > 0 and (other == 0 or mine > _BROADER * other)


def clear_arms(posed: Posed, m: Match, timing: Timing) -> None:
    """Swing arms out about the shoulder, by as little as takes them out of trunk and thighs, led there and back."""
    for side in SIDES:
        l = limb_of(m.target, f"{side} hand")
        if l is None:
            continue
        thick = bodies.arm_thickness(m.target, side)
        for _ in range(_ROUNDS):
            points = bodies.arm_points(m.target, side, posed.turned, posed.placed)
            assert points is not None
            deep, out = bodies.depths(m.target, points, thick, (posed.turned, posed.placed))
            deep = np.maximum(deep - _TOUCHES * leg_length(m.target), 0.0)
            if not deep.any():
                break
            swing = _swing(posed.placed[:, l.root], points, deep, out, timing)
            at = np.flatnonzero(np.any(swing != 0, axis=1))
            arm = np.concatenate([l.upper, l.lower, l.beyond])
            turn_about(posed, arm, posed.placed[at, l.root], quat.from_rotvec(swing[at]), at)
            posed.dirty.add(l.root)


def _swing(shoulder: Array, points: Array, deep: Array, out: Array, timing: Timing) -> Array:
    """By which turn an arm comes out ``(frames, 3)``: of its points the one that takes the most, led there and back."""
    lever = points - shoulder
    far = np.maximum(np.linalg.norm(lever, axis=-1), 1e-6)
    axis = np.cross(lever / far[..., None], out)
    size = np.linalg.norm(axis, axis=-1)
    # A push along the arm turns nothing.
    angle = np.where(size > 0.2, np.minimum(deep / (far * np.maximum(size, 0.2)), _FURTHEST), 0.0)
    most = np.argmax(angle, axis=0)
    frames = np.arange(len(shoulder))
    need, way = angle[most, frames], axis[most, frames] / np.maximum(size[most, frames], 1e-9)[:, None]
    wide = widened(need, timing)
    towards = gaussian(way * need[:, None], _TURNS * timing.rate, timing.loop, timing.cuts)
    return np.asarray(towards / np.maximum(np.linalg.norm(towards, axis=-1), 1e-9)[:, None] * wide[:, None])
