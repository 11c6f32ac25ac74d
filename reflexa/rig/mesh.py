"""A skin that follows a skeleton."""

from __future__ import annotations

import hashlib
from collections.abc import Collection, Iterable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import quat
from reflexa.motion.arrays import Array, frozen

# A mesh of which no more of the edges are open counts as closed.
_OPEN = 0.03


@dataclass(frozen=True, eq=False)
class Mesh:
    """Triangles bound to joints.

    positions, normals ``(vertices, 3)`` in bind space; triangles ``(n, 3)``; joints ``(vertices, 4)`` indices into
    the skeleton; weights ``(vertices, 4)`` that sum to one; bind ``(joints, 4, 4)`` takes bind space to each
    joint's own space (inverse bind matrices, identity for joints without skin); colours ``(vertices, 3)`` linear 0-1.
    shapes: what the mesh can be bent to besides, by name: what each adds to positions ``(vertices, 3)`` at full weight.
    """

    positions: Array
    normals: Array
    triangles: NDArray[np.uint32]
    joints: NDArray[np.uint16]
    weights: Array
    bind: Array
    colours: Array
    shapes: tuple[tuple[str, Array], ...] = ()

    def __post_init__(self) -> None:
        for name in ("positions", "normals", "weights", "bind", "colours"):
            object.__setattr__(self, name, frozen(getattr(self, name)))
        object.__setattr__(self, "shapes", tuple((n, frozen(a)) for n, a in self.shapes))
        for name, kind in (("triangles", np.uint32), ("joints", np.uint16)):
            whole = np.array(getattr(self, name), dtype=kind)
            whole.flags.writeable = False
            object.__setattr__(self, name, whole)

    @cached_property
    def digest(self) -> str:
        """SHA-256 over the shape of the skin and how it hangs on the joints; its colours move nothing."""
        h = hashlib.sha256()
        for a in (self.positions, self.triangles, self.joints, self.weights, self.bind):
            h.update(np.ascontiguousarray(a).tobytes())
        return h.hexdigest()

    @cached_property
    def closed(self) -> bool:
        """Has it an inside that nobody looks into (but for a few open edges), with its triangles turned outwards?"""
        if not len(self.triangles):
            return False
        # Vertices that lie in one place are one, however many there are for the sake of normals.
        places = np.round(self.positions / max(float(np.ptp(self.positions)), 1e-9) * 1e6).astype(np.int64)
        _, welded = np.unique(one_key(places), return_inverse=True)
        corners = welded[self.triangles]
        there = np.concatenate([corners[:, [i, (i + 1) % 3]] for i in range(3)])
        there = there[there[:, 0] != there[:, 1]]
        size = len(self.positions)
        met = np.isin(there[:, 0] * size + there[:, 1], there[:, 1] * size + there[:, 0])
        a, b, c = np.moveaxis(self.positions[self.triangles], 1, 0)
        return bool(met.mean() > 1 - _OPEN) and float(np.einsum("ij,ij->", a, np.cross(b, c))) > 0

    def posed(self, turned: Array, placed: Array) -> Array:
        """Vertices ``(vertices, 3)`` with the joints at model-space rotations ``(joints, 4)`` and places ``(joints, 3)``."""
        linear = quat.to_matrix(turned) @ self.bind[:, :3, :3]
        moved = np.einsum("jab,jb->ja", quat.to_matrix(turned), self.bind[:, :3, 3]) + placed
        each = np.einsum("vkab,vb->vka", linear[self.joints], self.positions) + moved[self.joints]
        return np.asarray(np.einsum("vk,vka->va", self.weights, each))


def skin_of(meshes: Iterable[Mesh], joints: Collection[int], pose: tuple[Array, Array]) -> Array:
    """Where the vertices are that go with some joints more than with any other ``(n, 3)``. pose: model-space rotations
    ``(joints, 4)`` and places ``(joints, 3)``."""
    found = [np.empty((0, 3))]
    for mesh in meshes:
        strongest = mesh.joints[np.arange(len(mesh.joints)), mesh.weights.argmax(axis=1)]
        own = np.flatnonzero(np.isin(strongest, list(joints)))
        if len(own):
            found.append(mesh.posed(*pose)[own])
    return np.concatenate(found)


def vertex_normals(positions: Array, triangles: NDArray[np.uint32]) -> Array:
    """Area-weighted vertex normals ``(vertices, 3)`` for a mesh that came without."""
    a, b, c = (positions[triangles[:, i]] for i in range(3))
    face = np.cross(b - a, c - a)
    out = np.zeros_like(positions)
    for i in range(3):
        np.add.at(out, triangles[:, i], face)
    length = np.linalg.norm(out, axis=-1, keepdims=True)
    return np.where(length > 1e-20, out / np.maximum(length, 1e-20), [0.0, 1.0, 0.0])


def one_key(rows: NDArray[np.int64]) -> NDArray[np.int64]:
    """A number for each row of whole numbers, the same for the same."""
    low = rows.min(axis=0)
    sizes = rows.max(axis=0) - low + 1
    out = np.zeros(len(rows), dtype=np.int64)
    for k, size in enumerate(sizes.tolist()):
        out = out * size + (rows[:, k] - low[k])
    return out
