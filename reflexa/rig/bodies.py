"""The body as volumes: its parts as rounded blocks, read off the skin or, without one, by the proportions of people."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import NamedTuple

import numpy as np

from reflexa.motion import kernels, quat
from reflexa.motion.arrays import Array
from reflexa.motion.kernels.parts import Blocks, Model
from reflexa.motion.limbs import limb_end
from reflexa.rig.foot_rest import leg_length
from reflexa.rig.limbs import limb_of
from reflexa.rig.mesh import skin_of
from reflexa.rig.rig import SIDES, UP, Rig


def as_blocks(found: Sequence[Block]) -> Blocks:
    """Blocks as kernels are given them."""
    sizes = ((), (3,), (3, 3), (3,))
    joints, middles, axes, halves = (
        np.array([b[k] for b in found], dtype=np.float64).reshape(-1, *size) for k, size in enumerate(sizes)
    )
    reach = np.linalg.norm(middles, axis=1) + 1.1 * np.linalg.norm(halves, axis=1)
    return Blocks(joints.astype(np.intp), middles, axes, halves, reach)


class Block(NamedTuple):
    """A rounded block that goes with a joint, in the joint's own axes: its middle ``(3,)``, its axes ``(3, 3)`` (across, along,
    ahead, as rows), half its width, height and depth ``(3,)``, metres.

    part: the part of the body ("pelvis", "spine", "left thigh"); share: where it lies in a part of several joints, 0 to 1."""

    joint: int
    middle: Array
    axes: Array
    half: Array
    part: str = ""
    share: float = 0.5


# Skin that sticks out further than this share of all of a block's is no part of it.
_MOST = 0.95
# Points along an arm that are held against the trunk: from the elbow to the end, as shares of the forearm; and one above it.
_ALONG = (0.0, 0.5, 1.0)


@lru_cache(maxsize=32)
def blocks(rig: Rig) -> tuple[Block, ...]:
    """Trunk and thighs of a figure that has a skin; nothing without one."""
    found = (_from_skin(rig, j, part, share, UP) for j, part, share in _parts(rig, *_TRUNK, *_THIGHS))
    return tuple(b for b in found if b is not None)


_TRUNK, _THIGHS = ("pelvis", "spine"), tuple(f"{s} thigh" for s in SIDES)
_LIMBS = tuple(f"{s} {p}" for p in ("upper arm", "forearm", "shin") for s in SIDES)
# Half the width and depth of parts, and of a head its height, as shares of the height of the figure (from memory, of adults:
# Drillis & Contini 1966 for lengths, breadths as tables of the human body give them).
_BUILD = {
    "pelvis": (0.092, 0.062), "spine": (0.086, 0.062), "head": (0.045, 0.056), "thigh": (0.046, 0.048),
    "shin": (0.031, 0.033), "upper arm": (0.027, 0.027), "forearm": (0.023, 0.023),
}  # fmt: skip
_HEAD = 0.065


@lru_cache(maxsize=32)
def volumes(rig: Rig) -> tuple[Block, ...]:
    """All the parts of a figure that something may enter: trunk, head, thighs, shins, upper arms and forearms. By the skin where
    there is one, else by the height of the figure and its bones."""
    out, found = [], _parts(rig, *_TRUNK, "head", *_THIGHS, *_LIMBS)
    if "head" not in rig.body_map and rig.body_map.get("neck"):  # its last joint carries the head
        found.append((rig.skeleton.index[rig.body_map["neck"][-1]], "head", 0.5))
    for joint, part, share in found:
        along = UP if part in (*_TRUNK, *_THIGHS, "head") else _bone(rig, joint)
        block = _from_skin(rig, joint, part, share, along) if rig.meshes else _stand_in(rig, joint, part, share, along)
        if block is not None:
            out.append(block)
    return tuple(out)


def _parts(rig: Rig, *parts: str) -> list[tuple[int, str, float]]:
    """Joints of some parts, each with its part and where it lies in that, 0 to 1."""
    out = []
    for part in parts:
        names = rig.body_map.get(part, ())
        out += [(rig.skeleton.index[n], part, (i + 0.5) / len(names)) for i, n in enumerate(names)]
    return out


def _bone(rig: Rig, joint: int) -> Array:
    """The way from a joint to the end of its bone in the neutral pose ``(3,)``; no length where nothing tells."""
    turned, placed = rig.neutral.rest_model
    name = rig.skeleton.names[joint]
    side, _, part = rig.part_of(name).partition(" ")
    end = rig.joint(f"{side} {_NEXT[part]}") if part in _NEXT else -1
    if end >= 0:
        return np.asarray(placed[end] - placed[joint])
    return quat.rotate(turned[joint], rig.tips[name]) if name in rig.tips else np.zeros(3)


_NEXT = {"upper arm": "forearm", "forearm": "hand", "thigh": "shin", "shin": "foot"}


def _axes(rig: Rig, along: Array) -> Array | None:
    """Across, along and ahead of a part ``(3, 3)``, as rows, in the neutral pose; None for a part without a length."""
    size = float(np.linalg.norm(along))
    if size < 1e-6:
        return None
    along = along / size
    ahead = rig.facing - (rig.facing @ along) * along
    if np.linalg.norm(ahead) < 0.1:
        ahead = UP - (UP @ along) * along
    ahead = ahead / np.linalg.norm(ahead)
    return np.stack([np.cross(along, ahead), along, ahead])


def _from_skin(rig: Rig, joint: int, part: str, share: float, along: Array) -> Block | None:
    """The block about the skin that goes with a joint; None where there is too little of it."""
    turned, placed = rig.neutral.rest_model
    points, axes = _with_partner(rig, joint, turned, placed), _axes(rig, along)
    if len(points) < 8 or axes is None:
        return None
    low, high = np.quantile((points - placed[joint]) @ axes.T, [1 - _MOST, _MOST], axis=0)
    return _block(rig, joint, part, share, ((low + high) / 2 @ axes, axes, (high - low) / 2))


def _block(rig: Rig, joint: int, part: str, share: float, box: tuple[Array, Array, Array]) -> Block:
    """A block with its middle, axes and half sizes given in the neutral pose, from the joint."""
    to_own = quat.conjugate(rig.neutral.rest_model[0][joint])
    middle, axes, half = box
    own = quat.rotate(to_own, axes)
    return Block(joint, quat.rotate(to_own, middle), own, half, part, share)


def _stand_in(rig: Rig, joint: int, part: str, share: float, along: Array) -> Block | None:
    """A block as people are built, between a joint and the end of its bone."""
    placed = rig.neutral.rest_model[1]
    axes, name = _axes(rig, along), part.split(" ", 1)[-1] if part.split(" ")[0] in SIDES else part
    if axes is None:
        return None
    width, depth = (rig.height * x for x in _BUILD[name])
    if part == "head":
        half = _HEAD * rig.height
        return _block(rig, joint, part, share, (half * UP, axes, np.array([width, half, depth])))
    bone = _reach(rig, joint, part)
    middle = np.asarray(placed[bone] - placed[joint]) / 2 if bone >= 0 else _bone(rig, joint) / 2
    if part == "pelvis":  # from the hips up to the spine
        middle = np.asarray(_hips(rig) - placed[joint] + 2 * middle) / 2
        height = abs(float((placed[bone] - _hips(rig)) @ UP)) / 2 if bone >= 0 else width / 2
        return _block(rig, joint, part, share, (middle, axes, np.array([width, max(height, 0.6 * depth), depth])))
    half = abs(float(middle @ axes[1]))
    return _block(rig, joint, part, share, (middle, axes, np.array([width, half, depth]))) if half > 1e-4 else None


def _reach(rig: Rig, joint: int, part: str) -> int:
    """The joint at the end of a part's bone; -1: none."""
    skeleton, side = rig.skeleton, part.partition(" ")[0]
    line = [skeleton.index[n] for p in ("pelvis", "spine", "neck", "head") for n in rig.body_map.get(p, ())]
    if joint in line:
        after = line[line.index(joint) + 1 :]
        placed, far = rig.neutral.rest_model[1], 0.005 * rig.height
        beyond = (j for j in after if j in skeleton.below(joint))
        return next((j for j in beyond if np.linalg.norm(placed[j] - placed[joint]) > far), -1)
    return rig.joint(f"{side} {_NEXT[part.split(' ', 1)[1]]}") if part.split(" ", 1)[-1] in _NEXT else -1


