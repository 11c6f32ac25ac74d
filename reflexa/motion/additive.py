"""Additive clips: the difference of a clip from a base, and that difference put onto a base again."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from reflexa.motion import cycle, quat
from reflexa.motion.arrays import Array, owned
from reflexa.motion.clip import Additive, Clip, Track
from reflexa.motion.resample import at_frames


def additive_from_plain(plain: object) -> Additive | None:
    """The mark from the extras of a file; None where there is none that makes sense."""
    if not isinstance(plain, Mapping) or not isinstance(plain.get("base"), str):
        return None
    start = plain.get("start")
    seconds = float(start) if isinstance(start, int | float) and np.isfinite(start) else None
    return Additive(plain["base"], "parent" if plain.get("rotations") == "parent" else "own", seconds)


def held(clip: Clip, frame: int, frames: int) -> Clip:
    """One pose of a clip, so many times."""
    return at_frames(clip, np.full(frames, float(frame)))


def difference(clip: Clip, base: Clip, mark: Additive) -> Clip:
    """The difference of a clip from a base of as many frames and the same joints, marked as such; ``put_onto`` takes it back.

    The convention of rotations is that of additive blending in glTF viewers: base⁻¹ · clip where ``mark.turns`` is ``own``.
    Tracks that the base has under the same name are differences too.
    """
    s = clip.skeleton
    rest = s.rest_rotations
    if mark.turns == "own":
        rotations = quat.multiply(rest, quat.multiply(quat.conjugate(base.rotations), clip.rotations))
    else:
        rotations = quat.multiply(quat.multiply(clip.rotations, quat.conjugate(base.rotations)), rest)
    scales = clip.scales
    if scales is not None or base.scales is not None:
        scales = _rest_scales(clip) * _scales(clip) / _scales(base)
    values = {t.name: t.values for t in base.tracks}
    tracks = tuple(Track(t.name, t.values - values[t.name]) if t.name in values else t for t in clip.tracks)
    return replace(
        clip, rotations=owned(quat.continuous(quat.normalise(rotations))),
        translations=owned(s.rest_translations + (clip.translations - base.translations)),
        scales=None if scales is None else owned(scales), tracks=tracks, reduced=False, contacts=(), additive=mark,
    )  # fmt: skip


def put_onto(clip: Clip, base: Clip) -> Clip:
    """A difference on a base of as many frames and the same joints: an ordinary clip. One without a mark is taken to be the
    difference about the joints' own axes."""
    s, mark = clip.skeleton, clip.additive or Additive("")
    back = quat.conjugate(s.rest_rotations)
    if mark.turns == "own":
        rotations = quat.multiply(base.rotations, quat.multiply(back, clip.rotations))
    else:
        rotations = quat.multiply(quat.multiply(clip.rotations, back), base.rotations)
    scales = None
    if clip.scales is not None or base.scales is not None:
        scales = owned(_scales(base) * _scales(clip) / _rest_scales(clip))
    values = {t.name: t.values for t in clip.tracks}
    tracks = [Track(t.name, t.values + values.pop(t.name, 0.0)) for t in base.tracks]
    return replace(
        clip, rotations=owned(quat.continuous(quat.normalise(rotations))),
        translations=owned(base.translations + (clip.translations - s.rest_translations)),
        scales=scales, tracks=(*tracks, *(Track(n, v) for n, v in values.items())), reduced=False, contacts=None, additive=None,
    )  # fmt: skip


def lined_up(base: Clip, travel: int, times: Array) -> Clip:
    """A base at moments of its own ``(n,)``, seconds: a loop goes on, anything else holds its last pose. travel: the joint that
    carries it over the ground."""
    at = times * base.rate
    return cycle.at_moments(base, travel, at) if base.loop else at_frames(base, at)


def as_long_as(clip: Clip, base: Clip) -> Clip:
    """A difference that is a single pose, or a loop, for as long as a base; any other as it is, and so is one from a base that
    moves, which has its time."""
    frames = round((base.frames - 1) * clip.rate / base.rate) + 1
    if clip.frames == 1:
        return at_frames(replace(clip, rate=base.rate), np.zeros(base.frames))
    timed = clip.additive is not None and clip.additive.start is not None
    if timed or not clip.loop or frames <= clip.frames:
        return clip
    period = clip.frames - 1
    at = np.arange(frames, dtype=np.float64) % period
    closes = (frames - 1) % period == 0
    at[-1] = period if closes else at[-1]
    return replace(at_frames(clip, at), loop=closes)


def _scales(clip: Clip) -> Array:
    return clip.scales if clip.scales is not None else np.ones((1, 1, 3))


def _rest_scales(clip: Clip) -> Array:
    rest = clip.skeleton.rest_scales
    return rest if rest is not None else np.ones((1, 3))
