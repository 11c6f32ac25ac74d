"""Relations: two parts of a body that come close to each other, found in a clip.

The idea is that of Ho, Komura & Tai, Spatial relationship preserving character motion adaptation, 2010, with a sparse set of
pairs: a hand and whatever it comes near to.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from reflexa.contacts.bodies import HAND, distances, hand_middle, volumes_for
from reflexa.motion.arrays import Array, owned
from reflexa.motion.clip import Clip
from reflexa.motion.curves import smoothstep
from reflexa.motion.kept import kept
from reflexa.motion.smoothing import gaussian, highest
from reflexa.rig import Rig
from reflexa.rig.rig import SIDES

# A hand and the body are related altogether while their surfaces are no further apart than the first, and not at all from the
# second on: shares of the height of the figure. Hands that hold one thing are related from further off.
_BODY, _HANDS = (0.03, 0.1), (0.055, 0.13)
# A relation is led in and out over so long, seconds.
_LED = 0.05
# What weighs less is no relation.
_LEAST = 0.02


@dataclass(frozen=True, eq=False)
class Relation:
    """A part ("left hand") that comes near to another ("right hand", "pelvis"): how far their surfaces are apart, metres
    ``(frames,)`` (negative: inside), and how much the one is kept to the other ``(frames,)``, 0 to 1."""

    part: str
    other: str
    apart: Array
    weight: Array


@kept
def relations(clip: Clip, rig: Rig) -> tuple[Relation, ...]:
    """The relations of a clip: hand and hand, and each hand with the parts of the body that it comes near to. Kept per clip."""
    hands = {side: track for side in SIDES if (track := hand_middle(clip.model, rig, side)) is not None}
    out = []
    if len(hands) == 2:
        left, right = SIDES
        apart = np.linalg.norm(hands[left] - hands[right], axis=-1) - 2 * HAND * rig.height
        out.append(Relation(f"{left} hand", f"{right} hand", owned(apart), nearness(apart, clip, rig, _HANDS)))
    for side, track in hands.items():
        near: dict[str, Array] = {}
        for block in volumes_for(rig, side):
            apart = distances(block, track, clip.model)[0] - HAND * rig.height
            near[block.part] = np.minimum(near[block.part], apart) if block.part in near else apart
        out += [Relation(f"{side} hand", part, owned(a), nearness(a, clip, rig)) for part, a in near.items()]
    return tuple(r for r in out if r.weight.any())


def nearness(apart: Array, clip: Clip, rig: Rig, within: tuple[float, float] = _BODY) -> Array:
    """How much parts whose surfaces are so far apart, metres ``(frames,)``, are kept to each other, 0 to 1 ``(frames,)``. within:
    up to where altogether, and from where on not at all, as shares of the height."""
    near = 1 - smoothstep((apart / rig.height - within[0]) / (within[1] - within[0]))
    if near.any():
        width = _LED * clip.rate
        near = gaussian(highest(near, round(2 * width) | 1, clip.loop), width / 2, clip.loop)
    return owned(np.where(near < _LEAST, 0.0, (near - _LEAST) / (1 - _LEAST)))
