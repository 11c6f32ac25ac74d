"""Relations: two parts of a body that come close to each other, found in a clip.

The idea is that of Ho, Komura & Tai, Spatial relationship preserving character motion adaptation, 2010, with a sparse set of
pairs: a hand and whatever it comes near to.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from reflexa.contacts.bodies import HAND, body_for, distances, hand_middle, local_to, volumes_for
from reflexa.motion.arrays import Array, owned
from reflexa.motion.clip import Clip
from reflexa.motion.contact import of_part, when
from reflexa.motion.curves import smoothstep
from reflexa.motion.cuts import cuts
from reflexa.motion.eases import near
from reflexa.motion.per_clip_cache import cached_per_clip
from reflexa.motion.smoothing import gaussian, highest
from reflexa.motion.stances import speeds
from reflexa.rig import Rig
from reflexa.rig.rig import SIDES

# A hand and the body are related altogether while their surfaces are no further apart than the first, and not at all from the
# second on: shares of the height of the figure. Hands that hold one thing are related from further off.
_BODY, _HANDS = (0.03, 0.1), (0.055, 0.13)
# A relation is led in and out over so long, seconds.
_LED = 0.05
# What is said to touch is led to and from over so long, seconds.
_SAID = 0.15
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


@cached_per_clip
def relations(clip: Clip, rig: Rig) -> tuple[Relation, ...]:
    """The relations of a clip: hand and hand, and each hand with the parts of the body that it comes near to. Kept per clip."""
    hands = {side: track for side in SIDES if (track := hand_middle(clip.model, rig, side)) is not None}
    out = []
    if len(hands) == 2:
        left, right = SIDES
        apart = np.linalg.norm(hands[right] - hands[left], axis=-1) - 2 * HAND * rig.height
        out.append(Relation(f"{left} hand", f"{right} hand", owned(apart), nearness(apart, clip, rig, _HANDS)))
    for side, track in hands.items():
        parts: dict[str, Array] = {}
        found = distances(body_for(rig, side), track, clip.model) - HAND * rig.height
        for block, apart in zip(volumes_for(rig, side), found, strict=True):
            parts[block.part] = np.minimum(parts[block.part], apart) if block.part in parts else apart
        out += [Relation(f"{side} hand", part, owned(a), nearness(a, clip, rig)) for part, a in parts.items()]
    return tuple(r for r in (_as_said(r, clip) for r in out) if r.weight.any())


def of_hands(clip: Clip, rig: Rig) -> Relation | None:
    """The relation of one hand to the other; None where they never come near to each other."""
    return next((r for r in relations(clip, rig) if r.other.endswith("hand")), None)


def speed_over(clip: Clip, rig: Rig, r: Relation) -> Array:
    """How fast a part moves over the other, m/s ``(frames,)``."""
    side = r.part.split(" ")[0]
    track = hand_middle(clip.model, rig, side)
    assert track is not None, r.part
    if r.other.endswith("hand"):
        other = hand_middle(clip.model, rig, r.other.split(" ")[0])
        assert other is not None, r.other
        return speeds(track - other, clip.rate)
    blocks = (b for b in volumes_for(rig, side) if b.part == r.other)
    return np.asarray(np.min([speeds(local_to(b, track, clip.model), clip.rate) for b in blocks], axis=0))


def _as_said(r: Relation, clip: Clip) -> Relation:
    """A relation where the clip says that there is one, and nowhere else; where one has been put in, altogether."""
    told = of_part(clip.contacts, r.part, r.other)
    if told is None:
        return r
    said = gate(clip, r.part, r.other)
    put_in = [c for c in told if not (r.weight[c.first : c.last + 1] > 0).any()]
    by_hand = near(when(put_in, clip.frames)[2], 0.0, _SAID * clip.rate)
    return replace(r, weight=owned(np.maximum(r.weight * said, by_hand)))


def gate(clip: Clip, part: str, *others: str) -> Array:
    """How much a clip's own contacts say that a part touches any of some others ``(frames,)``, led in and out; all through where
    it says nothing."""
    if clip.contacts is None:
        return np.ones(clip.frames)
    told = [c for c in clip.contacts if c.limb == part and c.other and (not others or c.other in others)]
    return near(when(told, clip.frames)[2], 0.0, _SAID * clip.rate)


def nearness(apart: Array, clip: Clip, rig: Rig, within: tuple[float, float] = _BODY) -> Array:
    """How much parts whose surfaces are so far apart, metres ``(frames,)``, are kept to each other, 0 to 1 ``(frames,)``. within:
    up to where altogether, and from where on not at all, as shares of the height."""
    near = 1 - smoothstep((apart / rig.height - within[0]) / (within[1] - within[0]))
    if near.any():
        width = _LED * clip.rate
        near = highest(near, round(2 * width) | 1, clip.loop, cuts(clip))
        near = gaussian(near, width / 2, clip.loop, cuts(clip))
    return owned(np.where(near < _LEAST, 0.0, (near - _LEAST) / (1 - _LEAST)))
