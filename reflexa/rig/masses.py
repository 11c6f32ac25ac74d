"""The weight of a figure: its centre of mass, by the segments of a body.

Shares of the body's mass and places of each segment's own centre: Winter, Biomechanics and Motor Control of Human Movement
(4th ed. 2009), table 4.1 (from memory; the shares are checked to sum to one).
"""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

import numpy as np

from reflexa.motion import quat
from reflexa.motion.arrays import Array, owned
from reflexa.motion.clip import Clip
from reflexa.motion.per_clip_cache import cached_per_clip
from reflexa.rig.rig import SIDES, Rig

# Per part of a limb: its share of the body's mass, how far its centre is from its upper end, and the part its bone leads to.
_LIMBS = {
    "upper arm": (0.028, 0.436, "forearm"), "forearm": (0.016, 0.430, "hand"), "hand": (0.006, 0.506, ""),
    "thigh": (0.100, 0.433, "shin"), "shin": (0.0465, 0.433, "foot"), "foot": (0.0145, 0.5, "toes"),
}  # fmt: skip
TRUNK, HEAD = 0.497, 0.081
# The centre of the trunk is about half of the way from the hips to the neck; of head and neck it is at the head's joint.
_TRUNK_CENTRE = 0.5


class Segment(NamedTuple):
    """A part with its share of the mass, between the joint that it hangs on and another (-1: at ``tip`` in that joint's own
    axes), its centre a share of the way from the first."""

    joint: int
    end: int
    tip: Array
    share: float
    centre: float


@lru_cache(maxsize=64)
def segments(rig: Rig) -> tuple[Segment, ...]:
    """The segments of a figure with two legs, two arms, a pelvis and a head; none where one of these is missing."""
    out, nowhere = [], np.zeros(3)
    for side in SIDES:
        for part, (share, centre, to) in _LIMBS.items():
            j, end = rig.joint(f"{side} {part}"), rig.joint(f"{side} {to}") if to else -1
            if j < 0:
                if part in ("hand", "foot"):
                    continue
                return ()
            tip = rig.tips.get(rig.skeleton.names[j], nowhere) if end < 0 else nowhere
            out.append(Segment(j, end, np.asarray(tip), share, centre))
    pelvis, head = rig.joint("pelvis"), rig.joint("head")
    above = [
        rig.skeleton.index[n] for p in ("neck", "spine") for n in rig.body_map.get(p, ())[: 1 if p == "neck" else None]
    ]
    if pelvis < 0 or not above:
        return ()
    top = above[0] if rig.body_map.get("neck") else above[-1]
    out.append(Segment(pelvis, top, nowhere, TRUNK, _TRUNK_CENTRE))
    out.append(Segment(head if head >= 0 else top, -1, nowhere, HEAD, 0.0))
    return tuple(out)


@cached_per_clip
def centre_of_mass(clip: Clip, rig: Rig) -> Array | None:
    """The track of a figure's centre of mass ``(frames, 3)``; None for one that is not built like a person. Kept per clip."""
    found = segments(rig)
    if not found:
        return None
    turned, placed = clip.model
    total, at = 0.0, np.zeros((clip.frames, 3))
    for s in found:
        a = placed[:, s.joint]
        b = placed[:, s.end] if s.end >= 0 else a + quat.rotate(turned[:, s.joint], s.tip)
        at += s.share * (a + s.centre * (b - a))
        total += s.share
    return owned(at / total)
