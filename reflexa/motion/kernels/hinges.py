"""The axis that a limb bends about: its anatomy, and one smooth course over time."""

from __future__ import annotations

import math

import numpy as np

from reflexa.motion.arrays import Array
from reflexa.motion.kernels.compiling import helper, kernel
from reflexa.motion.kernels.courses import settle
from reflexa.motion.kernels.limbs import end_of
from reflexa.motion.kernels.parts import Clock, Limb
from reflexa.motion.kernels.quaternions import (
    add,
    cross,
    direction,
    dot,
    inv,
    length,
    q_at,
    rot,
    smooth,
    sub,
    times,
    v_at,
    wrapped,
)

# A pose tells the axis by the fourth power of its bend: as much as the course keeps to itself at this bend (sine).
_TELLS = math.sin(math.radians(4.0))
_MOST = 1e4
# Bent by more than this (radians) a limb shows its axis for sure: no joint goes so far the wrong way.
_SURE = math.radians(8.0)
# Bent by more than the second a limb says which way it is made to bend, by less than the first nothing of that; between
# them what is square to that counts little. Up to the third, what is bent the other way is taken for overstretched.
_SHALLOW, _DEEP, _OVER = math.radians(18.0), math.radians(38.0), math.radians(20.0)
# What the build of the limb counts beside what the clip shows, in thirtieths of a second of deep bends.
_BUILD = 6.0
# How stiff the course is, per thirtieth of a second; and how much it is drawn to what lies between the sure frames.
_STIFF, _DRAWN = 4.0, 0.002


@helper
def _between_sure(seen: Array, sure: Array, spare: float, out: Array) -> None:
    """Angles ``(frames,)`` that are those seen where they are sure, without jumps, and even in between; spare where none is."""
    n, last = len(seen), -1
    for f in range(n):
        if sure[f] <= 0.0:
            continue
        if last < 0:
            out[f] = spare + wrapped(seen[f] - spare)
            for k in range(f):
                out[k] = out[f]
        else:
            out[f] = out[last] + wrapped(seen[f] - out[last])
            for k in range(last + 1, f):
                out[k] = out[last] + (out[f] - out[last]) * (k - last) / (f - last)
        last = f
    for k in range(last + 1, n):
        out[k] = out[last] if last >= 0 else spare


@kernel(shared=3, out=1, in_order=True)
def hinges(limb: Limb, made: Array, timing: Clock, turned: Array, placed: Array, out: Array) -> None:
    """The axis that a limb bends about in its upper bone's own axes, ``(frames, 3)`` unit, square to that bone.

    made ``(3,)``: the axis that the limb is made to bend about, positively. Where it is clearly bent the axis is that of the
    pose; where it is all but straight, it is that of a smooth course through what its frames show, each by how far it is bent. A
    limb that is bent the other way by a little is overstretched, about the same axis.
    """
    rate, loop = timing
    n = len(turned)
    u = (0.0, 0.0, 0.0)
    for f in range(n):
        a = sub(v_at(placed, f, limb.middle), v_at(placed, f, limb.root))
        u = add(u, rot(inv(q_at(turned, f, limb.root)), a))
    u = direction(u, (0.0, 1.0, 0.0))
    e1 = (made[0], made[1], made[2])
    e1 = direction(sub(e1, times(u, dot(u, e1))), direction(cross(u, (0.6, 0.8, 0.0)), (0.0, 0.0, 1.0)))
    e2 = cross(u, e1)
    # A loop is looked at between the cycles before and after it: its last frame is its first.
    period = n - 1 if loop and n > 2 else 0
    m = n + 2 * period
    angle, bend = np.zeros(n), np.zeros(n)
    shown = (_BUILD * rate / 30.0, 0.0)
    for f in range(n):
        q, mid = q_at(turned, f, limb.root), v_at(placed, f, limb.middle)
        a, b = sub(mid, v_at(placed, f, limb.root)), sub(end_of(limb, turned, placed, f), mid)
        size = length(a) * length(b)
        if size > 1e-12:
            own = rot(inv(q), cross(a, b))
            x, y = dot(own, e1) / size, dot(own, e2) / size
            bend[f] = math.atan2(math.hypot(x, y), dot(a, b) / size)
            angle[f] = math.atan2(y, x)
            by = smooth((bend[f] - _SHALLOW) / (_DEEP - _SHALLOW))
            shown = (shown[0] + by * math.cos(angle[f]), shown[1] + by * math.sin(angle[f]))
    side = math.atan2(shown[1], shown[0])
    weight, sure, seen, course, wanted = np.empty(m), np.empty(m), np.empty(m), np.empty(m), np.empty(m)
    for f in range(n):
        if bend[f] < _OVER and abs(wrapped(angle[f] - side)) > 0.5 * math.pi:
            angle[f] = wrapped(angle[f] + math.pi)
        aside = math.cos(angle[f] - side)
        deep = smooth((bend[f] - _SHALLOW) / (_DEEP - _SHALLOW))
        clear = deep + (1.0 - deep) * aside * aside
        tells = math.sin(min(bend[f], 0.5 * math.pi)) / _TELLS
        own_weight = min(tells * tells * tells * tells, _MOST) * clear
        for k in range(-1, 2):
            at = f + k * period
            if 0 <= at + period < m and (k == 0 or period > 0):
                weight[at + period] = own_weight
                sure[at + period] = 1.0 if bend[f] > _SURE and clear > 0.5 else 0.0
                seen[at + period] = angle[f]
    _between_sure(seen, sure, side, course)
    for f in range(m):
        off = wrapped(seen[f] - course[f])
        near = max(math.cos(off), 0.0) if sure[f] <= 0.0 else 1.0
        own_weight = weight[f] * near * near
        wanted[f] = course[f] + off * own_weight / (own_weight + _DRAWN)
        weight[f] = own_weight + _DRAWN
    settle(weight, wanted, _STIFF * (rate / 30.0) * (rate / 30.0), course)
    for f in range(n):
        v = add(times(e1, math.cos(course[f + period])), times(e2, math.sin(course[f + period])))
        out[f, 0], out[f, 1], out[f, 2] = v
