"""The body moved over feet and hands that stay."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np

from reflexa.motion.arrays import Array
from reflexa.motion.kernels.parts import Limb
from reflexa.motion.limbs import SOFT, Posed, end_of, reach, turn_about
from reflexa.rig import Rig
from reflexa.rig.limbs import limb_of


def move_body(
    posed: Posed, rig: Rig, joint: int, change: tuple[Array, Array], hinges: Mapping[str, Array],
    spread: Callable[[Array], Array],
) -> Array:  # fmt: skip
    """Turn and shift everything below a joint; limbs that stay keep the place and turn of their ends. Gives by how much the
    body was held back so that no leg that stays is overstretched, metres ``(frames,)``: evenly in time, for a leg may be straight
    for a moment.

    change: the turn ``(frames, 4)`` and shift ``(frames, 3)`` in model space. hinges: per limb that stays ("left foot"), the
    axis that it bends about. spread: spreads a share ``(frames,)`` evenly over time.
    """
    kept = {part: l for part in hinges if (l := limb_of(rig, part)) is not None}
    goals = {part: end_of(posed, l) for part, l in kept.items()}
    turned = {part: posed.turned[:, l.beyond].copy() for part, l in kept.items()}
    offsets = {part: posed.placed[:, l.beyond] - goals[part][:, None] for part, l in kept.items()}
    legs = {part: l for part, l in kept.items() if part.endswith("foot")}
    room = {part: _longest(posed, l) for part, l in legs.items()}
    before = {part: _lacks(posed, l, goals[part], room[part]) for part, l in legs.items()}
    below = np.array(posed.skeleton.below(joint), dtype=np.intp)
    turn, shift = change
    turn_about(posed, below, posed.placed[:, joint].copy(), turn)
    posed.placed[:, below] += shift[:, None]
    posed.dirty.add(joint)
    back = np.zeros(len(shift))
    for part, l in legs.items():
        back = np.maximum(back, _held_back(before[part], _lacks(posed, l, goals[part], room[part])))
    up = np.maximum(shift[:, 1], 0.0)
    if back.any() and up.any():  # the same share of the way beside where a leg is straight for a moment
        share = np.where(up > 1e-9, np.minimum(back / np.maximum(up, 1e-9), 1.0), 0.0)
        back = np.maximum(back, spread(share) * up)
    posed.placed[:, below, 1] -= back[:, None]
    for part, l in kept.items():
        if l.end >= 0:
            posed.turned[:, l.beyond] = turned[part]
            posed.placed[:, l.beyond] = posed.placed[:, l.end, None] + offsets[part]
        reach(posed, l, goals[part], hinges[part])
    return back


def _longest(posed: Posed, l: Limb) -> Array:
    """How far a leg may be stretched ``(frames,)``: to where it would straighten softly, or as far as it is anyway."""
    root, middle, end = posed.placed[:, l.root], posed.placed[:, l.middle], end_of(posed, l)
    bones = np.linalg.norm(middle - root, axis=-1) + np.linalg.norm(end - middle, axis=-1)
    return np.asarray(np.maximum((1 - SOFT) * bones, np.linalg.norm(end - root, axis=-1)))


def _lacks(posed: Posed, l: Limb, goal: Array, room: Array) -> Array:
    """By how much a leg's root is too high for its end to reach a goal, metres ``(frames,)``; negative: what is left."""
    away = posed.placed[:, l.root] - goal
    level = np.minimum(np.hypot(away[:, 0], away[:, 2]), room)
    return np.asarray(away[:, 1] - np.sqrt(room**2 - level**2))


def _held_back(before: Array, after: Array) -> Array:
    """How much of the way is not gone: all that is used up beyond half of what is left is used ever more slowly, so that
    the body comes to rest softly where the legs end."""
    left, used = np.maximum(-before, 0.0), after - np.minimum(before, 0.0)
    half = left / 2
    goes = np.where(
        used <= half, used, half + half * -np.expm1(-np.maximum(used - half, 0.0) / np.maximum(half, 1e-12))
    )
    return np.asarray(np.maximum(used - goes, 0.0))
