"""Animations of glTF 2.0: channels and samplers to frames, and back."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from reflexa.errors import ReadError
from reflexa.formats.gltf import accessors
from reflexa.formats.gltf.container import GltfFile, Json
from reflexa.formats.gltf.morphs import Morphs, key_values
from reflexa.formats.imported import settle_rate
from reflexa.motion import tracks
from reflexa.motion.additive import additive_from_plain
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Additive, Event, Track, event_from_plain
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
class Planned:
    """An animation whose keys' times are known, and whose values are not decoded yet. start in seconds; joints: (joint, path,
    sampler); shapes: (names, sampler); others: (node, path, sampler) of what is no joint; times: by their accessors."""

    name: str
    rate: float
    start: float
    frames: int
    loop: bool
    play_rate: float
    events: tuple[Event, ...]
    additive: Additive | None
    place: str
    samplers: list[Any]
    joints: tuple[tuple[int, str, int], ...]
    shapes: tuple[tuple[tuple[str, ...], int], ...]
    others: tuple[tuple[str, str, int], ...]
    times: dict[Any, Array]


@dataclass(frozen=True, eq=False)
class Sampled:
    """One animation at whole frames, in the file's own frame. lost: nodes that it moves and that are no joints."""

    rotations: Array
    translations: Array
    scales: Array | None
    stepped: bool
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


def plan(file: GltfFile, number: int, moved: Moved, times: dict[Any, Array], warnings: list[str]) -> Planned | None:
    """What an animation of a file moves and when its keys are; None where it moves none of the joints. times: those of the
    accessors that were read before. Raises ReadError."""
    animation = file.items("animations")[number]
    place = f"animations[{number}]"
    stem = readable(file.path.stem)
    unnamed = f"{stem} {number + 1}" if number else stem
    name = str(animation.get("name") or unnamed)
    joints: list[tuple[int, str, int]] = []
    shapes: list[tuple[tuple[str, ...], int]] = []
    others: list[tuple[str, str, int]] = []
    samplers = animation.get("samplers", [])
    for c, channel in enumerate(animation.get("channels", [])):
        target = channel.get("target", {})
        node, path = target.get("node"), target.get("path")
        names = moved.morphs.names.get(node, ()) if path == "weights" else ()
        if not names and path not in _WIDTHS:
            continue
        which = channel.get("sampler")
        if not isinstance(which, int) or not 0 <= which < len(samplers):
            raise ReadError(f"names samplers[{which}] of {len(samplers)}", file.path, f"{place}.channels[{c}]")
        if names:
            shapes.append((names, which))
        elif node in moved.index:
            joints.append((moved.index[node], path, which))
        else:
            others.append((_called(file, node), path, which))
    if not joints:
        return None
    used = dict.fromkeys([*(j[2] for j in joints), *(s[1] for s in shapes)])
    keyed = {id(t): t for w in used for t in [_times(file, samplers[w], f"{place}.samplers[{w}]", times)]}
    extras = _extras(animation)
    rate, start, frames = _grid(file, list(keyed.values()), extras.get("rate"), place, warnings, name)
    events = _events(animation, extras, rate, start)
    play = extras.get("play_rate", 1.0)
    return Planned(
        name, rate, start, frames, extras.get("loop") is True, float(play) if isinstance(play, int | float) and play > 0 else 1.0,
        events, additive_from_plain(extras.get("additive")), place, samplers, tuple(joints), tuple(shapes), tuple(others), times,
    )  # fmt: skip


