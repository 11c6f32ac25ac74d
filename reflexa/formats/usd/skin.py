"""Skinned meshes of UsdSkel, for looking at."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from reflexa.formats.usd.blend_shapes import read_shapes
from reflexa.motion.arrays import Array
from reflexa.rig.mesh import Mesh, vertex_normals


def read_meshes(
    stage: Any, skel: Any, tokens: list[str], scale: Array, warnings: list[str], pxr: Any
) -> tuple[Mesh, ...]:
    """Meshes bound to the joints ``tokens``. A mesh that makes no sense is left out and named."""
    out: list[Mesh] = []
    for prim in stage.Traverse():
        if not prim.IsA(pxr.UsdGeom.Mesh):
            continue
        binding = pxr.UsdSkel.BindingAPI(prim)
        if not binding.GetJointIndicesPrimvar().HasValue():
            continue
        bound = binding.GetInheritedSkeleton()
        if bound and bound.GetPath() != skel.GetPath():
            continue
        mesh = _mesh(prim, binding, skel, tokens, scale, pxr)
        if mesh is None:
            warnings.append(f"The mesh {prim.GetPath()} does not fit its skeleton: it is not shown.")
        else:
            out.append(mesh)
    return tuple(out)


def _mesh(prim: Any, binding: Any, skel: Any, tokens: list[str], scale: Array, pxr: Any) -> Mesh | None:
    mesh = pxr.UsdGeom.Mesh(prim)
    positions = np.array(mesh.GetPointsAttr().Get() or [], dtype=np.float64).reshape(-1, 3)
    counts = np.array(mesh.GetFaceVertexCountsAttr().Get() or [], dtype=np.int64)
    corners = np.array(mesh.GetFaceVertexIndicesAttr().Get() or [], dtype=np.int64)
    n = len(positions)
    if n == 0 or counts.sum() != len(corners) or (len(corners) and not 0 <= corners.min() <= corners.max() < n):
        return None
    own = [str(t) for t in binding.GetJointsAttr().Get() or []] or [str(t) for t in skel.GetJointsAttr().Get()]
    index = {t: i for i, t in enumerate(tokens)}
    table = np.array([index.get(t, 0) for t in own])
    weights_of, joints_of = binding.GetJointWeightsPrimvar(), binding.GetJointIndicesPrimvar()
    joints = np.array(joints_of.ComputeFlattened() or [], dtype=np.int64)
    weights = np.array(weights_of.ComputeFlattened() or [], dtype=np.float64)
    width = int(joints_of.GetElementSize())
    if width < 1 or len(joints) != len(weights):
        return None
    joints, weights = joints.reshape(-1, width), weights.reshape(-1, width)
    if len(joints) == 1:  # the whole mesh on one set of joints
        joints, weights = np.tile(joints, (n, 1)), np.tile(weights, (n, 1))
    if len(joints) != n or joints.min() < 0 or joints.max() >= len(table):
        return None
    best = np.argsort(-weights, axis=1)[:, :4]
    joints, weights = np.take_along_axis(joints, best, 1), np.take_along_axis(weights, best, 1)
    if joints.shape[1] < 4:
        more = 4 - joints.shape[1]
        joints, weights = np.pad(joints, ((0, 0), (0, more))), np.pad(weights, ((0, 0), (0, more)))
    total = weights.sum(axis=1, keepdims=True)
    weights = np.where(total > 0, weights / np.where(total > 0, total, 1), [1.0, 0.0, 0.0, 0.0])
    bind_value = skel.GetBindTransformsAttr().Get()
    all_tokens = [str(t) for t in skel.GetJointsAttr().Get()]
    bind = np.tile(np.eye(4), (len(tokens), 1, 1))
    if bind_value is not None and len(bind_value) == len(all_tokens):
        given = np.array(bind_value, dtype=np.float64).reshape(-1, 4, 4).transpose(0, 2, 1)
        geometry = np.array(binding.GetGeomBindTransformAttr().Get() or np.eye(4), dtype=np.float64).reshape(4, 4).T
        for i, token in enumerate(all_tokens):
            if token in index and abs(np.linalg.det(given[i])) > 1e-12:
                bind[index[token]] = np.linalg.inv(given[i]) @ geometry
    bind[:, :3] *= scale[:, None, None]
    triangles = _fans(counts, corners)
    normals = vertex_normals(positions, triangles)
    return Mesh(
        positions,
        normals,
        triangles,
        table[joints].astype(np.uint16),
        weights,
        bind,
        _colours(mesh, n),
        read_shapes(prim, n, pxr),
    )


def _fans(counts: NDArray[np.int64], corners: NDArray[np.int64]) -> NDArray[np.uint32]:
    """Every face as a fan of triangles ``(n, 3)``."""
    starts = np.concatenate([[0], np.cumsum(counts)[:-1]]).astype(np.int64)
    most = int(counts.max(initial=0))
    parts = []
    for k in range(1, most - 1):
        has = counts > k + 1
        parts.append(np.stack([corners[starts[has]], corners[starts[has] + k], corners[starts[has] + k + 1]], axis=-1))
    return np.concatenate(parts).astype(np.uint32) if parts else np.empty((0, 3), dtype=np.uint32)


def _colours(mesh: Any, n: int) -> Array:
    primvar = mesh.GetDisplayColorPrimvar()
    said = primvar.ComputeFlattened() if primvar.HasValue() else None
    given = np.array(said or [], dtype=np.float64).reshape(-1, 3)
    if len(given) == n:
        return given
    return np.tile(given[0] if len(given) == 1 else [0.7, 0.7, 0.7], (n, 1))
