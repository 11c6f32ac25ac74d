"""Motion at moments between its frames."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from reflexa.motion.arrays import Array
from reflexa.motion.kernels.compiling import helper, kernel
from reflexa.motion.kernels.quaternions import (
    V,
    add,
    cubic,
    inv,
    mul,
    near_side,
    of_vector,
    q_at,
    slerp,
    sub,
    times,
    v_at,
    v_of,
    vector,
)


@kernel(shared=1, out=1)
def turns(rotations: Array, at: Array, out: Array) -> None:
    """Rotations ``(frames, joints, 4)`` at moments ``(n,)`` inside the clip, by slerp on the short arc; exact on frames."""
    for f in range(len(at)):
        i = int(at[f])
        after = min(i + 1, len(rotations) - 1)
        for j in range(rotations.shape[1]):
            out[f, j, 0], out[f, j, 1], out[f, j, 2], out[f, j, 3] = slerp(
                q_at(rotations, i, j), q_at(rotations, after, j), at[f] - i
            )


@kernel(shared=1, out=1)
def smooth_turns(rotations: Array, at: Array, out: Array) -> None:
    """The same along a smooth curve: cubic in the components, with the slope at a frame that leads from the one before to
    the one after (Catmull & Rom 1974), and of unit length again. Between frames that are alike nothing moves."""
    n = len(rotations)
    for f in range(len(at)):
        i = int(at[f])
        s = at[f] - i
        before, after, far = max(i - 1, 0), min(i + 1, n - 1), min(i + 2, n - 1)
        for j in range(rotations.shape[1]):
            size = 0.0
            towards = back = beyond = 1.0
            if s > 0.0:
                towards = _same_side(rotations, i, after, j)
                back = _same_side(rotations, i, before, j)
                beyond = towards * _same_side(rotations, after, far, j)
            for k in range(4):
                q = rotations[i, j, k]
                if s > 0.0:
                    to = towards * rotations[after, j, k]
                    m = _mean(q - back * rotations[before, j, k], to - q, i == 0, False)
                    m_to = _mean(to - q, beyond * rotations[far, j, k] - to, False, after == n - 1)
                    q = cubic(q, to, m, m_to, s)
                out[f, j, k] = q
                size += q * q
            if s > 0.0:
                size = math.sqrt(size)
                for k in range(4):
                    out[f, j, k] /= size


@helper
def _same_side(rotations: Array, a: int, b: int, j: int) -> float:
    dot = 0.0
    for k in range(4):
        dot += rotations[a, j, k] * rotations[b, j, k]
    return -1.0 if dot < 0.0 else 1.0


@helper
def _mean(before: float, after: float, first: bool, last: bool) -> float:
    """The slope between two ways: that of the other one at an end, none where one of them does not move."""
    if first:
        return after
    if last:
        return before
    return 0.0 if before == 0.0 or after == 0.0 else 0.5 * (before + after)


@kernel(shared=1, out=1)
def values(given: Array, at: Array, out: Array) -> None:
    """Values ``(frames, n)`` at moments ``(m,)``, straight from frame to frame; exact on frames."""
    for f in range(len(at)):
        i = int(at[f])
        s, after = at[f] - i, min(i + 1, len(given) - 1)
        for k in range(given.shape[1]):
            out[f, k] = given[i, k] if s == 0.0 else given[i, k] + s * (given[after, k] - given[i, k])


@kernel(shared=1, out=1)
def smooth_values(given: Array, at: Array, out: Array) -> None:
    """The same along a smooth curve that goes beyond none of its frames (Fritsch & Carlson 1980); what is straight stays so."""
    n = len(given)
    for f in range(len(at)):
        i = int(at[f])
        s, after = at[f] - i, min(i + 1, n - 1)
        for k in range(given.shape[1]):
            a, b = given[i, k], given[after, k]
            if s == 0.0 or a == b:
                out[f, k] = a
                continue
            d = b - a
            m = d if i == 0 else _kept(a - given[i - 1, k], d)
            m_to = d if after == n - 1 else _kept(d, given[after + 1, k] - b)
            out[f, k] = cubic(a, b, m, m_to, s)


@helper
def _kept(before: float, after: float) -> float:
    """The slope that keeps the shape: none at a turning point, else the harmonic mean."""
    return 0.0 if before * after <= 0.0 else 2.0 * before * after / (before + after)


@kernel(shared=0, out=1, in_order=True)
def one_side(rotations: Array) -> None:
    """Rotations ``(frames, joints, 4)`` on one hemisphere from frame to frame, changed in place."""
    for f in range(1, len(rotations)):
        for j in range(rotations.shape[1]):
            q = near_side(q_at(rotations, f, j), q_at(rotations, f - 1, j))
            rotations[f, j, 0], rotations[f, j, 1], rotations[f, j, 2], rotations[f, j, 3] = q


@kernel(shared=2, out=1)
def faded(value: Array, begin: Array, shares: Array, rotations: Array) -> None:
    """Rotations ``(frames, joints, 4)`` turned in their own axes by shares ``(frames, 2)`` of two rotation vectors
    ``(joints, 3)``."""
    for f in range(len(rotations)):
        for j in range(len(value)):
            q = mul(
                q_at(rotations, f, j),
                of_vector(add(times(v_of(value, j), shares[f, 0]), times(v_of(begin, j), shares[f, 1]))),
            )
            rotations[f, j, 0], rotations[f, j, 1], rotations[f, j, 2], rotations[f, j, 3] = q


# Keys: from each the furthest that can be gone straight. Going on narrows the ways that stay within the tolerance of all that
# was passed (a box of slopes); a frame can be the next key while the way to it lies inside.


@helper
def _narrowed(way: V, over: float, within: float, low: V, high: V) -> tuple[V, V, bool]:
    """The slopes that are left, and whether the one to this frame was among those before it."""
    x, y, z = way[0] / over, way[1] / over, way[2] / over
    by = within / over
    inside = low[0] <= x <= high[0] and low[1] <= y <= high[1] and low[2] <= z <= high[2]
    low = (max(low[0], x - by), max(low[1], y - by), max(low[2], z - by))
    high = (min(high[0], x + by), min(high[1], y + by), min(high[2], z + by))
    return low, high, inside


_ANY = 1e300
# No two keys are further apart, so that looking back for one costs little.
_LONGEST = 100_000


@helper
def _way(given: Array, a: int, f: int, j: int) -> V:
    """From one frame to another: a straight line, or for rotations their vector seen from the first, in which slerp is one."""
    if given.shape[2] == 3:
        return sub(v_at(given, f, j), v_at(given, a, j))
    return vector(mul(inv(q_at(given, a, j)), q_at(given, f, j)))


@kernel(shared=2, out=1)
def needed(given: Array, within: Array, of: NDArray[np.intp], keep: NDArray[np.bool_]) -> None:
    """Which frames of joints ``of`` ``(n,)`` have to be keys ``(n, frames)``, so that slerp between rotations
    ``(frames, joints, 4)``, or straight lines between points ``(frames, joints, 3)``, stay within so many radians or metres
    ``(joints,)``."""
    n = len(given)
    for i in range(len(of)):
        j = of[i]
        for f in range(n):
            keep[i, f] = f == 0 or f == n - 1
        box = within[j] / math.sqrt(3.0)
        a, f, good = 0, 1, 1
        low, high = (-_ANY, -_ANY, -_ANY), (_ANY, _ANY, _ANY)
        while f < n:
            low, high, inside = _narrowed(_way(given, a, f, j), float(f - a), box, low, high)
            if inside:
                good = f
            if f < n - 1 and low[0] <= high[0] and low[1] <= high[1] and low[2] <= high[2] and f - a < _LONGEST:
                f += 1
                continue
            if good == n - 1:
                break
            keep[i, good] = True
            a, f, good = good, good + 1, good + 1
            low, high = (-_ANY, -_ANY, -_ANY), (_ANY, _ANY, _ANY)


@kernel(shared=1, out=1)
def between_keys(rotations: Array, of: NDArray[np.intp], keep: NDArray[np.bool_], out: Array) -> None:
    """Rotations of joints ``of`` ``(n,)`` between the frames that are kept ``(n, frames)``, by slerp, into ``(n, frames, 4)``."""
    n = len(rotations)
    for i in range(len(of)):
        a = 0
        for b in range(1, n):
            if keep[i, b]:
                qa, qb = q_at(rotations, a, of[i]), q_at(rotations, b, of[i])
                for f in range(a, b + 1):
                    q = qb if f == b else slerp(qa, qb, (f - a) / (b - a))
                    out[i, f, 0], out[i, f, 1], out[i, f, 2], out[i, f, 3] = q
                a = b
        if n == 1:
            out[i, 0, 0], out[i, 0, 1], out[i, 0, 2], out[i, 0, 3] = q_at(rotations, 0, of[i])
