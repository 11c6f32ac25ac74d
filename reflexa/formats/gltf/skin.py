"""Skinned meshes of glTF 2.0, for looking at."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from reflexa.errors import ReadError
from reflexa.formats.gltf import accessors
from reflexa.formats.gltf.container import GltfFile, Json
from reflexa.formats.gltf.morphs import morphs_of, shapes_of
from reflexa.motion.arrays import Array
from reflexa.rig.mesh import Mesh, vertex_normals


def read_meshes(file: GltfFile, index: Mapping[int, int], scale: Array, warnings: list[str]) -> tuple[Mesh, ...]:
    """Meshes bound to the joints in ``index`` (node → joint), by a skin or rigidly. Raises ReadError."""
    out: list[Mesh] = []
    names = morphs_of(file).names
    for n, node in enumerate(file.items("nodes")):
        if "mesh" not in node or ("skin" not in node and n not in index):
            continue
        mesh = accessors.item(file, "meshes", node["mesh"], f"nodes[{n}].mesh")
        bind = np.tile(np.eye(4), (len(scale), 1, 1))
        table: list[int] | None = None
        if "skin" in node:
            skin = accessors.item(file, "skins", node["skin"], f"nodes[{n}].skin")
            table = [index.get(j, 0) for j in skin.get("joints", [])]
            if "inverseBindMatrices" in skin:
                given = accessors.read(file, skin["inverseBindMatrices"], f"skins[{node['skin']}]", "MAT4")
                if len(given) < len(table):
                    raise ReadError("has fewer matrices than joints", file.path, f"skins[{node['skin']}]")
                bind[table] = given[: len(table)].reshape(-1, 4, 4).transpose(0, 2, 1)
        bind[:, :3] *= scale[:, None, None]
        for p, primitive in enumerate(mesh.get("primitives", [])):
            place = f"meshes[{node['mesh']}].primitives[{p}]"
            read = _primitive(file, primitive, place, _Bound(bind, index.get(n, 0), table, names.get(n, ())), warnings)
            if read is not None:
                out.append(read)
    return tuple(out)


@dataclass(frozen=True, eq=False)
class _Bound:
    """How a mesh hangs on joints: inverse bind matrices ``(joints, 4, 4)``, the joint that it hangs on as a whole, and, with a
    skin, which joint each of the skin's is; names of its morph targets."""

    bind: Array
    own: int
    table: list[int] | None
    shapes: tuple[str, ...] = ()


def _primitive(file: GltfFile, primitive: Json, place: str, bound: _Bound, warnings: list[str]) -> Mesh | None:
    table = bound.table
    attributes: dict[str, Any] = primitive.get("attributes", {})
    if primitive.get("mode", 4) != 4 or "POSITION" not in attributes:
        return None
    if "bufferView" not in accessors.item(file, "accessors", attributes["POSITION"], place):
        warnings.append(f"{place} uses a compression that cannot be read: the figure is shown without it.")
        return None
    positions = accessors.read(file, attributes["POSITION"], place, "VEC3").astype(np.float64)
    n = len(positions)
    triangles = triangle_indices(file, primitive, n, place).astype(np.uint32)
    if "NORMAL" in attributes:
        normals = _sized(accessors.read(file, attributes["NORMAL"], place, "VEC3"), n, file, place)
    else:
        normals = vertex_normals(positions, triangles)
    joints = np.full((n, 4), bound.own, dtype=np.uint16)
    weights = np.tile([1.0, 0.0, 0.0, 0.0], (n, 1))
    if table is not None and {"JOINTS_0", "WEIGHTS_0"} <= set(attributes):
        given = _sized(accessors.read(file, attributes["JOINTS_0"], place, "VEC4"), n, file, place)
        if given.max(initial=0) >= len(table):
            raise ReadError(f"joint {int(given.max())} of a skin with {len(table)}", file.path, place)
        joints = np.array(table, dtype=np.uint16)[given.astype(np.intp)]
        weights = _sized(accessors.read(file, attributes["WEIGHTS_0"], place, "VEC4"), n, file, place)
        total = weights.sum(axis=1, keepdims=True)
        weights = np.where(total > 0, weights / np.where(total > 0, total, 1), [1.0, 0.0, 0.0, 0.0])
    shapes = shapes_of(file, primitive, bound.shapes, n, place)
    return Mesh(positions, normals, triangles, joints, weights, bound.bind, _colours(file, primitive, n, place), shapes)


def triangle_indices(file: GltfFile, primitive: Json, vertices: int, place: str) -> NDArray[np.int64]:
    """The corners of a primitive's triangles as numbers of its vertices ``(n, 3)``. Raises ReadError where one is not there."""
    if "indices" in primitive:
        flat = accessors.read(file, primitive["indices"], place, "SCALAR")[:, 0].astype(np.int64)
        if len(flat) and flat.max() >= vertices:
            raise ReadError(f"index {flat.max()} of {vertices} vertices", file.path, place)
    else:
        flat = np.arange(vertices)
    return np.asarray(flat[: len(flat) // 3 * 3].reshape(-1, 3))


def _sized(values: Array, n: int, file: GltfFile, place: str) -> Array:
    if len(values) != n:
        raise ReadError(f"has {len(values)} values for {n} vertices", file.path, place)
    return values.astype(np.float64)


def _colours(file: GltfFile, primitive: Json, n: int, place: str) -> Array:
    colour = np.array([0.8, 0.8, 0.8])
    if "material" in primitive:
        material = accessors.item(file, "materials", primitive["material"], place)
        factor = material.get("pbrMetallicRoughness", {}).get("baseColorFactor", [0.8, 0.8, 0.8, 1])
        if isinstance(factor, list) and len(factor) >= 3:
            colour = np.array([float(f) for f in factor[:3]])
    attributes = primitive["attributes"]
    if "COLOR_0" in attributes:
        given = accessors.read(file, attributes["COLOR_0"], place)
        return np.asarray(_sized(given, n, file, place)[:, :3] * colour)
    return np.tile(colour, (n, 1))
