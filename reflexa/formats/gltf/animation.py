"""Animations of glTF 2.0: channels and samplers to frames, and back."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from reflexa.errors import ReadError
from reflexa.formats.gltf import accessors
from reflexa.formats.gltf.accessors import Bin
from reflexa.formats.gltf.container import GltfFile, Json
from reflexa.formats.gltf.morphs import NO_MORPHS, Morphs, key_values, weight_channels
from reflexa.formats.imported import settle_rate
from reflexa.motion import quat, tracks
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip, Event, Track
from reflexa.motion.keying import straight_keys
from reflexa.motion.skeleton import Skeleton
from reflexa.names import readable
from reflexa.words import counted

# Rates that are tried in this order for keys that stand far apart.
_RATES = (30.0, 24.0, 25.0, 60.0, 50.0, 48.0, 120.0, 100.0, 90.0, 240.0)
_MOST_FRAMES = 200_000
# Values that change by less than this over an animation stand still.
_MOVES = 1e-4
_WIDTHS = {"rotation": "VEC4", "translation": "VEC3", "scale": "VEC3"}


@dataclass(frozen=True, eq=False)
class Sampled:
    """One animation at whole frames, in the file's own frame. lost: nodes that it moves and that are no joints."""

    name: str
    rotations: Array
    translations: Array
    scales: Array | None
    rate: float
    start: float
    loop: bool
    stepped: bool
    play_rate: float
    events: tuple[Event, ...]
    tracks: tuple[Track, ...] = ()
    lost: tuple[str, ...] = ()


@dataclass(frozen=True, eq=False)
class Moved:
    """What animations of a file move: the joints of a skeleton, index: node → joint, and the shapes of its meshes."""

    skeleton: Skeleton
    index: Mapping[int, int]
    morphs: Morphs


def _called(file: GltfFile, node: Any) -> str:
    nodes = file.items("nodes")
    known = isinstance(node, int) and 0 <= node < len(nodes)
    return str((nodes[node].get("name") if known else "") or f"node {node}")


def read_animation(file: GltfFile, number: int, animation: Json, moved: Moved, warnings: list[str]) -> Sampled | None:
    """Sample an animation for the joints of a skeleton; None where it moves none of them. Raises ReadError."""
    skeleton, index = moved.skeleton, moved.index
    place = f"animations[{number}]"
    stem = readable(file.path.stem)
    unnamed = f"{stem} {number + 1}" if number else stem
    name = str(animation.get("name") or unnamed)
    found: list[tuple[int, str, Array, Array, str]] = []
    weights: list[tuple[tuple[str, ...], Array, Array, str]] = []
    kinds: set[str] = set()
    lost: list[str] = []
    samplers = animation.get("samplers", [])
    known: dict[Any, Array] = {}
    for c, channel in enumerate(animation.get("channels", [])):
        where = f"{place}.channels[{c}]"
        target = channel.get("target", {})
        path = target.get("path")
        names = moved.morphs.names.get(target.get("node"), ()) if path == "weights" else ()
        if not names and path not in _WIDTHS:
            continue
        which = channel.get("sampler")
        if not isinstance(which, int) or not 0 <= which < len(samplers):
            raise ReadError(f"names samplers[{which}] of {len(samplers)}", file.path, where)
        its = f"{place}.samplers[{which}]"
        if names:
            weights.append((names, *_sampler(file, samplers[which], its, "SCALAR", known, len(names))))
            continue
        times, values, kind = _sampler(file, samplers[which], its, _WIDTHS[path], known)
        if target.get("node") not in index:
            if np.ptp(values, axis=0).max() > _MOVES:
                lost.append(_called(file, target.get("node")))
            continue
        kinds.add(kind)
        found.append((index[target["node"]], path, times, values, kind))
    if not found:
        return None
    extras = _extras(animation)
    all_times = list({id(a): a for a in (*(f[2] for f in found), *(w[1] for w in weights))}.values())
    rate, start, count = _grid(file, all_times, extras.get("rate"), place, warnings, name)
    at = start + np.arange(count) / rate
    n = len(skeleton)
    q = np.tile(skeleton.rest_rotations, (count, 1, 1))
    t = np.tile(skeleton.rest_translations, (count, 1, 1))
    rest_s = skeleton.rest_scales if skeleton.rest_scales is not None else np.ones((n, 3))
    s = np.tile(rest_s, (count, 1, 1))

    def sampled(times: Array, values: Array, kind: str, rotation: bool = False) -> Array:
        # float32 times lie a rounding away from the frame: a STEP key must not be missed by it.
        near = times[np.clip(np.searchsorted(times, at), 0, len(times) - 1)]
        exact = np.where(np.abs(near - at) < 1e-5 + 2e-7 * np.abs(at), near, at)
        return tracks.sample(times, values, kind, exact, rotation)

    alike: dict[tuple[str, str, int], list[tuple[int, Array, Array]]] = {}
    for joint, path, times, values, kind in found:
        alike.setdefault((path, kind, id(times)), []).append((joint, times, values))
    for (path, kind, _), these in alike.items():  # joints with the same key times at once
        out = sampled(these[0][1], np.stack([v for _, _, v in these], axis=-2), kind, path == "rotation")
        {"rotation": q, "translation": t, "scale": s}[path][:, [joint for joint, _, _ in these]] = out
    curves: dict[str, Track] = {}
    for names, times, values, kind in weights:
        for shape, curve in zip(names, sampled(times, values, kind).T, strict=True):
            had = curves.setdefault(shape, Track(shape, curve))
            if np.abs(had.values - curve).max() > 1e-6:
                warnings.append(f"{name!r} moves the shape {shape!r} of two meshes apart: that of the first is taken.")
    if len(kinds) > 1:
        warnings.append(f"{name!r} mixes interpolations ({', '.join(sorted(kinds))}): sampled at every frame.")
    elif kinds == {"CUBICSPLINE"}:
        warnings.append(f"{name!r} uses cubic splines: sampled at every frame, linear in between.")
    events = tuple(
        Event(float(e["frame"]), str(e["name"]))
        for e in extras.get("events", [])
        if isinstance(e, dict) and isinstance(e.get("frame"), int | float) and "name" in e
    )
    play = extras.get("play_rate", 1.0)
    return Sampled(
        name, q, t, s if np.abs(s - 1).max() > 1e-6 else None, rate, start, extras.get("loop") is True,
        kinds == {"STEP"}, float(play) if isinstance(play, int | float) and play > 0 else 1.0, events, tuple(curves.values()),
        tuple(dict.fromkeys(lost)),
    )  # fmt: skip


