"""Spans of time: when something stands, and changes given in some spans led there and back between them."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from reflexa.motion.arrays import Array
from reflexa.motion.kernels.compiling import helper, kernel
from reflexa.motion.kernels.quaternions import V, add, cubic, dot, length, sub, times, v_at

Bools = NDArray[np.bool_]


class Bounds(NamedTuple):
    """What stands is lower than ``low`` and slower than ``slow``; it goes on to ``slack`` times either, for ``least`` frames."""

    low: float
    slow: float
    slack: float
    least: int


@kernel(shared=1, out=1, in_order=True)
def standing(bounds: Bounds, height: Array, speed: Array, out: Bools) -> None:
    """When something stands: from where it is low and slow for as long as it stays below the slack."""
    low, slow, slack, least = bounds
    first, sure = -1, False
    for f in range(len(out) + 1):
        if f < len(out) and height[f] < slack * low and speed[f] < slack * slow:
            if first < 0:
                first, sure = f, False
            sure = sure or (height[f] < low and speed[f] < slow)
        elif first >= 0:
            for k in range(first, f):
                out[k] = sure and f - first >= least
            first = -1
        if f < len(out) and first < 0:
            out[f] = False


@kernel(shared=1, out=1, in_order=True)
def still(within: float, points: Array, out: Bools) -> None:
    """When points of a foot ``(points, frames, 3)``, heel and ball first, leave their place by less than so much from frame to
    frame, on one side or the other. A sole that turns level about a point between heel and ball leaves its place with neither."""
    for f in range(points.shape[1]):
        for i in range(len(points)):
            out[i, f] = False
    for f in range(1, points.shape[1]):
        for i in range(len(points)):
            if length(_step(points, i, f)) < within:
                out[i, f - 1] = out[i, f] = True
        heel, ball = _step(points, 0, f), _step(points, 1, f)
        if max(abs(heel[1]), abs(ball[1])) < within and length(_least(heel, ball)) < within:
            out[0, f - 1] = out[1, f - 1] = out[0, f] = out[1, f] = True


@helper
def _step(points: Array, i: int, f: int) -> V:
    """How far a point goes in a frame."""
    return sub(v_at(points, i, f), v_at(points, i, f - 1))


@helper
def _least(a: V, b: V) -> V:
    """The smallest that any point between two moves by, of which one moves by a and the other by b."""
    d = sub(b, a)
    square = dot(d, d)
    return a if square == 0.0 else add(a, times(d, min(max(-dot(a, d) / square, 0.0), 1.0)))


@helper
def _any(stands: Bools, f: int) -> bool:
    for i in range(len(stands)):  # noqa: SIM110 - a generator is no loop to the compiler
        if stands[i, f]:
            return True
    return False


@helper
def _put(stands: Bools, first: int, end: int, out: Bools) -> None:
    """What stands in some frames, copied."""
    for i in range(len(out)):
        for f in range(first, end):
            out[i, f] = stands[i, f]


@helper
def _end(stands: Bools, first: int) -> int:
    """The last frame of the span that begins at one, in which any of them stands."""
    last = first
    while last + 1 < stands.shape[1] and _any(stands, last + 1):
        last += 1
    return last


@kernel(shared=4, out=1, in_order=True)
def as_held(mostly: float, least: int, stands: Bools, exactly: Bools, out: Bools) -> None:
    """When points of a foot stand ``(points, frames)``: as they are exactly still, in spans in which any of them mostly is, but
    for gaps of no more than ``least`` frames; else as they stand."""
    _put(stands, 0, stands.shape[1], out)
    f = 0
    while f < stands.shape[1]:
        if not _any(stands, f):
            f += 1
            continue
        first, last = f, _end(stands, f)
        count, gap, longest = 0, 0, 0
        for k in range(first, last + 1):
            if _any(exactly, k):
                count, gap = count + 1, 0
            else:
                gap += 1
                longest = max(longest, gap)
        if count > mostly * (last - first + 1) and longest <= least:
            _put(exactly, first, last + 1, out)
        f = last + 1


class Steps(NamedTuple):
    """What tells a step of a walk: the way that a foot gets back under the body at least, metres; how many frames on its strike
    and its leaving are looked for; how high its tip rises at most and is still there, metres."""

    least: float
    strike: int
    leave: int
    rise: float


@kernel(shared=4, out=1, in_order=True)
def refined(steps: Steps, stands: Bools, points: Array, body: Array, out: Bools) -> None:
    """When heel, ball and tip of a foot stand ``(3, frames)``, its stances begun where it comes down the fastest and ended
    where its tip is furthest behind. points ``(3, frames, 3)``: their tracks; body ``(frames, 3)``."""
    _put(stands, 0, stands.shape[1], out)
    n = stands.shape[1]
    f = 0
    while f < n:
        if not _any(stands, f):
            f += 1
            continue
        first, last = f, _end(stands, f)
        f = last + 1
        x = points[1, last, 0] - body[last, 0] - points[1, first, 0] + body[first, 0]
        z = points[1, last, 2] - body[last, 2] - points[1, first, 2] + body[first, 2]
        far = math.sqrt(x * x + z * z)
        if far < steps.least:
            continue
        back = (x / far, z / far)
        if first > 0:
            for k in range(first, _trough(points[0], points[1], first, min(first + steps.strike, n - 2))):
                out[0, k] = out[1, k] = out[2, k] = False
        if last < n - 1:
            for k in range(last, _turning(points[2], body, (-back[0], -back[1]), last, min(last + steps.leave, n - 1))):
                if points[2, k, 1] > points[2, last, 1] + steps.rise:
                    break
                out[2, k] = True


@helper
def _trough(heel: Array, ball: Array, near: int, high: int) -> int:
    """The frame from one on at which the middle between two points comes down the fastest; that one if it only slows down."""
    at, least = near, math.inf
    for f in range(max(near, 1), high + 1):
        falls = heel[f + 1, 1] - heel[f - 1, 1] + ball[f + 1, 1] - ball[f - 1, 1]
        if falls < least:
            at, least = f, falls
    return near if at == high else at


@helper
def _turning(track: Array, body: Array, way: tuple[float, float], near: int, high: int) -> int:
    """The frame from one on at which a point turns round, being least far along a way; that one if it does not until another."""
    at, least = near, math.inf
    for f in range(near, high + 1):
        along = (track[f, 0] - body[f, 0]) * way[0] + (track[f, 2] - body[f, 2]) * way[1]
        if along < least:
            at, least = f, along
    return near if at == high else at


@helper
def lead(ease_in: int, ease_out: int, values: Array, out: Array) -> None:
    """A change that is given in spans (``values`` ``(frames, n)``, nan elsewhere), led to them from nothing and back, or
    straight from one to the next where they are closer: cubic, with continuous velocity."""
    n = len(values)
    last = -1  # of the span before
    f = 0
    while f <= n:
        if f < n and math.isnan(values[f, 0]):
            f += 1
            continue
        first = f
        near = first < n and last >= 0 and first - last < ease_in + ease_out
        for k in range(values.shape[1]):
            from_ = leaving = to = arriving = 0.0
            if last >= 0:
                from_ = values[last, k]
                if last > 0 and not math.isnan(values[last - 1, k]):
                    leaving = from_ - values[last - 1, k]
            if first < n:
                to = values[first, k]
                if first + 1 < n and not math.isnan(values[first + 1, k]):
                    arriving = values[first + 1, k] - to
            for i in range(last + 1, first):
                if near:
                    out[i, k] = _led(from_, to, leaving, arriving, i - last, first - last)
                elif last >= 0 and i < last + ease_out and (first >= n or i <= first - ease_in):
                    out[i, k] = _led(from_, 0.0, leaving, 0.0, i - last, ease_out)
                elif first < n and i > first - ease_in:
                    out[i, k] = _led(0.0, to, 0.0, arriving, i - first + ease_in, ease_in)
                else:
                    out[i, k] = 0.0
        while f < n and not math.isnan(values[f, 0]):
            for k in range(values.shape[1]):
                out[f, k] = values[f, k]
            f += 1
        last = f - 1
        if first >= n:
            break


@helper
def _led(a: float, b: float, leaving: float, arriving: float, at: int, long: int) -> float:
    """So many frames on a way of so many, with speeds a frame at both ends."""
    return cubic(a, b, long * leaving, long * arriving, at / max(long, 1))


@kernel(shared=2, out=1, in_order=True)
def eased(ease_in: int, ease_out: int, values: Array, out: Array) -> None:
    """``lead``, from outside."""
    lead(ease_in, ease_out, values, out)
