"""Limbs of two bones: how they reach."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from reflexa.motion.arrays import Array
from reflexa.motion.kernels.compiling import helper, kernel
from reflexa.motion.kernels.courses import settle
from reflexa.motion.kernels.parts import Limb, Model, Way
from reflexa.motion.kernels.quaternions import (
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
    wrapped,
)

Ints = NDArray[np.intp]

# A limb is straightened no further than to this bend (radians).
_STRAIGHTEST = math.radians(3.0)
# No limb is folded further than this (radians).
_FOLDED = math.radians(172.0)
# An overstretched limb comes through to its own side over so many times as much as it is overstretched by, but that counts to
# the second (radians) only: one that is straight but for a last digit just bends.
_COMES_THROUGH, _MOST_OVER = 5.0, math.radians(1.0)


# A straight way that passes a limb's root at this share of its length or more stays straight; at the second or less it leads
# round the root altogether.
_CLEAR, _THROUGH = 0.3, 0.12


@helper
def end_of(limb: Limb, turned: Array, placed: Array, f: int) -> V:
    """Where a limb ends."""
    if limb.end >= 0:
        return v_at(placed, f, limb.end)
    tip = (limb.tip[0], limb.tip[1], limb.tip[2])
    return add(v_at(placed, f, limb.middle), rot(q_at(turned, f, limb.middle), tip))


class Ways(NamedTuple):
    """To be filled: by what a limb bends on, as a turn of its lower bone ``(frames, 4)``, and the way from its root to its end
    then ``(frames, 3)``."""

    knee: Array
    line: Array


class Bent(NamedTuple):
    """What a limb does to reach: how its knee or elbow bends on, as a turn of the lower bone ``(frames, 4)``, and by how much the
    whole of it then turns about its own line beyond the least turn ``(frames,)``, radians."""

    knee: Array
    twist: Array


@kernel(shared=2, out=2)
def bent(limb: Limb, soft: float, hinge: Array, goal: Array, model: Model, out: Ways) -> None:
    """How a limb has to bend on to be so long as to its goal, and where its end is then from its root. soft: over which last
    share of its length it straightens softly, and to less than straight; one that was straighter may stay so."""
    turned, placed = model
    for f in range(len(out.knee)):
        root, mid = v_at(placed, f, limb.root), v_at(placed, f, limb.middle)
        end = end_of(limb, turned, placed, f)
        u, l = sub(mid, root), sub(end, mid)
        lu, ll = length(u), length(l)
        knee = (0.0, 0.0, 0.0, 1.0)
        if lu + ll >= 1e-9 and length(sub(v_of(goal, f), end)) > 0.0 and lu > 1e-6 * ll and ll > 1e-6 * lu:
            n = direction(rot(q_at(turned, f, limb.root), v_of(hinge, f)), (1.0, 0.0, 0.0))
            far = _held(length(sub(v_of(goal, f), root)), length(sub(end, root)), soft, lu, ll)
            angle, short = _bend(u, l, n, far)
            knee = about(n, angle)
            l = rot(knee, l)
            if short:
                # What its hinge alone cannot do, bent sideways as it is: the rest about the plane that it is in.
                cosine = (far * far - lu * lu - ll * ll) / (2.0 * lu * ll)
                rest = math.acos(min(max(cosine, -1.0), 1.0)) - math.acos(min(max(dot(u, l) / (lu * ll), -1.0), 1.0))
                aside = about(direction(cross(u, l), n), rest)
                knee, l = mul(aside, knee), rot(aside, l)
        out.knee[f, 0], out.knee[f, 1], out.knee[f, 2], out.knee[f, 3] = knee
        out.line[f, 0], out.line[f, 1], out.line[f, 2] = add(u, l)


# Where a line and the way it goes differ by less than this (cosine), the least turn is as good as any.
_OPPOSITE = -0.3
# How strongly a limb is drawn to the least turn, where that leads straight back to where it came from, beside how strongly to
# turning on from frame to frame as it did.
_LEAST = 100.0


@kernel(shared=0, out=1, in_order=True)
def carried(line: Array, way: Array, out: Array) -> None:
    """By how much a limb turns about its own line ``(frames,)`` beyond the least turn from ``line`` to ``way`` ``(frames, 3)``,
    so that it turns on from frame to frame by as little as can be (parallel transport): a least turn found anew in every frame
    flips where the two point away from one another. Nothing where they never do."""
    n = len(out)
    opposite = False
    for f in range(n):
        out[f] = 0.0
        a, b = v_of(line, f), v_of(way, f)
        opposite = opposite or dot(a, b) < _OPPOSITE * length(a) * length(b)
    if not opposite:
        return
    weight, step = np.empty(n), np.zeros(n + 1)
    last = (0.0, 0.0, 0.0, 1.0)
    a0, b0 = (0.0, 0.0, 1.0), (0.0, 0.0, 1.0)
    for f in range(n):
        a = direction(v_of(line, f), a0)
        b = direction(v_of(way, f), b0)
        least = between(a, b, _aside(a))
        if f > 0:
            on = mul(mul(between(b0, b, _aside(b)), last), inv(between(a0, a, _aside(a))))
            x, y, z, w = mul(on, inv(least))
            step[f] = wrapped(2.0 * math.atan2(x * b[0] + y * b[1] + z * b[2], w))
        near = 0.5 + 0.5 * dot(a, b)
        weight[f] = _LEAST * near * near * near * near + 1e-9
        last, a0, b0 = least, a, b
    settle(weight, (step[:n] - step[1:]) / weight, 1.0, out)


@helper
def _aside(v: V) -> V:
    """A direction square to one."""
    return direction(cross(v, (0.6, 0.8, 0.0)), cross(v, (0.0, 0.0, 1.0)))


@kernel(shared=1, out=2)
def reach(limb: Limb, hinge: Array, goal: Array, how: Bent, model: Model, short: Array) -> None:
    """Bend a limb at the knee or elbow about its hinge, then turn the whole of it so that its end comes to ``goal``. ``short``:
    how far the end stays from it, metres."""
    turned, placed = model
    r, m = limb.root, limb.middle
    for f in range(len(hinge)):
        root, mid, to = v_at(placed, f, r), v_at(placed, f, m), v_of(goal, f)
        end = end_of(limb, turned, placed, f)
        u, l = sub(mid, root), sub(end, mid)
        away = length(sub(to, end))
        if away == 0.0 or length(u) + length(l) < 1e-9:
            short[f] = away
            continue
        n = direction(rot(q_at(turned, f, r), v_of(hinge, f)), (1.0, 0.0, 0.0))
        way = sub(to, root)
        knee = q_of(how.knee, f)
        l = rot(knee, l)
        swing = between(add(u, l), way, n)
        if how.twist[f] != 0.0:
            swing = mul(about(direction(way, n), how.twist[f]), swing)
        both = mul(swing, knee)
        u, l = rot(swing, u), rot(swing, l)
        new_mid = add(root, u)
        new_end = add(new_mid, l)
        for j in limb.upper:
            turn_joint(model, f, j, swing, root, root)
        for j in limb.lower:
            turn_joint(model, f, j, both, mid, new_mid)
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
def turn_joint(model: Model, f: int, j: int, q: Q, about_: V, to: V) -> None:
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
            turn_joint(model, at[i], j, q, point, point)


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
def _bend(u: V, l: V, n: V, distance: float) -> tuple[float, bool]:
    """By how much the lower bone turns about the hinge so that the limb is so long from root to end, and whether it then is not
    since that is further than its hinge can bend it.

    It bends the way it is made to. One that is overstretched may stay so as far as it is, and comes through where it is led to
    bend by more: over a few degrees, in which it is the least bit longer than asked.
    """
    un, ln = dot(u, n), dot(l, n)
    up, lp = sub(u, times(n, un)), sub(l, times(n, ln))
    a, b = dot(up, lp), dot(n, cross(up, lp))
    size = math.hypot(a, b)
    if size < 1e-12:
        return 0.0, True
    now = math.atan2(b, a)
    wanted = (distance * distance - dot(u, u) - dot(l, l)) / 2.0 - un * ln
    cosine = min(max(wanted / size, -1.0), 1.0)
    then = math.acos(cosine)
    if now < 0.0:
        then *= 2.0 * smooth((then + now) / (_COMES_THROUGH * min(-now, _MOST_OVER))) - 1.0
        then = max(then, now)
    return then - now, abs(wanted) > size * (1.0 + 1e-12)
