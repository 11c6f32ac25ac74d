"""What kernels for limbs are given."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from reflexa.motion.arrays import Array

Ints = NDArray[np.intp]


class Model(NamedTuple):
    """Joints in model space, to be changed in place: turned ``(frames, joints, 4)``, placed ``(frames, joints, 3)``."""

    turned: Array
    placed: Array


class Clock(NamedTuple):
    """The rate in frames a second, and whether the clip is a loop."""

    rate: float = 30.0
    loop: bool = False


class Way(NamedTuple):
    """Where to ``(frames, 3)``, and how much of the way ``(frames,)``, 0 to 1."""

    to: Array
    share: Array


class Blocks(NamedTuple):
    """Rounded blocks that go with joints: which ``(n,)``; in the joint's own axes their middles ``(n, 3)``, axes ``(n, 3, 3)``
    (across, along, ahead, as rows) and half sizes ``(n, 3)``; reach ``(n,)``: no point of a block is further from its joint; all
    in metres."""

    joints: Ints
    middles: Array
    axes: Array
    halves: Array
    reach: Array


class Limb(NamedTuple):
    """Three joints of a limb, and which joints move with each bone: between root and middle, middle and end, beyond.

    end -1: the limb ends in no joint but in an end site, at ``tip`` ``(3,)`` in the middle joint's own axes.
    """

    root: int
    middle: int
    end: int
    upper: Ints
    lower: Ints
    beyond: Ints
    tip: Array
