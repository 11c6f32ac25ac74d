"""Clips to glTF 2.0: into the file that they came from, or into a clean file of their own."""

from __future__ import annotations

import copy
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any
from weakref import WeakKeyDictionary

import numpy as np

from reflexa.errors import WriteError
from reflexa.formats import frame as frames
from reflexa.formats.gltf.accessors import Bin
from reflexa.formats.gltf.container import GltfFile, Json, to_glb, to_gltf
from reflexa.formats.gltf.morphs import NO_MORPHS, Morphs, morphs_of
from reflexa.formats.gltf.packing import repacked
from reflexa.formats.gltf.read import GltfLayout
from reflexa.formats.gltf.write_animation import Nodes, unit_rotations, write_animation
from reflexa.formats.imported import Imported
from reflexa.motion.clip import Clip
from reflexa.rig import Mesh, Rig

_VERTICES, _INDICES = 34962, 34963


def write(
    clips: list[Clip],
    rig: Rig,
    source: Imported | None = None,
    binary: bool = True,
    notes: Json | None = None,
    joints: frozenset[str] | None = None,
) -> bytes:
    """glTF bytes of clips: as their source where that was a glTF file of this rig, else clean.

    notes: what is added to each animation's extras (source, recipe digest and the like). joints: only these have channels.
    Raises WriteError where the source file uses something that cannot be carried over.
    """
    if source is not None and isinstance(source.layout, GltfLayout):
        json, data = _into_source(clips, source, source.layout, notes or {}, joints)
    else:
        json, data = _clean(clips, rig, notes or {}, joints)
    return to_glb(json, data) if binary else to_gltf(json, data)


def _extras(clip: Clip, notes: Json) -> Json:
    ours: Json = {"rate": clip.rate, "loop": clip.loop}
    if clip.play_rate != 1:
        ours["play_rate"] = clip.play_rate
    if clip.events:
        ours["events"] = [e.plain for e in clip.events]
    if clip.additive is not None:
        ours["additive"] = clip.additive.plain
    return {**ours, **notes}


def _into_source(
    clips: list[Clip], source: Imported, layout: GltfLayout, notes: Json, joints: frozenset[str] | None
) -> tuple[Json, bytes]:
    """The source's JSON and data with its animations replaced; meshes, materials and the unknown stay."""
    file = layout.file
    if "EXT_meshopt_compression" in file.json.get("extensionsUsed", []):
        raise WriteError(
            "its buffers are compressed and cannot be split",
            file.path,
            advice="Export with --frame clean.",
        )
    old = file.items("animations")
    stays = (c for c in clips if joints is None and _as_read(source, c))
    kept = {c.name: i for c in stays if (i := layout.animations.get(c.name)) is not None}
    carried = {c.name: _other_channels(old, layout, c) for c in clips if c.name not in kept}
    if kept or any(c["channels"] for c in carried.values()):
        stay = {name: old[i] for name, i in kept.items()}
        json, store, stay, carried = _beside_others(file, stay, carried)
    else:
        stay = {}
        json, store = _alone(source, file)
    rest, morphs = _node_rest(source, layout), morphs_of(file)
    for clip in clips:
        if clip.name in kept:
            json["animations"].append(stay[clip.name])
            continue
        q, t = frames.to_file(source.frame, clip.skeleton, clip.rotations, clip.translations)
        before = old[layout.animations[clip.name]] if clip.name in layout.animations else {}
        had = frozenset((c["target"].get("node", -1), c["target"].get("path", "")) for c in before.get("channels", []))
        if not json.get("skins"):
            had |= _root_channels(layout.nodes[r] for r in source.rig.skeleton.roots)
        had = _always(had, source.rig.skeleton.names, layout.nodes, joints)
        start = layout.starts.get(clip.name, 0.0)
        written = write_animation(clip, (q, t), Nodes(layout.nodes, rest, had, morphs), store, start)
        _join(written, carried[clip.name])
        extras = {k: v for k, v in before.get("extras", {}).items() if k != "reflexa"} if before else {}
        written["extras"] = {**extras, "reflexa": _extras(clip, notes)}
        json["animations"].append(written)
    return json, store.data


