"""Two clips, joint by joint: how far each turns and stands otherwise."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from reflexa.motion import quat
from reflexa.motion.clip import Clip


@dataclass(frozen=True)
class Difference:
    """One joint: how much its rotation against its parent differs at most and on the mean (degrees) and at which frame; how far
    it stands away from where it stood (mm), likewise."""

    joint: str
    turn: float
    mean_turn: float
    turn_frame: int
    move: float
    mean_move: float
    move_frame: int


@dataclass(frozen=True)
class Comparison:
    """joints: what both have, that which differs most first; only: names that one alone has; frames: how many each has, of
    which those that both have were compared."""

    joints: tuple[Difference, ...]
    only: tuple[tuple[str, ...], tuple[str, ...]]
    frames: tuple[int, int]

    def differs(self, degrees: float, mm: float) -> bool:
        """True if any joint differs by more, or joints or lengths differ."""
        far = any(j.turn > degrees or j.move > mm for j in self.joints)
        return far or any(self.only) or self.frames[0] != self.frames[1]


def compare(a: Clip, b: Clip) -> Comparison:
    """Frame by frame, by joint names; what one has more of is told and left out."""
    names = [n for n in a.skeleton.names if n in b.skeleton.index]
    n = min(a.frames, b.frames)
    out = []
    for name in names:
        i, j = a.skeleton.index[name], b.skeleton.index[name]
        turn = np.degrees(quat.angle(quat.multiply(quat.conjugate(a.rotations[:n, i]), b.rotations[:n, j])))
        move = 1000 * np.linalg.norm(a.model[1][:n, i] - b.model[1][:n, j], axis=-1)
        out.append(
            Difference(
                name, float(turn.max()), float(turn.mean()), int(turn.argmax()), float(move.max()), float(move.mean()),
                int(move.argmax()),
            )
        )  # fmt: skip
    own = tuple(m for m in a.skeleton.names if m not in b.skeleton.index)
    other = tuple(m for m in b.skeleton.names if m not in a.skeleton.index)
    return Comparison(tuple(sorted(out, key=lambda d: -(d.turn + d.move))), (own, other), (a.frames, b.frames))
