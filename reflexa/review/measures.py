"""Measures over time: what is plotted of a clip beside its keys, and on pages."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.limbs import bend
from reflexa.rig import Rig
from reflexa.rig.limbs import limb_of


@dataclass(frozen=True)
class Measure:
    """needs: how many joints it is of (0: the figure). values(clip, rig, joints) gives one number a frame ``(frames,)``."""

    id: str
    title: str
    unit: str
    needs: int
    values: Callable[[Clip, Rig, tuple[int, ...]], Array]


def _place(axis: int) -> Callable[[Clip, Rig, tuple[int, ...]], Array]:
    return lambda clip, _, joints: 100 * clip.model[1][:, joints[0], axis]


def _rate_of(track: Array, rate: float) -> Array:
    """Change a second by central differences ``(frames, n)``; nothing where there is one frame."""
    return np.gradient(track, axis=0) * rate if len(track) > 1 else np.zeros_like(track)


def _speed(clip: Clip, _: Rig, joints: tuple[int, ...]) -> Array:
    return np.asarray(np.linalg.norm(_rate_of(clip.model[1][:, joints[0]], clip.rate), axis=-1))


def _acceleration(clip: Clip, _: Rig, joints: tuple[int, ...]) -> Array:
    velocity = _rate_of(clip.model[1][:, joints[0]], clip.rate)
    return np.asarray(np.linalg.norm(_rate_of(velocity, clip.rate), axis=-1))


def _angle(clip: Clip, _: Rig, joints: tuple[int, ...]) -> Array:
    """The turn of a joint against its rest."""
    j = joints[0]
    return np.degrees(quat.angle(quat.multiply(quat.conjugate(clip.skeleton.rest_rotations[j]), clip.rotations[:, j])))


def _turning(clip: Clip, _: Rig, joints: tuple[int, ...]) -> Array:
    """How fast a joint turns, from each frame to the next."""
    q = clip.rotations[:, joints[0]]
    step = np.degrees(quat.angle(quat.multiply(quat.conjugate(q[:-1]), q[1:]))) * clip.rate
    return np.concatenate([step[:1] if len(step) else [0.0], step])


def _apart(clip: Clip, _: Rig, joints: tuple[int, ...]) -> Array:
    placed = clip.model[1]
    return np.asarray(100 * np.linalg.norm(placed[:, joints[0]] - placed[:, joints[1]], axis=-1))


def _bend(end: str) -> Callable[[Clip, Rig, tuple[int, ...]], Array]:
    def values(clip: Clip, rig: Rig, _: tuple[int, ...]) -> Array:
        l = limb_of(rig, end)
        return np.full(clip.frames, np.nan) if l is None else bend(clip.model, l).angle

    return values


def _root_speed(clip: Clip, rig: Rig, _: tuple[int, ...]) -> Array:
    track = clip.model[1][:, rig.travel_joint] * [1.0, 0.0, 1.0]
    return np.asarray(np.linalg.norm(_rate_of(track, clip.rate), axis=-1))


MEASURES = {
    m.id: m
    for m in (
        Measure("height", "Height", "cm", 1, _place(1)),
        Measure("aside", "Position sideways", "cm", 1, _place(0)),
        Measure("ahead", "Position forward", "cm", 1, _place(2)),
        Measure("speed", "Speed", "m/s", 1, _speed),
        Measure("acceleration", "Acceleration", "m/s²", 1, _acceleration),
        Measure("angle", "Rotation from rest", "°", 1, _angle),
        Measure("turning", "Rotation speed", "°/s", 1, _turning),
        Measure("apart", "Distance between two joints", "cm", 2, _apart),
        Measure("root speed", "Root speed", "m/s", 0, _root_speed),
        Measure("left knee", "Left knee", "°", 0, _bend("left foot")),
        Measure("right knee", "Right knee", "°", 0, _bend("right foot")),
        Measure("left elbow", "Left elbow", "°", 0, _bend("left hand")),
        Measure("right elbow", "Right elbow", "°", 0, _bend("right hand")),
    )
}


def measured(measure: Measure, clip: Clip, rig: Rig, joints: tuple[str, ...] = ()) -> Array | None:
    """A measure of joints by name ``(frames,)``; None where the clip lacks one, or the rig what it is about."""
    at = tuple(clip.skeleton.index[j] for j in joints if j in clip.skeleton.index)
    if len(at) < measure.needs:
        return None
    values = measure.values(clip, rig, at)
    return None if np.isnan(values).any() else np.asarray(values, dtype=np.float64)
