"""Points inside rounded blocks that go with joints."""

from __future__ import annotations

import math

import numpy as np

from reflexa.motion.arrays import Array
from reflexa.motion.kernels.compiling import helper, kernel
from reflexa.motion.kernels.parts import Blocks, Model
from reflexa.motion.kernels.quaternions import V, add, direction, dot, inv, q_at, rot, smooth, sub, times, v_at, v_of


@kernel(shared=2, out=2)
def depths(blocks: Blocks, thickness: float, model: Model, points: Array, deep: Array, out: Array) -> None:
    """How deep points ``(frames, points, 3)`` are in the deepest block ``(frames, points)``, metres, and the way out of it
    ``(frames, points, 3)``, unit. thickness: half that of what the points stand for, metres."""
    joints, middles, axes, halves, _ = blocks
    turned, placed = model
    for f in range(len(points)):
        for p in range(points.shape[1]):
            deep[f, p] = 0.0
            out[f, p, 0] = out[f, p, 1] = out[f, p, 2] = 0.0
            for b in range(len(joints)):
                q = q_at(turned, f, joints[b])
                own = rot(inv(q), sub(v_at(points, f, p), v_at(placed, f, joints[b])))
                own = sub(own, (middles[b, 0], middles[b, 1], middles[b, 2]))
                across = (axes[b, 0, 0], axes[b, 0, 1], axes[b, 0, 2])
                along = (axes[b, 1, 0], axes[b, 1, 1], axes[b, 1, 2])
                ahead = (axes[b, 2, 0], axes[b, 2, 1], axes[b, 2, 2])
                x, z = dot(own, across), dot(own, ahead)
                share = math.hypot(x / (halves[b, 0] + thickness), z / (halves[b, 2] + thickness))
                if share >= 1.0 or abs(dot(own, along)) >= halves[b, 1]:
                    continue
                size = math.hypot(x, z)
                depth = size * (1.0 / max(share, 1e-6) - 1.0)
                if depth > deep[f, p]:
                    deep[f, p] = depth
                    way = rot(q, times(add(times(across, x), times(ahead, z)), 1.0 / max(size, 1e-9)))
                    out[f, p, 0], out[f, p, 1], out[f, p, 2] = way


# A block reaches beyond its ends by the first share of half its length, and is entered gradually there, over the second.
_BEYOND, _ENTERED = 0.1, 0.35
# Nearer to its axis than this share of the way to its side, there is less and less of a way out.
_INMOST = 0.6
# And at its very axis every point is taken for so far out, as a share of the way to its side.
_INNERMOST = 1e-3


@helper
def entered(blocks: Blocks, thickness: float, model: Model, f: int, point: V) -> tuple[float, V]:
    """How deep a point is in the block that it is deepest in, metres, and the way out of that, unit but for its inmost; as
    ``depths``, with no jump where a block ends."""
    joints, middles, axes, halves, reach = blocks
    turned, placed = model
    deepest, out = 0.0, (0.0, 0.0, 0.0)
    for b in range(len(joints)):
        off = sub(point, v_at(placed, f, joints[b]))
        if dot(off, off) > (reach[b] + thickness) * (reach[b] + thickness):
            continue
        q = q_at(turned, f, joints[b])
        own = sub(rot(inv(q), off), (middles[b, 0], middles[b, 1], middles[b, 2]))
        across = (axes[b, 0, 0], axes[b, 0, 1], axes[b, 0, 2])
        ahead = (axes[b, 2, 0], axes[b, 2, 1], axes[b, 2, 2])
        x, z = dot(own, across), dot(own, ahead)
        y = dot(own, (axes[b, 1, 0], axes[b, 1, 1], axes[b, 1, 2]))
        share = math.hypot(x / (halves[b, 0] + thickness), z / (halves[b, 2] + thickness))
        inside = ((1.0 + _BEYOND) * halves[b, 1] - abs(y)) / (_ENTERED * halves[b, 1])
        if share >= 1.0 or inside <= 0.0:
            continue
        size = math.hypot(x, z)
        depth = size * (1.0 / max(share, 1e-6) - 1.0) * smooth(inside)
        if depth > deepest:
            deepest = depth
            way = times(add(times(across, x), times(ahead, z)), smooth(share / _INMOST) / max(size, 1e-9))
            out = rot(q, way)
    return deepest, out


