"""Cuts: where a clip goes on in another pose at once, as captures do behind the rest pose at their head."""

from __future__ import annotations

import numpy as np

from reflexa.motion.clip import Clip
from reflexa.motion.per_clip_cache import cached_per_clip
from reflexa.motion.smoothing import Timing

# From one frame to the next joints turn by this much in the mean, radians, and by so many times what they do in as many frames
# before and after. A pop goes there and back, and is none.
_MUCH, _TIMES, _BESIDE = np.radians(3.0), 4.0, 4
# A clip that jumps more often than this, a second, holds its poses: that is its way of moving.
_OFTEN = 1.0


@cached_per_clip
def cuts(clip: Clip) -> tuple[int, ...]:
    """The frames at which another piece of a clip begins; none in most clips."""
    if clip.frames < 3 or clip.stepped:
        return ()
    q = clip.rotations
    dots = np.abs(np.einsum("fjc,fjc->fj", q[1:], q[:-1]))
    turns = 2 * np.arccos(np.minimum(dots, 1.0)).mean(axis=1)
    beside = np.full(len(turns) + 2 * _BESIDE, 0.0)
    beside[_BESIDE:-_BESIDE] = turns
    near = np.lib.stride_tricks.sliding_window_view(beside, 2 * _BESIDE + 1)
    others = np.delete(near, _BESIDE, axis=1).max(axis=1)
    found = np.flatnonzero((turns > _MUCH) & (turns > _TIMES * others)) + 1
    return tuple(found.tolist()) if len(found) <= max(2.0, _OFTEN * clip.duration) else ()


def pieces(clip: Clip) -> list[tuple[int, int]]:
    """First frame and end of each piece of a clip; a loop, whose last piece goes on with its first, is one."""
    edges = [0, *(() if clip.loop else cuts(clip)), clip.frames]
    return list(zip(edges, edges[1:], strict=False))


def timing_of(clip: Clip) -> Timing:
    """A clip's rate, whether it is a loop, and its cuts."""
    return Timing(clip.rate, clip.loop, cuts(clip))
