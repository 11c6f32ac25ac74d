"""Where heel and ball of a foot are, on either rig, and when they stand."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import contacts, quat
from reflexa.motion.arrays import Array
from reflexa.rig.match import SIDES, Match, leg_length
from reflexa.rig.rig import UP, Rig
from reflexa.rig.soles import BALL, HEEL
from reflexa.stage.footing import floor_under, stands


@dataclass(frozen=True)
class Foot:
    """A foot flat on the ground, metres: ankle height, way ahead from ankle to ball, ball height; way back to the heel."""

    ankle: int
    height: float
    ahead: float
    ball_height: float

    @property
    def back(self) -> float:
        return HEEL * self.ahead


def feet(m: Match) -> dict[str, tuple[Foot, Foot]]:
    """Per side that both rigs have, the foot on the source and on the target; a missing ball is taken in proportion."""
    out: dict[str, tuple[Foot, Foot]] = {}
    for side in SIDES:
        a, b = _foot(m.source, side), _foot(m.target, side)
        if a is None or b is None:
            continue
        if a.ahead == 0 and b.ahead > 0:
            a = Foot(a.ankle, a.height, b.ahead / m.stride, b.ball_height / m.rise)
        elif b.ahead == 0 and a.ahead > 0:
            b = Foot(b.ankle, b.height, a.ahead * m.stride, a.ball_height * m.rise)
        out[side] = a, b
    return out


def _foot(rig: Rig, side: str) -> Foot | None:
    ankle, toes = rig.joint(f"{side} foot"), rig.joint(f"{side} toes")
    if ankle < 0:
        return None
    turned, placed = rig.neutral.rest_model
    name = rig.skeleton.names[ankle]
    if toes >= 0:
        ball = placed[toes]
    elif name in rig.tips:
        ball = placed[ankle] + BALL * quat.rotate(turned[ankle], rig.tips[name])
    else:
        return Foot(ankle, float(placed[ankle, 1]) - rig.ground, 0.0, 0.0)
    way = (ball - placed[ankle])[[0, 2]]
    return Foot(ankle, float(placed[ankle, 1]) - rig.ground, float(np.hypot(*way)), float(ball[1]) - rig.ground)


def rest_heading(m: Match, side: str) -> Array:
    """The horizontal way that a foot points in the aligned rest, ``(3,)`` unit."""
    segment = next((s for s in m.segments if s.part == f"{side} foot"), None)
    ahead = m.target.facing
    if segment is not None:
        placed = m.aligned_rest[1]
        a, b = segment.target
        if b >= 0:
            ahead = placed[b] - placed[a]
        else:
            ahead = quat.rotate(m.aligned_rest[0][a], m.target.tips[m.target.skeleton.names[a]])
        ahead = ahead - (ahead @ UP) * UP
    length = float(np.linalg.norm(ahead))
    return np.asarray(ahead / length) if length > 1e-9 else m.target.facing


def points(foot: Foot, ankle: Array, turn: Array, ahead: Array) -> tuple[Array, Array]:
    """Heel and ball on the sole ``(frames, 3)`` each, of a foot at ``ankle`` turned by ``turn`` from flat."""
    heel = ankle + quat.rotate(turn, -foot.back * ahead - foot.height * UP)
    ball = ankle + quat.rotate(turn, foot.ahead * ahead + (foot.ball_height - foot.height) * UP)
    return heel, ball - foot.ball_height * UP


def standing(
    heels_and_balls: dict[str, tuple[Array, Array]], rig: Rig, scale: float, rate: float
) -> dict[str, tuple[NDArray[np.bool_], NDArray[np.bool_]]]:
    """Per side, the frames at which heel and ball stand, from tracks that were scaled by ``scale``."""
    if not heels_and_balls:
        return {}
    leg = max(leg_length(rig) * scale, 1e-6)
    floor = floor_under([p for pair in heels_and_balls.values() for p in pair], rate)

    def still(p: Array) -> NDArray[np.bool_]:
        return stands(p[:, 1] - floor, contacts.speeds(p, rate), leg)

    return {side: (still(h), still(b)) for side, (h, b) in heels_and_balls.items()}
