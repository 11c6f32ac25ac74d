"""What lies below a point: the ground, or a prop that feet may stand on."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import quat
from reflexa.motion.arrays import Array, frozen
from reflexa.motion.clip import Clip
from reflexa.stage.model import Prop, Stage, track, turn_of
from reflexa.stage.shapes import corners

# A foot stands on what it is at most this far inside, metres: about the height of a step, so that what lies higher is a
# wall (common practice, no source).
STEP = 0.25
_UP = np.array([0.0, 1.0, 0.0])


@dataclass(frozen=True, eq=False)
class Surface:
    """height ``(frames,)`` in metres and normal ``(frames, 3)`` of what lies below a point; prop: index of it, -1 ground."""

    height: Array
    normal: Array
    prop: NDArray[np.intp]


def surface_under(
    stage: Stage, clip: Clip, points: Array, above: float = STEP, frames: NDArray[np.intp] | None = None
) -> Surface:
    """The highest surface that is at most ``above`` metres over each point ``(n, 3)``.

    frames ``(n,)``: when each point is asked for; left out, they are a track over the whole clip. Raises RecipeError as
    ``track`` does.
    """
    when = np.arange(len(points)) if frames is None else frames
    n = len(points)
    height, normal, which = np.zeros(n), np.tile(_UP, (n, 1)), np.full(n, -1, dtype=np.intp)
    for i, prop in enumerate(stage.props):
        if prop.surface:
            y, up = _top(prop, clip, points, above, when)
            higher = y > height
            height[higher], normal[higher], which[higher] = y[higher], up[higher], i
    return Surface(height, normal, which)


def _top(prop: Prop, clip: Clip, points: Array, above: float, when: NDArray[np.intp]) -> tuple[Array, Array]:
    """Height and normal of the highest side of a prop that lies no more than ``above`` over each point; -inf for none."""
    height, normal = np.full(len(points), -np.inf), np.tile(_UP, (len(points), 1))
    tri = corners(prop) if prop.moves else _standing(prop)
    if not len(tri):
        return height, normal
    if prop.moves:
        q, p = (a[when] for a in track(prop, clip))
        reach = float(np.linalg.norm(tri.reshape(-1, 3), axis=-1).max())
        near = np.flatnonzero(np.linalg.norm((points - p)[:, [0, 2]], axis=-1) <= reach)
    else:
        low, high = tri.min(axis=(0, 1)), tri.max(axis=(0, 1))
        over = (
            (points[:, 0] >= low[0]) & (points[:, 0] <= high[0]) & (points[:, 2] >= low[2]) & (points[:, 2] <= high[2])
        )
        near = np.flatnonzero(over & (points[:, 1] + above >= low[1]))
    if not len(near):
        return height, normal
    for span in np.array_split(near, -(-len(near) * len(tri) // 400_000)):
        # (frames or 1, triangles, corners, 3)
        world = p[span, None, None] + quat.rotate(q[span, None, None], tri[None]) if prop.moves else tri[None]
        height[span], normal[span] = _under(world, points[span], above)
    return height, normal


@lru_cache(maxsize=256)
def _standing(prop: Prop) -> Array:
    """The triangles of a prop that does not move, in the world ``(n, 3, 3)``. Kept by value."""
    return frozen(np.array(prop.place) + quat.rotate(turn_of(prop.turn), corners(prop)))


def _under(tri: Array, points: Array, above: float) -> tuple[Array, Array]:
    """Where the vertical through each point ``(n, 3)`` meets triangles ``(n or 1, m, 3, 3)``: the highest meeting that is
    not more than ``above`` higher, and the triangle's normal, upward."""
    a, b, c = tri[:, :, 0], tri[:, :, 1], tri[:, :, 2]
    e, f = b - a, c - a
    across = e[..., 2] * f[..., 0] - e[..., 0] * f[..., 2]  # the normal's y
    x, z = points[:, None, 0] - a[..., 0], points[:, None, 2] - a[..., 2]
    safe = np.where(np.abs(across) > 1e-12, across, np.inf)
    u = (z * f[..., 0] - x * f[..., 2]) / safe
    v = (x * e[..., 2] - z * e[..., 0]) / safe
    y = a[..., 1] + u * e[..., 1] + v * f[..., 1]
    edge = -1e-9
    inside = (u >= edge) & (v >= edge) & (u + v <= 1 - edge) & np.isfinite(safe) & (y <= points[:, None, 1] + above)
    y = np.where(inside, y, -np.inf)
    best = np.argmax(y, axis=1)
    rows = np.arange(len(points))
    normal = np.cross(e, f)
    normal = normal / np.maximum(np.linalg.norm(normal, axis=-1, keepdims=True), 1e-12)
    found = normal[rows if len(normal) > 1 else np.zeros_like(rows), best]
    return y[rows, best], np.where(found[:, 1:2] < 0, -found, found)
