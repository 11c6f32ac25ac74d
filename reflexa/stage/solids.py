"""Props as they are drawn: a mesh with flat sides, and where it stands."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from reflexa.errors import RecipeError
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.rig import Mesh
from reflexa.stage.model import Prop, track, turn_of
from reflexa.stage.shapes import corners

# Weathered wood, chalked where it is selected; none of the hues that the sides use.
WOOD = (0.56, 0.50, 0.42)


@lru_cache(maxsize=256)
def mesh_of(prop: Prop) -> Mesh:
    """A prop as a mesh with flat sides, in its own axes. Kept by value: it goes to the graphics card once."""
    tri = corners(prop)
    positions = tri.reshape(-1, 3)
    n = len(positions)
    return Mesh(
        positions, np.repeat(flat_normals(tri), 3, axis=0), np.arange(n, dtype=np.uint32).reshape(-1, 3),
        np.zeros((n, 4), dtype=np.uint16), np.tile([1.0, 0.0, 0.0, 0.0], (n, 1)), np.eye(4)[None], np.tile(WOOD, (n, 1)),
    )  # fmt: skip


def flat_normals(tri: Array) -> Array:
    """Of triangles ``(n, 3, 3)``, unit ``(n, 3)``."""
    normal = np.cross(tri[:, 1] - tri[:, 0], tri[:, 2] - tri[:, 0])
    return np.asarray(normal / np.maximum(np.linalg.norm(normal, axis=-1, keepdims=True), 1e-12))


def place_of(prop: Prop, clip: Clip, frame: int) -> tuple[Array, Array] | None:
    """Turn and place of a prop at a frame; None where it is held by what is not there."""
    if not prop.moves:
        return turn_of(prop.turn), np.array(prop.place)
    try:
        q, p = track(prop, clip)
    except RecipeError:
        return None
    return q[frame], p[frame]
