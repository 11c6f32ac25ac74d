"""How bones twist about their own length over a clip: measured once, for flips and spins."""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

import numpy as np

from reflexa.motion import kernels, quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.per_clip_cache import cached_per_clip
from reflexa.rig import Rig
from reflexa.rig.rig import SIDES

# Swung by more than 150 degrees from rest, a bone's twist is not told by its rotation alone.
_NEAR = float(np.cos(np.radians(75.0)))


class Twist(NamedTuple):
    """joint; steps: by how much the bone turns about its length to each frame ``(frames,)``, degrees; whole: its twist against
    rest, without jumps ``(frames,)``, degrees."""

    joint: int
    steps: Array
    whole: Array


@lru_cache(maxsize=64)
def _bones(rig: Rig) -> tuple[tuple[int, tuple[float, float, float]], ...]:
    """Bones of the limbs, and neck and head: joint, and the way to its end in its own axes."""
    s = rig.skeleton
    parts = [f"{side} {p}" for side in SIDES for p in ("thigh", "shin", "upper arm", "forearm")]
    after = {"thigh": "shin", "shin": "foot", "upper arm": "forearm", "forearm": "hand"}
    out = []
    for part in parts:
        side, _, bone = part.partition(" ")
        j, end = rig.joint(part), rig.joint(f"{side} {after[bone]}")
        if j < 0:
            continue
        if end >= 0 and end in s.below(j) and end != j:
            turned, placed = s.rest_model
            way = quat.rotate(quat.conjugate(turned[j]), placed[end] - placed[j])
        else:
            way = np.asarray(rig.tips.get(s.names[j], np.zeros(3)))
        if np.linalg.norm(way) > 1e-6:
            way = way / np.linalg.norm(way)
            out.append((j, (float(way[0]), float(way[1]), float(way[2]))))
    return tuple(out)


@cached_per_clip
def twists(clip: Clip, rig: Rig) -> list[Twist]:
    """Of every bone of a limb."""
    out, n = [], clip.frames
    for j, way in _bones(rig):
        step, whole = np.empty(n), np.empty(n)
        bone = kernels.changes.Bone(j, np.array(way), clip.skeleton.rest_rotations[j], _NEAR)
        kernels.changes.twists(bone, clip.rotations, step, whole)
        out.append(Twist(j, np.degrees(step), np.degrees(whole)))
    return out