@helper
def away(blocks: Blocks, b: int, model: Model, f: int, point: V) -> tuple[float, V]:
    """How far a point is from the surface of a block, metres, negative inside; and the way out of it, unit."""
    joints, middles, axes, halves, _ = blocks
    turned, placed = model
    q = q_at(turned, f, joints[b])
    own = sub(rot(inv(q), sub(point, v_at(placed, f, joints[b]))), (middles[b, 0], middles[b, 1], middles[b, 2]))
    across = (axes[b, 0, 0], axes[b, 0, 1], axes[b, 0, 2])
    along = (axes[b, 1, 0], axes[b, 1, 1], axes[b, 1, 2])
    ahead = (axes[b, 2, 0], axes[b, 2, 1], axes[b, 2, 2])
    x, y, z = dot(own, across), dot(own, along), dot(own, ahead)
    size = math.hypot(x, z)
    share = max(math.hypot(x / halves[b, 0], z / halves[b, 2]), _INNERMOST)
    aside, beyond = size - size / share, abs(y) - halves[b, 1]
    over = max(beyond, 0.0)
    apart = math.hypot(max(aside, 0.0), over) if aside > 0.0 or beyond > 0.0 else max(aside, beyond)
    level = max(aside, 1e-6) / max(size, 1e-9)
    way = add(times(add(times(across, x), times(ahead, z)), level), times(along, over if y >= 0.0 else -over))
    return apart, rot(q, direction(way, across))


@kernel(shared=1, out=1)
def aparts(blocks: Blocks, model: Model, points: Array, out: Array) -> None:
    """How far points ``(frames, 3)`` are from each block ``(frames, blocks)``, metres, negative inside."""
    for f in range(len(points)):
        for b in range(out.shape[1]):
            out[f, b], _ = away(blocks, b, model, f, v_of(points, f))


@kernel(shared=2, out=2)
def nearest(blocks: Blocks, together: float, model: Model, points: Array, off: Array, counts: Array) -> None:
    """How far points ``(frames, 3)`` are from a body, metres, and the way out of it, unit (``off`` ``(frames, 4)``), and how much
    each block counts in that ``(frames, blocks)``: those that are about as near, within ``together``, count together."""
    n = counts.shape[1]
    ways = np.empty((n, 3))
    for f in range(len(points)):
        least = math.inf
        for b in range(n):
            counts[f, b], out = away(blocks, b, model, f, v_of(points, f))
            ways[b, 0], ways[b, 1], ways[b, 2] = out
            least = min(least, counts[f, b])
        total, mean, towards = 0.0, 0.0, (0.0, 0.0, 0.0)
        for b in range(n):
            share = math.exp(-(counts[f, b] - least) / together)
            total += share
            mean += share * counts[f, b]
            towards = add(towards, times(v_of(ways, b), share))
            counts[f, b] = share
        for b in range(n):
            counts[f, b] /= total
        off[f, 0] = mean / total
        off[f, 1], off[f, 2], off[f, 3] = direction(towards, (0.0, 1.0, 0.0))


@kernel(shared=2, out=1)
def entries(blocks: Blocks, thickness: Array, model: Model, points: Array, out: Array) -> None:
    """How deep points ``(frames, points, 3)``, of something of half such a thickness ``(points,)``, are in a body, metres
    ``(frames, points)``, as the solver sees it."""
    for f in range(len(points)):
        for p in range(points.shape[1]):
            out[f, p], _ = entered(blocks, thickness[p], model, f, v_at(points, f, p))
