"""Travel over the ground: places, headings, paths. Level things only; +Y is up and a heading of 0 looks along +Z."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.interpolate import CubicSpline, PchipInterpolator
from scipy.ndimage import gaussian_filter1d

from reflexa.motion import quat
from reflexa.motion.arrays import Array

Line = Literal["exact", "smoothed", "straight"]
# Heel and ball share the weight while their heights differ by less than about this, metres.
BEARS = 0.001
# How much a foot counts that stands on its heel alone.
ON_HEEL = 0.05


def headings(turned: Array, ahead: Array) -> Array:
    """Heading ``(frames,)`` in radians, without jumps, of a direction ``ahead`` that is turned by ``turned`` ``(frames, 4)``.

    Where the direction points straight up or down the heading is the one before it.
    """
    way = quat.rotate(turned, ahead)
    level = np.hypot(way[:, 0], way[:, 2])
    angle = np.arctan2(way[:, 0], way[:, 2])
    good = np.flatnonzero(level > 1e-3)
    if len(good) == 0:
        return np.zeros(len(turned))
    last = np.maximum.accumulate(np.where(level > 1e-3, np.arange(len(angle)), -1))
    return np.asarray(np.unwrap(angle[np.where(last < 0, good[0], last)]))


def smoothed(track: Array, line: Line, seconds: float, rate: float, loop: bool) -> Array:
    """A track ``(frames, …)`` as it is, without what is faster than ``seconds``, or straight and even from start to end.

    A loop's track is smoothed round its seam, with the travel of a cycle taken out and put back, so that the repeat
    goes on as smoothly as the rest.
    """
    n = len(track)
    if line == "exact" or n < 3:
        return np.array(track)
    share = (np.arange(n) / (n - 1)).reshape(-1, *([1] * (track.ndim - 1)))
    even = track[0] + share * (track[-1] - track[0])
    if line == "straight":
        return np.asarray(even)
    sigma = seconds * rate / 2
    rest = track - even
    if loop:
        round_ = gaussian_filter1d(rest[:-1], sigma, axis=0, mode="wrap")
        return np.asarray(even + np.concatenate([round_, round_[:1]]))
    # Odd about the ends: start and end stay where they are, and so does the speed there.
    pad = min(n - 1, max(1, round(4 * sigma)))
    head, tail = 2 * rest[0] - rest[pad:0:-1], 2 * rest[-1] - rest[-2 : -pad - 2 : -1]
    out = gaussian_filter1d(np.concatenate([head, rest, tail]), sigma, axis=0)[pad : pad + n]
    return np.asarray(even + out - (out[0] + share * (out[-1] - out[0])))


class Path:
    """A smooth curve through points on the ground, walked by its length.

    points ``(n, 2)``: x and z in metres; two points or more that are not all in one place. Raises ValueError.
    """

    def __init__(self, points: ArrayLike) -> None:
        p = np.asarray(points, dtype=np.float64).reshape(-1, 2)
        if not np.all(np.isfinite(p)):
            raise ValueError("has a point that is not finite")
        p = p[np.linalg.norm(np.diff(p, axis=0, prepend=np.inf), axis=1) > 1e-6]
        if len(p) < 2:
            raise ValueError("needs two points in different places")
        self.points = p
        # Centripetal: no loops or cusps between uneven points (Yuksel, Schaefer & Keyser 2011).
        knots = np.concatenate([[0.0], np.cumsum(np.sqrt(np.linalg.norm(np.diff(p, axis=0), axis=1)))])
        self._curve = CubicSpline(knots, p, bc_type="natural") if len(p) > 2 else None
        self._knots = knots
        fine = np.linspace(knots[0], knots[-1], max(64 * (len(p) - 1), 64) + 1)
        steps = np.linalg.norm(np.diff(self._at(fine), axis=0), axis=1)
        self._lengths = np.concatenate([[0.0], np.cumsum(steps)])
        self._fine = fine

    @property
    def length(self) -> float:
        """Metres from end to end."""
        return float(self._lengths[-1])

    def _at(self, t: Array) -> Array:
        if self._curve is not None:
            return np.asarray(self._curve(t))
        u = ((t - self._knots[0]) / (self._knots[-1] - self._knots[0]))[:, None]
        return np.asarray(self.points[0] + u * (self.points[1] - self.points[0]))

    def at(self, distance: ArrayLike) -> tuple[Array, Array]:
        """Places ``(n, 2)`` and headings ``(n,)`` in radians at distances along the path; beyond its ends it goes straight on."""
        s = np.asarray(distance, dtype=np.float64)
        inside = np.clip(s, 0.0, self.length)
        t = np.interp(inside, self._lengths, self._fine)
        place = self._at(t)
        way = self._curve(t, 1) if self._curve is not None else np.tile(self.points[1] - self.points[0], (len(t), 1))
        way = way / np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-12)
        place = place + (s - inside)[:, None] * way
        return place, np.unwrap(np.arctan2(way[:, 0], way[:, 1]))


def distances(length: float, frames: int, profile: ArrayLike, rate: float) -> tuple[Array, Array]:
    """Distance along a path ``(frames,)`` and speed ``(frames,)`` in m/s, for a path walked in the clip's own time.

    profile: (share of the time 0 to 1, pace relative to the others) points, smooth and without overshoot between
    (monotone cubic); empty: even. The whole length is walked by the last frame. A pace of 0 everywhere is even too.
    """
    t = np.linspace(0.0, 1.0, frames)
    points = np.asarray(profile, dtype=np.float64).reshape(-1, 2)
    if len(points) < 2 or not np.any(points[:, 1] > 0):
        pace = np.ones(frames)
    else:
        u = np.clip(t, points[0, 0], points[-1, 0])
        pace = np.maximum(PchipInterpolator(points[:, 0], points[:, 1])(u), 0.0)
    walked = np.concatenate([[0.0], np.cumsum((pace[1:] + pace[:-1]) / 2)])
    total = walked[-1] if frames > 1 and walked[-1] > 1e-12 else 1.0
    s = walked / total * length
    return s, np.gradient(s) * rate if frames > 1 else np.zeros(frames)


Foot = tuple[Array, Array, NDArray[np.bool_], NDArray[np.bool_]]


def bearing(foot: Foot) -> tuple[Array, Array]:
    """How a standing foot moves from frame to frame ``(frames - 1, 2)`` over the ground, and how much that is to be relied
    on ``(frames - 1,)``, 0 where it does not stand.

    foot: heel and ball ``(frames, 3)``, and when each stands ``(frames,)``. What moves is the lower of both, which is the
    one that bears. A heel is round: a foot that stands on nothing else counts little beside one that has its ball down.
    """
    heel, ball, heel_stands, ball_stands = foot
    on_heel, on_ball = heel_stands[1:] & heel_stands[:-1], ball_stands[1:] & ball_stands[:-1]
    lower = (heel[1:, 1] + heel[:-1, 1] - ball[1:, 1] - ball[:-1, 1]) / 2
    share = 1 / (1 + np.exp(np.clip(-lower / BEARS, -50, 50)))  # of the ball
    share = np.where(on_heel & on_ball, share, on_ball.astype(np.float64))[:, None]
    moved = np.diff(heel[:, [0, 2]], axis=0) * (1 - share) + np.diff(ball[:, [0, 2]], axis=0) * share
    return moved, np.where(on_ball, 1.0, np.where(on_heel, ON_HEEL, 0.0))


def from_feet(feet: list[Foot], frames: int, loop: bool) -> Array:
    """How far a figure has come ``(frames, 2)`` when the feet that stand do not move, from 0 at the first frame.

    feet: in the figure's own frame, as ``bearing`` takes them. From frame to frame the figure goes as far forward as the
    standing feet go back; where none stands it goes on at a speed between those before and after, round the seam of a
    loop.
    """
    step, count = np.zeros((max(frames - 1, 0), 2)), np.zeros(max(frames - 1, 0))
    for foot in feet:
        moved, weight = bearing(foot)
        step -= weight[:, None] * moved
        count += weight
    known = np.flatnonzero(count)
    if len(known) == 0:
        return np.zeros((frames, 2))
    step[known] /= count[known, None]
    at = np.arange(len(step), dtype=np.float64)
    for i in range(2):
        step[:, i] = np.interp(at, known, step[known, i], period=len(step) if loop else None)
    return np.concatenate([np.zeros((1, 2)), np.cumsum(step, axis=0)])


def yaw(angle: ArrayLike) -> Array:
    """Rotations about up ``(…, 4)``."""
    return quat.about(1, angle)
