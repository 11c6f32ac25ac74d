"""When something stands on the ground: low and slow, with hysteresis."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import kernels
from reflexa.motion.arrays import Array

Spans = list[tuple[int, int]]


def speeds(places: Array, rate: float) -> Array:
    """Speed ``(frames,)`` in metres a second of a point's track ``(frames, 3)``: central differences, one-sided at both ends."""
    at = np.arange(len(places))
    before, after = np.maximum(at - 1, 0), np.minimum(at + 1, len(places) - 1)
    x, y, z = (places[after] - places[before]).T
    return np.asarray(np.sqrt(x * x + y * y + z * z) * rate / np.maximum(after - before, 1))


def standing(
    height: Array, speed: Array, low: float, slow: float, slack: float = 1.6, least: int = 3
) -> NDArray[np.bool_]:
    """Frames at which a point stands ``(frames,)``.

    It stands from where it is below ``low`` (metres) and slower than ``slow`` (metres a second) for as long as it
    stays below ``slack`` times either; spans shorter than ``least`` frames do not count.
    """
    out = np.empty(len(height), dtype=bool)
    kernels.spans.standing(kernels.spans.Bounds(float(low), float(slow), float(slack), least), height, speed, out)
    return out


# A point that leaves its place by less than this from frame to frame, metres, is held there: nothing captured is so still. A
# foot has been held that is for this share of the time.
_HELD, _MOSTLY = 2e-5, 0.52


def as_held(tracks: list[Array], stands: list[NDArray[np.bool_]], least: int) -> list[NDArray[np.bool_]]:
    """When points of one foot stand ``(frames,)`` each, where the foot has been held still already: then as it was held, not a
    frame more that has come near to standing since.

    A span in which one point after the other is exactly still all through, but for less than ``least`` frames here and there,
    has been held. tracks ``(frames, 3)`` each: heel, ball, and others.
    """
    exactly = np.empty((len(tracks), len(tracks[0])), dtype=bool)
    kernels.spans.still(_HELD, np.array(tracks), exactly)
    out = np.empty(exactly.shape, dtype=bool)
    kernels.spans.as_held(_MOSTLY, least, np.array(stands), exactly, out)
    return list(out)


def spans(mask: NDArray[np.bool_]) -> Spans:
    """First and last frame, both included, of every run of True.

    >>> spans(np.array([False, True, True, False, True]))
    [(1, 2), (4, 4)]
    """
    edges = np.diff(np.concatenate([[0], mask.astype(np.int8), [0]]))
    starts, ends = np.flatnonzero(edges == 1), np.flatnonzero(edges == -1) - 1
    return list(zip(starts.tolist(), ends.tolist(), strict=True))


def joined(pieces: list[NDArray[np.bool_]]) -> NDArray[np.bool_]:
    """When something stands over pieces in a row, each looked at by itself. What stands up to a cut and from there on stands
    twice: the longer piece gives a frame for the two to be told apart.

    >>> joined([np.array([True]), np.array([True, True, False])])
    array([ True, False,  True, False])
    """
    pieces = [np.array(p) for p in pieces]
    for before, after in zip(pieces, pieces[1:], strict=False):
        if before[-1] and after[0]:
            if len(before) > len(after):
                before[-1] = False
            else:
                after[0] = False
    return np.concatenate(pieces)


def peaks(values: Array, limit: float) -> list[tuple[int, int, int]]:
    """First and last frame of every run in which values ``(frames,)`` are over a limit, and the frame where they are largest."""
    return [(a, b, a + int(np.argmax(values[a : b + 1]))) for a, b in spans(values > limit)]


def slide(points: tuple[Array, Array], stands: tuple[NDArray[np.bool_], NDArray[np.bool_]]) -> tuple[float, int]:
    """The furthest that a standing foot slides over the ground, metres, and the frame of it.

    points, stands: tracks ``(frames, 3)`` of heel and ball, and when each stands. A foot that turns about its ball
    does not slide, whatever its heel does: what counts is the one of the two that moves less.
    """
    away = np.full((2, len(points[0])), np.inf)
    for i, (track, mask) in enumerate(zip(points, stands, strict=True)):
        for first, last in spans(mask):
            away[i, first : last + 1] = np.linalg.norm((track[first : last + 1] - track[first])[:, [0, 2]], axis=-1)
    least = away.min(axis=0)
    least[np.isinf(least)] = 0.0
    frame = int(np.argmax(least))
    return float(least[frame]), frame