def _always(
    had: frozenset[tuple[int, str]], names: tuple[str, ...], nodes: tuple[int, ...], joints: frozenset[str] | None
) -> frozenset[tuple[int, str]]:  # fmt: skip
    """The channels that an animation has in any case: of a part of the skeleton its rotations, and none of the rest."""
    if joints is None:
        return had
    wanted = {node for name, node in zip(names, nodes, strict=True) if name in joints}
    others = set(nodes) - wanted
    return frozenset({*((n, p) for n, p in had if n not in others), *((n, "rotation") for n in wanted)})


def _as_read(source: Imported, clip: Clip) -> bool:
    """True if the clip equals the clip of that name in its file."""
    had = source.clips.named(clip.name)
    return had is not None and had.digest == clip.digest


_Animations = dict[str, Json]


def _beside_others(
    file: GltfFile, stay: _Animations, carried: _Animations
) -> tuple[Json, Bin, _Animations, _Animations]:
    """The file without its animations, but with the data of those that stay as they are, or are carried along; and these, as
    they name it there."""
    parts = copy.deepcopy(
        {**{k: v for k, v in file.json.items() if k != "animations"}, "stay": stay, "carried": carried}
    )
    store = repacked(parts, file)
    stay, carried = parts.pop("stay"), parts.pop("carried")
    return {**parts, "animations": []}, store, stay, carried


@dataclass(frozen=True)
class _Base:
    """A file without its animations: JSON, views and accessors, and the data."""

    json: Json
    views: list[Json]
    accessors: list[Json]
    data: bytes
    free: tuple[list[int], list[int]]


# By what was read: a file of hundreds of clips is taken apart once, not once for each clip that is written into it.
_bases: WeakKeyDictionary[Imported, _Base] = WeakKeyDictionary()


def _alone(source: Imported, file: GltfFile) -> tuple[Json, Bin]:
    """The file without its animations and their data."""
    base = _bases.get(source)
    if base is None:
        json = copy.deepcopy({k: v for k, v in file.json.items() if k != "animations"})
        store = repacked(json, file)
        rest = {k: v for k, v in json.items() if k not in ("accessors", "bufferViews")}
        base = _bases[source] = _Base(rest, store.views, store.accessors, store.data, store.free)
    views, accessors = list(base.views), list(base.accessors)
    json = {**copy.deepcopy(base.json), "accessors": accessors, "bufferViews": views, "animations": []}
    return json, Bin(views, accessors, base.data, (list(base.free[0]), list(base.free[1])))


def _root_channels(nodes: Iterable[int]) -> frozenset[tuple[int, str]]:
    """Channels that a file without a skin has in any case: what is animated tells its joints, and everything below; a branch that
    hangs on a root that stands still would be none."""
    return frozenset((n, "rotation") for n in nodes)


def _other_channels(old: list[Json], layout: GltfLayout, clip: Clip) -> Json:
    """Channels of a clip's own animation that move no joint and no shape (cameras): they are carried along."""
    if clip.name not in layout.animations:
        return {"channels": [], "samplers": []}
    animation = old[layout.animations[clip.name]]
    nodes, shaped = set(layout.nodes), set(morphs_of(layout.file).names)
    channels = [
        c
        for c in animation.get("channels", [])
        if (c["target"].get("node") not in shaped if c.get("target", {}).get("path") == "weights" else True)
        and (c.get("target", {}).get("node") not in nodes or c["target"].get("path") == "weights")
    ]
    used = sorted({c["sampler"] for c in channels})
    return {
        "channels": [{**c, "sampler": used.index(c["sampler"])} for c in channels],
        "samplers": [animation["samplers"][s] for s in used],
    }


def _join(animation: Json, other: Json) -> None:
    base = len(animation["samplers"])
    animation["samplers"] += copy.deepcopy(other["samplers"])
    animation["channels"] += [{**copy.deepcopy(c), "sampler": c["sampler"] + base} for c in other["channels"]]


def _node_rest(source: Imported, layout: GltfLayout) -> tuple[Any, Any, Any]:
    skeleton = source.rig.skeleton
    q, t = frames.to_file(source.frame, skeleton, skeleton.rest_rotations, skeleton.rest_translations)
    return q, t, skeleton.rest_scales


