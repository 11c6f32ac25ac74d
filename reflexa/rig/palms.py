"""Hands as rigid bodies with a skin: what of them may lie on something, and which side of them is flat."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import quat, stances
from reflexa.motion.arrays import Array
from reflexa.motion.curves import smoothstep
from reflexa.rig.mesh import skin_of
from reflexa.rig.rig import SIDES, UP, Rig
from reflexa.rig.soles import corners, pooled

# Half as thick as a hand is, as a share of the figure's height, where no skin shows it (from memory: 3 cm of 1.75 m).
_THICK = 0.0085
# Across its flat a hand is thinner than this share of what it is otherwise, or it is no flat hand.
_FLAT = 0.7
# A hand is turned to a side of it in full while that looks down by more than the first cosine, and not at all beyond the second.
_ASIDE, _OPPOSITE = -0.5, -0.95
# Hands that differ by no more than this share of the height are meant to be alike.
_ALIKE = 0.015


@dataclass(frozen=True, eq=False)
class Palm:
    """A hand in its joint's own axes. points ``(n, 3)``: the corners of its skin, or its bone ends; thick: how far its skin lies
    beyond these, metres; normal ``(3,)`` unit: square to its flat, None where nothing tells."""

    joint: int
    points: Array
    thick: float
    normal: Array | None

    @property
    def long(self) -> float:
        """From the wrist to the furthest of the hand, metres."""
        return float(np.linalg.norm(self.points, axis=1).max(initial=0.0)) + self.thick

    def lowest(self, turned: Array) -> Array:
        """How far below the wrist the lowest of the hand is, the wrist turned by ``(frames, 4)``; metres ``(frames,)``."""
        up = quat.rotate(quat.conjugate(turned), UP)
        return np.asarray(-(up @ self.points.T).min(axis=1) + self.thick)

    def flattening(self, turned: Array, face_down: NDArray[np.bool_]) -> Array:
        """The least turn ``(frames, 4)`` after which the hand lies flat, on the one of its sides ``(frames,)`` or the other; less
        of it where that side looks up, from where there is no least turn."""
        if self.normal is None:
            return np.broadcast_to(quat.IDENTITY, turned.shape)
        now = quat.rotate(turned, self.normal)
        to = np.where(face_down[:, None], -UP, UP)
        cosine = np.sum(now * to, axis=1)
        return quat.scaled(quat.between(now, to), smoothstep((cosine - _OPPOSITE) / (_ASIDE - _OPPOSITE)))

    def face_down(self, turned: Array, under: NDArray[np.bool_], counts: Array, loop: bool) -> NDArray[np.bool_]:
        """On which of its sides the hand is laid ``(frames,)``: one for as long as it would be under the ground, also round the
        seam of a loop. Decided anew in each frame, a hand whose fingers point down would turn over. counts ``(frames,)``: how
        much a frame counts."""
        out = np.zeros(len(turned), dtype=bool)
        if self.normal is None:
            return out
        up = counts * quat.rotate(turned, self.normal)[:, 1]
        stretches = [np.arange(a, b + 1) for a, b in stances.spans(under)]
        if loop and len(stretches) > 1 and under[0] and under[-1]:
            stretches = [*stretches[1:-1], np.concatenate([stretches[-1], stretches[0]])]
        for at in stretches:
            out[at] = up[at].sum() < 0
        return out


@lru_cache(maxsize=32)
def palms(rig: Rig) -> Mapping[str, Palm]:
    """Per side that has a hand, that hand. Kept per rig."""
    hands = {side: j for side in SIDES if (j := rig.joint(f"{side} hand")) >= 0}
    skins = {side: _skin(rig, j) for side, j in hands.items()}
    out = {}
    for side, joint in hands.items():
        points, thick = skins[side]
        other = SIDES[1 - SIDES.index(side)]
        if other in hands and thick == skins[other][1]:
            points = pooled(rig, (joint, hands[other]), (points, skins[other][0]), _ALIKE * rig.height)
        out[side] = Palm(joint, points, thick, _normal(points))
    return MappingProxyType(out)


def _skin(rig: Rig, joint: int) -> tuple[Array, float]:
    """The corners of a hand's own skin ``(n, 3)``, in its joint's axes, or its bone ends, and how far its skin lies beyond
    these."""
    turned, placed = rig.neutral.rest_model
    going_with = rig.skeleton.below(joint)
    found, thick = skin_of(rig.meshes, going_with, (turned, placed)), 0.0
    if not len(found):
        thick = _THICK * rig.height
        names = rig.skeleton.names
        ends = [placed[j] + quat.rotate(turned[j], rig.tips[names[j]]) for j in going_with if names[j] in rig.tips]
        found = np.array([*placed[going_with], *ends])
    return corners(quat.rotate(quat.conjugate(turned[joint]), found - placed[joint])), thick


def _normal(points: Array) -> Array | None:
    """The direction ``(3,)`` across which points are flat; None where they are not."""
    if len(points) < 3:
        return None
    spread, axes = np.linalg.eigh(np.cov((points - points.mean(axis=0)).T))
    sizes = np.sqrt(np.maximum(spread, 0.0))
    return np.asarray(axes[:, 0]) if sizes[0] < _FLAT * sizes[1] and sizes[1] > 1e-6 else None
