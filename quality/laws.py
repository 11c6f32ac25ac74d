"""Laws that hold of a step on any clip, without a reference: by mirror, by reversal, there and back."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from quality import plain
from quality.figure import Figure
from quality.model import Measure
from reflexa.motion import resample

Change = Callable[[Figure], Figure]


def apart(name: str, a: Figure, b: Figure, bounds: tuple[float, float] = (0.5, 0.1)) -> list[Measure]:
    """How far two results that have to be the same are apart, at the worst joint in the worst frame: mm and degrees."""
    if a.clip.frames != b.clip.frames:
        return [Measure(name, "frames", float(abs(a.clip.frames - b.clip.frames)), 0.0, 0.0, 0, "")]
    away = 1000 * np.linalg.norm(a.world[1] - b.world[1], axis=-1)
    change = a.world[0] @ np.swapaxes(b.world[0], -1, -2)
    turned = np.degrees(np.linalg.norm(plain.rotation_vectors(change), axis=-1))
    names = a.clip.skeleton.names
    out = []
    for values, unit, bound in zip((away, turned), ("mm", "°"), bounds, strict=True):
        frame, joint = np.unravel_index(int(np.argmax(values)), values.shape)
        out.append(Measure(name, unit, float(values[frame, joint]), 0.0, bound, int(frame), names[int(joint)]))
    return out


def commutes(name: str, figure: Figure, step: Change, other: Change) -> list[Measure]:
    """Is it the same in which order two things are done?"""
    return apart(name, other(step(figure)), step(other(figure)))


def every_other(figure: Figure) -> Figure:
    """The same motion at half the rate."""
    clip = figure.clip
    slow = resample.at_frames(clip, np.arange(0, clip.frames, 2, dtype=np.float64))
    return Figure(replace(slow, rate=clip.rate / 2, loop=clip.loop and clip.frames % 2 == 1), figure.rig)
