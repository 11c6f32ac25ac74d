"""Limbs of two bones: which way they bend, as a state in time, and how they reach."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from reflexa.motion.arrays import Array
from reflexa.motion.kernels.compiling import helper, kernel
from reflexa.motion.kernels.parts import Limb, Model, Way
from reflexa.motion.kernels.turns import (
    Q,
    V,
    about,
    add,
    between,
    cross,
    direction,
    dot,
    inv,
    length,
    mul,
    q_at,
    q_of,
    rot,
    smooth,
    sub,
    times,
    v_at,
    v_of,
)

Ints = NDArray[np.intp]

# A limb that is bent by less than the first tells nothing of its plane, by more than the second everything (sines).
_UNSURE, _SURE = math.sin(math.radians(4.0)), math.sin(math.radians(12.0))
# A limb is straightened no further than to this bend (radians).
_STRAIGHTEST = math.radians(3.0)
# No limb is folded further than this (radians).
_FOLDED = math.radians(172.0)


# A straight way that passes a limb's root at this share of its length or more stays straight; at the second or less it leads
# round the root altogether.
_CLEAR, _THROUGH = 0.3, 0.12
# Bent by less than this to the side that it hardly ever bends to, a limb is overstretched, not bent (sine).
_OVERSTRETCHED = math.sin(math.radians(30.0))


@helper
def _wrapped(angle: float) -> float:
    """The same angle between -pi and pi."""
    return angle - 2.0 * math.pi * math.floor((angle + math.pi) / (2.0 * math.pi))


@helper
def _lead(angle: Array, sure: Array, span: tuple[int, int, int], a: float, b: float) -> None:
    """Angles between two frames (both left out) led from a to b over so many frames, by as much as they are not sure themselves.

    span: the two frames, and how many.
    """
    first, last, over = span
    way = _wrapped(b - a)
    for f in range(max(first + 1, 0), min(last, len(angle))):
        carried = a + way * (f - first) / over
        off = _wrapped(angle[f] - carried)
        if abs(off) > 0.5 * math.pi:
            off = _wrapped(off + math.pi)  # overstretched: the same axis, bent backwards
        angle[f] = carried + off * sure[f]


@helper
def end_of(limb: Limb, turned: Array, placed: Array, f: int) -> V:
    """Where a limb ends."""
    if limb.end >= 0:
        return v_at(placed, f, limb.end)
    tip = (limb.tip[0], limb.tip[1], limb.tip[2])
    return add(v_at(placed, f, limb.middle), rot(q_at(turned, f, limb.middle), tip))


@kernel(shared=5, out=1, in_order=True)
def hinges(limb: Limb, spare: Array, loop: bool, turned: Array, placed: Array, out: Array) -> None:
    """The axis that a limb bends about in its upper bone's own axes, ``(frames, 3)`` unit, square to that bone.

    spare ``(3,)``: the axis of a limb that never bends. Where the limb is clearly bent the axis is that of the pose; where
    it is all but straight it is carried over from the frames before and after.
    """
    n = len(turned)
    u = (0.0, 0.0, 0.0)
    for f in range(n):
        a = sub(v_at(placed, f, limb.middle), v_at(placed, f, limb.root))
        u = add(u, rot(inv(q_at(turned, f, limb.root)), a))
    u = direction(u, (0.0, 1.0, 0.0))
    e1 = (spare[0], spare[1], spare[2])
    e1 = direction(sub(e1, times(u, dot(u, e1))), direction(cross(u, (0.6, 0.8, 0.0)), (0.0, 0.0, 1.0)))
    e2 = cross(u, e1)
    angle, sure, bent = np.zeros(n), np.zeros(n), np.zeros(n)
    usual = (0.0, 0.0)
    for f in range(n):
        q, mid = q_at(turned, f, limb.root), v_at(placed, f, limb.middle)
        a, b = sub(mid, v_at(placed, f, limb.root)), sub(end_of(limb, turned, placed, f), mid)
        size = length(a) * length(b)
        if size > 1e-12:
            own = rot(inv(q), cross(a, b))
            x, y = dot(own, e1) / size, dot(own, e2) / size
            bent[f] = math.hypot(x, y)
            angle[f] = math.atan2(y, x)
            usual = (usual[0] + x * bent[f], usual[1] + y * bent[f])
    side = math.atan2(usual[1], usual[0])
    first, last, at = -1, -1, 0
    for f in range(n):
        sure[f] = smooth((bent[f] - _UNSURE) / (_SURE - _UNSURE))
        if bent[f] < _OVERSTRETCHED and abs(_wrapped(angle[f] - side)) > 1.9:
            sure[f] = 0.0
            angle[f] = _wrapped(angle[f] + math.pi)
        if sure[f] > sure[at]:
            at = f
        if sure[f] >= 1.0:
            if last < 0:
                first = f
            else:
                _lead(angle, sure, (last, f, f - last), angle[last], angle[f])
            last = f
    if last >= 0 and loop and n > 1:
        # Round the seam: a loop's last frame is its first.
        gap = max(n - 1 - last + first, 1)
        _lead(angle, sure, (last, n, gap), angle[last], angle[first])
        _lead(angle, sure, (last - (n - 1), first, gap), angle[last], angle[first])
    elif last >= 0:
        _lead(angle, sure, (last, n, 1), angle[last], angle[last])
        _lead(angle, sure, (-1, first, 1), angle[first], angle[first])
    else:
        # It never clearly bends: as its most bent frame tells as far as it can, else as it is made.
        one = angle[at] * sure[at]
        _lead(angle, sure, (-1, n, 1), one, one)
    for f in range(n):
        v = add(times(e1, math.cos(angle[f])), times(e2, math.sin(angle[f])))
        out[f, 0], out[f, 1], out[f, 2] = v


@kernel(shared=2, out=2)
def reach(limb: Limb, soft: float, hinge: Array, goal: Array, model: Model, short: Array) -> None:
    """Bend a limb so that its end comes to ``goal``: at the knee or elbow about its hinge, then the whole of it by the
    least turn. ``short``: how far the end stays from the goal, metres.

    soft: over which last share of its length it straightens softly, and to less than straight; one that was straighter
    may stay so.
    """
    turned, placed = model
    r, m = limb.root, limb.middle
    for f in range(len(hinge)):
        root, mid, to = v_at(placed, f, r), v_at(placed, f, m), v_of(goal, f)
        end = end_of(limb, turned, placed, f)
        u, l = sub(mid, root), sub(end, mid)
        lu, ll = length(u), length(l)
        away = length(sub(to, end))
        if away == 0.0 or lu + ll < 1e-9:
            short[f] = away
            continue
        n = direction(rot(q_at(turned, f, r), v_of(hinge, f)), (1.0, 0.0, 0.0))
        way = sub(to, root)
        bend = 0.0
        if lu > 1e-6 * ll and ll > 1e-6 * lu:
            bend = _bend(u, l, n, _held(length(way), length(sub(end, root)), soft, lu, ll), away / (0.02 * (lu + ll)))
        knee = about(n, bend)
        l = rot(knee, l)
        swing = between(add(u, l), way, n)
        both = mul(swing, knee)
        u, l = rot(swing, u), rot(swing, l)
        new_mid = add(root, u)
        new_end = add(new_mid, l)
        for j in limb.upper:
            _turn(model, f, j, swing, root, root)
        for j in limb.lower:
            _turn(model, f, j, both, mid, new_mid)
        by = sub(new_end, end)
        for j in limb.beyond:
            placed[f, j, 0] += by[0]
            placed[f, j, 1] += by[1]
            placed[f, j, 2] += by[2]
        short[f] = length(sub(to, new_end))


@kernel(shared=2, out=1)
def ways(limb: Limb, soft: float, hinge: Array, way: Way, model: Model, out: Array) -> None:
    """Where a limb's end is at a share of its way to a place, or to as near to it as the limb reaches; soft as in ``reach``.

    The way is straight; where that would lead through the shoulder or hip it leads round, on the side that the limb bends
    to.
    """
    turned, placed = model
    for f in range(len(out)):
        root, mid = v_at(placed, f, limb.root), v_at(placed, f, limb.middle)
        end, w = end_of(limb, turned, placed, f), way.share[f]
        lu, ll = length(sub(mid, root)), length(sub(end, mid))
        a, b = sub(end, root), sub(v_of(way.to, f), root)
        n = direction(rot(q_at(turned, f, limb.root), v_of(hinge, f)), (1.0, 0.0, 0.0))
        da = direction(a, n)
        db = direction(b, da)
        far = _held(length(b), length(a), soft, lu, ll)
        b = times(db, far)
        at = add(a, times(sub(b, a), w))
        # How near the straight way comes to the root.
        ab = sub(b, a)
        nearest = min(max(-dot(a, ab) / max(dot(ab, ab), 1e-18), 0.0), 1.0)
        near = length(add(a, times(ab, nearest))) / max(lu + ll, 1e-9)
        round_ = 1.0 - smooth((near - _THROUGH) / (_CLEAR - _THROUGH))
        if round_ > 0.0 and 0.0 < w < 1.0:
            half = direction(add(add(da, db), times(cross(n, da), 1.0 - dot(da, db))), cross(n, da))
            d = add(add(times(da, (1 - w) * (1 - w)), times(half, 2 * w * (1 - w))), times(db, w * w))
            led = times(direction(d, half), length(a) + w * (far - length(a)))
            at = add(at, times(sub(led, at), round_))
        at = add(root, at)
        out[f, 0], out[f, 1], out[f, 2] = at


@helper
def _turn(model: Model, f: int, j: int, q: Q, about_: V, to: V) -> None:
    """Turn a joint about a point that comes to lie elsewhere."""
    turned, placed = model
    turned[f, j, 0], turned[f, j, 1], turned[f, j, 2], turned[f, j, 3] = mul(q, q_at(turned, f, j))
    p = add(to, rot(q, sub(v_at(placed, f, j), about_)))
    placed[f, j, 0], placed[f, j, 1], placed[f, j, 2] = p


@kernel(shared=4, out=1, in_order=True)
def turn_about(joints: Ints, at: Ints, pivot: Array, turn: Array, model: Model) -> None:
    """Turn joints ``(n,)`` at some frames ``(m,)`` about points ``(m, 3)`` by ``(m, 4)``."""
    for i in range(len(at)):
        point, q = v_of(pivot, i), q_of(turn, i)
        for j in joints:
            _turn(model, at[i], j, q, point, point)


@helper
def stretched(lu: float, ll: float, bend: float) -> float:
    """From root to end of a limb with bones of these lengths, bent by so much (radians; 0: straight)."""
    return math.sqrt(max(lu * lu + ll * ll + 2.0 * lu * ll * math.cos(bend), 0.0))


@helper
def _held(wanted: float, now: float, soft: float, lu: float, ll: float) -> float:
    """How far from root to end a limb goes that is wanted to go so far."""
    most = max(stretched(lu, ll, _STRAIGHTEST), now)
    start = max((1.0 - soft) * (lu + ll), now)
    wanted = max(wanted, stretched(lu, ll, _FOLDED))
    if wanted <= start:
        return wanted
    room = most - start
    if room <= 1e-12:
        return most
    return start + room * (1.0 - math.exp(-(wanted - start) / room))


@helper
def _bend(u: V, l: V, n: V, distance: float, moved: float) -> float:
    """By how much the lower bone turns about the hinge so that the limb is so long from root to end.

    moved: how far the end is to go, as a share of what it takes for a limb that is overstretched to bend the right way.
    """
    un, ln = dot(u, n), dot(l, n)
    up, lp = sub(u, times(n, un)), sub(l, times(n, ln))
    a, b = dot(up, lp), dot(n, cross(up, lp))
    size = math.hypot(a, b)
    if size < 1e-12:
        return 0.0
    now = math.atan2(b, a)
    wanted = (distance * distance - dot(u, u) - dot(l, l)) / 2.0 - un * ln
    cosine = min(max(wanted / size, -1.0), 1.0)
    then = math.acos(cosine)
    if now < 0.0:
        then *= 2.0 * smooth(moved) - 1.0
    return then - now
