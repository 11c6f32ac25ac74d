"""Rotations and vectors by their components: what kernels compute with. Quaternions are x, y, z, w and unit."""

from __future__ import annotations

import math

from reflexa.motion.arrays import Array
from reflexa.motion.kernels.compiling import helper

Q = tuple[float, float, float, float]
V = tuple[float, float, float]


@helper
def mul(a: Q, b: Q) -> Q:
    """a · b: first b, then a."""
    ax, ay, az, aw = a
    bx, by, bz, bw = b
    return (
        aw * bx + ax * bw + ay * bz - az * by,
        aw * by - ax * bz + ay * bw + az * bx,
        aw * bz + ax * by - ay * bx + az * bw,
        aw * bw - ax * bx - ay * by - az * bz,
    )


@helper
def inv(a: Q) -> Q:
    """The inverse of a unit quaternion."""
    return (-a[0], -a[1], -a[2], a[3])


@helper
def rot(q: Q, v: V) -> V:
    """A vector turned."""
    x, y, z, w = q
    a, b, c = v
    tx, ty, tz = 2.0 * (y * c - z * b), 2.0 * (z * a - x * c), 2.0 * (x * b - y * a)
    return (a + w * tx + (y * tz - z * ty), b + w * ty + (z * tx - x * tz), c + w * tz + (x * ty - y * tx))


@helper
def unit(q: Q) -> Q:
    """Unit length; the identity for no rotation at all."""
    size = math.sqrt(q[0] * q[0] + q[1] * q[1] + q[2] * q[2] + q[3] * q[3])
    if not size > 1e-12:
        return (0.0, 0.0, 0.0, 1.0)
    return (q[0] / size, q[1] / size, q[2] / size, q[3] / size)


@helper
def near_side(q: Q, other: Q) -> Q:
    """The same rotation on the hemisphere of another."""
    if q[0] * other[0] + q[1] * other[1] + q[2] * other[2] + q[3] * other[3] < 0.0:
        return (-q[0], -q[1], -q[2], -q[3])
    return q


@helper
def about(axis: V, angle: float) -> Q:
    """The turn about a unit axis by radians."""
    s = math.sin(0.5 * angle)
    return (axis[0] * s, axis[1] * s, axis[2] * s, math.cos(0.5 * angle))


@helper
def vector(q: Q) -> V:
    """The rotation vector of a unit quaternion, the short way round."""
    x, y, z, w = q
    if w < 0.0:
        x, y, z, w = -x, -y, -z, -w
    size = math.sqrt(x * x + y * y + z * z)
    by = 2.0 if size < 1e-8 else 2.0 * math.atan2(size, w) / size
    return (x * by, y * by, z * by)


@helper
def of_vector(v: V) -> Q:
    """The turn of a rotation vector."""
    half = 0.5 * length(v)
    by = 0.5 if half < 1e-8 else math.sin(half) / (2.0 * half)
    return (v[0] * by, v[1] * by, v[2] * by, math.cos(half))


@helper
def slerp(a: Q, b: Q, t: float) -> Q:
    """From a to b along the short arc at constant speed (Shoemake 1985); exactly a at 0."""
    if t == 0.0:
        return a
    sign = -1.0 if a[0] * b[0] + a[1] * b[1] + a[2] * b[2] + a[3] * b[3] < 0.0 else 1.0
    away = near = 0.0
    for k in range(4):
        away += (sign * b[k] - a[k]) * (sign * b[k] - a[k])
        near += (sign * b[k] + a[k]) * (sign * b[k] + a[k])
    # atan2 of difference and sum keeps full precision for tiny and for near-opposite angles.
    theta = 2.0 * math.atan2(math.sqrt(away), math.sqrt(near))
    if theta == 0.0:
        return a
    from_a, from_b = 1.0 - t, sign * t
    if theta > 1e-6:
        from_a, from_b = math.sin((1.0 - t) * theta) / math.sin(theta), sign * math.sin(t * theta) / math.sin(theta)
    return unit(
        (
            from_a * a[0] + from_b * b[0],
            from_a * a[1] + from_b * b[1],
            from_a * a[2] + from_b * b[2],
            from_a * a[3] + from_b * b[3],
        )
    )


@helper
def between(a: V, b: V, spare: V) -> Q:
    """The least turn of direction a onto b, of any lengths; about ``spare`` (unit) where they are opposite; none where one
    has no length."""
    la, lb = length(a), length(b)
    if la < 1e-12 or lb < 1e-12:
        return (0.0, 0.0, 0.0, 1.0)
    w = 1.0 + dot(a, b) / (la * lb)
    if w < 1e-9:
        return (spare[0], spare[1], spare[2], 0.0)
    x, y, z = cross(a, b)
    return unit((x / (la * lb), y / (la * lb), z / (la * lb), w))


@helper
def add(a: V, b: V) -> V:
    return (a[0] + b[0], a[1] + b[1], a[2] + b[2])


@helper
def sub(a: V, b: V) -> V:
    return (a[0] - b[0], a[1] - b[1], a[2] - b[2])


@helper
def times(a: V, s: float) -> V:
    return (a[0] * s, a[1] * s, a[2] * s)


@helper
def dot(a: V, b: V) -> float:
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


@helper
def cross(a: V, b: V) -> V:
    return (a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0])


@helper
def length(a: V) -> float:
    return math.sqrt(a[0] * a[0] + a[1] * a[1] + a[2] * a[2])


@helper
def direction(a: V, spare: V) -> V:
    """Unit length, or ``spare`` for no direction at all."""
    size = length(a)
    if not size > 1e-12:
        return spare
    return (a[0] / size, a[1] / size, a[2] / size)


@helper
def q_at(a: Array, f: int, j: int) -> Q:
    return (a[f, j, 0], a[f, j, 1], a[f, j, 2], a[f, j, 3])


@helper
def q_of(a: Array, f: int) -> Q:
    return (a[f, 0], a[f, 1], a[f, 2], a[f, 3])


@helper
def v_at(a: Array, f: int, j: int) -> V:
    return (a[f, j, 0], a[f, j, 1], a[f, j, 2])


@helper
def v_of(a: Array, f: int) -> V:
    return (a[f, 0], a[f, 1], a[f, 2])


@helper
def cubic(a: float, b: float, ma: float, mb: float, s: float) -> float:
    """From a to b with slopes per unit of s in 0 to 1 (Hermite), written as a way from a, so that equal ends with flat slopes
    give exactly their value."""
    s2, s3 = s * s, s * s * s
    return a + (3.0 * s2 - 2.0 * s3) * (b - a) + (s3 - 2.0 * s2 + s) * ma + (s3 - s2) * mb


@helper
def smooth(x: float) -> float:
    """0 below 0, 1 above 1, level at both."""
    u = min(max(x, 0.0), 1.0)
    return u * u * (3.0 - 2.0 * u)


@helper
def wrapped(angle: float) -> float:
    """The same angle between -pi and pi."""
    return angle - 2.0 * math.pi * math.floor((angle + math.pi) / (2.0 * math.pi))
