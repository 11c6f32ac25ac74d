"""A clip at other times. Everything that goes along with it goes along: scales, tracks, events."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace

import numpy as np
from numpy.typing import ArrayLike

from reflexa.motion import kernels
from reflexa.motion.arrays import Array, owned
from reflexa.motion.clip import Clip, Event, Track

# Steps of less than this between moments are slow motion, which wants curves that are smooth between frames.
_SLOWED = 0.5 - 1e-9
_ON_FRAME = 1e-9


def at_frames(clip: Clip, frames: ArrayLike, smooth: bool = False) -> Clip:
    """The clip's pose at each of ``frames`` (any numbers; held outside the clip), with the same rate; its events are as
    they were.

    Rotations by slerp on the short arc, translations, scales and tracks linearly; smooth: along smooth curves instead. A
    stepped clip holds.
    """
    x = np.clip(np.asarray(frames, dtype=np.float64), 0, clip.frames - 1)
    whole = np.round(x)
    on_frames = np.abs(x - whole) < _ON_FRAME
    x = np.where(on_frames, whole, np.floor(x) if clip.stepped else x)
    if on_frames.all() and len(x) and np.array_equal(x, np.arange(x[0], x[0] + len(x))):
        part = slice(int(x[0]), int(x[-1]) + 1)  # a stretch of it, bit for bit, and nothing need be copied
        return _with(clip, clip.rotations[part], x, lambda a: a[part])
    n = len(x)
    rotations = np.empty((n, *clip.rotations.shape[1:]))
    turns, values = kernels.moments.turns, kernels.moments.values
    if smooth:
        turns, values = kernels.moments.smooth_turns, kernels.moments.smooth_values
    turns(clip.rotations, x, rotations)
    kernels.moments.one_side(rotations)

    def over(a: Array) -> Array:
        out = np.empty((n, *a.shape[1:]))
        values(a.reshape(len(a), -1), x, out.reshape(n, -1))
        return owned(out)

    return _with(clip, owned(rotations), x, over)


def _with(clip: Clip, rotations: Array, times: Array, over: Callable[[Array], Array]) -> Clip:
    return replace(
        clip, rotations=rotations, translations=over(clip.translations),
        scales=None if clip.scales is None else over(clip.scales),
        tracks=tuple(Track(t.name, over(t.values)) for t in clip.tracks), reduced=False, contacts=clip.contacts_at(times),
    )  # fmt: skip


def time_warped(clip: Clip, times: Array, breaks: Iterable[int] = ()) -> Clip:
    """The clip as a map of time has it: frame i of the result is what was at ``times[i]`` ``(n,)``, inside the clip; no loop
    any more. Slowed down beyond half it goes along smooth curves.

    breaks: frames of the result that do not go on from the one before them; nothing in between is passed over there.
    """
    steps = np.abs(np.diff(times))
    smooth = not clip.stepped and bool(np.any((steps > _ON_FRAME) & (steps < _SLOWED)))
    out = at_frames(clip, times, smooth)
    return replace(out, events=events_at(clip.events, times, breaks), loop=False)


def events_at(events: Iterable[Event], times: Array, breaks: Iterable[int] = ()) -> tuple[Event, ...]:
    """Events where a map of time has them, as ``time_warped``: each as often as it is passed, those that are not left out."""
    given = sorted(events, key=lambda e: e.frame)
    if not given or len(times) == 0:
        return ()
    at = np.array([e.frame for e in given])
    a, b = times[:-1], times[1:]
    whole = np.ones(len(a), dtype=bool)
    whole[[i - 1 for i in breaks if 0 < i <= len(a)]] = False
    out: list[tuple[float, int]] = []
    # Those in between, the beginning of each step included, whichever way it goes.
    forth = b > a
    first = np.where(forth, np.searchsorted(at, a), np.searchsorted(at, b, "right"))
    end = np.where(forth, np.searchsorted(at, b), np.searchsorted(at, a, "right"))
    for i in np.flatnonzero(whole & (a != b) & (end > first)).tolist():
        out += [(i + float((at[k] - a[i]) / (b[i] - a[i])), k) for k in range(first[i], end[i])]
    # The last frame before a break or a stop, which no step holds; of a stop, where it begins.
    ends = np.append(~whole | (a == b), True)
    ends[1:] &= ~(whole & (a == b))
    near = np.clip(np.searchsorted(at, times - _ON_FRAME), 0, len(at) - 1)
    for i in np.flatnonzero(ends & (np.abs(at[near] - times) <= _ON_FRAME)).tolist():
        out += [(float(i), k) for k in range(near[i], len(at)) if abs(at[k] - times[i]) <= _ON_FRAME]
    return tuple(replace(given[k], frame=f) for f, k in sorted(out))


def even_times(end: float, step: float, closes: bool = False) -> Array:
    """Moments from 0 on, ``step`` frames apart, as far as ``end``. closes: of a loop, whose last frame is its first again: both
    ends are kept, and the step is the nearest one that divides the way between them.

    >>> even_times(5, 2), even_times(5, 2, closes=True)
    (array([0., 2., 4.]), array([0. , 2.5, 5. ]))
    """
    count = end / step
    if closes:
        return np.linspace(0.0, end, max(round(count), 1) + 1) if end > 0 else np.zeros(1)
    return np.asarray(np.minimum(np.arange(np.floor(count + 1e-6) + 1) * step, end))


def at_even_times(clip: Clip, step: float) -> tuple[Clip, Array]:
    """The clip sampled every ``step`` frames from its first on, and the frame of it at each sample ``(n,)``.

    A loop stays closed: it keeps its last frame, and its step is the nearest one that divides its length. Else the last sample
    is the last one inside the clip, and events behind it stand at it, so that none is lost.
    """
    end = clip.frames - 1.0
    times = even_times(end, step, clip.loop)
    events = tuple(replace(e, frame=min(e.frame, times[-1])) if e.frame <= end else e for e in clip.events)
    return replace(time_warped(replace(clip, events=events), times), loop=clip.loop), times


def to_rate(clip: Clip, rate: float) -> Clip:
    """The same motion in time, sampled at ``rate`` frames per second, as ``at_even_times``. Raises ValueError for a rate that is
    not positive.

    >>> from reflexa.motion.clip import rest_clip
    >>> from reflexa.motion.skeleton import chain
    >>> second = at_frames(rest_clip(chain(["hip", "knee"], [[0, 1, 0], [0, -0.5, 0]])), np.zeros(31))
    >>> (second.frames, second.rate), (to_rate(second, 12).frames, to_rate(second, 12).rate)
    ((31, 30.0), (13, 12))
    """
    if not (np.isfinite(rate) and rate > 0):
        raise ValueError(f"a rate of {rate} frames per second")
    return clip if rate == clip.rate else replace(at_even_times(clip, clip.rate / rate)[0], rate=rate)
