"""glTF 2.0 to rig and clips."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from reflexa.errors import ReadError
from reflexa.formats import frame as frames
from reflexa.formats import imported
from reflexa.formats.frame import ImportFrame
from reflexa.formats.gltf import accessors
from reflexa.formats.gltf.animation import Moved, Planned, as_clips, decode, keys_of, plan
from reflexa.formats.gltf.container import GltfFile, Json, is_there, load
from reflexa.formats.gltf.morphs import morphs_of
from reflexa.formats.gltf.skin import read_meshes
from reflexa.formats.guard import typed_errors
from reflexa.formats.imported import FACINGS, MOST_JOINTS, Imported, ReadOptions, Remarks, lost_notes, sign_notes
from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.clips import Clips, Head
from reflexa.motion.matrices import decomposed
from reflexa.motion.skeleton import Skeleton
from reflexa.names import Names, told_apart
from reflexa.rig.known import known_rig
from reflexa.words import counted, listed


@dataclass(frozen=True, eq=False)
class GltfLayout:
    """What writing the same file again takes: the file, each joint's node, and the clips' animations."""

    file: GltfFile
    nodes: tuple[int, ...]
    animations: dict[str, int]
    starts: dict[str, float]


# Clips may take so many bytes in any case, and so many times what the file has; a joint takes so many at a frame.
_MOST_BYTES, _MOST_TIMES, _A_JOINT = 128 << 20, 500, 7 * 8


def _too_many(file: GltfFile, count: int, size: int, at: int) -> ReadError:
    return ReadError(
        f"contains {count} animations that would need more than {size >> 20} MiB, from "
        f"{len(file.buffers[0]) >> 10} KiB of data",
        file.path, f"animations[{at}]", "Do many share their keys? Save them in separate files.",
    )  # fmt: skip


def read(path: Path, options: ReadOptions = ReadOptions()) -> Imported:
    """Read a .glb or .gltf file. Raises ReadError with file, place and reason."""
    file = load(path)
    warnings: list[str] = []
    required = file.json.get("extensionsRequired", [])
    if required and isinstance(required, list):
        known = {"KHR_mesh_quantization", "KHR_texture_transform", "KHR_materials_unlit"}
        for name in sorted({str(r) for r in required} - known):
            warnings.append(f"The file requires the extension {name}, which is not supported: its mesh may be missing.")
    nodes = file.items("nodes")
    parents = parents_of(file, nodes)
    local = local_transforms(file, nodes, warnings)
    joints = _choose_joints(file, nodes, parents)
    index = {node: i for i, node in enumerate(joints)}
    raw = Skeleton(
        tuple(_names(nodes, joints, warnings)),
        np.array([index.get(parents[n], -1) for n in joints]),
        local[0][joints],
        local[1][joints],
        local[2][joints] if np.abs(local[2][joints] - 1).max() > 1e-6 else None,
    )
    frame = _frame(raw, _Nodes(path, nodes, parents, local), joints, options, warnings)
    skeleton = frames.convert_skeleton(frame, raw)
    meshes = read_meshes(file, index, frame.scale, warnings)
    missing = [str(i["uri"]) for i in file.items("images") if not is_there(path, i.get("uri"))]
    if missing:
        warnings.append(f"Image files are missing: {listed(missing)}. Their paths are kept.")
    rig = known_rig(skeleton, meshes=meshes, facing=FACINGS["+Z"] if options.facing else None)
    skeleton = rig.skeleton

    together, apart = as_clips(file, file.items("animations")), len(file.items("animations"))
    if len(together) < apart:
        warnings.append(f"{apart} animations of one node each, over the same time, were combined into one clip.")
        file.put("animations", together)
    planned = _planned(file, Moved(raw, index, morphs_of(file)), apart, warnings)
    starts = {name: p.start for name, (_, p) in planned.items()}
    layout = GltfLayout(file, tuple(joints), {name: number for name, (number, _) in planned.items()}, starts)
    clips, of_clip = _decoded_when_wanted(file, {name: p for name, (_, p) in planned.items()}, frame, raw, skeleton)
    generator = file.json["asset"].get("generator", "")
    fmt = "glb" if path.suffix.lower() == ".glb" else "gltf"
    return Imported(path, fmt, str(generator), rig, clips, frame, Remarks(tuple(warnings)), layout, of_clip=of_clip)


def _planned(file: GltfFile, moved: Moved, apart: int, warnings: list[str]) -> dict[str, tuple[int, Planned]]:
    """The animations that move joints, with their numbers, by the names that their clips get. Raises ReadError."""
    # Animations may share their keys: a small file would take all memory that there is. Counted by their keys before any is
    # looked at, and again by their frames, which may be more.
    most, a_frame = max(_MOST_BYTES, _MOST_TIMES * sum(map(len, file.buffers))), len(moved.skeleton) * _A_JOINT
    counted = 0
    for i, animation in enumerate(file.items("animations")):
        counted += keys_of(file, animation) * a_frame
        if counted > most:
            raise _too_many(file, apart, counted, i)
    out: dict[str, tuple[int, Planned]] = {}
    given, times, taken = Names(), dict[Any, Array](), 0
    for i in range(len(file.items("animations"))):
        planned = plan(file, i, moved, times, warnings)
        if planned is not None:
            out[given.give(planned.name)] = (i, planned)
            taken += planned.frames * a_frame
        if taken > most:
            raise _too_many(file, apart, taken, i)
    return out


def _decoded_when_wanted(
    file: GltfFile, planned: dict[str, Planned], frame: ImportFrame, raw: Skeleton, skeleton: Skeleton
) -> tuple[Clips, Callable[[int], Remarks]]:
    """The clips, and what there is to say of each."""
    names = tuple(planned)
    remarks: dict[int, Remarks] = {}

    def decoded(number: int) -> Clip:
        name, p, warnings = names[number], planned[names[number]], list[str]()
        with typed_errors(file.path):
            found = decode(file, p, raw, warnings)
            q, t = frames.to_internal(frame, skeleton, found.rotations, found.translations)
            notes = (*sign_notes(name, skeleton.names, found.rotations), *lost_notes(name, found.lost))
            remarks[number] = Remarks(tuple(warnings), notes)
            return Clip(
                name, skeleton, quat.continuous(q), t, p.rate, found.scales, p.loop, found.stepped, p.play_rate, p.events,
                found.tracks, contacts=None if p.additive is None else (), additive=p.additive,
            )  # fmt: skip

    clips = Clips((Head(name, p.frames, p.rate, p.events) for name, p in planned.items()), decoded)

    def of_clip(number: int) -> Remarks:
        clips[number]  # decodes it
        return remarks[number]

    return clips, of_clip


def parents_of(file: GltfFile, nodes: list[Json]) -> list[int]:
    """Parent per node, -1 for none; raises ReadError for cycles, second parents and nodes that are not there."""
    parents = [-1] * len(nodes)
    for i, node in enumerate(nodes):
        for child in node.get("children", []):
            accessors.item(file, "nodes", child, f"nodes[{i}].children")
            if parents[child] >= 0:
                raise ReadError(f"nodes[{child}] has two parents", file.path, f"nodes[{i}].children")
            parents[child] = i
    settled = [False] * len(nodes)
    for start in range(len(nodes)):
        on_path: set[int] = set()
        at = start
        while at >= 0 and not settled[at]:
            if at in on_path:
                raise ReadError("the hierarchy runs in a circle", file.path, f"nodes[{at}]")
            on_path.add(at)
            at = parents[at]
        for n in on_path:
            settled[n] = True
    return parents


def local_transforms(file: GltfFile, nodes: list[Json], warnings: list[str]) -> tuple[Array, Array, Array]:
    """Rotation, translation and scale of every node."""
    q = np.tile(quat.IDENTITY, (len(nodes), 1))
    t, s = np.zeros((len(nodes), 3)), np.ones((len(nodes), 3))
    for i, node in enumerate(nodes):
        if "matrix" in node:
            m = np.array(_numbers(file, node["matrix"], 16, f"nodes[{i}].matrix")).reshape(4, 4).T
            q[i], t[i], s[i], sheared = decomposed(m)
            if sheared:
                warnings.append(f"The matrix of {node.get('name', f'nodes[{i}]')!r} shears: the shear is ignored.")
        if "rotation" in node:
            r = _numbers(file, node["rotation"], 4, f"nodes[{i}].rotation")
            if abs(float(np.linalg.norm(r)) - 1) > 1e-3:
                warnings.append(f"The rotation of {node.get('name', f'nodes[{i}]')!r} was not of unit length.")
            q[i] = quat.normalise(np.array(r))
        if "translation" in node:
            t[i] = _numbers(file, node["translation"], 3, f"nodes[{i}].translation")
        if "scale" in node:
            s[i] = _numbers(file, node["scale"], 3, f"nodes[{i}].scale")
    return q, t, s


def _numbers(file: GltfFile, value: Any, count: int, place: str) -> list[float]:
    good = isinstance(value, list) and len(value) == count
    if not good or not all(isinstance(v, int | float) and abs(v) < 1e12 for v in value):
        raise ReadError(f"is not {count} finite numbers", file.path, place)
    return [float(v) for v in value]


def _choose_joints(file: GltfFile, nodes: list[Json], parents: list[int]) -> list[int]:
    """Nodes of the skeleton, parents first: everything below the roots of all skins (or of what is animated)."""

    def checked(value: Any, place: str) -> int:
        accessors.item(file, "nodes", value, place)
        return int(value)

    skinned = {
        checked(j, f"skins[{i}].joints") for i, skin in enumerate(file.items("skins")) for j in skin.get("joints", [])
    }
    moved = {
        checked(channel["target"]["node"], f"animations[{i}].channels")
        for i, animation in enumerate(file.items("animations"))
        for channel in animation.get("channels", [])
        if "node" in channel.get("target", {}) and channel["target"].get("path") != "weights"
    }
    wanted = skinned or moved
    if not wanted:
        wanted = {i for i, n in enumerate(nodes) if "mesh" not in n and "camera" not in n}
    if not wanted:
        raise ReadError("contains no skin, no animation and no plain nodes: no skeleton", file.path, "nodes")
    order = _parents_first(nodes, parents)
    # The topmost wanted (or moved) node on the way up from each node, -1 where there is none.
    top = [-1] * len(nodes)
    for n in order:
        above = top[parents[n]] if parents[n] >= 0 else -1
        top[n] = above if above >= 0 else n if n in wanted or n in moved else -1
    roots = sorted({top[n] for n in wanted})
    if len(roots) > 1 and (shared := _shared_parent(roots, order, parents)) >= 0:
        roots = [shared]
    holds = [n in wanted for n in range(len(nodes))]
    for n in reversed(order):
        if holds[n] and parents[n] >= 0:
            holds[parents[n]] = True
    out: list[int] = []
    stack = roots[::-1]
    while stack:
        node = stack.pop()
        out.append(node)
        if len(out) > MOST_JOINTS:
            raise ReadError(f"has more than {MOST_JOINTS:,} joints, the most that can be read", file.path, "nodes")
        # A skinned mesh, camera or light below the root is no joint, unless a joint hangs on it.
        stack.extend(
            c for c in reversed(nodes[node].get("children", [])) if holds[c] or not ({"skin", "camera"} & set(nodes[c]))
        )
    return out


def _parents_first(nodes: list[Json], parents: list[int]) -> list[int]:
    order = [n for n, p in enumerate(parents) if p < 0]
    for n in order:  # grows as it is walked
        order.extend(nodes[n].get("children", []))
    return order


def _shared_parent(roots: list[int], order: list[int], parents: list[int]) -> int:
    """The lowest node that all ``roots`` hang on, or -1."""
    count = [0] * len(parents)
    for r in roots:
        count[r] = 1
    for n in reversed(order):
        if parents[n] >= 0:
            count[parents[n]] += count[n]
    node = parents[roots[0]]
    while node >= 0 and count[node] < len(roots):
        node = parents[node]
    return node


def _names(nodes: list[Json], joints: list[int], warnings: list[str]) -> list[str]:
    given = [str(nodes[node].get("name") or "") for node in joints]
    out = told_apart((name or f"node {node}" for name, node in zip(given, joints, strict=True)), "joints", warnings)
    unnamed = given.count("")
    if unnamed:
        warnings.append(f"{counted(unnamed, 'joint')} without a name, named by number.")
    return out


@dataclass(frozen=True, eq=False)
class _Nodes:
    """All nodes of a file: as it gives them, the parent of each, and their own rotations, translations and scales."""

    path: Path
    json: list[Json]
    parents: list[int]
    local: tuple[Array, Array, Array]


def _frame(raw: Skeleton, nodes: _Nodes, joints: list[int], options: ReadOptions, warnings: list[str]) -> ImportFrame:
    """Parent nodes' transforms and the turn to our axes, put together per root joint."""
    turn, move, scale, baked = [], [], [], []
    local, parents = nodes.local, nodes.parents
    for root in raw.roots:
        q, t, s = np.array(quat.IDENTITY), np.zeros(3), 1.0
        node = parents[joints[root]]
        while node >= 0:
            node_scale = local[2][node]
            uniform = float(np.mean(node_scale))
            if np.ptp(node_scale) > 1e-6 * abs(uniform):
                warnings.append(f"The parent node {_label(nodes.json, node)} scales unevenly: its mean scale is used.")
            t = local[1][node] + quat.rotate(local[0][node], uniform * t)
            q, s = quat.multiply(local[0][node], q), uniform * s
            if np.abs(t).max() > 0 or quat.angle(local[0][node]) > 1e-9 or abs(uniform - 1) > 1e-9:
                baked.append(_label(nodes.json, node))
            node = parents[node]
        if s <= 0:
            where = baked[-1] if baked else "nodes"
            raise ReadError("a parent node scales by zero or mirrors", nodes.path, where)
        turn.append(q)
        move.append(t)
        scale.append(s)
    per_joint = np.empty(len(raw))
    for root, s in zip(raw.roots, scale, strict=True):
        per_joint[raw.below(root)] = s
    unit = options.unit or 1.0
    inner = ImportFrame(
        per_joint * unit, np.array(turn), np.array(move) * unit, "m" if unit == 1.0 else "as told", unit,
        baked=tuple(dict.fromkeys(baked)),
    )  # fmt: skip
    return imported.settle_frame(raw, inner, options, warnings)


def _label(nodes: list[Json], node: int) -> str:
    return str(nodes[node].get("name") or f"node {node}")
