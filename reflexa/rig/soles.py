"""Where the sole of a foot is: heel, ball and tip of the toes, fixed to the foot's joints."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from types import MappingProxyType
from typing import Protocol

import numpy as np

from reflexa.motion import quat
from reflexa.motion.arrays import Array, owned
from reflexa.motion.clip import Clip
from reflexa.motion.per_clip_cache import cached_per_clip
from reflexa.rig.foot_rest import leg_length, stand_of, standing
from reflexa.rig.mesh import skin_of
from reflexa.rig.rig import SIDES, UP, Rig

# No rig has a joint at the heel: it lies behind the ankle by this share of the way to the ball (common practice, no source).
HEEL = 0.35
# Where only the end of a foot is known, the ball lies at this share of the way to it (common practice, no source).
BALL = 0.7


@dataclass(frozen=True, eq=False)
class Sole:
    """A foot in the neutral pose, flat on the ground.

    ankle, toes: joints (toes -1: none). heel ``(3,)`` in the ankle's own axes; ball and tip in those of the toes, which stay
    flat while the heel lifts (in the ankle's where there are none; no tip where nothing tells it). forth ``(3,)``: from heel to
    ball of the flat foot, in the ankle's own axes, as are up and ahead; toes_up in the toes'. skin: what may touch the
    ground, ``(n, 3)`` in the ankle's axes and ``(n, 3)`` in the toes': the hull of the foot's skin, else the points above.
    """

    ankle: int
    toes: int
    heel: Array
    ball: Array
    tip: Array | None
    forth: Array
    up: Array
    ahead: Array
    toes_up: Array
    skin: tuple[Array, Array]

    def points(self, turned: Array, placed: Array) -> tuple[Array, Array]:
        """Heel and ball ``(frames, 3)`` each, of joints at ``turned`` ``(frames, joints, 4)`` and ``placed``."""
        at = self.ankle if self.toes < 0 else self.toes
        heel = placed[:, self.ankle] + quat.rotate(turned[:, self.ankle], self.heel)
        return heel, placed[:, at] + quat.rotate(turned[:, at], self.ball)

    def underside(self, turned: Array, placed: Array) -> Array:
        """Heel, ball, and the tip of the toes where there is one ``(points, frames, 3)``."""
        out = [*self.points(turned, placed)]
        if self.tip is not None:
            at = self.ankle if self.toes < 0 else self.toes
            out.append(placed[:, at] + quat.rotate(turned[:, at], self.tip))
        return np.stack(out)

    def lowest(self, turned: Array, placed: Array) -> Array:
        """The height of the lowest point of the foot ``(frames,)``, metres."""
        up = np.broadcast_to(UP, (len(turned), 3))
        ankle, toes = ((turned[:, j], placed[:, j]) for j in (self.ankle, self.toes))
        return self._over(ankle, toes, up)

    def clearance(self, ankle: tuple[Array, Array], toes: tuple[Array, Array], on: Surface) -> Array:
        """How high the foot is over a surface at its nearest ``(frames,)``, metres (negative: how deep it is in it), as far as
        that goes on as it is below the ankle. ankle, toes: turned ``(frames, 4)`` and placed ``(frames, 3)`` like that; on: the
        surface below the ankle."""
        return self._over(ankle, toes, on.normal / np.maximum(on.normal[:, 1:2], 1e-6)) - on.height

    def _over(self, ankle: tuple[Array, Array], toes: tuple[Array, Array], normal: Array) -> Array:
        """The height of the point of the foot that is nearest to a plane through what lies below the ankle, over that plane
        ``(frames,)``; normal ``(frames, 3)``: of the plane, as long as it takes for its height to be 1."""
        out = np.full(len(normal), np.inf)
        for (turned, placed), points in zip((ankle, toes), self.skin, strict=True):
            if len(points):
                # Only heights are asked for: the normal in the joint's own axes tells them.
                own = quat.rotate(quat.conjugate(turned), normal)
                along = np.sum((placed - ankle[1]) * normal, axis=1) + ankle[1][:, 1]
                out = np.minimum(out, along + (own @ points.T).min(axis=1))
        return out


class Surface(Protocol):
    """What lies below points: its height ``(frames,)`` and its normal ``(frames, 3)``."""

    @property
    def height(self) -> Array: ...

    @property
    def normal(self) -> Array: ...


@cached_per_clip
def under_tracks(clip: Clip, sole: Sole) -> Array:
    """The tracks of the underside of a sole over a clip ``(points, frames, 3)``."""
    return owned(sole.underside(*clip.model))


# A point of the skin is on the ground when it is no higher than this share of the leg.
_ON_GROUND = 0.016


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
    turned, placed = standing(rig).rest_model
    names = rig.skeleton.names
    a = placed[ankle]
    ground = a[1] - stand_of(rig, side).height
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
    under = underfoot(rig, side)
    points = _in_pose(rig, side, under, (turned, placed))
    touches = _touches(np.concatenate(points), rig, float(ground), a, ahead) if points else None
    behind = HEEL * length if touches is None else -touches[0]
    heel_at = a - behind * ahead
    heel_at[1] = ground
    ball_at = np.array([ball[0], ground, ball[2]])
    tip, toes_up = None, np.array(UP)
    if toes < 0 and names[ankle] in rig.tips:
        end = a + quat.rotate(turned[ankle], rig.tips[names[ankle]])
        tip = quat.rotate(back, np.array([end[0], ground, end[2]]) - a)
    if toes >= 0:
        own = quat.conjugate(turned[toes])
        toes_up = quat.rotate(own, UP)
        if touches is not None:
            end = a + touches[1] * ahead
            tip = quat.rotate(own, np.array([end[0], ground, end[2]]) - placed[toes])
        elif names[toes] in rig.tips:
            end = placed[toes] + quat.rotate(turned[toes], rig.tips[names[toes]])
            tip = quat.rotate(own, np.array([end[0], ground, end[2]]) - placed[toes])
        else:
            tip = quat.rotate(own, ball_at + 0.4 * length * ahead - placed[toes])
    own_ball = (
        quat.rotate(back, ball_at - a)
        if toes < 0
        else quat.rotate(quat.conjugate(turned[toes]), ball_at - placed[toes])
    )
    own_heel = quat.rotate(back, heel_at - a)
    skin = under
    if not len(skin[0]) and not len(skin[1]):
        front = [own_ball, *([tip] if tip is not None else [])]
        none = np.empty((0, 3))
        skin = (np.array([own_heel]), np.array(front)) if toes >= 0 else (np.array([own_heel, *front]), none)
    return Sole(
        ankle, toes, quat.rotate(back, heel_at - a), own_ball, tip, quat.rotate(back, ball_at - heel_at),
        quat.rotate(back, UP), quat.rotate(back, ahead), toes_up, skin,
    )  # fmt: skip


def lies_flat(rig: Rig, side: str) -> bool:
    """True if the skin of a foot touches the ground behind and ahead of its ankle in the neutral pose."""
    ankle = rig.joint(f"{side} foot")
    if ankle < 0:
        return False
    points = [p for p in _in_pose(rig, side, underfoot(rig, side), rig.neutral.rest_model) if len(p)]
    if not points:
        return False
    low = min(float(p[:, 1].min()) for p in points)
    return _touches(np.concatenate(points), rig, low, rig.neutral.rest_model[1][ankle], rig.facing) is not None


@lru_cache(maxsize=64)
def underfoot(rig: Rig, side: str) -> tuple[Array, Array]:
    """What of a foot may touch the ground: the corners of its skin ``(n, 3)`` in the axes of the ankle and of the toes; nothing
    where no skin is known. Of two feet that are built alike both are taken together, one reflected: skins are modelled by hand.
    The rig must have the foot."""
    own = _skin_under(rig, side)
    other = SIDES[1 - SIDES.index(side)]
    if not rig.meshes or rig.joint(f"{other} foot") < 0:
        return own
    parts = ("foot", "toes")
    joints = tuple((rig.joint(f"{side} {p}"), rig.joint(f"{other} {p}")) for p in parts)
    return tuple(  # type: ignore[return-value]
        pooled(rig, pair, (mine, theirs), _ALIKE * leg_length(rig)) if min(pair) >= 0 else mine
        for pair, mine, theirs in zip(joints, own, _skin_under(rig, other), strict=True)
    )


# Skins of two sides that differ by no more than this share of the leg are meant to be alike.
_ALIKE = 0.02


def pooled(rig: Rig, pair: tuple[int, int], points: tuple[Array, Array], within: float) -> Array:
    """Corners ``(n, 3)`` in the axes of the first of two joints, together with those of the second, reflected; the first alone
    where they are not the same within so many metres."""
    if not all(map(len, points)):
        return points[0]
    turned, placed = standing(rig).rest_model
    mine, theirs = (placed[j] + quat.rotate(turned[j], p) for j, p in zip(pair, points, strict=True))
    theirs = rig.plane.reflect(theirs)
    ends = [np.concatenate([p.min(axis=0), p.max(axis=0)]) for p in (mine, theirs)]
    if np.abs(ends[0] - ends[1]).max() > within:
        return points[0]
    both = np.concatenate([mine, theirs])
    return corners(quat.rotate(quat.conjugate(turned[pair[0]]), both - placed[pair[0]]))


def corners(points: Array) -> Array:
    """The corners ``(n, 3)`` of what encloses points; all of them where they lie in one plane."""
    from scipy.spatial import ConvexHull, QhullError

    if len(points) < 5:
        return points
    try:
        return np.asarray(points[ConvexHull(points).vertices])
    except QhullError:
        return points


def _skin_under(rig: Rig, side: str) -> tuple[Array, Array]:
    """The corners of one foot's own skin."""
    if not rig.meshes and side in rig.stands:
        known = rig.stands[side].under
        return np.array(known[0]).reshape(-1, 3), np.array(known[1]).reshape(-1, 3)
    ankle, toes = rig.joint(f"{side} foot"), rig.joint(f"{side} toes")
    on_toes = set(rig.skeleton.below(toes)) if toes in rig.skeleton.below(ankle) else set()
    on_ankle = set(rig.skeleton.below(ankle)) - on_toes
    top = float(rig.neutral.rest_model[1][ankle, 1])
    between = top - stand_of(rig, side).height, top
    return _hull(rig, ankle, on_ankle, between), _hull(rig, toes, on_toes, between)


def _in_pose(rig: Rig, side: str, under: tuple[Array, Array], pose: tuple[Array, Array]) -> list[Array]:
    """Points in the axes of ankle and toes as they are in a pose of all joints."""
    turned, placed = pose
    joints = rig.joint(f"{side} foot"), rig.joint(f"{side} toes")
    return [placed[j] + quat.rotate(turned[j], p) for j, p in zip(joints, under, strict=True) if len(p)]


def _touches(points: Array, rig: Rig, ground: float, ankle: Array, ahead: Array) -> tuple[float, float] | None:
    """How far behind (negative) and ahead of the ankle points touch the ground, metres; None where they do not on both sides."""
    along = (points - ankle)[points[:, 1] < ground + _ON_GROUND * leg_length(rig)] @ ahead
    if len(along) < 2 or along.min() >= 0 or along.max() <= 0:
        return None
    return float(along.min()), float(along.max())


def _hull(rig: Rig, joint: int, going_with: set[int], between: tuple[float, float]) -> Array:
    """The corners ``(n, 3)``, in a joint's own axes, of the skin of the joints that go with it, as far as it lies in the lower
    part of the foot (between the ground and the ankle, heights in metres); none without."""
    turned, placed = standing(rig).rest_model
    low, top = between
    points = skin_of(rig.meshes, going_with, (turned, placed))
    points = points[points[:, 1] < low + 0.7 * (top - low)]
    if len(points) < 3:
        return np.empty((0, 3))
    return corners(quat.rotate(quat.conjugate(turned[joint]), points - placed[joint]))