def keys_of(file: GltfFile, animation: Json) -> int:
    """How many keys the sampler with the most of them has, as the file tells it; 0 where it tells none."""
    table, most = file.items("accessors"), 0
    for s in animation.get("samplers", []):
        at = s.get("input") if isinstance(s, dict) else None
        count = table[at].get("count") if isinstance(at, int) and 0 <= at < len(table) else 0
        most = max(most, count if isinstance(count, int) and not isinstance(count, bool) else 0)
    return most


def as_clips(file: GltfFile, animations: list[Json]) -> list[Json]:
    """The animations of a file, those that are one clip as one: several that each move one node, each another, over the same
    time are what a tool made of one clip that splits it by node."""
    moved = [{c.get("target", {}).get("node") for c in a.get("channels", [])} for a in animations]
    apart = all(len(m) == 1 and None not in m for m in moved) and len(set().union(*moved)) == len(moved)
    spans = {_span(file, a) for a in animations}
    if len(animations) < 2 or not apart or None in spans or len(spans) != 1:
        return animations
    names = [str(a.get("name") or "") for a in animations]
    samplers: list[Json] = []
    channels: list[Json] = []
    for a in animations:
        channels += [
            {**c, "sampler": c["sampler"] + len(samplers)} if isinstance(c.get("sampler"), int) else c
            for c in a["channels"]
        ]
        samplers += a.get("samplers", [])
    name = _begin_alike(names).rstrip(_JOINS) or _begin_alike([n[::-1] for n in names])[::-1].lstrip(_JOINS)
    return [{**animations[0], "name": name or readable(file.path.stem), "channels": channels, "samplers": samplers}]


# What joins the parts of a name.
_JOINS = " ._-|:/"


def _begin_alike(words: list[str]) -> str:
    """What all words begin with."""
    alike = [len(set(letters)) == 1 for letters in zip(*words, strict=False)]
    return words[0][: alike.index(False) if False in alike else len(alike)]


def _span(file: GltfFile, animation: Json) -> tuple[float, float] | None:
    """First and last key of an animation, seconds, to the hundredth; None where its samplers do not tell (of them all, the
    accessors' own bounds)."""
    ends = []
    table = file.items("accessors")
    for s in animation.get("samplers", []):
        at = s.get("input") if isinstance(s, dict) else None
        bounds = table[at] if isinstance(at, int) and 0 <= at < len(table) else {}
        low, high = bounds.get("min"), bounds.get("max")
        if not (isinstance(low, list) and isinstance(high, list) and len(low) == len(high) == 1):
            return None
        ends.append((low[0], high[0]))
    if not ends or not all(isinstance(v, int | float) for pair in ends for v in pair):
        return None
    return round(float(min(a for a, _ in ends)), 2), round(float(max(b for _, b in ends)), 2)


