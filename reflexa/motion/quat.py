"""Unit quaternions ``(x, y, z, w)`` as arrays: small total functions that broadcast over leading axes.

Right-handed, angles in radians. Rotations compose as matrices do: ``multiply(a, b)`` applies b first.
Conventions follow glTF 2.0 (component order) and SciPy's ``spatial.transform.Rotation`` (everything else),
which the tests hold every function against.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import ArrayLike

from reflexa.motion import kernels
from reflexa.motion.arrays import Array

IDENTITY: Array = np.array([0.0, 0.0, 0.0, 1.0])
IDENTITY.flags.writeable = False

_AXIS = {"X": 0, "Y": 1, "Z": 2}
# Below this, sin(x)/x and friends are taken from their series: their quotient would lose digits.
_SMALL = 1e-6


def normalise(q: ArrayLike) -> Array:
    """Scale to unit length ``(…, 4)``; a zero or non-finite quaternion becomes the identity."""
    q = np.asarray(q, dtype=np.float64)
    length = np.linalg.norm(q, axis=-1, keepdims=True)
    good = np.isfinite(length) & (length > 1e-12)
    return np.where(good, q / np.where(good, length, 1.0), IDENTITY)


def conjugate(q: ArrayLike) -> Array:
    """The inverse rotation ``(…, 4)`` of a unit quaternion."""
    return np.asarray(np.asarray(q, dtype=np.float64) * np.array([-1.0, -1.0, -1.0, 1.0]))


def multiply(a: ArrayLike, b: ArrayLike) -> Array:
    """Hamilton product ``(…, 4)``: the rotation that applies ``b``, then ``a``."""
    a = np.asarray(a, dtype=np.float64)
    b = np.asarray(b, dtype=np.float64)
    if kernels.use_compiled(a.size + b.size, "rotations.multiply"):
        return _compiled(kernels.rotations.multiply, a, b, 4)
    ax, ay, az, aw = a[..., 0], a[..., 1], a[..., 2], a[..., 3]
    bx, by, bz, bw = b[..., 0], b[..., 1], b[..., 2], b[..., 3]
    out = np.empty(np.broadcast_shapes(a.shape, b.shape))
    out[..., 0] = aw * bx + ax * bw + ay * bz - az * by
    out[..., 1] = aw * by - ax * bz + ay * bw + az * bx
    out[..., 2] = aw * bz + ax * by - ay * bx + az * bw
    out[..., 3] = aw * bw - ax * bx - ay * by - az * bz
    return out


def _compiled(kernel: Callable[[Array, Array, Array], None], a: Array, b: Array, width: int) -> Array:
    """What a kernel over rows makes of two arrays that broadcast, ``(…, width)``: the bits that NumPy gives."""
    lead = a.shape[:-1]
    if lead != b.shape[:-1]:
        lead = np.broadcast_shapes(lead, b.shape[:-1])
    out = np.empty((*lead, width))
    kernel(_rows(a, lead), _rows(b, lead), out.reshape(-1, width))
    return out


def _rows(a: Array, lead: tuple[int, ...]) -> Array:
    """An array ``(…, width)`` that broadcasts over leading axes, as rows ``(n, width)`` of all of them."""
    if a.shape[:-1] != lead:
        whole = np.empty((*lead, a.shape[-1]))
        whole[...] = a
        a = whole
    return a if a.ndim == 2 else a.reshape(-1, a.shape[-1])


def left_matrix(a: ArrayLike) -> Array:
    """The matrix ``(…, 4, 4)`` by which a row vector is multiplied on the left as a quaternion: ``a · x = x @ m``."""
    x, y, z, w = np.moveaxis(np.asarray(a, dtype=np.float64), -1, 0)
    rows = ((w, z, -y, -x), (-z, w, x, -y), (y, -x, w, -z), (x, y, z, w))
    return np.stack([np.stack(row, axis=-1) for row in rows], axis=-2)


def right_matrix(b: ArrayLike) -> Array:
    """The matrix ``(…, 4, 4)`` by which a row vector is multiplied on the right as a quaternion: ``x · b = x @ m``."""
    x, y, z, w = np.moveaxis(np.asarray(b, dtype=np.float64), -1, 0)
    rows = ((w, -z, y, -x), (z, w, -x, -y), (-y, x, w, -z), (x, y, z, w))
    return np.stack([np.stack(row, axis=-1) for row in rows], axis=-2)


def mapped(q: Array, m: Array) -> Array:
    """Each joint's quaternions ``(frames, joints, 4)`` through its own matrix ``(joints, 4, 4)``.

    Products with constants, however many, are one such matrix (``left_matrix``, ``right_matrix``), and a matrix product
    for all frames takes a seventh of the time of one quaternion product.
    """
    out = np.empty_like(q)
    np.matmul(q.transpose(1, 0, 2), m, out=out.transpose(1, 0, 2))
    return out


def rotate(q: ArrayLike, v: ArrayLike) -> Array:
    """Vectors ``(…, 3)`` turned by unit quaternions ``(…, 4)``.

    >>> rotate(from_rotvec([0, 0, np.pi / 2]), [1, 0, 0]).round(6).tolist()
    [0.0, 1.0, 0.0]
    """
    q = np.asarray(q, dtype=np.float64)
    v = np.asarray(v, dtype=np.float64)
    if kernels.use_compiled(q.size + v.size, "rotations.rotate"):
        return _compiled(kernels.rotations.rotate, q, v, 3)
    x, y, z, w = q[..., 0], q[..., 1], q[..., 2], q[..., 3]
    a, b, c = v[..., 0], v[..., 1], v[..., 2]
    # Written out: v + w t + u × t with t = 2 (u × v). NumPy's own cross product takes more than twice as long.
    tx, ty, tz = 2 * (y * c - z * b), 2 * (z * a - x * c), 2 * (x * b - y * a)
    out = np.empty((*np.broadcast_shapes(q.shape[:-1], v.shape[:-1]), 3))
    out[..., 0] = a + w * tx + (y * tz - z * ty)
    out[..., 1] = b + w * ty + (z * tx - x * tz)
    out[..., 2] = c + w * tz + (x * ty - y * tx)
    return out


def to_matrix(q: ArrayLike) -> Array:
    """Rotation matrices ``(…, 3, 3)`` of unit quaternions ``(…, 4)``."""
    q = np.asarray(q, dtype=np.float64)
    x, y, z, w = q[..., 0], q[..., 1], q[..., 2], q[..., 3]
    out = np.empty((*q.shape[:-1], 3, 3))
    out[..., 0, 0] = 1 - 2 * (y * y + z * z)
    out[..., 0, 1] = 2 * (x * y - z * w)
    out[..., 0, 2] = 2 * (x * z + y * w)
    out[..., 1, 0] = 2 * (x * y + z * w)
    out[..., 1, 1] = 1 - 2 * (x * x + z * z)
    out[..., 1, 2] = 2 * (y * z - x * w)
    out[..., 2, 0] = 2 * (x * z - y * w)
    out[..., 2, 1] = 2 * (y * z + x * w)
    out[..., 2, 2] = 1 - 2 * (x * x + y * y)
    return out


def from_matrix(m: ArrayLike) -> Array:
    """Unit quaternions ``(…, 4)`` of rotation matrices ``(…, 3, 3)``.

    The largest of the four components is computed first, so no case loses precision (Shepperd 1978).
    """
    m = np.asarray(m, dtype=np.float64)
    trace = m[..., 0, 0] + m[..., 1, 1] + m[..., 2, 2]
    choices = np.stack([m[..., 0, 0], m[..., 1, 1], m[..., 2, 2], trace], axis=-1)
    best = np.argmax(choices, axis=-1)
    out = np.empty((*m.shape[:-2], 4))
    for i in range(3):
        j, k = (i + 1) % 3, (i + 2) % 3
        at = best == i
        n = m[at]
        out[at, i] = 1 + 2 * n[..., i, i] - trace[at]
        out[at, j] = n[..., j, i] + n[..., i, j]
        out[at, k] = n[..., k, i] + n[..., i, k]
        out[at, 3] = n[..., k, j] - n[..., j, k]
    at = best == 3
    n = m[at]
    out[at, 0] = n[..., 2, 1] - n[..., 1, 2]
    out[at, 1] = n[..., 0, 2] - n[..., 2, 0]
    out[at, 2] = n[..., 1, 0] - n[..., 0, 1]
    out[at, 3] = 1 + trace[at]
    return normalise(out)


def about(axis: int, angle: ArrayLike) -> Array:
    """Rotation ``(…, 4)`` by ``angle`` radians about coordinate axis 0, 1 or 2."""
    half = np.asarray(angle, dtype=np.float64) / 2
    out = np.zeros((*half.shape, 4))
    out[..., axis] = np.sin(half)
    out[..., 3] = np.cos(half)
    return out


def from_euler(angles: ArrayLike, order: str) -> Array:
    """Quaternions ``(…, 4)`` of intrinsic Euler angles ``(…, len(order))``, such as order ``"ZXY"``.

    The product is taken in the order of the letters, which is also how BVH channels are read.
    Any sequence of axes of any length is allowed.
    """
    angles = np.asarray(angles, dtype=np.float64)
    if angles.shape[-1] != len(order):
        raise ValueError(f"{angles.shape[-1]} angles for the rotation order {order!r}")
    half = np.ascontiguousarray(np.moveaxis(angles, -1, 0)) / 2
    sine, cosine = np.sin(half), np.cos(half)
    q: list[Array] = [np.zeros(())] * 3 + [np.ones(())]
    for s, c, letter in zip(sine, cosine, order, strict=True):
        # q · (turn about axis k), written out: three of the second quaternion's components are zero or one number.
        k = _AXIS[letter]
        m, n = (k + 1) % 3, (k + 2) % 3
        qk, qm, qn, qw = q[k], q[m], q[n], q[3]
        q[k], q[m], q[n], q[3] = c * qk + s * qw, c * qm + s * qn, c * qn - s * qm, c * qw - s * qk
    return np.stack([np.broadcast_to(c, angles.shape[:-1]) for c in q], axis=-1)


def to_euler(q: ArrayLike, order: str) -> Array:
    """Intrinsic Euler angles ``(…, 3)`` in any of the twelve orders. In gimbal lock the third angle is 0."""
    m = to_matrix(q)
    i, j, k = (_AXIS[letter] for letter in order)
    if i == j or j == k:
        raise ValueError(f"{order!r} turns twice about the same axis in a row")
    proper = i == k
    third = 3 - i - j
    sign = 1.0 if (j - i) % 3 == 1 else -1.0
    out = np.empty((*m.shape[:-2], 3))
    if proper:
        size = np.hypot(m[..., i, j], m[..., i, third])
        out[..., 0] = np.arctan2(m[..., j, i], -sign * m[..., third, i])
        out[..., 1] = np.arctan2(size, m[..., i, i])
        out[..., 2] = np.arctan2(m[..., i, j], sign * m[..., i, third])
    else:
        size = np.hypot(m[..., i, i], m[..., i, j])
        out[..., 0] = np.arctan2(-sign * m[..., j, k], m[..., k, k])
        out[..., 1] = np.arctan2(sign * m[..., i, k], size)
        out[..., 2] = np.arctan2(-sign * m[..., i, j], m[..., i, i])
    locked = size < 1e-9
    if np.any(locked):
        # Both outer axes coincide: all of the turn is given to the first.
        out[locked, 0] = np.arctan2(sign * m[locked, third, j], m[locked, j, j])
        out[locked, 2] = 0.0
    return out


def from_rotvec(v: ArrayLike) -> Array:
    """Quaternions ``(…, 4)`` of rotation vectors ``(…, 3)``: axis times angle in radians."""
    v = np.asarray(v, dtype=np.float64)
    half = np.linalg.norm(v, axis=-1, keepdims=True) / 2
    small = half < _SMALL
    safe = np.where(small, 1.0, half)
    out = np.empty((*v.shape[:-1], 4))
    out[..., :3] = v * np.where(small, 0.5 - half * half / 12, np.sin(safe) / (2 * safe))
    out[..., 3:] = np.cos(half)
    return out


def to_rotvec(q: ArrayLike) -> Array:
    """Rotation vectors ``(…, 3)`` of unit quaternions, of at most pi: the short way round."""
    q = np.asarray(q, dtype=np.float64)
    q = np.where(q[..., 3:] < 0, -q, q)
    size = np.linalg.norm(q[..., :3], axis=-1, keepdims=True)
    small = size < _SMALL
    safe = np.where(small, 1.0, size)
    return np.asarray(q[..., :3] * np.where(small, 2.0, 2 * np.arctan2(size, q[..., 3:]) / safe))


def angle(q: ArrayLike) -> Array:
    """The angle in ``[0, pi]`` that each quaternion turns by, ``(…)``."""
    q = np.asarray(q, dtype=np.float64)
    return np.asarray(2 * np.arctan2(np.linalg.norm(q[..., :3], axis=-1), np.abs(q[..., 3])))


def slerp(a: ArrayLike, b: ArrayLike, t: ArrayLike) -> Array:
    """From ``a`` to ``b`` along the short arc at constant speed (Shoemake 1985); ``t`` ``(…)`` in [0, 1].

    Exact at both ends: t = 0 gives ``a`` bit for bit, t = 1 gives ``b`` or its equal ``-b``; and ``a`` where both
    are the same rotation.

    >>> to_rotvec(slerp(IDENTITY, from_rotvec([0, 1.2, 0]), 0.25)).round(6).tolist()
    [0.0, 0.3, 0.0]
    """
    a = np.asarray(a, dtype=np.float64)
    b = np.asarray(b, dtype=np.float64)
    t = np.asarray(t, dtype=np.float64)[..., None]
    dot = np.sum(a * b, axis=-1, keepdims=True)
    b = np.where(dot < 0, -b, b)
    # atan2 of difference and sum keeps full precision for tiny and for near-opposite angles.
    theta = 2 * np.arctan2(np.linalg.norm(b - a, axis=-1), np.linalg.norm(a + b, axis=-1))[..., None]
    small = theta < _SMALL
    sine = np.where(small, 1.0, np.sin(theta))
    from_a = np.where(small, 1 - t, np.sin((1 - t) * theta) / sine)
    from_b = np.where(small, t, np.sin(t * theta) / sine)
    out = from_a * a + from_b * b
    out /= np.linalg.norm(out, axis=-1, keepdims=True)
    return np.where((t == 0) | (theta == 0), a, np.where(t == 1, b, out))


def scaled(q: ArrayLike, weight: ArrayLike) -> Array:
    """A part of a rotation: ``slerp(identity, q, weight)``; weights above 1 carry it further."""
    return from_rotvec(to_rotvec(q) * np.asarray(weight, dtype=np.float64)[..., None])


def shortest(q: ArrayLike, reference: ArrayLike) -> Array:
    """``q`` or its equal ``-q``, whichever lies on the hemisphere of ``reference``."""
    q = np.asarray(q, dtype=np.float64)
    dot = np.sum(q * np.asarray(reference, dtype=np.float64), axis=-1, keepdims=True)
    return np.where(dot < 0, -q, q)


def continuous(q: ArrayLike) -> Array:
    """The same rotations with signs chosen so that neighbours along the first axis share a hemisphere."""
    q = np.asarray(q, dtype=np.float64)
    if len(q) < 2:
        return np.array(q)
    flips = np.einsum("...c,...c->...", q[1:], q[:-1]) < 0
    if not flips.any():
        return np.array(q)
    sign = np.ones(q.shape[:-1])
    sign[1:] = np.where(np.cumsum(flips, axis=0) % 2 == 1, -1.0, 1.0)
    return np.asarray(q * sign[..., None])


def made_continuous(q: Array) -> Array:
    """The same for rotations ``(frames, joints, 4)`` of a caller who has just made them: changed in place."""
    if not kernels.use_compiled(q.size, "moments.one_side"):
        return continuous(q)
    kernels.moments.one_side(q)
    return q


def settled(q: Array) -> Array:
    """What came of some products ``(frames, joints, 4)``: of unit length again to rounding, and neighbours in time on one
    hemisphere."""
    out = np.empty(q.shape)
    kernels.chains.settled(q, out)
    return out


def swing_twist(q: ArrayLike, axis: ArrayLike) -> tuple[Array, Array]:
    """Split ``q = swing · twist``: ``twist`` turns about the unit ``axis`` ``(…, 3)``, ``swing`` tips the axis.

    A half turn that tips the axis over has no twist of its own; it is then the identity.

    >>> swing, twist = swing_twist(multiply(from_rotvec([0, 0, 0.5]), from_rotvec([0.2, 0, 0])), [1, 0, 0])
    >>> bool(np.allclose(to_rotvec(swing), [0, 0, 0.5])), bool(np.allclose(to_rotvec(twist), [0.2, 0, 0]))
    (True, True)
    """
    q = np.asarray(q, dtype=np.float64)
    axis = np.asarray(axis, dtype=np.float64)
    along = np.sum(q[..., :3] * axis, axis=-1, keepdims=True)
    twist = np.concatenate([along * axis, np.broadcast_to(q[..., 3:], along.shape)], axis=-1)
    length = np.linalg.norm(twist, axis=-1, keepdims=True)
    twist = np.where(length < 1e-9, IDENTITY, twist / np.where(length < 1e-9, 1.0, length))
    return multiply(q, conjugate(twist)), twist


def between(a: ArrayLike, b: ArrayLike) -> Array:
    """The smallest rotation ``(…, 4)`` that turns direction ``a`` onto direction ``b`` (``(…, 3)``, any length).

    Opposite directions turn half round about an axis square to ``a``; a zero direction gives the identity.

    >>> to_rotvec(between([0, 0, 2], [3, 0, 0])).round(4).tolist()
    [0.0, 1.5708, 0.0]
    """
    a = np.asarray(a, dtype=np.float64)
    b = np.asarray(b, dtype=np.float64)
    la = np.linalg.norm(a, axis=-1, keepdims=True)
    lb = np.linalg.norm(b, axis=-1, keepdims=True)
    null = ((la < 1e-12) | (lb < 1e-12))[..., 0]
    a = a / np.where(la < 1e-12, 1.0, la)
    b = b / np.where(lb < 1e-12, 1.0, lb)
    w = 1 + np.sum(a * b, axis=-1)
    square = np.cross(a, np.where(np.abs(a[..., :1]) < 0.8, [1.0, 0.0, 0.0], [0.0, 1.0, 0.0]))
    opposite = w < 1e-9
    xyz = np.where(opposite[..., None], square, np.cross(a, b))
    out = normalise(np.concatenate([xyz, np.where(opposite, 0.0, w)[..., None]], axis=-1))
    return np.where(null[..., None], IDENTITY, out)