def _clean(clips: list[Clip], rig: Rig, notes: Json, joints: frozenset[str] | None) -> tuple[Json, bytes]:
    """Metres, +Y up, facing +Z; a node per joint, one skin where the rig has a mesh."""
    from reflexa import __version__

    skeleton = rig.skeleton
    json: Json = {"asset": {"version": "2.0", "generator": f"Reflexa {__version__}"}, "scene": 0}
    views: list[Json] = []
    table: list[Json] = []
    store = Bin(views, table)
    nodes: list[Json] = []
    for i, name in enumerate(skeleton.names):
        node: Json = {
            "name": name,
            "translation": skeleton.rest_translations[i].tolist(),
            "rotation": unit_rotations(skeleton.rest_rotations[i]).tolist(),
        }
        if skeleton.rest_scales is not None:
            node["scale"] = skeleton.rest_scales[i].tolist()
        if skeleton.children[i]:
            node["children"] = list(skeleton.children[i])
        nodes.append(node)
    roots = list(skeleton.roots)
    morphs = _add_meshes(json, nodes, roots, rig.meshes, store) if rig.meshes else NO_MORPHS
    json |= {"scenes": [{"nodes": roots}], "nodes": nodes}
    rest = (skeleton.rest_rotations, skeleton.rest_translations, skeleton.rest_scales)
    numbers = tuple(range(len(skeleton)))
    always = _always(frozenset() if rig.meshes else _root_channels(roots), skeleton.names, numbers, joints)
    onto = Nodes(numbers, rest, always, morphs)
    json["animations"] = [
        {
            **write_animation(c, (c.rotations, c.translations), onto, store),
            "extras": {"reflexa": _extras(c, notes)},
        }
        for c in clips
    ]
    if not clips:
        del json["animations"]
    json |= {"accessors": table, "bufferViews": views}
    if not table:
        del json["accessors"], json["bufferViews"]
    return json, store.data


def _add_meshes(json: Json, nodes: list[Json], roots: list[int], meshes: tuple[Mesh, ...], store: Bin) -> Morphs:
    """Nodes of the meshes, and their shapes."""
    shaped: dict[int, tuple[str, ...]] = {}
    joints = len(nodes)
    json["skins"], json["meshes"] = [], []
    json["materials"] = [{"name": "figure", "pbrMetallicRoughness": {"metallicFactor": 0.0, "roughnessFactor": 0.85}}]
    for i, mesh in enumerate(meshes):
        bind = mesh.bind.transpose(0, 2, 1).reshape(joints, 16)
        json["skins"].append(
            {
                "inverseBindMatrices": store.add(bind, "MAT4"),
                "joints": list(range(joints)),
                "skeleton": roots[0],
            }
        )
        # glTF 2.0 wants unit normals and weights that sum to one after rounding to float32.
        weights = mesh.weights.astype(np.float32)
        weights /= weights.sum(axis=1, keepdims=True)
        used = np.where(weights > 0, mesh.joints, 0)
        attributes = {
            "POSITION": store.add(mesh.positions, "VEC3", target=_VERTICES, bounds=True),
            "NORMAL": store.add(mesh.normals, "VEC3", target=_VERTICES),
            "JOINTS_0": store.add(used, "VEC4", "<u2", target=_VERTICES),
            "WEIGHTS_0": store.add(weights, "VEC4", target=_VERTICES),
            "COLOR_0": store.add(mesh.colours, "VEC3", target=_VERTICES),
        }
        indices = store.add(mesh.triangles.reshape(-1, 1), "SCALAR", "<u4", target=_INDICES)
        json["meshes"].append(
            {
                "name": f"figure {i + 1}",
                "primitives": [{"attributes": attributes, "indices": indices, "material": 0}],
            }
        )
        if mesh.shapes:
            targets = [{"POSITION": store.add(a, "VEC3", target=_VERTICES, bounds=True)} for _, a in mesh.shapes]
            json["meshes"][-1]["primitives"][0]["targets"] = targets
            json["meshes"][-1]["extras"] = {"targetNames": [name for name, _ in mesh.shapes]}
            shaped[len(nodes)] = tuple(name for name, _ in mesh.shapes)
        nodes.append({"name": f"figure mesh {i + 1}", "mesh": i, "skin": i})
        roots.append(len(nodes) - 1)
    return Morphs(shaped, {n: (0.0,) * len(names) for n, names in shaped.items()})
