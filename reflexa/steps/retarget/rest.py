"""The rest poses of two rigs over each other: what a retarget begins from."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from reflexa.motion import kinematics, quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip, rest_clip
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import Rig
from reflexa.rig.foot_rest import standing
from reflexa.rig.match import Match


def aligned_rest(m: Match) -> Clip:
    """The target's rest pose, turned to the source's, as a clip of one frame."""
    turned, placed = m.aligned_rest
    s = standing(m.target)
    q, t = kinematics.inverse(s.parents, turned[None], placed[None])
    scales = None if s.rest_scales is None else s.rest_scales[None]
    return Clip("aligned rest", s, q, t, 30.0, scales)


def scaled_rest(m: Match) -> tuple[Clip, Rig, Array]:
    """The source's neutral pose at the size of the target, as a clip of one frame with its rig; and how far it is to be
    moved ``(3,)``, so that its feet stand where the target's do."""
    source, placed = standing(m.source), m.aligned_rest[1]
    scaled = Skeleton(source.names, source.parents, source.rest_rotations, source.rest_translations * m.stride)
    clip = rest_clip(scaled)
    feet = [(m.source.joint(f"{side} foot"), m.target.joint(f"{side} foot")) for side in ("left", "right")]
    shift = np.zeros(3)
    if all(min(pair) >= 0 for pair in feet):
        own = np.mean([placed[b] for _, b in feet], axis=0)
        shift = own - np.mean([quat.rotate(m.turn, clip.model[1][0, a]) for a, _ in feet], axis=0)
    tips = {n: tip * m.stride for n, tip in m.source.tips.items()}
    return clip, replace(m.source, skeleton=scaled, meshes=(), tips=tips, reference=None, stands={}), shift
