"""Least squares over time: what each frame asks for, and little change from frame to frame."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from reflexa.motion.arrays import Array
from reflexa.motion.kernels.blocks import entered
from reflexa.motion.kernels.compiling import helper, kernel
from reflexa.motion.kernels.limbs import end_of, turn_joint
from reflexa.motion.kernels.parts import Blocks, Limb, Model
from reflexa.motion.kernels.quaternions import (
    V,
    about,
    add,
    cross,
    direction,
    dot,
    length,
    mul,
    of_vector,
    q_at,
    rot,
    smooth,
    sub,
    times,
    v_at,
    v_of,
    vector,
)

# An arm has so many unknowns a frame: a turn of the whole of it (three), and the bend of its elbow.
_SIZE = 4
# An elbow that snaps is seen before a shoulder that does: so much more its changes from frame to frame count.
_ELBOW = 16.0
# No bend is led below the first, unless it was, nor above the second, radians; how stiff that is, radians.
_STRAIGHTEST, _FOLDED, _LIMIT = math.radians(3.0), math.radians(165.0), math.radians(1.0)
# How stiffly an elbow that is bent by less than the second is told to bend as far as it has to, radians.
_BENDS, _BENT = math.radians(2.0), math.radians(40.0)
# No step of the solver turns an arm by more than this, radians.
_STEP = 0.2
# Where no step is larger than this, radians, the answer is found.
_SETTLED = 2e-3
# By how much each unknown is held back from where the last step left it, as a share of what holds it anyway (Marquardt 1963).
_DAMPED = 0.3


class Arm(NamedTuple):
    """A limb of two bones over some frames, and what is asked of it.

    hinge ``(frames, 3)``: what it bends about, in its upper bone's axes. offset ``(frames, 3)``: the way from its end to the
    middle of its hand, which keeps its turn. points ``(points, 2)``: those of it that may be in something, each how far down
    the lower bone it is and how far along the hand; thick ``(points,)``: half of how thick it is there. body: what it may be
    in; trunk: what of that is no arm: arms that have to come past each other heed nothing else at first. goal
    ``(frames, 3)``, pull ``(frames,)``: where its end is to be and how much, 0 to 1; allowed ``(frames, points)``: how deep each
    of its points may be in the body, metres.
    """

    limb: Limb
    hinge: Array
    offset: Array
    points: Array
    thick: Array
    body: Blocks
    trunk: Blocks
    goal: Array
    pull: Array
    allowed: Array


class Arms(NamedTuple):
    """One arm or two (``both``; else the second is passed over). way ``(frames, 3)``: from the end of the first to that of the
    second as it is to be; pull ``(frames,)``: how much. held_before, held_after: nothing changes before the first frame, or after
    the last; else the clip begins or ends there."""

    first: Arm
    second: Arm
    both: bool
    way: Array
    pull: Array
    held_before: bool
    held_after: bool


class Stiffness(NamedTuple):
    """What a term may be off by, each as one: a place, a depth (metres), the pose (radians); how strongly changes from frame to
    frame count beside the pose; how often it is solved anew."""

    place: float
    depth: float
    pose: float
    time: float
    rounds: int


class System(NamedTuple):
    """What all frames ask for of ``n`` unknowns: how strongly ``(frames, n, n)``, and by how much ``(frames, n)``."""

    weights: Array
    pulls: Array


@kernel(shared=2, out=2, in_order=True)
def arms(arms: Arms, stiff: Stiffness, model: Model, out: Array) -> None:
    """Turn arms about their roots, and bend their elbows, in place, so as to meet what frames ask for; hands keep their turns.
    ``out`` ``(frames, 4 or 8)``: how each did: a rotation vector in model space, radians, then an angle.

    Gauss-Newton on a system that is block-tridiagonal in time.
    """
    n, size = out.shape
    system = System(np.empty((n, size, size)), np.empty((n, size)))
    keep = 1.0 / (stiff.pose * stiff.pose)
    tie = keep * stiff.time
    for f in range(n):
        for i in range(size):
            out[f, i] = 0.0
    first = True
    for round_ in range(stiff.rounds):
        first = first and round_ < stiff.rounds // 2
        for f in range(n):
            for i in range(size):
                own = tie * (_ELBOW if i % _SIZE == 3 else 1.0)
                before = own if f > 0 or arms.held_before else 0.0
                after = own if f < n - 1 or arms.held_after else 0.0
                system.pulls[f, i] = -keep * out[f, i]
                system.pulls[f, i] -= before * (out[f, i] - (out[f - 1, i] if f > 0 else 0.0))
                system.pulls[f, i] -= after * (out[f, i] - (out[f + 1, i] if f < n - 1 else 0.0))
                for j in range(size):
                    system.weights[f, i, j] = keep + before + after if i == j else 0.0
            body = arms.first.trunk if first else arms.first.body
            _asked(arms.first, body, stiff, model, (f, 0, out[f, 3]), system)
            if arms.both:
                body = arms.second.trunk if first else arms.second.body
                _asked(arms.second, body, stiff, model, (f, _SIZE, out[f, _SIZE + 3]), system)
                _meeting(arms, stiff, model, f, system)
            for i in range(size):
                system.weights[f, i, i] *= 1.0 + _DAMPED
        _solve(system.weights, system.pulls, tie)
        largest = 0.0
        for f in range(n):
            for i in range(size):
                largest = max(largest, abs(system.pulls[f, i]))
            _turn(arms.first, model, (f, 0), system.pulls, out)
            if arms.both:
                _turn(arms.second, model, (f, _SIZE), system.pulls, out)
        if largest < _SETTLED:
            if not first:
                break
            first = False


@helper
def _levers(arm: Arm, model: Model, f: int) -> tuple[V, V, V, V]:
    """Of an arm its root, its upper and its lower bone as ways, and the axis of its elbow."""
    turned, placed = model
    root, mid = v_at(placed, f, arm.limb.root), v_at(placed, f, arm.limb.middle)
    n = direction(rot(q_at(turned, f, arm.limb.root), v_of(arm.hinge, f)), (1.0, 0.0, 0.0))
    return root, sub(mid, root), sub(end_of(arm.limb, turned, placed, f), mid), n


@helper
def _asked(arm: Arm, body: Blocks, stiff: Stiffness, model: Model, at: tuple[int, int, float], system: System) -> None:
    """What one frame asks of an arm, added to the system. at: the frame, its first unknown, by how much its elbow has bent on."""
    f, first, bent = at
    root, u, l, n = _levers(arm, model, f)
    if arm.pull[f] > 0.0:
        off, by = sub(v_of(arm.goal, f), add(add(root, u), l)), arm.pull[f] / (stiff.place * stiff.place)
        for k in range(3):
            way = (1.0 if k == 0 else 0.0, 1.0 if k == 1 else 0.0, 1.0 if k == 2 else 0.0)
            _add(system, f, first, _slope(u, l, n, way), (off[k], by))
        _bend_on(system, (f, first), (u, l, n), sub(v_of(arm.goal, f), root), arm.pull[f])
    for k in range(len(arm.points)):
        lower = times(l, arm.points[k, 0])
        point = add(add(add(root, u), lower), times(v_of(arm.offset, f), arm.points[k, 1]))
        deep, way = entered(body, arm.thick[k], model, f, point)
        over = deep - arm.allowed[f, k]
        if over > 0.0:
            _add(system, f, first, _slope(u, lower, n, way), (over, 1.0 / (stiff.depth * stiff.depth)))
    now = math.atan2(dot(n, cross(u, l)), dot(u, l))
    low, high = min(_STRAIGHTEST, now - bent), max(_FOLDED, now - bent)
    beyond = low - now if now < low else (high - now if now > high else 0.0)
    if beyond != 0.0:
        system.weights[f, first + 3, first + 3] += 1.0 / (_LIMIT * _LIMIT)
        system.pulls[f, first + 3] += beyond / (_LIMIT * _LIMIT)


@helper
def _bend_on(system: System, at: tuple[int, int], bones: tuple[V, V, V], way: V, pull: float) -> None:
    """An elbow is to bend to what the law of cosines says for so long a way: where an arm is all but straight, bending it seems
    to bring its end no nearer."""
    f, first = at
    u, l, n = bones
    lu, ll = length(u), length(l)
    cosine = (dot(way, way) - lu * lu - ll * ll) / max(2.0 * lu * ll, 1e-12)
    now = math.atan2(dot(n, cross(u, l)), dot(u, l))
    off = math.acos(min(max(cosine, -1.0), 1.0)) - now
    by = pull * (1.0 - smooth(now / _BENT)) / (_BENDS * _BENDS)
    system.weights[f, first + 3, first + 3] += by
    system.pulls[f, first + 3] += by * off


@helper
def _slope(u: V, lower: V, n: V, way: V) -> tuple[float, float, float, float]:
    """By how much a point goes along a way as the whole arm turns about each axis, and as its elbow bends; lower: to it from the
    elbow."""
    turn = cross(add(u, lower), way)  # (w × r) · d = w · (r × d)
    return (turn[0], turn[1], turn[2], dot(cross(n, lower), way))


@helper
def _add(
    system: System, f: int, first: int, slope: tuple[float, float, float, float], asked: tuple[float, float]
) -> None:
    """Something is to change by so much, that strongly, which does so with each of an arm's unknowns."""
    off, by = asked
    for i in range(_SIZE):
        system.pulls[f, first + i] += by * off * slope[i]
        for j in range(_SIZE):
            system.weights[f, first + i, first + j] += by * slope[i] * slope[j]


