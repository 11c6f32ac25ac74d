"""A figure to be drawn: which clip, at which frame, where, and in which colours."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np

from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.rig.stand_in import body_of

# "after" is the one that is worked on; "before" is solid and tinted; "pale" is seen through.
Role = Literal["after", "before", "pale"]


@dataclass(frozen=True, eq=False)
class PosedFigure:
    """offset ``(3,)``: how far it is moved in the picture. colours ``(joints, 3)``; by_kind: they are those of the selected
    step's kind, and are not paled. bare: bones only. label: what it is, in words."""

    clip: Clip
    frame: int
    role: Role
    offset: Array
    rig: Rig
    colours: Array
    by_kind: bool = False
    bare: bool = False
    label: str = ""

    @cached_property
    def placed(self) -> Array:
        """Where its joints are in the picture ``(joints, 3)``."""
        return np.asarray(self.clip.model[1][self.frame] + self.offset)

    @property
    def bounds(self) -> Array:
        """Lowest and highest corner ``(2, 3)`` of the room that the figure needs through the whole clip, without its
        travel, with some room for hair and hats."""
        placed = self.clip.model[1]
        travel = placed[:, self.rig.travel_joint] * [1.0, 0.0, 1.0]
        stays = placed - travel[:, None] + travel[self.frame] + self.offset
        above = [0.0, 0.08 * self.rig.height if body_of(self.rig) else 0.0, 0.0]
        return np.stack([stays.min(axis=(0, 1)), stays.max(axis=(0, 1)) + above])
