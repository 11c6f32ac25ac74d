"""Hands as rigid bodies with a skin: what of them may lie on something, and which side of them is flat."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from types import MappingProxyType

import numpy as np

from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.rig.mesh import skin_of
from reflexa.rig.rig import SIDES, UP, Rig
from reflexa.rig.soles import corners, pooled

# Half as thick as a hand is, as a share of the figure's height, where no skin shows it (from memory: 3 cm of 1.75 m).
_THICK = 0.0085
# Across its flat a hand is thinner than this share of what it is otherwise, or it is no flat hand.
_FLAT = 0.7
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

    def lowest(self, turned: Array) -> Array:
        """How far below the wrist the lowest of the hand is, the wrist turned by ``(frames, 4)``; metres ``(frames,)``."""
        up = quat.rotate(quat.conjugate(turned), UP)
        return np.asarray(-(up @ self.points.T).min(axis=1) + self.thick)

    def flattening(self, turned: Array) -> Array:
        """The least turn ``(frames, 4)`` after which the palm, or the back of the hand, lies flat."""
        if self.normal is None:
            return np.broadcast_to(quat.IDENTITY, turned.shape)
        now = quat.rotate(turned, self.normal)
        return quat.between(now, np.where(now[:, 1:2] < 0, -UP, UP))


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
