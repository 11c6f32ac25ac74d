"""Travel over the ground: places, headings, paths. Level things only; +Y is up and a heading of 0 looks along +Z."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray

from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.curves import monotone
from reflexa.motion.smoothing import fitted_between, gaussian

Line = Literal["exact", "smoothed", "straight"]
# Heel and ball share the weight while their heights differ by less than about this, metres.
BEARS = 0.001
# How much a foot counts that stands on its heel alone.
ON_HEEL = 0.05


# A figure whose up points up by more than this (cosine) faces where it faces, whatever happened before.
_UPRIGHT = 0.5


def headings(turned: Array, ahead: Array, up: Array | None = None) -> Array:
    """Heading ``(frames,)`` in radians, without jumps, of a direction ``ahead`` that is turned by ``turned`` ``(frames, 4)``.

    up ``(3,)``, in the same axes as ahead: then the heading is that of a body that may also lie, crawl, roll or turn cartwheels.
    From frame to frame it turns by the smallest turn: as much as the body turns about the vertical. Where the body is upright it
    is where that faces, and where it comes upright again what differs is spread over the while in between. Without up it is that
    of ahead alone, and where ahead points straight up or down the one before it.
    """
    way = quat.rotate(turned, ahead)
    if up is not None:
        return _body_headings(turned, way, quat.rotate(turned, np.cross(up, ahead)), quat.rotate(turned, up)[:, 1])
    level = np.hypot(way[:, 0], way[:, 2])
    angle = np.arctan2(way[:, 0], way[:, 2])
    good = np.flatnonzero(level > 1e-3)
    if len(good) == 0:
        return np.zeros(len(turned))
    last = np.maximum.accumulate(np.where(level > 1e-3, np.arange(len(angle)), -1))
    return np.asarray(np.unwrap(angle[np.where(last < 0, good[0], last)]))


def _body_headings(turned: Array, ahead: Array, across: Array, upright: Array) -> Array:
    """Headings ``(frames,)`` of a body that is turned ``(frames, 4)``, by where its forward and left ``(frames, 3)`` point, and
    how upright it is ``(frames,)`` (the height of its up)."""
    flat = np.stack([ahead[:, 0] ** 2 + ahead[:, 2] ** 2, across[:, 0] ** 2 + across[:, 2] ** 2])
    weight = flat**2
    # Left is a quarter turn on from forward.
    says = np.stack([np.arctan2(ahead[:, 0], ahead[:, 2]), np.arctan2(-across[:, 2], across[:, 0])])
    own = says[0] + _wrapped(says[1] - says[0]) * (weight[1] / weight.sum(axis=0))
    change = quat.multiply(turned[1:], quat.conjugate(turned[:-1]))
    gathered = np.concatenate([[0.0], np.cumsum(_wrapped(2 * np.arctan2(change[:, 1], change[:, 3])))])
    sure = np.flatnonzero(upright > _UPRIGHT)
    if len(sure) == 0:
        # It never stands: as the flatter of both says where one of them lies flattest, and on from there.
        at = int(np.argmax(flat.max(axis=0)))
        return np.asarray(gathered - gathered[at] + says[int(np.argmax(flat[:, at])), at])
    off = np.unwrap(own[sure] - gathered[sure])
    return np.asarray(gathered + np.interp(np.arange(len(own)), sure, off))


def _wrapped(angle: Array) -> Array:
    """The same angles between -pi and pi."""
    return np.asarray((angle + np.pi) % (2 * np.pi) - np.pi)


def smoothed(track: Array, line: Line, seconds: float, rate: float, loop: bool) -> Array:
    """A track ``(frames, …)`` as it is, without what is faster than ``seconds``, or straight and even from start to end.

    What is left is the nearest smooth curve (least squares, cubic, in spans of that length) from the track's start to its
    end: so that a track without its smoothed self has nothing smooth left in it. A loop's track is smoothed round its seam,
    with the travel of a cycle taken out and put back, so that the repeat goes on as smoothly as the rest.
    """
    n = len(track)
    if line == "exact" or n < 3:
        return np.array(track)
    share = (np.arange(n) / (n - 1)).reshape(-1, *([1] * (track.ndim - 1)))
    even = track[0] + share * (track[-1] - track[0])
    if line == "straight":
        return np.asarray(even)
    fitted = fitted_between(track - even, max(2, round((n - 1) / (seconds * rate))), loop)
    return np.array(track) if fitted is None else np.asarray(even + fitted)


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
        from scipy.interpolate import CubicSpline

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
        pace = np.maximum(monotone(points[:, 0], points[:, 1], t), 0.0)
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


# A point may bear while its height changes by less than about the first within twice the second (seconds), the less so the
# higher it is: shares of the leg. Points that bear agree within about the third, in leg lengths a second; below the fourth
# nothing bears at all. What may bear counts so much beside what is known to stand.
_LOW, _LEVEL, _HIGH, _AGREE, _BORNE, _UNSURE = 0.009, 0.1, 0.1, 0.01, 4e-5, 0.02
# How quick a change of the speed may be, seconds.
_EVEN = 0.015


def from_feet(points: Array, heights: Array, stands: Array, leg: float, pace: tuple[float, bool]) -> Array:
    """How far a figure has come ``(frames, 2)`` when what bears it does not move, from 0 at the first frame.

    points: heel, ball and tip of each foot in the figure's own frame ``(feet, 3, frames, 3)``; heights ``(feet, 3, frames)``:
    over what lies below them; stands ``(feet, 3, frames)``: when each is taken to stand; leg: metres; pace: the rate, and whether
    it is a loop.

    The figure goes as fast forward as the points that bear go back. Which do is found anew in every frame: those that
    stand, or else what is low and level, and of those the ones that agree (an estimate by reweighting, Huber 1981), so that
    a foot that swings low over the ground does not slow the figure down, nor one that rolls on its heel, which is round.
    Where nothing bears it goes on at a speed between those before and after, round the seam of a loop.
    """
    rate, loop = pace
    n = points.shape[2]
    if n < 2:
        return np.zeros((n, 2))
    speed = np.diff(points[..., [0, 2]], axis=2).reshape(-1, n - 1, 2) * rate
    from scipy.ndimage import maximum_filter1d, minimum_filter1d

    # What is on level ground neither rises nor falls: over a fifth of a second, or it is only on its way past.
    wide = 2 * max(1, round(_LEVEL * rate)) + 1
    y = points[..., 1]
    level = maximum_filter1d(y, wide, axis=-1, mode="nearest") - minimum_filter1d(y, wide, axis=-1, mode="nearest")
    high = np.maximum(heights, 0.0) / (_HIGH * leg)
    bears = np.exp(-((level / (_LOW * leg)) ** 2) - high)
    bears = np.minimum(bears[..., 1:], bears[..., :-1])
    # Of the points of a foot that stand the lowest bears: a heel that lifts no longer does.
    over = np.where(stands, y, np.inf)
    lower = np.exp(-np.minimum(over - np.min(over, axis=1, keepdims=True, initial=1e9), 1.0) / BEARS) * stands
    bears = np.maximum(_UNSURE * bears, np.minimum(lower[..., 1:], lower[..., :-1]))
    bears[:, [0, 2]] *= ON_HEEL + (1 - ON_HEEL) * bears[:, 1:2]
    low = bears.reshape(-1, n - 1)
    best = np.argmax(low, axis=0)
    goes = np.take_along_axis(speed, best[None, :, None], axis=0)[0]
    for _ in range(12):
        away = np.sum((speed - goes) ** 2, axis=-1)
        count = low / (away + (_AGREE * leg) ** 2)
        goes = np.einsum("pf,pfx->fx", count, speed) / np.maximum(count.sum(axis=0), 1e-12)[:, None]
    known = np.flatnonzero(low.sum(axis=0) > _BORNE)
    if len(known) == 0:
        return np.zeros((n, 2))
    at = np.arange(n - 1, dtype=np.float64)
    for i in range(2):
        goes[:, i] = np.interp(at, known, goes[known, i], period=n - 1 if loop else None)
    goes = (
        gaussian(goes, _EVEN * rate, False)
        if not loop
        else gaussian(np.concatenate([goes, goes[:1]]), _EVEN * rate, True)[:-1]
    )
    return np.concatenate([np.zeros((1, 2)), np.cumsum(-goes / rate, axis=0)])


def yaw(angle: ArrayLike) -> Array:
    """Rotations about up ``(…, 4)``."""
    return quat.about(1, angle)