@helper
def _meeting(arms: Arms, stiff: Stiffness, model: Model, f: int, system: System) -> None:
    """Two ends are to be so far apart, added to the system."""
    if arms.pull[f] <= 0.0:
        return
    root, u, l, n = _levers(arms.first, model, f)
    other, ou, ol, on = _levers(arms.second, model, f)
    off = sub(v_of(arms.way, f), sub(add(add(other, ou), ol), add(add(root, u), l)))
    by = arms.pull[f] / (stiff.place * stiff.place)
    half = times(off, 0.5)
    _bend_on(system, (f, 0), (u, l, n), sub(add(u, l), half), arms.pull[f])
    _bend_on(system, (f, _SIZE), (ou, ol, on), add(add(ou, ol), half), arms.pull[f])
    for k in range(3):
        way = (1.0 if k == 0 else 0.0, 1.0 if k == 1 else 0.0, 1.0 if k == 2 else 0.0)
        a, b = _slope(u, l, n, times(way, -1.0)), _slope(ou, ol, on, way)
        _add(system, f, 0, a, (off[k], by))
        _add(system, f, _SIZE, b, (off[k], by))
        for i in range(_SIZE):
            for j in range(_SIZE):
                system.weights[f, i, _SIZE + j] += by * a[i] * b[j]
                system.weights[f, _SIZE + i, j] += by * b[i] * a[j]