def _extras(animation: Json) -> Json:
    extras = animation.get("extras")
    ours = extras.get("reflexa") if isinstance(extras, dict) else None
    return ours if isinstance(ours, dict) else {}


def _times(file: GltfFile, at: Any, where: str, known: dict[Any, Array]) -> Array:
    """When keys are: most samplers of an animation share them, so they are read once, and are one array then."""
    if not isinstance(at, int) or at not in known:
        times = accessors.read(file, at, where, "SCALAR")[:, 0].astype(np.float64)
        if len(times) == 0:
            raise ReadError("has no keys", file.path, where)
        if np.any(np.diff(times) < 0):
            raise ReadError("has key times that go backwards", file.path, where)
        known[at] = times
    return known[at]


def _sampler(
    file: GltfFile, sampler: Any, where: str, kind: str, known: dict[Any, Array], shapes: int = 0
) -> tuple[Array, Array, str]:
    """Times, values and interpolation; of so many shapes' weights, a row a key. known: times by their accessors."""
    if not isinstance(sampler, dict):
        raise ReadError("is not an object", file.path, where)
    times = _times(file, sampler.get("input"), where, known)
    values = accessors.read(file, sampler.get("output"), where, kind).astype(np.float64)
    how = str(sampler.get("interpolation", "LINEAR"))
    if how not in ("LINEAR", "STEP", "CUBICSPLINE"):
        raise ReadError(f"has the unknown interpolation {how!r}", file.path, where)
    if shapes:
        values = key_values(values, times, shapes, where, file)
    per_key = 3 if how == "CUBICSPLINE" else 1
    if len(values) != per_key * len(times):
        raise ReadError(f"has {len(times)} times and {len(values)} values", file.path, where)
    if how == "CUBICSPLINE":
        values = values.reshape(len(times), 3, -1)
    return times, values, how


def _grid(
    file: GltfFile, all_times: list[Array], told: Any, place: str, warnings: list[str], name: str
) -> tuple[float, float, int]:
    """Rate, start time and number of frames on which the keys lie."""
    times = np.unique(np.concatenate(all_times))
    start = float(times[0])
    length = float(times[-1]) - start
    steps = np.diff(times)
    steps = steps[steps > 1e-6]
    rate = 30.0
    if isinstance(told, int | float) and told > 0 and _fits(times - start, float(told)):
        rate = float(told)
    elif len(steps):
        dense = settle_rate(1 / float(steps.mean())) if np.ptp(steps) < 0.01 * steps.mean() else 0.0
        choices = [r for r in (*((dense,) if dense >= 20 else ()), *_RATES) if _fits(times - start, r)]
        if choices:
            rate = choices[0]
        else:
            rate = 60.0 if float(steps.min()) < 1 / 40 else 30.0
            warnings.append(f"The keys of {name!r} lie on no common frame rate: sampled at {rate:g} frames a second.")
    if start > 1e-6:
        warnings.append(f"The keys of {name!r} begin at {start:.3f} s: the clip begins there.")
    frames = length * rate
    if not frames < min(_MOST_FRAMES, 2000 + 1000 * len(times)):
        raise ReadError(
            f"{length:,.0f} s between {counted(len(times), 'key')} are too long to sample", file.path, place
        )
    return (
        rate,
        start,
        round(frames) + 1 if _fits(times[-1:] - start, rate) else int(np.ceil(frames - 1e-6)) + 1,
    )


def _fits(times: Array, rate: float) -> bool:
    frames = times * rate
    return bool(np.abs(frames - np.round(frames)).max() < 0.02)


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
                keys = straight_keys(np.asarray(values), path == "rotation") if clip.thinned else every
                at = times if len(keys) == clip.frames else timed(keys)
                samplers.append({"input": at, "output": store.add(values[keys], kind), "interpolation": how})
                channels.append({"sampler": len(samplers) - 1, "target": {"node": node, "path": path}})
    if not channels:  # a clip that never leaves rest still is a clip: one channel that says so
        samplers.append({"input": times, "output": store.add(unit_rotations(q[:, 0]), "VEC4"), "interpolation": how})
        channels.append({"sampler": 0, "target": {"node": nodes[0], "path": "rotation"}})
    weights = weight_channels(clip, onto.morphs, store, times, how)
    channels += [{**c, "sampler": c["sampler"] + len(samplers)} for c in weights["channels"]]
    return {"name": clip.name, "channels": channels, "samplers": samplers + weights["samplers"]}
