"""What findings are read off: steps of joints that are off their course, how limbs bend and bones twist, how far feet slide."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from reflexa.motion.arrays import Array
from reflexa.motion.kernels.compiling import kernel
from reflexa.motion.kernels.parts import Limb, Model
from reflexa.motion.kernels.quaternions import inv, mul, rot

Ints = NDArray[np.intp]


@kernel(shared=0, out=2, in_order=True)
def off_course(rotations: Array, change: Array, out: Array) -> None:
    """By how much the step of each joint to a frame is off the one before and the one after, the smaller of both, as the cosine
    of half the angle ``(frames, joints)``: 1 where a step is missing. rotations ``(frames, joints, 4)``; change: the same, for
    the one before alone."""
    last, joints = len(rotations) - 1, rotations.shape[1]
    for f in range(last + 1):
        for j in range(joints):
            change[f, j] = 1.0
            if f > 1:
                a, b, c = rotations[f - 2, j], rotations[f - 1, j], rotations[f, j]
                mid = (b[0], b[1], b[2], b[3])
                before = mul(inv((a[0], a[1], a[2], a[3])), mid)
                after = mul(inv(mid), (c[0], c[1], c[2], c[3]))
                dot = before[0] * after[0] + before[1] * after[1] + before[2] * after[2] + before[3] * after[3]
                change[f, j] = min(abs(dot), 1.0)
            if f > 0:
                out[f - 1, j] = max(change[f - 1, j], change[f, j]) if f > 2 else 1.0
    for j in range(joints):
        out[last, j] = 1.0


@kernel(shared=0, out=2, in_order=True)
def moved_off(translations: Array, change: Array, out: Array) -> None:
    """The same for places ``(frames, joints, 3)``: by how much a step is off the ones beside it, in their unit; 0 where one is
    missing."""
    last, joints = len(translations) - 1, translations.shape[1]
    for f in range(last + 1):
        for j in range(joints):
            change[f, j] = 0.0
            if f > 1:
                a, b, c = translations[f - 2, j], translations[f - 1, j], translations[f, j]
                x, y, z = c[0] - 2.0 * b[0] + a[0], c[1] - 2.0 * b[1] + a[1], c[2] - 2.0 * b[2] + a[2]
                change[f, j] = math.sqrt(x * x + y * y + z * z)
            if f > 0:
                out[f - 1, j] = min(change[f - 1, j], change[f, j]) if f > 2 else 0.0
    for j in range(joints):
        out[last, j] = 0.0


@kernel(shared=1, out=1)
def moved(motion: Array, at: Ints, out: Array) -> None:
    """The most that any number of ``(frames, joints, k)`` changes to a frame from the one before ``(frames,)``; 0 at
    the first."""
    joints, width = motion.shape[1], motion.shape[2]
    for i in range(len(at)):
        f, most = at[i], 0.0
        if f > 0:
            for j in range(joints):
                for k in range(width):
                    most = max(most, abs(motion[f, j, k] - motion[f - 1, j, k]))
        out[i] = most


@kernel(shared=1, out=3)
def bends(limb: Limb, model: Model, end: Array, upper: Array, angle: Array, axis: Array) -> None:
    """Direction of a limb's upper bone ``(frames, 3)``, the angle between it and the lower one ``(frames,)`` radians, and what it
    bends about in the upper bone's own axes ``(frames, 3)``, zero where it is straight. end ``(frames, 3)``."""
    for f in range(len(angle)):
        q, a, b = model.turned[f, limb.root], model.placed[f, limb.root], model.placed[f, limb.middle]
        ux, uy, uz = b[0] - a[0], b[1] - a[1], b[2] - a[2]
        vx, vy, vz = end[f, 0] - b[0], end[f, 1] - b[1], end[f, 2] - b[2]
        nu, nv = max(math.sqrt(ux * ux + uy * uy + uz * uz), 1e-12), max(math.sqrt(vx * vx + vy * vy + vz * vz), 1e-12)
        ux, uy, uz, vx, vy, vz = ux / nu, uy / nu, uz / nu, vx / nv, vy / nv, vz / nv
        cx, cy, cz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        sine = math.sqrt(cx * cx + cy * cy + cz * cz)
        angle[f] = math.atan2(sine, ux * vx + uy * vy + uz * vz)
        s = max(sine, 1e-9)
        upper[f, 0], upper[f, 1], upper[f, 2] = ux, uy, uz
        own = rot(inv((q[0], q[1], q[2], q[3])), (cx / s, cy / s, cz / s))
        axis[f, 0], axis[f, 1], axis[f, 2] = own


