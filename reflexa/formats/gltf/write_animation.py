"""Frames to channels and samplers: the animations of a glTF 2.0 file as they are written."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from reflexa.formats.gltf.accessors import Bin
from reflexa.formats.gltf.container import Json
from reflexa.formats.gltf.morphs import NO_MORPHS, Morphs, weight_channels
from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.keying import straight_keys


def unit_rotations(q: Array) -> Array:
    """Rotations ``(…, 4)`` as glTF 2.0 wants them: of unit length, and no component beyond one, not by a rounding either."""
    return np.clip(quat.normalise(q), -1.0, 1.0)


@dataclass(frozen=True, eq=False)
class Nodes:
    """The nodes that joints are, by their numbers, and their own rotations, translations and scales (None: all one).
    always: (node, path) that have a channel in any case. morphs: shapes of the file's meshes, whose weights are tracks."""

    nodes: tuple[int, ...]
    rest: tuple[Array, Array, Array | None]
    always: frozenset[tuple[int, str]] = frozenset()
    morphs: Morphs = NO_MORPHS


def write_animation(clip: Clip, posed: tuple[Array, Array], onto: Nodes, store: Bin, start: float = 0.0) -> Json:
    """An animation with one channel for everything that leaves its rest value, or that is written always.

    posed: local rotations ``(frames, joints, 4)`` and translations ``(frames, joints, 3)`` in the file's frame.
    """
    (q, t), nodes, rest = posed, onto.nodes, onto.rest
    every = np.arange(clip.frames)

    def timed(frames: NDArray[np.intp]) -> int:
        return store.add(start + frames / clip.rate, "SCALAR", bounds=True)

    times = timed(every)
    samplers: list[Json] = []
    channels: list[Json] = []
    how = "STEP" if clip.stepped else "LINEAR"
    s = clip.scales
    for joint, node in enumerate(nodes):
        rest_s = np.ones(3) if rest[2] is None else rest[2][joint]
        moved = {
            "rotation": quat.angle(quat.multiply(quat.conjugate(rest[0][joint]), q[:, joint])).max() > 1e-7,
            "translation": np.abs(t[:, joint] - rest[1][joint]).max() > 1e-7,
            "scale": s is not None and np.abs(s[:, joint] - rest_s).max() > 1e-7,
        }
        for path, kind, values in (
            ("translation", "VEC3", t[:, joint]),
            ("rotation", "VEC4", unit_rotations(quat.continuous(q[:, joint]))),
            ("scale", "VEC3", np.broadcast_to(rest_s, t[:, joint].shape) if s is None else s[:, joint]),
        ):
            if moved[path] or (node, path) in onto.always:
                keys = straight_keys(np.asarray(values), path == "rotation") if clip.reduced else every
                at = times if len(keys) == clip.frames else timed(keys)
                samplers.append({"input": at, "output": store.add(values[keys], kind), "interpolation": how})
                channels.append({"sampler": len(samplers) - 1, "target": {"node": node, "path": path}})
    if not channels:  # a clip that never leaves rest still is a clip: one channel that says so
        samplers.append({"input": times, "output": store.add(unit_rotations(q[:, 0]), "VEC4"), "interpolation": how})
        channels.append({"sampler": 0, "target": {"node": nodes[0], "path": "rotation"}})
    weights = weight_channels(clip, onto.morphs, store, times, how)
    channels += [{**c, "sampler": c["sampler"] + len(samplers)} for c in weights["channels"]]
    return {"name": clip.name, "channels": channels, "samplers": samplers + weights["samplers"]}