@helper
def _turn(arm: Arm, model: Model, at: tuple[int, int], steps: Array, out: Array) -> None:
    """Turn an arm on by a step of the solver, in place, and add that to what it did."""
    f, first = at
    _, placed = model
    limb = arm.limb
    step, bend = (steps[f, first], steps[f, first + 1], steps[f, first + 2]), steps[f, first + 3]
    size = length(step)
    if size > _STEP:
        step = times(step, _STEP / size)
    bend = min(max(bend, -_STEP), _STEP)
    root, u, l, n = _levers(arm, model, f)
    turn = of_vector(step)
    both = mul(turn, about(n, bend))
    mid, end = add(root, u), add(add(root, u), l)
    new_mid = add(root, rot(turn, u))
    by = sub(add(new_mid, rot(both, l)), end)
    for j in limb.upper:
        turn_joint(model, f, j, turn, root, root)
    for j in limb.lower:
        turn_joint(model, f, j, both, mid, new_mid)
    for j in limb.beyond:
        placed[f, j, 0] += by[0]
        placed[f, j, 1] += by[1]
        placed[f, j, 2] += by[2]
    was = (out[f, first], out[f, first + 1], out[f, first + 2])
    out[f, first], out[f, first + 1], out[f, first + 2] = vector(mul(turn, of_vector(was)))
    out[f, first + 3] += bend


@helper
def _solve(weights: Array, pulls: Array, tie: float) -> None:
    """Solve a symmetric system of blocks ``weights`` on its diagonal, each tied to the next by ``-tie`` for every unknown; the
    answer takes the place of ``pulls``. Thomas's algorithm, blocks by Gauss-Jordan elimination."""
    n, size = pulls.shape
    carried = np.zeros((n, size, size))  # what of the next frame's answer counts for this one's
    block = np.empty((size, 2 * size + 1))
    for f in range(n):
        for i in range(size):
            block[i, 2 * size] = pulls[f, i]
            own = tie * (_ELBOW if i % _SIZE == 3 else 1.0)
            for j in range(size):
                block[i, j] = weights[f, i, j]
                block[i, size + j] = own if i == j and f < n - 1 else 0.0
                if f > 0:
                    block[i, j] -= own * carried[f - 1, i, j]
            if f > 0:
                block[i, 2 * size] += own * pulls[f - 1, i]
        for k in range(size):
            pivot = 1.0 / block[k, k]  # positive definite: no row need be exchanged
            for j in range(k, 2 * size + 1):
                block[k, j] *= pivot
            for i in range(size):
                if i != k:
                    by = block[i, k]
                    for j in range(k, 2 * size + 1):
                        block[i, j] -= by * block[k, j]
        for i in range(size):
            pulls[f, i] = block[i, 2 * size]
            for j in range(size):
                carried[f, i, j] = block[i, size + j]
    for f in range(n - 2, -1, -1):
        for i in range(size):
            for j in range(size):
                pulls[f, i] += carried[f, i, j] * pulls[f + 1, j]
