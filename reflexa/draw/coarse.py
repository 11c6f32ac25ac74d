"""Meshes with no more detail than a small picture shows: software drawing pays for every triangle, seen or not.

Source: vertex clustering, J. Rossignac and P. Borrel, "Multi-resolution 3D approximations for rendering complex scenes", 1993;
from memory.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from reflexa.motion.arrays import Array
from reflexa.rig import Mesh
from reflexa.rig.mesh import one_key

Ints = NDArray[np.int64]


def coarser(mesh: Mesh, cell: float) -> Mesh:
    """The mesh with one vertex left of all that hang on the same joint within a cube of ``cell`` metres: the one nearest to
    their middle, as it is. Triangles that have become nothing, or the same as another, are gone."""
    strongest = np.take_along_axis(mesh.joints, np.argmax(mesh.weights, axis=1)[:, None], axis=1)[:, 0].astype(np.int64)
    # Bind space need not be in metres.
    size = float(np.median(np.cbrt(np.abs(np.linalg.det(mesh.bind[strongest[::16], :3, :3])))))
    cubes = np.floor(mesh.positions / (cell / max(size, 1e-9))).astype(np.int64)
    _, cluster = np.unique(one_key(np.column_stack([cubes, strongest])), return_inverse=True)
    count = np.bincount(cluster)
    middle = _sums(cluster, mesh.positions) / count[:, None]
    away = np.linalg.norm(mesh.positions - middle[cluster], axis=1)
    kept = np.lexsort((away, cluster))[np.cumsum(count) - count]
    normals = _sums(cluster, mesh.normals)
    length = np.linalg.norm(normals, axis=1, keepdims=True)
    return Mesh(
        mesh.positions[kept],
        np.where(length > 1e-6, normals / np.maximum(length, 1e-6), mesh.normals[kept]),
        _told_apart(cluster[mesh.triangles]),
        mesh.joints[kept],
        mesh.weights[kept],
        mesh.bind,
        mesh.colours[kept],
        tuple((name, add[kept]) for name, add in mesh.shapes),
    )


def _sums(cluster: Ints, values: Array) -> Array:
    return np.column_stack([np.bincount(cluster, values[:, k]) for k in range(values.shape[1])])


def _told_apart(triangles: Ints) -> NDArray[np.uint32]:
    a, b, c = triangles.T
    triangles = triangles[(a != b) & (b != c) & (c != a)]
    if not len(triangles):
        return triangles.astype(np.uint32)
    turned = np.take_along_axis(triangles, (np.argmin(triangles, axis=1)[:, None] + np.arange(3)) % 3, axis=1)
    _, first = np.unique(one_key(turned), return_index=True)
    return turned[np.sort(first)].astype(np.uint32)
