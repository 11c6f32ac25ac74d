"""Where the sole of a foot is: heel, ball and tip of the toes, fixed to the foot's joints."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from types import MappingProxyType

import numpy as np

from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.rig.rig import UP, Rig

SIDES = ("left", "right")
# No rig has a joint at the heel: it lies behind the ankle by this share of the way to the ball (common practice, no source).
HEEL = 0.35
# Where only the end of a foot is known, the ball lies at this share of the way to it (common practice, no source).
BALL = 0.7


@dataclass(frozen=True, eq=False)
class Sole:
    """A foot in the neutral pose, flat on the ground. ankle, toes: joints (toes -1: none). heel ``(3,)`` in the ankle's
    own axes; ball and tip in those of the toes, which stay flat while the heel lifts (in the ankle's, and no tip, where there
    are none). forth ``(3,)``: from heel to ball of the flat foot, in the ankle's own axes, as are up and ahead; toes_up in
    the toes'."""

    ankle: int
    toes: int
    heel: Array
    ball: Array
    tip: Array | None
    forth: Array
    up: Array
    ahead: Array
    toes_up: Array

    def points(self, turned: Array, placed: Array) -> tuple[Array, Array]:
        """Heel and ball ``(frames, 3)`` each, of joints at ``turned`` ``(frames, joints, 4)`` and ``placed``."""
        at = self.ankle if self.toes < 0 else self.toes
        heel = placed[:, self.ankle] + quat.rotate(turned[:, self.ankle], self.heel)
        return heel, placed[:, at] + quat.rotate(turned[:, at], self.ball)

    def underside(self, turned: Array, placed: Array) -> Array:
        """Every point of the sole ``(points, frames, 3)``: heel, ball, and the tip of the toes where there is one."""
        out = [*self.points(turned, placed)]
        if self.tip is not None:
            out.append(placed[:, self.toes] + quat.rotate(turned[:, self.toes], self.tip))
        return np.stack(out)


# A point of the skin is on the ground when it is no higher than this share of the figure's height.
_ON_GROUND = 0.008


@lru_cache(maxsize=32)
def soles(rig: Rig) -> Mapping[str, Sole]:
    """Per side that has a foot, its sole as it stands in the neutral pose: heel and tip where the skin ends, else by
    proportion. Kept per rig."""
    out = {}
    for side in SIDES:
        sole = _sole(rig, side)
        if sole is not None:
            out[side] = sole
    return MappingProxyType(out)


def _sole(rig: Rig, side: str) -> Sole | None:
    ankle, toes = rig.joint(f"{side} foot"), rig.joint(f"{side} toes")
    if ankle < 0:
        return None
    if toes >= 0 and toes not in rig.skeleton.below(ankle):
        toes = -1
    turned, placed = rig.neutral.rest_model
    names = rig.skeleton.names
    a = placed[ankle]
    if toes >= 0:
        ball = placed[toes]
    elif names[ankle] in rig.tips:
        ball = a + BALL * quat.rotate(turned[ankle], rig.tips[names[ankle]])
    else:
        ball = a + 0.12 * max(rig.height, 1e-3) * 0.6 * rig.facing
    way = (ball - a) * [1.0, 0.0, 1.0]
    length = float(np.linalg.norm(way))
    ahead = way / length if length > 1e-6 else rig.facing
    back = quat.conjugate(turned[ankle])
    skin = _skin_on_ground(rig, [ankle, *([toes] if toes >= 0 else [])], a, ahead)
    behind = HEEL * length if skin is None else -skin[0]
    heel_at = a - behind * ahead
    heel_at[1] = rig.ground
    ball_at = np.array([ball[0], rig.ground, ball[2]])
    tip, toes_up = None, np.array(UP)
    if toes >= 0:
        own = quat.conjugate(turned[toes])
        toes_up = quat.rotate(own, UP)
        if skin is not None:
            end = a + skin[1] * ahead
            tip = quat.rotate(own, np.array([end[0], rig.ground, end[2]]) - placed[toes])
        elif names[toes] in rig.tips:
            end = placed[toes] + quat.rotate(turned[toes], rig.tips[names[toes]])
            tip = quat.rotate(own, np.array([end[0], rig.ground, end[2]]) - placed[toes])
        else:
            tip = quat.rotate(own, ball_at + 0.4 * length * ahead - placed[toes])
    own_ball = (
        quat.rotate(back, ball_at - a)
        if toes < 0
        else quat.rotate(quat.conjugate(turned[toes]), ball_at - placed[toes])
    )
    return Sole(
        ankle, toes, quat.rotate(back, heel_at - a), own_ball, tip, quat.rotate(back, ball_at - heel_at),
        quat.rotate(back, UP), quat.rotate(back, ahead), toes_up,
    )  # fmt: skip


def _skin_on_ground(rig: Rig, joints: list[int], ankle: Array, ahead: Array) -> tuple[float, float] | None:
    """How far behind (negative) and ahead of the ankle the foot's skin touches the ground, metres; None without one."""
    turned, placed = rig.neutral.rest_model
    found = []
    for mesh in rig.meshes:
        own = np.flatnonzero(np.isin(mesh.joints[np.arange(len(mesh.joints)), mesh.weights.argmax(axis=1)], joints))
        if len(own):
            points = mesh.posed(turned, placed)[own]
            found.append((points - ankle)[points[:, 1] < rig.ground + _ON_GROUND * rig.height] @ ahead)
    along = np.concatenate(found) if found else np.empty(0)
    if len(along) < 3 or along.min() >= 0 or along.max() <= 0:
        return None
    return float(along.min()), float(along.max())
