"""Left-right partners: from names first, checked against rest geometry, from geometry where names are silent."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from reflexa.motion.arrays import Array
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import sides


@dataclass(frozen=True)
class Pair:
    """Two joints that are each other's mirror image; the residual says how exactly they are in rest."""

    left: str
    right: str
    found_by: str
    residual_mm: float = 0.0
    residual_deg: float = 0.0
    sure: float = 1.0


@dataclass(frozen=True, eq=False)
class Plane:
    """The mirror plane of the rest pose: unit ``normal`` (towards the figure's left) and ``offset`` along it."""

    normal: Array
    offset: float

    def reflect(self, points: Array) -> Array:
        """Points ``(…, 3)`` on the other side of the plane."""
        away = points @ self.normal - self.offset
        return np.asarray(points - 2 * away[..., None] * self.normal)


def by_names(names: tuple[str, ...]) -> dict[int, int]:
    """Partner per joint index where the side words of the names tell one (both directions)."""
    index = {n: i for i, n in enumerate(names)}
    lower: dict[str, int] = {}
    for i, n in enumerate(names):
        lower.setdefault(n.lower(), i)
    out: dict[int, int] = {}
    for i, name in enumerate(names):
        if i in out:
            continue
        for swapped in sides.swaps(name):
            j = index.get(swapped, lower.get(swapped.lower()))
            if j is not None and j != i and j not in out:
                out[i], out[j] = j, i
                break
    return out


def left_of(names: tuple[str, ...], a: int, b: int) -> int:
    """Which of two partners is the left one by its name, or -1."""
    for i, j in ((a, b), (b, a)):
        if sides.side(names[i]) == "left" or sides.side(names[j]) == "right":
            return i
    first = [sides.bare(names[i]).lower() for i in (a, b)]
    for i, low in zip((a, b), first, strict=True):
        if low.startswith("l") or low.endswith("l"):
            return i
    return -1


def lateral_from(partner: dict[int, int], names: tuple[str, ...], placed: Array) -> Array | None:
    """The direction to the figure's left that named partners agree on, snapped to an axis within 5 degrees."""
    total = np.zeros(3)
    for a, b in partner.items():
        if a < b and (left := left_of(names, a, b)) >= 0:
            total += placed[left] - placed[a + b - left]
    return snapped(total)


def snapped(v: Array) -> Array | None:
    """The unit vector along ``v``, on a coordinate axis where it is within 5 degrees of one; None for no length."""
    length = float(np.linalg.norm(v))
    if length < 1e-9:
        return None
    v = np.asarray(v / length)
    axis = int(np.argmax(np.abs(v)))
    if abs(v[axis]) > np.cos(np.radians(5)):
        return np.asarray(np.eye(3)[axis] * np.sign(v[axis]))
    return v


def symmetry_axis(skeleton: Skeleton, up: Array, tolerance: float) -> tuple[Array, dict[int, int]]:
    """The horizontal axis across which most joints have a reflected partner, and those partners: geometry alone."""
    placed = skeleton.rest_model[1]
    choices = [a for a in np.eye(3)[[0, 2, 1]] if abs(a @ up) < 0.5]
    best: tuple[int, Array, dict[int, int]] | None = None
    for axis in choices:
        plane = Plane(axis, float(np.median(placed[list(skeleton.roots)] @ axis)))
        partner = by_geometry(skeleton, plane, {}, tolerance)
        if best is None or len(partner) > best[0]:
            best = (len(partner), axis, partner)
    assert best is not None
    return best[1], best[2]


def by_geometry(skeleton: Skeleton, plane: Plane, known: dict[int, int], tolerance: float) -> dict[int, int]:
    """Further partners: joints whose reflected rest position is nearest to each other, with partner parents.

    tolerance in metres. Joints on the plane and joints in ``known`` are left alone, but for a joint on the plane that
    carries a pair's one side only: its namesake for the other side then lies in the same place (a bone of no length).
    """
    placed = skeleton.rest_model[1]
    parents = skeleton.parents.tolist()
    out: dict[int, int] = {}
    off = np.abs(placed @ plane.normal - plane.offset)
    # Close to the plane a reflection must be that much closer, or two centre joints would be taken for a pair.
    allowed = np.where(off > tolerance, tolerance, off / 2)
    free = np.flatnonzero(off > 0.1 * tolerance)
    if len(free) < 2:
        return out
    counts = [len(c) for c in skeleton.children]
    away, order = _nearest(placed[free], plane.reflect(placed[free]), min(8, len(free)))

    def taken(j: int) -> bool:
        return j in known or j in out

    def alike(j: int, k: int) -> list[tuple[int, int]]:
        """The pairs to make so that j and k are partners: themselves, and parents of no length above; none if they differ."""
        made: list[tuple[int, int]] = []
        while j != k and known.get(j, out.get(j)) != k:
            apart = float(np.linalg.norm(plane.reflect(placed[j]) - placed[k]))
            if j < 0 or k < 0 or taken(j) or taken(k) or counts[j] != counts[k] or apart > tolerance:
                return []
            made.append((j, k))
            j, k = parents[j], parents[k]
        return made

    for row, j in enumerate(free.tolist()):
        if taken(j):
            continue
        for d, i in zip(away[row].tolist(), order[row].tolist(), strict=True):
            if d > allowed[j]:
                break
            k = int(free[i])
            if k != j and (made := alike(j, k)):
                for x, y in made:
                    out[x], out[y] = y, x
                break
    return out


# Up to so many points everything is held against everything: quicker than a tree is imported.
_FEW = 600


def _nearest(points: Array, at: Array, count: int) -> tuple[Array, NDArray[np.intp]]:
    """The nearest of points ``(n, 3)`` at each place ``(m, 3)``: how far, the nearest first, and which ``(m, count)``."""
    if len(points) > _FEW:
        from scipy.spatial import cKDTree

        found = cKDTree(points).query(at, count)
        return np.asarray(found[0]), np.asarray(found[1])
    away = np.linalg.norm(at[:, None] - points, axis=-1)
    order = np.argsort(away, axis=1, kind="stable")[:, :count]
    return np.take_along_axis(away, order, axis=1), order


def residual(skeleton: Skeleton, plane: Plane, left: int, right: int) -> tuple[float, float]:
    """How far two partners are from being reflections in rest: (mm, degrees of their bone's direction)."""
    placed = skeleton.rest_model[1]
    away = float(np.linalg.norm(plane.reflect(placed[left]) - placed[right])) * 1000
    a, b = _bone(skeleton, left), _bone(skeleton, right)
    a = a - 2 * (a @ plane.normal) * plane.normal
    (ax, ay, az), (bx, by, bz) = a.tolist(), b.tolist()
    across = math.hypot(ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx)
    return away, math.degrees(math.atan2(across, ax * bx + ay * by + az * bz))


def _bone(skeleton: Skeleton, joint: int) -> Array:
    """Direction of the bone that leaves a joint (to its first child away from it), else of the one that reaches it."""
    placed = skeleton.rest_model[1]
    for child in skeleton.children[joint]:
        v = placed[child] - placed[joint]
        if np.linalg.norm(v) > 1e-6:
            return np.asarray(v)
    parent = int(skeleton.parents[joint])
    return np.asarray(placed[joint] - placed[parent]) if parent >= 0 else np.zeros(3)