def _hips(rig: Rig) -> Array:
    """The middle between the hip joints in the neutral pose; the pelvis where there are none."""
    hips = [j for s in SIDES if (j := rig.joint(f"{s} thigh")) >= 0] or [rig.joint("pelvis")]
    return np.asarray(rig.neutral.rest_model[1][hips].mean(axis=0))


def _with_partner(rig: Rig, joint: int, turned: Array, placed: Array) -> Array:
    """The skin that goes with a joint, and that of its partner, reflected ``(n, 3)``: a body is as broad on both sides, however
    its skin was modelled."""
    own = skin_of(rig.meshes, [joint], (turned, placed))
    if rig.side_of[joint] == "none":
        return own
    other = skin_of(rig.meshes, [int(rig.partner[joint])], (turned, placed))
    return np.concatenate([own, rig.plane.reflect(other)])


# How far along the forearm skin counts at a place, as a share of its length.
_ABOUT = 0.17


@lru_cache(maxsize=64)
def arm_thickness(rig: Rig, side: str) -> float:
    """Half the thickness of a forearm, metres, by its skin; 3 % of the leg without."""
    return max(_arm_thickness(rig, s) for s in {side, *(s for s in SIDES if rig.joint(f"{s} forearm") >= 0)})


@lru_cache(maxsize=64)
def arm_thicknesses(rig: Rig, side: str, along: tuple[float, ...]) -> tuple[float, ...]:
    """The same at places along the forearm, 0 at the elbow and 1 at its end: as far as the skin about each reaches."""
    found = [_radii(rig, s) for s in {side, *SIDES}]
    at = np.concatenate([a for a, _ in found])
    far = np.concatenate([r for _, r in found])
    usual = arm_thickness(rig, side)
    near = [far[np.abs(at - a) <= _ABOUT] for a in along]
    return tuple(max(float(n.max()), usual) if len(n) >= 4 else usual for n in near)


def _radii(rig: Rig, side: str) -> tuple[Array, Array]:
    """Where along the forearm each point of its skin is ``(n,)``, as a share, and how far from its bone ``(n,)``, metres."""
    joint, l = rig.joint(f"{side} forearm"), limb_of(rig, f"{side} hand")
    turned, placed = rig.neutral.rest_model
    points = skin_of(rig.meshes, [joint], (turned, placed)) if joint >= 0 and l is not None else np.empty((0, 3))
    if l is None or not len(points):
        return np.empty(0), np.empty(0)
    way = limb_end((turned, placed), l) - placed[joint]
    long = max(float(np.linalg.norm(way)), 1e-9)
    off = points - placed[joint]
    share = off @ way / long**2
    return share, np.linalg.norm(off - share[:, None] * way, axis=1)


def _arm_thickness(rig: Rig, side: str) -> float:
    far = _radii(rig, side)[1]
    return float(np.median(far)) if len(far) >= 8 else 0.03 * leg_length(rig)


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
        made = as_blocks(all_)
        kernels.blocks.depths(made, float(thickness), Model(turned, placed), np.swapaxes(points, 0, 1), deep, out)
    return deep.T, np.swapaxes(out, 0, 1)
