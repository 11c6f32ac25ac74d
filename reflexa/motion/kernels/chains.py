"""From local to model space and back."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from reflexa.motion.arrays import Array
from reflexa.motion.kernels.compiling import kernel
from reflexa.motion.kernels.turns import mul, rot

Parents = NDArray[np.intp]


@kernel(shared=1, out=2)
def forward(parents: Parents, rotations: Array, translations: Array, turned: Array, placed: Array) -> None:
    """Model-space rotations and places of every joint; parents before children, -1 for a root."""
    for f in range(len(rotations)):
        for j in range(len(parents)):
            q = (rotations[f, j, 0], rotations[f, j, 1], rotations[f, j, 2], rotations[f, j, 3])
            t = (translations[f, j, 0], translations[f, j, 1], translations[f, j, 2])
            p = parents[j]
            if p >= 0:
                above = (turned[f, p, 0], turned[f, p, 1], turned[f, p, 2], turned[f, p, 3])
                q = mul(above, q)
                t = rot(above, t)
                t = (t[0] + placed[f, p, 0], t[1] + placed[f, p, 1], t[2] + placed[f, p, 2])
            turned[f, j, 0], turned[f, j, 1], turned[f, j, 2], turned[f, j, 3] = q
            placed[f, j, 0], placed[f, j, 1], placed[f, j, 2] = t
