"""The bare triangles of a glTF 2.0 file, as it stands at rest: for things that are only looked at and stood on."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from reflexa.errors import ReadError
from reflexa.formats.gltf import accessors
from reflexa.formats.gltf.container import GltfFile, Json, load
from reflexa.formats.gltf.read import local_transforms, parents_of
from reflexa.formats.gltf.skin import triangle_indices
from reflexa.motion import quat
from reflexa.motion.arrays import Array


def triangles_of(path: Path, most: int) -> Array:
    """Triangles ``(n, 3 corners, 3)`` of every mesh that stands in the file, metres, +Y up. Raises ReadError, also where
    there are more than ``most``."""
    file = load(path)
    nodes = file.items("nodes")
    parents = parents_of(file, nodes)
    q, t, s = local_transforms(file, nodes, [])
    found: list[Array] = []
    count = 0
    for n, node in enumerate(nodes):
        if "mesh" not in node:
            continue
        for p, primitive in enumerate(
            accessors.item(file, "meshes", node["mesh"], f"nodes[{n}].mesh").get("primitives", [])
        ):
            place = f"meshes[{node['mesh']}].primitives[{p}]"
            corners = _corners(file, primitive, place)
            count += len(corners)
            if count > most:
                raise ReadError(f"has more than {most:,} triangles", file.path, place, "Read a simpler mesh as a prop.")
            at = n
            while at >= 0:
                corners = quat.rotate(q[at], corners * s[at]) + t[at]
                at = parents[at]
            found.append(corners)
    out = np.concatenate(found) if found else np.empty((0, 3, 3))
    if not np.all(np.isfinite(out)):
        raise ReadError("has a corner that is not finite", file.path, "meshes")
    return out


def _corners(file: GltfFile, primitive: Json, place: str) -> Array:
    attributes = primitive.get("attributes", {})
    if primitive.get("mode", 4) != 4 or "POSITION" not in attributes:
        return np.empty((0, 3, 3))
    if "bufferView" not in accessors.item(file, "accessors", attributes["POSITION"], place):
        raise ReadError(
            "uses a compression that cannot be read", file.path, place, "Save the mesh without compression."
        )
    positions = accessors.read(file, attributes["POSITION"], place, "VEC3").astype(np.float64)
    return np.asarray(positions[triangle_indices(file, primitive, len(positions), place)])