def decode(file: GltfFile, planned: Planned, skeleton: Skeleton, warnings: list[str]) -> Sampled:
    """Sample a planned animation for the joints of a skeleton. Raises ReadError."""
    at = planned.start + np.arange(planned.frames) / planned.rate

    def read(which: int, kind: str, shapes: int = 0) -> tuple[Array, Array, str]:
        return _sampler(
            file, planned.samplers[which], f"{planned.place}.samplers[{which}]", kind, planned.times, shapes
        )

    def sampled(times: Array, values: Array, kind: str, rotation: bool = False) -> Array:
        # float32 times lie a rounding away from the frame: a STEP key must not be missed by it.
        near = times[np.clip(np.searchsorted(times, at), 0, len(times) - 1)]
        exact = np.where(np.abs(near - at) < 1e-5 + 2e-7 * np.abs(at), near, at)
        return tracks.sample(times, values, kind, exact, rotation)

    rest_s = skeleton.rest_scales if skeleton.rest_scales is not None else np.ones((len(skeleton), 3))
    q, t, s = (
        np.tile(rest, (planned.frames, 1, 1)) for rest in (skeleton.rest_rotations, skeleton.rest_translations, rest_s)
    )
    alike: dict[tuple[str, str, int], list[tuple[int, Array, Array]]] = {}
    for joint, path, which in planned.joints:
        times, values, kind = read(which, _WIDTHS[path])
        alike.setdefault((path, kind, id(times)), []).append((joint, times, values))
    for (path, kind, _), these in alike.items():  # joints with the same key times at once
        out = sampled(these[0][1], np.stack([v for _, _, v in these], axis=-2), kind, path == "rotation")
        {"rotation": q, "translation": t, "scale": s}[path][:, [joint for joint, _, _ in these]] = out
    curves: dict[str, Track] = {}
    for names, which in planned.shapes:
        times, values, kind = read(which, "SCALAR", len(names))
        for shape, curve in zip(names, sampled(times, values, kind).T, strict=True):
            had = curves.setdefault(shape, Track(shape, curve))
            if np.abs(had.values - curve).max() > 1e-6:
                warnings.append(
                    f"{planned.name!r} animates the shape {shape!r} of two meshes differently: that of the first "
                    "is used."
                )
    others = ((node, read(which, _WIDTHS[path])[1]) for node, path, which in planned.others)
    lost = dict.fromkeys(node for node, values in others if np.ptp(values, axis=0).max() > _MOVES)
    kinds = {kind for _, kind, _ in alike}
    if len(kinds) > 1:
        warnings.append(f"{planned.name!r} mixes interpolations ({', '.join(sorted(kinds))}): sampled at every frame.")
    elif kinds == {"CUBICSPLINE"}:
        warnings.append(f"{planned.name!r} uses cubic splines: sampled at every frame, linear in between.")
    scales = s if np.abs(s - 1).max() > 1e-6 else None
    return Sampled(q, t, scales, kinds == {"STEP"}, tuple(curves.values()), tuple(lost))


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
    if len(animations) < 2 or not apart:
        return animations
    spans = {_span(file, a) for a in animations}
    if None in spans or len(spans) != 1:
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


def _events(animation: Json, ours: Json, rate: float, start: float) -> tuple[Event, ...]:
    """The events of an animation: our own, or else the markers that whoever wrote the file has put into its extras: a list
    ``events`` or ``markers`` of objects with a name and a frame, or a time in seconds."""
    if isinstance(ours.get("events"), list):
        return tuple(e for said in ours["events"] if (e := event_from_plain(said)) is not None)
    extras = animation.get("extras")
    given = next((extras[k] for k in ("events", "markers") if k in extras), None) if isinstance(extras, dict) else None
    out = []
    for said in given if isinstance(given, list) else ():
        if isinstance(said, dict) and "frame" not in said and isinstance(said.get("time"), int | float):
            said = {**said, "frame": (said["time"] - start) * rate}
        out.append(event_from_plain(said))
    return tuple(sorted((e for e in out if e is not None), key=lambda e: e.frame))


def _times(file: GltfFile, sampler: Any, where: str, known: dict[Any, Array]) -> Array:
    """When the keys of a sampler are: most samplers share them, so they are read once, and are one array then."""
    if not isinstance(sampler, dict):
        raise ReadError("is not an object", file.path, where)
    at = sampler.get("input")
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
    times = _times(file, sampler, where, known)
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
            warnings.append(
                f"The keys of {name!r} do not fit a common frame rate: sampled at {rate:g} frames per second."
            )
    if start > 1e-6:
        warnings.append(f"The keys of {name!r} start at {start:.3f} s: the clip starts there.")
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
