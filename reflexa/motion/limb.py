"""Which joints make up a limb, and what it is part of."""

from __future__ import annotations

import numpy as np

from reflexa.motion.arrays import Array
from reflexa.motion.kernels.parts import Limb, Model, Way
from reflexa.motion.skeleton import Skeleton

__all__ = ["Limb", "Model", "Way", "limb"]


def limb(skeleton: Skeleton, root: int, middle: int, end: int, tip: Array | None = None) -> Limb:
    """The limb of three joints that stand above one another; end -1: it ends at ``tip`` on the middle joint."""
    below_root, below_middle = set(skeleton.below(root)), set(skeleton.below(middle))
    beyond = set(skeleton.below(end)) if end >= 0 else set()
    groups = (below_root - below_middle, below_middle - beyond, beyond)
    upper, lower, last = (np.array(sorted(g), dtype=np.intp) for g in groups)
    return Limb(root, middle, end, upper, lower, last, np.zeros(3) if tip is None else np.array(tip))
