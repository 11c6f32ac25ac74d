"""Morph targets of glTF 2.0: their weights are tracks of a clip, their shapes a part of the mesh."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from reflexa.errors import ReadError
from reflexa.formats.gltf import accessors
from reflexa.formats.gltf.accessors import Bin
from reflexa.formats.gltf.container import GltfFile, Json
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.names import Names
from reflexa.words import counted


@dataclass(frozen=True)
class Morphs:
    """Per node whose mesh has morph targets, the names of their tracks, and their weights at rest."""

    names: Mapping[int, tuple[str, ...]]
    rest: Mapping[int, tuple[float, ...]]


NO_MORPHS = Morphs({}, {})


def morphs_of(file: GltfFile) -> Morphs:
    """The morph targets of a file, named as the file names them; those of one name on several meshes are one track."""
    nodes = file.items("nodes")
    names: dict[int, tuple[str, ...]] = {}
    rest: dict[int, tuple[float, ...]] = {}
    for n, node in enumerate(nodes):
        if "mesh" not in node:
            continue
        mesh = accessors.item(file, "meshes", node["mesh"], f"nodes[{n}].mesh")
        count = len(next((p["targets"] for p in mesh.get("primitives", []) if p.get("targets")), []))
        if not count:
            continue
        extras = mesh.get("extras")
        said = extras.get("targetNames") if isinstance(extras, dict) else None
        own = said if isinstance(said, list) and len(said) == count else [f"shape {i + 1}" for i in range(count)]
        given = Names()
        names[n] = tuple(given.give(str(name)) for name in own)
        weights = node.get("weights", mesh.get("weights"))
        fits = isinstance(weights, list) and len(weights) == count and all(isinstance(w, int | float) for w in weights)
        rest[n] = tuple(float(w) for w in weights) if fits and isinstance(weights, list) else (0.0,) * count
    return Morphs(names, rest)


def key_values(values: Array, times: Array, count: int, where: str, file: GltfFile) -> Array:
    """The output of a weights channel, one number after the other, as ``(keys, count)`` (three rows a key for splines). Raises
    ReadError."""
    rows = values.reshape(-1, count) if count and values.size % count == 0 else values
    if rows.ndim != 2 or len(rows) not in (len(times), 3 * len(times)):
        raise ReadError(
            f"has {values.size} weights for {counted(len(times), 'key')} of {count} shapes", file.path, where
        )
    return rows


def weight_channels(clip: Clip, morphs: Morphs, store: Bin, times: int, how: str) -> Json:
    """Channels and samplers of the tracks of a clip that are weights of the file's shapes."""
    tracks = {t.name: t.values for t in clip.tracks}
    samplers: list[Json] = []
    channels: list[Json] = []
    for node, names in morphs.names.items():
        if not any(name in tracks for name in names):
            continue
        rest = morphs.rest[node]
        columns = [tracks.get(name, np.full(clip.frames, rest[i])) for i, name in enumerate(names)]
        samplers.append(
            {"input": times, "output": store.add(np.stack(columns, 1).reshape(-1), "SCALAR"), "interpolation": how}
        )
        channels.append({"sampler": len(samplers) - 1, "target": {"node": node, "path": "weights"}})
    return {"channels": channels, "samplers": samplers}


def shapes_of(
    file: GltfFile, primitive: Json, names: Iterable[str], vertices: int, place: str
) -> tuple[tuple[str, Array], ...]:
    """What each morph target adds to the places of a primitive's vertices: name and ``(vertices, 3)``. Raises ReadError."""
    out = []
    targets: Any = primitive.get("targets", [])
    for i, (name, target) in enumerate(zip(names, targets, strict=False)):
        if isinstance(target, dict) and "POSITION" in target:
            offsets = accessors.read(file, target["POSITION"], f"{place}.targets[{i}]", "VEC3").astype(np.float64)
            if len(offsets) != vertices:
                raise ReadError(
                    f"has {len(offsets)} values for {vertices} vertices", file.path, f"{place}.targets[{i}]"
                )
            out.append((name, offsets))
    return tuple(out)
