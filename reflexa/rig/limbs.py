"""The limbs of a rig, and the way they bend in a clip."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from reflexa.motion import limbs, quat
from reflexa.motion.arrays import Array, owned
from reflexa.motion.clip import Clip
from reflexa.motion.curves import smoothstep
from reflexa.motion.cuts import timing_of
from reflexa.motion.kernels.parts import Limb
from reflexa.motion.limbs import limb
from reflexa.motion.per_clip_cache import cached_per_clip
from reflexa.rig.rig import LIMBS, Rig


@lru_cache(maxsize=256)
def limb_of(rig: Rig, end: str) -> Limb | None:
    """The limb that a hand or foot ("left hand") is the end of; where the rig has no such joint, the limb to the end site of
    its forearm or shin. None where the rig has not all of it."""
    joints = rig.limb(end)
    if joints is not None:
        return limb(rig.skeleton, *joints)
    side, _, part = end.partition(" ")
    if part not in LIMBS or rig.joint(end) >= 0:
        return None
    a, b = (rig.joint(f"{side} {p}") for p in LIMBS[part])
    tip = rig.tips.get(rig.skeleton.names[b]) if min(a, b) >= 0 else None
    if tip is None or b not in rig.skeleton.below(a) or np.linalg.norm(tip) < 1e-6:
        return None
    return limb(rig.skeleton, a, b, -1, tip)


# Bent by the second in the neutral pose (degrees), a limb shows by that how it is made to bend; by less than the first, that
# tells nothing: a rest pose may well be overstretched.
_STRAIGHT, _BENT = 4.0, 14.0


@lru_cache(maxsize=256)
def made_to_bend(rig: Rig, end: str) -> Array:
    """The axis a limb is made to bend about, in its upper bone's own axes ``(3,)`` unit: as it is clearly bent in the neutral
    pose; where it is straight there, knees ahead and elbows back. The limb must be there."""
    l = limb_of(rig, end)
    assert l is not None
    turned, placed = rig.neutral.rest_model
    a, b = placed[l.root], placed[l.middle]
    c = limbs.limb_end((turned, placed), l)
    along = _unit(c - a)
    off = b - a - (b - a) @ along * along
    usual = rig.facing if end.endswith("foot") else -rig.facing
    usual = usual - usual @ along * along
    bend = np.degrees(np.arctan2(np.linalg.norm(np.cross(b - a, c - b)), (b - a) @ (c - b)))
    share = float(smoothstep((bend - _STRAIGHT) / (_BENT - _STRAIGHT)))
    if np.linalg.norm(usual) < 0.1:  # it points straight ahead or back: only its bend can tell
        share = 1.0
    axis = np.cross(share * _unit(off) + (1 - share) * _unit(usual), along)
    if np.linalg.norm(axis) < 1e-6:
        axis = np.cross(usual if np.linalg.norm(usual) > 1e-6 else [0.6, 0.8, 0.0], along)
    return owned(quat.rotate(quat.conjugate(turned[l.root]), _unit(axis)))


def _unit(v: Array) -> Array:
    return np.asarray(v / max(float(np.linalg.norm(v)), 1e-12))


@cached_per_clip
def hinges(clip: Clip, rig: Rig, end: str) -> Array:
    """The axis that a limb bends about over a clip ``(frames, 3)``, as ``motion.limbs.hinges`` has it. Kept per clip."""
    l = limb_of(rig, end)
    assert l is not None
    return owned(limbs.hinges(clip.model, l, made_to_bend(rig, end), timing_of(clip)))
