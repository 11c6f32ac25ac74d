"""What a locked foot does: its turn and its toes' first, then its place, about whichever of heel, ball and tip bears."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from reflexa.motion.arrays import Array
from reflexa.motion.kernels.compiling import helper, kernel
from reflexa.motion.kernels.parts import Model
from reflexa.motion.kernels.quaternions import (
    Q,
    V,
    about,
    add,
    between,
    dot,
    inv,
    mul,
    of_vector,
    q_at,
    q_of,
    rot,
    smooth,
    sub,
    times,
    unit,
    v_at,
    v_of,
    vector,
    wrapped,
)
from reflexa.motion.kernels.spans import lead

Ints = NDArray[np.intp]
# How a hold is chosen from the frames of a contact.
HOLDS = ("first", "last", "mean")
FIRST, LAST, MEAN = 0, 1, 2
_SINKS = -1e-6
# A standing foot whose heading varies by less than the first is held in one; by more than the second it turns as it did.
_HELD, _SWIVELS = math.radians(5.0), math.radians(14.0)
# A foot that turns does so about whichever point moves less than this in a frame, metres; a still one about its ball.
_STILL = 3e-5


class Foot(NamedTuple):
    """Joints (toes -1: none), and ``(3,)`` each in the ankle's axes: heel, the way forth, up; in the toes' axes (the ankle's
    where there are none): ball, tip, and up as toes_up."""

    ankle: int
    toes: int
    heel: Array
    forth: Array
    up: Array
    ball: Array
    tip: Array
    toes_up: Array


class Held(NamedTuple):
    """Contacts of one foot: ``(n, 5)`` frames first, last, ball_from, ball_to, heel_to; the normal of what each stands on
    ``(n, 3)``, no length where it stands as it does; how the figure is turned as a whole ``(frames,)``, radians: a foot that
    turns with that and nothing else does not turn where it stands; how they are led to and from, frames; FIRST, LAST or MEAN."""

    frames: Ints
    normals: Array
    headings: Array
    ease_in: int
    ease_out: int
    hold: int


class Turns(NamedTuple):
    """To be filled: turns of foot and toes ``(frames, 4)``, the ways from the ankle to heel, ball and tip ``(frames, 3)``, and
    how far the ball goes as the foot turns where it stands ``(frames, 3)``."""

    foot: Array
    toes: Array
    heel: Array
    ball: Array
    tip: Array
    gone: Array


@helper
def _mean_turn(turns: Array, j: int, span: tuple[int, int], hold: int) -> Q:
    """One turn for those of joint j from one frame to another, both included."""
    first, last = span
    if hold != MEAN:
        return q_at(turns, first if hold == FIRST else last, j)
    x = y = z = w = 0.0
    bx, by, bz, bw = q_at(turns, first, j)
    for f in range(first, last + 1):
        ax, ay, az, aw = q_at(turns, f, j)
        if ax * bx + ay * by + az * bz + aw * bw < 0.0:
            ax, ay, az, aw = -ax, -ay, -az, -aw
        x, y, z, w = x + ax, y + ay, z + az, w + aw
        bx, by, bz, bw = ax, ay, az, aw
    return unit((x, y, z, w))


@helper
def _upright(q: Q, up: V, normal: V) -> Q:
    """A turn tilted by the least that stands ``up`` along the surface; as it is where there is none."""
    if dot(normal, normal) == 0.0:
        return q
    return mul(between(rot(q, up), normal, (1.0, 0.0, 0.0)), q)


@helper
def _heading(q: Q, base: Q, normal: V) -> float:
    """By what angle one turn differs from another about a normal."""
    x, y, z, w = mul(q, inv(base))
    return 2.0 * math.atan2(x * normal[0] + y * normal[1] + z * normal[2], w)


@helper
def _stood(held: Held, turns: Array, j: int, span: tuple[int, int, int], up: V, headings: Array) -> Q:
    """The one turn that joint j stands with in contact ``span[0]``, from frame ``span[1]`` to ``span[2]``. To ``headings`` by how
    much it turns on from that about the normal in each of these frames: not at all where it hardly does, or only with the
    figure."""
    i, first, last = span
    normal = v_of(held.normals, i)
    base = _upright(_mean_turn(turns, j, (first, last), held.hold), up, normal)
    axis = normal if dot(normal, normal) > 0.0 else (0.0, 1.0, 0.0)
    before, low, high, low_with, high_with = 0.0, math.inf, -math.inf, math.inf, -math.inf
    for f in range(first, last + 1):
        own = _heading(_upright(q_at(turns, f, j), up, normal), base, axis)
        own = before + wrapped(own - before)
        headings[f] = before = own
        low, high = min(low, own), max(high, own)
        own -= held.headings[f]
        low_with, high_with = min(low_with, own), max(high_with, own)
    share = smooth((min(high - low, high_with - low_with) - _HELD) / (_SWIVELS - _HELD))
    for f in range(first, last + 1):
        headings[f] *= share
    return base


@helper
def _turned_on(base: Q, normal: V, angle: float) -> Q:
    """A turn turned on about the normal of what it stands on."""
    if angle == 0.0:
        return base
    return mul(about(normal if dot(normal, normal) > 0.0 else (0.0, 1.0, 0.0), angle), base)


@helper
def _clear(wanted: Array) -> None:
    for f in range(len(wanted)):
        wanted[f, 0] = wanted[f, 1] = wanted[f, 2] = math.nan


@helper
def _want(wanted: Array, f: int, q: Q, now: Q) -> None:
    wanted[f, 0], wanted[f, 1], wanted[f, 2] = vector(mul(q, inv(now)))


@helper
def _led(held: Held, wanted: Array, turns: Array, j: int, way: Array, out: Array) -> None:
    """Turns of joint j with the change that is wanted in some frames, led there and back."""
    lead(held.ease_in, held.ease_out, wanted, way)
    for f in range(len(out)):
        out[f, 0], out[f, 1], out[f, 2], out[f, 3] = mul(of_vector(v_of(way, f)), q_at(turns, f, j))


@helper
def _lift_clear(foot: Foot, held: Held, turns: Array, turn: Array, wanted: Array) -> bool:
    """Where a foot rolls on its heel or ball and the other of the two would go into what it stands on, want it flat instead.
    Was there any?"""
    found = False
    forth = (foot.forth[0], foot.forth[1], foot.forth[2])
    for i in range(len(held.frames)):
        first, last, ball_from, ball_to, heel_to = held.frames[i]
        normal = v_of(held.normals, i)
        for f in range(first, last + 1):
            on_heel = f < ball_from or ball_to < f <= heel_to
            on_ball = max(heel_to + 1, ball_from) <= f <= ball_to
            if not (on_heel or on_ball):
                continue
            way = rot(q_of(turn, f), forth)  # from the one that bears to the other
            if not on_heel:
                way = times(way, -1.0)
            deep = dot(way, normal)
            if deep < _SINKS:
                level = between(way, sub(way, times(normal, deep)), (1.0, 0.0, 0.0))
                _want(wanted, f, mul(level, q_of(turn, f)), q_at(turns, f, foot.ankle))
                found = True
    return found


@kernel(shared=3, out=1, in_order=True)
def turns(foot: Foot, held: Held, toes_lie: bool, model: Model, out: Turns) -> None:
    """The turn of a foot: flat where heel and ball are both down, nowhere inside what it stands on; that of its toes: flat
    while the ball is down (if they lie), else going with the foot. ``out.toes`` without toes: as the foot."""
    turned, placed = model
    n = len(turned)
    wanted, way, headings = np.empty((n, 3)), np.empty((n, 3)), np.zeros(n)
    _clear(wanted)
    up = (foot.up[0], foot.up[1], foot.up[2])
    toes_up = (foot.toes_up[0], foot.toes_up[1], foot.toes_up[2])
    for i in range(len(held.frames)):
        _, last, ball_from, ball_to, heel_to = held.frames[i]
        flat = min(heel_to, ball_to)
        if ball_from <= flat:
            normal = v_of(held.normals, i)
            q = _stood(held, turned, foot.ankle, (i, ball_from, flat), up, headings)
            for f in range(ball_from, flat + 1):
                _want(wanted, f, _turned_on(q, normal, headings[f]), q_at(turned, f, foot.ankle))
    _led(held, wanted, turned, foot.ankle, way, out.foot)
    for _ in range(3):  # what is led to and from a changed frame may dip in turn
        if not _lift_clear(foot, held, turned, out.foot, wanted):
            break
        _led(held, wanted, turned, foot.ankle, way, out.foot)
    end = foot.ankle if foot.toes < 0 else foot.toes
    along = np.empty((n, 1, 4))  # the toes as they go with the foot
    for f in range(n):
        q = mul(q_of(out.foot, f), inv(q_at(turned, f, foot.ankle)))
        along[f, 0, 0], along[f, 0, 1], along[f, 0, 2], along[f, 0, 3] = mul(q, q_at(turned, f, end))
        out.toes[f, 0], out.toes[f, 1], out.toes[f, 2], out.toes[f, 3] = q_at(along, f, 0)
    if foot.toes >= 0 and toes_lie:
        _clear(wanted)
        for i in range(len(held.frames)):
            _, last, ball_from, ball_to, _ = held.frames[i]
            if ball_from <= min(ball_to, last):
                normal = v_of(held.normals, i)
                q = _stood(held, along, 0, (i, ball_from, ball_to), toes_up, headings)
                for f in range(ball_from, ball_to + 1):
                    _want(wanted, f, _turned_on(q, normal, headings[f]), q_at(along, f, 0))
        _led(held, wanted, along, 0, way, out.toes)
    for f in range(n):
        q = q_of(out.foot, f)
        arm = sub(v_at(placed, f, end), v_at(placed, f, foot.ankle))
        arm = rot(q, rot(inv(q_at(turned, f, foot.ankle)), arm))
        out.heel[f, 0], out.heel[f, 1], out.heel[f, 2] = rot(q, (foot.heel[0], foot.heel[1], foot.heel[2]))
        q = q_of(out.toes, f)
        out.ball[f, 0], out.ball[f, 1], out.ball[f, 2] = add(arm, rot(q, (foot.ball[0], foot.ball[1], foot.ball[2])))
        out.tip[f, 0], out.tip[f, 1], out.tip[f, 2] = add(arm, rot(q, (foot.tip[0], foot.tip[1], foot.tip[2])))


@helper
def _to_ball(held: Held, i: int, f: int, ways: Turns) -> V:
    """From the ankle to where the ball stands in contact i: while the foot is on its heel or on the tip of its toes, as far
    from there as when the ball came down or lifts."""
    _, last, ball_from, ball_to, heel_to = held.frames[i]
    if f < ball_from:
        way = v_of(ways.heel, f)
        if ball_from <= last:
            way = add(way, sub(v_of(ways.ball, ball_from), v_of(ways.heel, ball_from)))
        return way
    if f > ball_to and f <= heel_to:  # going backwards it leaves by its heel
        return add(v_of(ways.heel, f), sub(v_of(ways.ball, ball_to), v_of(ways.heel, ball_to)))
    if f > ball_to:
        return add(v_of(ways.tip, f), sub(v_of(ways.ball, ball_to), v_of(ways.tip, ball_to)))
    return v_of(ways.ball, f)


@kernel(shared=1, out=1, in_order=True)
def swivels(held: Held, heel: Array, ball: Array, ways: Turns) -> None:
    """To ``ways.gone`` how far the ball of a standing foot goes ``(frames, 3)`` as the foot turns about the point of its sole
    that moves least, from 0 where heel and ball come to be down; heel, ball ``(frames, 3)``: where they were. Nothing out of
    contacts."""
    for f in range(len(ways.gone)):
        ways.gone[f, 0] = ways.gone[f, 1] = ways.gone[f, 2] = 0.0
    for i in range(len(held.frames)):
        _, last, ball_from, ball_to, heel_to = held.frames[i]
        gone = (0.0, 0.0, 0.0)
        for f in range(ball_from + 1, last + 1):
            if f <= min(heel_to, ball_to):
                way = sub(
                    sub(v_of(ways.ball, f), v_of(ways.heel, f)), sub(v_of(ways.ball, f - 1), v_of(ways.heel, f - 1))
                )
                behind, ahead = sub(v_of(heel, f), v_of(heel, f - 1)), sub(v_of(ball, f), v_of(ball, f - 1))
                d = sub(ahead, behind)
                share = (_STILL * _STILL - dot(behind, d)) / (_STILL * _STILL + dot(d, d))
                gone = add(gone, times(way, 1.0 - min(max(share, 0.0), 1.0)))
            ways.gone[f, 0], ways.gone[f, 1], ways.gone[f, 2] = gone


@kernel(shared=1, out=1, in_order=True)
def places(held: Held, ankle: Array, ways: Turns, out: Array) -> None:
    """Where the ball of a locked foot stands in each contact ``(n, 3)``; ankle ``(frames, 3)``: where that is."""
    for i in range(len(held.frames)):
        first, last = held.frames[i, 0], held.frames[i, 1]
        if held.hold == FIRST:
            last = first
        elif held.hold == LAST:
            first = last
        at = (0.0, 0.0, 0.0)
        for f in range(first, last + 1):
            at = add(at, sub(add(v_of(ankle, f), _to_ball(held, i, f, ways)), v_of(ways.gone, f)))
        out[i, 0], out[i, 1], out[i, 2] = times(at, 1.0 / (last - first + 1))


@kernel(shared=2, out=2, in_order=True)
def goals(held: Held, stood: Array, ankle: Array, ways: Turns, offset: Array, down: NDArray[np.bool_]) -> None:
    """How far the ankle moves ``(frames, 3)`` so that the ball stands at ``stood`` ``(n, 3)`` in each contact, and goes on from
    there as the foot turns; when it is in one."""
    wanted = np.empty((len(offset), 3))
    _clear(wanted)
    for f in range(len(down)):
        down[f] = False
    for i in range(len(held.frames)):
        for f in range(held.frames[i, 0], held.frames[i, 1] + 1):
            by = sub(sub(add(v_of(stood, i), v_of(ways.gone, f)), _to_ball(held, i, f, ways)), v_of(ankle, f))
            wanted[f, 0], wanted[f, 1], wanted[f, 2] = by
            down[f] = True
    lead(held.ease_in, held.ease_out, wanted, offset)
