"""A clip at other times: another rate, or another length."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import ArrayLike

from reflexa.motion import kernels
from reflexa.motion.arrays import owned
from reflexa.motion.clip import Clip


def at_frames(clip: Clip, frames: ArrayLike) -> Clip:
    """The clip's pose at each of ``frames`` (any numbers; held outside the clip), with the same rate.

    Rotations by slerp on the short arc, translations and scales linearly; a stepped clip holds.
    """
    x = np.clip(np.asarray(frames, dtype=np.float64), 0, clip.frames - 1)
    i = np.floor(x).astype(np.intp)
    s = np.zeros_like(x) if clip.stepped else x - i
    j = np.minimum(i + 1, clip.frames - 1)
    w = s[:, None, None]
    rotations = np.empty((len(x), *clip.rotations.shape[1:]))
    kernels.chains.sampled(clip.rotations, i + s, rotations)
    translations = clip.translations[i] + w * (clip.translations[j] - clip.translations[i])
    scales = None if clip.scales is None else clip.scales[i] + w * (clip.scales[j] - clip.scales[i])
    return replace(clip, rotations=owned(rotations), translations=owned(translations), scales=scales)


def to_rate(clip: Clip, rate: float) -> Clip:
    """The same motion in time sampled at ``rate`` frames a second; events keep their time.

    The last sample is the last that still lies inside the clip. Raises ValueError for a rate that is not positive.
    """
    if not (np.isfinite(rate) and rate > 0):
        raise ValueError(f"a rate of {rate} frames a second")
    if rate == clip.rate:
        return clip
    ratio = clip.rate / rate
    count = int(np.floor((clip.frames - 1) / ratio + 1e-6)) + 1
    out = at_frames(clip, np.arange(count) * ratio)
    events = tuple(replace(e, frame=e.frame / ratio) for e in clip.events)
    return replace(out, rate=rate, events=events)