class Bone(NamedTuple):
    """A joint, the way to its end in its own axes ``(3,)`` unit, its rest rotation ``(4,)``, and the cosine of half the angle
    that it may be swung by."""

    joint: int
    way: Array
    rest: Array
    near: float


@kernel(shared=1, out=2, in_order=True)
def twists(bone: Bone, rotations: Array, step: Array, whole: Array) -> None:
    """By how much a bone turns about its length to each frame from the one before ``(frames,)``, between minus and plus half a
    turn, and its twist against rest, without jumps from frame to frame ``(frames,)``, radians. Where it is swung further than its
    limit from rest its twist is not told, and stays what it was. rotations ``(frames, joints, 4)``."""
    w, r = bone.way, bone.rest
    rest = inv((r[0], r[1], r[2], r[3]))
    told, known = 0.0, False
    for f in range(len(step)):
        q = rotations[f, bone.joint]
        now = (q[0], q[1], q[2], q[3])
        step[f] = 0.0
        if f > 0:
            p = rotations[f - 1, bone.joint]
            s = mul(inv((p[0], p[1], p[2], p[3])), now)
            turn = 2.0 * math.atan2(s[0] * w[0] + s[1] * w[1] + s[2] * w[2], s[3])
            step[f] = turn - 2.0 * math.pi * math.floor(turn / (2.0 * math.pi) + 0.5)
        d = mul(rest, now)
        sine, cosine = d[0] * w[0] + d[1] * w[1] + d[2] * w[2], d[3]
        if math.sqrt(sine * sine + cosine * cosine) >= bone.near:
            angle = 2.0 * math.atan2(sine, cosine)
            if known:
                angle = told + (angle - told) - 2.0 * math.pi * math.floor((angle - told) / (2.0 * math.pi) + 0.5)
            else:
                for g in range(f):
                    whole[g] = angle
            told, known = angle, True
        whole[f] = told


class Stood(NamedTuple):
    """Points of a foot, heel and ball: their tracks ``(points, frames, 3)``, and when each stands ``(points, frames)``. One so
    much over the lowest of its stance is leaving; a foot lands and leaves for so many frames."""

    tracks: Array
    stands: NDArray[np.bool_]
    leaving: float
    lands: int


@kernel(shared=1, out=2)
def slides(foot: Stood, spans: Ints, far: Array, where: Ints) -> None:
    """Per stance ``(n, 2)`` of first and last frame: how far the one of a foot's points that moves less leaves the place where it
    came to stand, and the frame of that."""
    points = len(foot.tracks)
    low, at = np.empty(points), np.empty(points, dtype=np.intp)
    for i in range(len(spans)):
        first, last = spans[i, 0], spans[i, 1]
        lands = min(foot.lands, (last - first) // 4)
        for p in range(points):
            low[p], at[p] = math.inf, -1
            for f in range(first, last + 1):
                if foot.stands[p, f]:
                    low[p] = min(low[p], foot.tracks[p, f, 1])
        far[i], where[i] = 0.0, first
        for f in range(first + lands, last + 1 - lands):
            least = math.inf
            for p in range(points):
                x, y, z = foot.tracks[p, f]
                if not foot.stands[p, f] or y >= low[p] + foot.leaving:
                    at[p] = -1
                    continue
                if at[p] < 0:
                    at[p] = f
                least = min(least, math.hypot(x - foot.tracks[p, at[p], 0], z - foot.tracks[p, at[p], 2]))
            if least < math.inf and least > far[i]:
                far[i], where[i] = least, f
