"""From local to model space and back, over all frames at once."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from reflexa.motion import quat
from reflexa.motion.quat import Array

if TYPE_CHECKING:
    from reflexa.motion.skeleton import Skeleton

# Frames computed together: few enough for a joint's temporaries to stay in a core's cache.
_BLOCK = 1024


def forward(
    skeleton: Skeleton, rotations: Array, translations: Array, scales: Array | None = None
) -> tuple[Array, Array]:
    """Model-space rotations ``(frames, joints, 4)`` and positions ``(frames, joints, 3)``.

    rotations, translations (and scales) are local, ``(frames, joints, …)``. Scales act as in glTF 2.0
    (section 3.5.3: T · R · S, inherited by children); the rotations returned leave them out.
    """
    frames, joints = rotations.shape[:2]
    if scales is not None:
        return _forward_scaled(skeleton, rotations, translations, scales)
    turned = np.empty((frames, joints, 4))
    placed = np.empty((frames, joints, 3))
    parents = skeleton.parents.tolist()
    if frames <= 8:
        _forward_few(skeleton, rotations, translations, turned, placed)
        return turned, placed
    # Component planes (joints, components, frames) make every operation below run over contiguous memory.
    block = min(_BLOCK, frames)
    big_q, big_p = np.empty((joints, 4, block)), np.empty((joints, 3, block))
    s, u = np.empty(block), np.empty((4, block))
    for start in range(0, frames, block):
        span = slice(start, min(start + block, frames))
        n = span.stop - span.start
        q = np.ascontiguousarray(rotations[span].transpose(1, 2, 0))
        t = np.ascontiguousarray(translations[span].transpose(1, 2, 0))
        for joint, parent in enumerate(parents):
            if parent < 0:
                big_q[joint, :, :n] = q[joint]
                big_p[joint, :, :n] = t[joint]
                continue
            _compose(
                big_q[parent, :, :n], big_p[parent, :, :n], q[joint], t[joint],
                big_q[joint, :, :n], big_p[joint, :, :n], s[:n], u[:, :n],
            )  # fmt: skip
        turned[span] = big_q[:, :, :n].transpose(2, 0, 1)
        placed[span] = big_p[:, :, :n].transpose(2, 0, 1)
    return turned, placed


def _compose(pq: Array, pp: Array, q: Array, t: Array, out_q: Array, out_p: Array, s: Array, u: Array) -> None:
    """``out = parent · local`` on component planes, with no memory taken: ``s`` and ``u`` are scratch."""
    ax, ay, az, aw = pq
    bx, by, bz, bw = q
    for out, terms in (
        (out_q[0], ((aw, bx, 1), (ax, bw, 1), (ay, bz, 1), (az, by, -1))),
        (out_q[1], ((aw, by, 1), (ax, bz, -1), (ay, bw, 1), (az, bx, 1))),
        (out_q[2], ((aw, bz, 1), (ax, by, 1), (ay, bx, -1), (az, bw, 1))),
        (out_q[3], ((aw, bw, 1), (ax, bx, -1), (ay, by, -1), (az, bz, -1))),
    ):
        np.multiply(terms[0][0], terms[0][1], out=out)
        for a, b, sign in terms[1:]:
            np.multiply(a, b, out=s)
            (np.add if sign > 0 else np.subtract)(out, s, out=out)
    x, y, z = t
    # c = 2 (a × t);  p' = p + t + w c + a × c
    for i, (a, b, c, d) in enumerate(((ay, z, az, y), (az, x, ax, z), (ax, y, ay, x))):
        np.multiply(a, b, out=u[i])
        np.multiply(c, d, out=s)
        np.subtract(u[i], s, out=u[i])
        np.add(u[i], u[i], out=u[i])
    c0, c1, c2 = u[0], u[1], u[2]
    for i, (a, b, c, d) in enumerate(((ay, c2, az, c1), (az, c0, ax, c2), (ax, c1, ay, c0))):
        out = out_p[i]
        np.multiply(a, b, out=out)
        np.multiply(c, d, out=s)
        np.subtract(out, s, out=out)
        np.multiply(aw, u[i], out=s)
        np.add(out, s, out=out)
        np.add(out, t[i], out=out)
        np.add(out, pp[i], out=out)


def _forward_few(skeleton: Skeleton, q: Array, t: Array, turned: Array, placed: Array) -> None:
    """For a handful of frames: all joints of one depth together."""
    for depth, level in enumerate(skeleton.levels):
        if depth == 0:
            turned[:, level], placed[:, level] = q[:, level], t[:, level]
            continue
        above = skeleton.parents[level]
        turned[:, level] = quat.multiply(turned[:, above], q[:, level])
        placed[:, level] = placed[:, above] + quat.rotate(turned[:, above], t[:, level])


def _forward_scaled(skeleton: Skeleton, q: Array, t: Array, scales: Array) -> tuple[Array, Array]:
    placed = forward_matrices(skeleton, q, t, scales)[1]
    turned = np.empty_like(q)
    for joint, parent in enumerate(skeleton.parents.tolist()):
        turned[:, joint] = q[:, joint] if parent < 0 else quat.multiply(turned[:, parent], q[:, joint])
    return turned, placed


def forward_matrices(
    skeleton: Skeleton, rotations: Array, translations: Array, scales: Array | None = None
) -> tuple[Array, Array]:
    """Model-space linear parts ``(frames, joints, 3, 3)`` with scale and shear, and positions."""
    frames, joints = rotations.shape[:2]
    linear = np.empty((frames, joints, 3, 3))
    placed = np.empty((frames, joints, 3))
    local = quat.to_matrix(rotations)
    if scales is not None:
        local = local * scales[..., None, :]
    for joint, parent in enumerate(skeleton.parents.tolist()):
        if parent < 0:
            linear[:, joint], placed[:, joint] = local[:, joint], translations[:, joint]
        else:
            linear[:, joint] = linear[:, parent] @ local[:, joint]
            placed[:, joint] = placed[:, parent] + (linear[:, parent] @ translations[:, joint, :, None])[..., 0]
    return linear, placed


def inverse(skeleton: Skeleton, turned: Array, placed: Array) -> tuple[Array, Array]:
    """Local rotations and translations from model space, the opposite of ``forward`` without scales."""
    parents = skeleton.parents
    has = parents >= 0
    above = parents[has]
    rotations, translations = np.array(turned), np.array(placed)
    back = quat.conjugate(turned[:, above])
    rotations[:, has] = quat.multiply(back, turned[:, has])
    translations[:, has] = quat.rotate(back, placed[:, has] - placed[:, above])
    return rotations, translations
