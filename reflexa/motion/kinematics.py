"""From local to model space and back, over all frames at once."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import blocks, quat
from reflexa.motion.arrays import Array

Parents = NDArray[np.intp]

# Least and most frames that a thread takes at once: long loops, or the threads only wait for the interpreter.
_BLOCK = (4096, 10_240)


def forward(
    parents: Parents, rotations: Array, translations: Array, scales: Array | None = None
) -> tuple[Array, Array]:
    """Model-space rotations ``(frames, joints, 4)`` and positions ``(frames, joints, 3)``.

    parents ``(joints,)``: -1 for a root, and every parent before its children.
    rotations, translations (and scales) are local, ``(frames, joints, …)``. Scales act as in glTF 2.0
    (section 3.5.3: T · R · S, inherited by children); the rotations returned leave them out.
    """
    frames, joints = rotations.shape[:2]
    if scales is not None:
        return _forward_scaled(parents, rotations, translations, scales)
    turned = np.empty((frames, joints, 4))
    placed = np.empty((frames, joints, 3))
    if frames <= 8:
        _forward_few(parents, rotations, translations, turned, placed)
        return turned, placed

    def block(span: slice) -> None:
        # Component planes (joints, components, frames) make every operation run over contiguous memory.
        q = np.ascontiguousarray(rotations[span].transpose(1, 2, 0))
        t = np.ascontiguousarray(translations[span].transpose(1, 2, 0))
        big_q, big_p = np.empty_like(q), np.empty_like(t)
        s, u = np.empty(q.shape[2]), np.empty((3, q.shape[2]))
        for joint, parent in enumerate(parents.tolist()):
            if parent < 0:
                big_q[joint], big_p[joint] = q[joint], t[joint]
            else:
                _compose((big_q[parent], big_p[parent]), (q[joint], t[joint]), (big_q[joint], big_p[joint]), s, u)
        turned[span] = big_q.transpose(2, 0, 1)
        placed[span] = big_p.transpose(2, 0, 1)

    blocks.over(frames, block, *_BLOCK)
    return turned, placed


Planes = tuple[Array, Array]


def _compose(parent: Planes, local: Planes, out: Planes, s: Array, u: Array) -> None:
    """``out = parent · local`` on component planes, with no memory taken: ``s`` and ``u`` are scratch."""
    (pq, pp), (q, t), (out_q, out_p) = parent, local, out
    ax, ay, az, aw = pq
    bx, by, bz, bw = q
    tx, ty, tz = t
    # The quaternion product, most of it three or four components at a time: fewer calls on longer arrays.
    np.multiply(aw, q, out=out_q)
    np.multiply(pq[:3], bw, out=u)
    np.add(out_q[:3], u, out=out_q[:3])
    np.multiply(pq[:3], q[:3], out=u)
    for i in range(3):
        np.subtract(out_q[3], u[i], out=out_q[3])
    _add_cross(((ay, bz, az, by), (az, bx, ax, bz), (ax, by, ay, bx)), out_q, s)
    # p' = p + t + w c + a × c with c = 2 (a × t)
    for i, (a, b, c, d) in enumerate(((ay, tz, az, ty), (az, tx, ax, tz), (ax, ty, ay, tx))):
        np.multiply(a, b, out=u[i])
        np.multiply(c, d, out=s)
        np.subtract(u[i], s, out=u[i])
    np.add(u, u, out=u)
    np.multiply(aw, u, out=out_p)
    np.add(out_p, t, out=out_p)
    np.add(out_p, pp, out=out_p)
    _add_cross(((ay, u[2], az, u[1]), (az, u[0], ax, u[2]), (ax, u[1], ay, u[0])), out_p, s)


def _add_cross(terms: tuple[tuple[Array, Array, Array, Array], ...], out: Array, s: Array) -> None:
    """Add a cross product, given as (a b - c d) per component, to component planes."""
    for i, (a, b, c, d) in enumerate(terms):
        np.multiply(a, b, out=s)
        np.add(out[i], s, out=out[i])
        np.multiply(c, d, out=s)
        np.subtract(out[i], s, out=out[i])


def _forward_few(parents: Parents, q: Array, t: Array, turned: Array, placed: Array) -> None:
    """For a handful of frames: all joints of one depth together."""
    for depth, level in enumerate(_levels(parents)):
        if depth == 0:
            turned[:, level], placed[:, level] = q[:, level], t[:, level]
            continue
        above = parents[level]
        turned[:, level] = quat.multiply(turned[:, above], q[:, level])
        placed[:, level] = placed[:, above] + quat.rotate(turned[:, above], t[:, level])


def _levels(parents: Parents) -> list[Parents]:
    """Joints grouped by depth: each group depends on the ones before it only."""
    depth = np.zeros(len(parents), dtype=np.intp)
    for joint, parent in enumerate(parents.tolist()):
        if parent >= 0:
            depth[joint] = depth[parent] + 1
    return [np.flatnonzero(depth == d) for d in range(int(depth.max()) + 1)]


def _forward_scaled(parents: Parents, q: Array, t: Array, scales: Array) -> tuple[Array, Array]:
    placed = forward_matrices(parents, q, t, scales)[1]
    turned = np.empty_like(q)
    for joint, parent in enumerate(parents.tolist()):
        turned[:, joint] = q[:, joint] if parent < 0 else quat.multiply(turned[:, parent], q[:, joint])
    return turned, placed


def forward_matrices(
    parents: Parents, rotations: Array, translations: Array, scales: Array | None = None
) -> tuple[Array, Array]:
    """Model-space linear parts ``(frames, joints, 3, 3)`` with scale and shear, and positions."""
    frames, joints = rotations.shape[:2]
    linear = np.empty((frames, joints, 3, 3))
    placed = np.empty((frames, joints, 3))
    local = quat.to_matrix(rotations)
    if scales is not None:
        local = local * scales[..., None, :]
    for joint, parent in enumerate(parents.tolist()):
        if parent < 0:
            linear[:, joint], placed[:, joint] = local[:, joint], translations[:, joint]
        else:
            linear[:, joint] = linear[:, parent] @ local[:, joint]
            placed[:, joint] = placed[:, parent] + (linear[:, parent] @ translations[:, joint, :, None])[..., 0]
    return linear, placed


def inverse(parents: Parents, turned: Array, placed: Array) -> tuple[Array, Array]:
    """Local rotations and translations from model space, the opposite of ``forward`` without scales."""
    has = parents >= 0
    above = parents[has]
    rotations, translations = np.array(turned), np.array(placed)
    back = quat.conjugate(turned[:, above])
    rotations[:, has] = quat.multiply(back, turned[:, has])
    translations[:, has] = quat.rotate(back, placed[:, has] - placed[:, above])
    return rotations, translations


def to_local(
    parents: Parents, model: tuple[Array, Array], joint: int, turn: Array, place: Array
) -> tuple[Array, Array]:
    """A joint's wanted model-space turn ``(frames, 4)`` and place ``(frames, 3)`` as its local rotation and translation,
    its parent standing as ``model`` (rotations and positions of all joints, without scales) has it."""
    parent = int(parents[joint])
    if parent < 0:
        return turn, place
    turned, placed = model
    back = quat.conjugate(turned[:, parent])
    return quat.multiply(back, turn), quat.rotate(back, place - placed[:, parent])
