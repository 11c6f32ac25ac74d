"""Two-bone inverse kinematics in closed form, by the law of cosines."""

from __future__ import annotations

import numpy as np

from reflexa.motion import quat
from reflexa.motion.arrays import Array


def _unit(v: Array) -> Array:
    length = np.linalg.norm(v, axis=-1, keepdims=True)
    return np.asarray(v / np.where(length > 1e-12, length, 1.0))


def soft_reach(distance: Array, longest: float, softness: float = 0.02) -> Array:
    """A distance that nears ``longest`` without ever getting there, so that a limb straightens without a pop.

    Below ``longest * (1 - softness)`` nothing changes; beyond, the rest of the way is used up exponentially.
    """
    if softness <= 0:
        return np.minimum(distance, longest)
    return softened(distance, longest, np.asarray(longest * (1 - softness)))


def softened(distance: Array, longest: float, start: Array) -> Array:
    """As ``soft_reach``, with the distance ``start`` ``(…)`` up to which nothing changes given for each frame."""
    room = np.maximum(longest - start, 1e-9)
    over = np.maximum(distance - start, 0.0)
    return np.where(distance <= start, distance, np.minimum(start + room * (1 - np.exp(-over / room)), longest))


def middle(
    root: Array, target: Array, upper: float, lower: float, pole: Array, softness: float = 0.02
) -> tuple[Array, Array]:
    """Where the middle joint (knee, elbow) and the end come to lie, ``(…, 3)`` each.

    root, target ``(…, 3)``; upper, lower: lengths in metres; pole ``(…, 3)``: direction towards which the limb bends.
    Out of reach the end lies on the line to the target, as far as the limb goes.
    """
    along = target - root
    distance = np.linalg.norm(along, axis=-1)
    reach = soft_reach(distance, upper + lower, softness)
    reach = np.maximum(reach, abs(upper - lower) + 1e-9)
    direction = _unit(along)
    cosine = np.clip((upper**2 + reach**2 - lower**2) / (2 * upper * reach), -1.0, 1.0)
    sine = np.sqrt(1 - cosine**2)
    side = _unit(pole - np.sum(pole * direction, axis=-1, keepdims=True) * direction)
    knee = root + upper * (cosine[..., None] * direction + sine[..., None] * side)
    return knee, root + reach[..., None] * direction


def aimed(rest_direction: Array, rest_side: Array, direction: Array, side: Array) -> Array:
    """The rotation ``(…, 4)`` that takes one direction and the half-plane beside it to another such pair."""
    return quat.multiply(
        quat.from_matrix(_frame(direction, side)),
        quat.conjugate(quat.from_matrix(_frame(rest_direction, rest_side))),
    )


def _frame(direction: Array, side: Array) -> Array:
    y = _unit(np.asarray(direction, dtype=np.float64))
    x = _unit(np.cross(y, side))
    return np.stack([x, y, np.cross(x, y)], axis=-1)
