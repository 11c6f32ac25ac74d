"""From local to model space and back."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from reflexa.motion.arrays import Array
from reflexa.motion.kernels.compiling import kernel
from reflexa.motion.kernels.parts import Model
from reflexa.motion.kernels.quaternions import add, inv, mul, near_side, q_at, q_of, rot, sub, unit, v_at, v_of

Parents = NDArray[np.intp]
Bools = NDArray[np.bool_]


@kernel(shared=1, out=2)
def forward(parents: Parents, rotations: Array, translations: Array, turned: Array, placed: Array) -> None:
    """Model-space rotations and places of every joint; parents before children, -1 for a root."""
    for f in range(len(rotations)):
        for j in range(len(parents)):
            q = (rotations[f, j, 0], rotations[f, j, 1], rotations[f, j, 2], rotations[f, j, 3])
            t = (translations[f, j, 0], translations[f, j, 1], translations[f, j, 2])
            p = parents[j]
            if p >= 0:
                above = (turned[f, p, 0], turned[f, p, 1], turned[f, p, 2], turned[f, p, 3])
                q = mul(above, q)
                t = rot(above, t)
                t = (t[0] + placed[f, p, 0], t[1] + placed[f, p, 1], t[2] + placed[f, p, 2])
            turned[f, j, 0], turned[f, j, 1], turned[f, j, 2], turned[f, j, 3] = q
            placed[f, j, 0], placed[f, j, 1], placed[f, j, 2] = t


@kernel(shared=3, out=1)
def mapped(of: Parents, to: Parents, maps: Array, source: Array, out: Array) -> None:
    """Rotations of some joints, as row vectors, through linear maps ``(n, 4, 4)``: of these of the source, to those of the
    result, both ``(frames, joints, 4)``. Joints that are not named stay as they are."""
    for f in range(len(source)):
        for i in range(len(of)):
            x, y, z, w = q_at(source, f, of[i])
            m = maps[i]
            for k in range(4):
                out[f, to[i], k] = m[0, k] * x + m[1, k] * y + m[2, k] * z + m[3, k] * w


@kernel(shared=4, out=2)
def hang(parents: Parents, rest: Array, offsets: Array, given: Bools, turned: Array, placed: Array) -> None:
    """Joints that nobody has turned or placed yet, from the top down: at rest on their parents.

    rest, offsets: local rest rotations ``(joints, 4)`` and translations ``(joints, 3)``; given ``(joints, 2)``: whose turn, and
    whose place, is there already.
    """
    for f in range(len(turned)):
        for j in range(len(parents)):
            p = parents[j]
            if not given[j, 0]:
                q = (rest[j, 0], rest[j, 1], rest[j, 2], rest[j, 3])
                if p >= 0:
                    q = mul(q_at(turned, f, p), q)
                turned[f, j, 0], turned[f, j, 1], turned[f, j, 2], turned[f, j, 3] = q
            if not given[j, 1]:
                t = (offsets[j, 0], offsets[j, 1], offsets[j, 2])
                if p >= 0:
                    t = add(v_at(placed, f, p), rot(q_at(turned, f, p), t))
                placed[f, j, 0], placed[f, j, 1], placed[f, j, 2] = t


@kernel(shared=3, out=2, in_order=True)
def carried(joint: int, turn: Array, offset: Array, model: Model, q: Array, p: Array) -> None:
    """Where something goes that a joint carries along, at a turn ``(4,)`` and an offset ``(3,)`` in its own axes: rotations
    ``(frames, 4)`` and places ``(frames, 3)``."""
    turned, placed = model
    by, to = (turn[0], turn[1], turn[2], turn[3]), (offset[0], offset[1], offset[2])
    for f in range(len(turned)):
        at = q_at(turned, f, joint)
        q[f, 0], q[f, 1], q[f, 2], q[f, 3] = mul(at, by)
        p[f, 0], p[f, 1], p[f, 2] = add(v_at(placed, f, joint), rot(at, to))


@kernel(shared=1, out=2, in_order=True)
def against(parent: int, model: Model, turn: Array, place: Array, q: Array, p: Array) -> None:
    """Turns ``(frames, 4)`` and places ``(frames, 3)`` in model space, as they stand to a parent."""
    turned, placed = model
    for f in range(len(turned)):
        back = inv(q_at(turned, f, parent))
        q[f, 0], q[f, 1], q[f, 2], q[f, 3] = mul(back, q_of(turn, f))
        p[f, 0], p[f, 1], p[f, 2] = rot(back, sub(v_of(place, f), v_at(placed, f, parent)))


@kernel(shared=2, out=1)
def local_turns(parents: Parents, joints: Parents, turned: Array, local: Array) -> None:
    """Local rotations of some joints ``(n,)``, written into those of all ``(frames, joints, 4)``."""
    for f in range(len(turned)):
        for j in joints:
            q = q_at(turned, f, j)
            if parents[j] >= 0:
                q = mul(inv(q_at(turned, f, parents[j])), q)
            local[f, j, 0], local[f, j, 1], local[f, j, 2], local[f, j, 3] = q


@kernel(shared=3, out=1, in_order=True)
def put(joints: Parents, at: Parents, local: Array, rotations: Array) -> None:
    """Rotations of some joints ``(n,)`` at some frames ``(m,)``, given ``(m, joints, 4)``, put into ``(frames, joints, 4)``: of
    unit length, on the hemisphere of what was there."""
    for i in range(len(at)):
        f = at[i]
        for j in joints:
            q = near_side(unit(q_at(local, i, j)), q_at(rotations, f, j))
            rotations[f, j, 0], rotations[f, j, 1], rotations[f, j, 2], rotations[f, j, 3] = q


@kernel(shared=0, out=2, in_order=True)
def arcs(a: Array, b: Array, way: Array, half: Array) -> None:
    """The turns from rotations a to b ``(frames, joints, 4)``, on one hemisphere from frame to frame, and half the angle of
    each ``(frames, joints)``, 0 to pi."""
    for f in range(len(a)):
        for j in range(a.shape[1]):
            turn = mul(inv(q_at(a, f, j)), q_at(b, f, j))
            x, y, z, w = near_side(turn, q_at(way, f - 1, j)) if f > 0 else turn
            way[f, j, 0], way[f, j, 1], way[f, j, 2], way[f, j, 3] = x, y, z, w
            half[f, j] = math.atan2(math.sqrt(x * x + y * y + z * z), w)


@kernel(shared=0, out=1)
def along(a: Array, b: Array, way: Array, half: Array, share: Array, out: Array) -> None:
    """Rotations a share ``(frames, joints)`` of the way from a to b: exactly a at 0 and where they are equal, b at 1."""
    for f in range(len(a)):
        for j in range(a.shape[1]):
            t, q, to = share[f, j], q_at(a, f, j), q_at(b, f, j)
            if t == 1.0:
                q = to
            elif t != 0.0 and q != to:
                x, y, z = way[f, j, 0], way[f, j, 1], way[f, j, 2]
                by = math.sin(t * half[f, j]) / max(math.sqrt(x * x + y * y + z * z), 1e-12)
                q = mul(q, (by * x, by * y, by * z, math.cos(t * half[f, j])))
            out[f, j, 0], out[f, j, 1], out[f, j, 2], out[f, j, 3] = q


@kernel(shared=0, out=1, in_order=True)
def settled(rotations: Array, out: Array) -> None:
    """Rotations ``(frames, joints, 4)`` of unit length again, by one Newton step, and on one hemisphere from frame to frame."""
    for f in range(len(rotations)):
        for j in range(rotations.shape[1]):
            q = q_at(rotations, f, j)
            x, y, z, w = near_side(q, q_at(out, f - 1, j)) if f > 0 else q
            by = 1.5 - 0.5 * (x * x + y * y + z * z + w * w)
            out[f, j, 0], out[f, j, 1], out[f, j, 2], out[f, j, 3] = by * x, by * y, by * z, by * w
