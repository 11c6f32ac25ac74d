"""Products of many quaternions and vectors turned by them: what ``motion.quat`` computes with where the compiler has started."""

from __future__ import annotations

from reflexa.motion.arrays import Array
from reflexa.motion.kernels.compiling import kernel


@kernel(shared=0, out=1)
def multiply(a: Array, b: Array, out: Array) -> None:
    """The products ``(n, 4)`` of quaternions ``(n, 4)``."""
    for i in range(len(out)):
        ax, ay, az, aw = a[i, 0], a[i, 1], a[i, 2], a[i, 3]
        bx, by, bz, bw = b[i, 0], b[i, 1], b[i, 2], b[i, 3]
        out[i, 0] = aw * bx + ax * bw + ay * bz - az * by
        out[i, 1] = aw * by - ax * bz + ay * bw + az * bx
        out[i, 2] = aw * bz + ax * by - ay * bx + az * bw
        out[i, 3] = aw * bw - ax * bx - ay * by - az * bz


@kernel(shared=0, out=1)
def rotate(q: Array, v: Array, out: Array) -> None:
    """Vectors ``(n, 3)`` turned by quaternions ``(n, 4)``, to ``(n, 3)``."""
    for i in range(len(out)):
        x, y, z, w = q[i, 0], q[i, 1], q[i, 2], q[i, 3]
        a, b, c = v[i, 0], v[i, 1], v[i, 2]
        tx, ty, tz = 2 * (y * c - z * b), 2 * (z * a - x * c), 2 * (x * b - y * a)
        out[i, 0] = a + w * tx + (y * tz - z * ty)
        out[i, 1] = b + w * ty + (z * tx - x * tz)
        out[i, 2] = c + w * tz + (x * ty - y * tx)
