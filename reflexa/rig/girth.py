"""How broad a figure is: its trunk and thighs as rounded blocks read off its skin, and how deep its arms are in them."""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

import numpy as np

from reflexa.motion import kernels, quat
from reflexa.motion.arrays import Array
from reflexa.motion.kernels.parts import Blocks, Model
from reflexa.motion.limbs import limb_end
from reflexa.rig.limbs import limb_of
from reflexa.rig.mesh import skin_of
from reflexa.rig.rig import SIDES, UP, Rig
from reflexa.rig.stance import leg_length


class Block(NamedTuple):
    """A rounded block that goes with a joint, in the joint's own axes: its middle ``(3,)``, its axes ``(3, 3)`` (across, along,
    ahead, as rows), half its width, height and depth ``(3,)``, metres."""

    joint: int
    middle: Array
    axes: Array
    half: Array


# Skin that sticks out further than this share of all of a block's is no part of it.
_MOST = 0.95
# Points along an arm that are held against the trunk: from the elbow to the end, as shares of the forearm; and one above it.
_ALONG = (0.0, 0.5, 1.0)


@lru_cache(maxsize=32)
def blocks(rig: Rig) -> tuple[Block, ...]:
    """Trunk and thighs of a figure that has a skin; nothing without one."""
    turned, placed = rig.neutral.rest_model
    across = np.cross(UP, rig.facing)
    world = np.stack([across, UP, rig.facing])
    names = [n for p in ("pelvis", "spine") for n in rig.body_map.get(p, ())]
    names += [rig.skeleton.names[j] for s in SIDES if (j := rig.joint(f"{s} thigh")) >= 0]
    out = []
    for j in (rig.skeleton.index[n] for n in names):
        points = _with_partner(rig, j, turned, placed)
        if len(points) < 8:
            continue
        local = (points - placed[j]) @ world.T
        low, high = np.quantile(local, [1 - _MOST, _MOST], axis=0)
        middle = (low + high) / 2
        own = quat.rotate(quat.conjugate(turned[j]), world)
        out.append(Block(j, middle @ own, own, (high - low) / 2))
    return tuple(out)


def _with_partner(rig: Rig, joint: int, turned: Array, placed: Array) -> Array:
    """The skin that goes with a joint, and that of its partner, reflected ``(n, 3)``: a body is as broad on both sides, however
    its skin was modelled."""
    own = skin_of(rig.meshes, [joint], (turned, placed))
    if rig.side_of[joint] == "none":
        return own
    other = skin_of(rig.meshes, [int(rig.partner[joint])], (turned, placed))
    return np.concatenate([own, rig.plane.reflect(other)])


@lru_cache(maxsize=64)
def arm_thickness(rig: Rig, side: str) -> float:
    """Half the thickness of a forearm, metres, by its skin; 3 % of the leg without."""
    return max(_arm_thickness(rig, s) for s in {side, *(s for s in SIDES if rig.joint(f"{s} forearm") >= 0)})


def _arm_thickness(rig: Rig, side: str) -> float:
    joint = rig.joint(f"{side} forearm")
    l = limb_of(rig, f"{side} hand")
    turned, placed = rig.neutral.rest_model
    points = skin_of(rig.meshes, [joint], (turned, placed)) if joint >= 0 else np.empty((0, 3))
    if l is None or len(points) < 8:
        return 0.03 * leg_length(rig)
    end = limb_end((turned, placed), l)
    way = (end - placed[joint]) / max(float(np.linalg.norm(end - placed[joint])), 1e-9)
    off = points - placed[joint]
    return float(np.median(np.linalg.norm(off - (off @ way)[:, None] * way, axis=-1)))


@lru_cache(maxsize=32)
def girth(rig: Rig) -> float:
    """Half the width of the trunk at its broadest below the chest, in leg lengths; 0 without a skin."""
    trunk = [b for b in blocks(rig) if b.joint not in {rig.joint(f"{s} thigh") for s in SIDES}]
    leg = leg_length(rig)
    return max((float(b.half[0]) for b in trunk), default=0.0) / leg if leg > 0 else 0.0


def arm_points(rig: Rig, side: str, turned: Array, placed: Array) -> Array | None:
    """Points down a forearm ``(points, frames, 3)``, from the elbow to its end; None where the rig has no such arm."""
    l = limb_of(rig, f"{side} hand")
    if l is None:
        return None
    elbow = placed[:, l.middle]
    end = limb_end((turned, placed), l)
    return np.stack([elbow + a * (end - elbow) for a in _ALONG])


def depths(rig: Rig, points: Array, thickness: float, model: tuple[Array, Array]) -> tuple[Array, Array]:
    """How deep points ``(points, frames, 3)``, of something so thick, are in trunk or thighs, metres ``(points, frames)``; and
    the shortest way out ``(points, frames, 3)``, unit."""
    turned, placed = model
    all_ = blocks(rig)
    deep, out = np.zeros((points.shape[1], len(points))), np.zeros((points.shape[1], len(points), 3))
    if all_:
        made = Blocks(*(np.array([b[k] for b in all_]) for k in range(4)))
        kernels.blocks.depths(made, float(thickness), Model(turned, placed), np.swapaxes(points, 0, 1), deep, out)
    return deep.T, np.swapaxes(out, 0, 1)
