"""From named places to a skeleton: what the demo's rigs have in common."""

from __future__ import annotations

from collections.abc import Collection, Mapping

import numpy as np

from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.skeleton import Skeleton

SIDES = (("left", 1.0), ("right", -1.0))
Place = tuple[float, float, float]


def skeleton_of(
    places: Mapping[str, tuple[str, Place]], straight: Collection[str], along: Place, upright: Collection[str] = ()
) -> Skeleton:
    """A skeleton whose joints have their own axis ``along`` on their bone.

    places: joint → (parent, place in rest), parents first, metres. straight: joints whose axes are the world's.
    upright: joints whose bone is taken to point up, wherever their first child is.
    """
    names = list(places)
    index = {n: i for i, n in enumerate(names)}
    parents = np.array([index[places[n][0]] if places[n][0] else -1 for n in names])
    placed = np.array([places[n][1] for n in names], dtype=np.float64)
    turned = np.tile(quat.IDENTITY, (len(names), 1))
    first_child = {int(p): i for i, p in reversed(list(enumerate(parents))) if p >= 0}
    for i, name in enumerate(names):
        if name in straight:
            continue
        if name in upright:
            bone = np.array([0.0, 1.0, 0.0])
        elif i in first_child:
            bone = placed[first_child[i]] - placed[i]
        else:
            bone = placed[i] - placed[parents[i]]
        turned[i] = quat.between(along, bone)
    q, t = to_local(parents, turned, placed)
    return Skeleton(tuple(names), parents, q, t)


def to_local(parents: Array, turned: Array, placed: Array) -> tuple[Array, Array]:
    """Local rest rotations and translations of model-space ones ``(joints, …)``."""
    q, t = np.array(turned), np.array(placed)
    for i, p in enumerate(parents.tolist()):
        if p >= 0:
            back = quat.conjugate(turned[p])
            q[i] = quat.multiply(back, turned[i])
            t[i] = quat.rotate(back, placed[i] - placed[p])
    return q, t
