"""A smooth skin of rounded cones over a skeleton, meshed once. Needs scikit-image, at build time only."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from skimage.measure import marching_cubes

from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import Mesh
from reflexa.rig.sides import words


@dataclass(frozen=True)
class Part:
    """A rounded cone from ``a`` (radius ``ra``) to ``b`` (radius ``rb``); squash: its radius along z over that along x."""

    joint: str
    a: Array
    b: Array
    ra: float
    rb: float
    colour: tuple[float, float, float]
    squash: float = 1.0


def _distance(p: Array, part: Part) -> Array:
    """Signed distance (nearly, where squashed) from points ``(n, 3)`` to a part."""
    scale = np.array([1.0, 1.0, 1.0 / part.squash])
    a, b = part.a * scale, part.b * scale
    q = p * scale
    along = b - a
    t = np.clip((q - a) @ along / max(float(along @ along), 1e-12), 0, 1)
    away = np.linalg.norm(q - (a + t[:, None] * along), axis=-1)
    return np.asarray((away - (part.ra + t * (part.rb - part.ra))) * min(1.0, part.squash))


def _smooth_min(distances: list[Array], k: float) -> Array:
    """Smooth union by log-sum-exp: parts flow into each other over about ``k`` metres."""
    d = np.stack(distances)
    low = d.min(axis=0)
    return np.asarray(low - k * np.log(np.sum(np.exp(-(d - low) / k), axis=0)))


def _surface(parts: list[Part], step: float, blend: float) -> tuple[Array, Array, Array]:
    """Vertices, normals and triangles of the parts' smooth union."""
    ends = np.array([[p.a, p.b] for p in parts]).reshape(-1, 3)
    reach = max(max(p.ra, p.rb) * max(1.0, p.squash) for p in parts) + 2 * step
    low, high = ends.min(axis=0) - reach, ends.max(axis=0) + reach
    axes = [np.arange(low[i], high[i] + step, step) for i in range(3)]
    grid = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1)

    def field(points: Array) -> Array:
        return _smooth_min([_distance(points, p) for p in parts], blend)

    values = field(grid.reshape(-1, 3)).reshape(grid.shape[:3])
    vertices, triangles, _, _ = marching_cubes(values, 0.0, spacing=(step,) * 3)  # type: ignore[no-untyped-call]
    vertices = vertices.astype(np.float64) + low
    h = step * 0.25
    normals = np.stack([field(vertices + h * e) - field(vertices - h * e) for e in np.eye(3)], axis=-1)
    # One Newton step onto the surface takes the grid's steps out of the silhouette.
    slope = np.linalg.norm(normals, axis=-1, keepdims=True)
    normals = normals / np.maximum(slope, 1e-12)
    vertices = vertices - normals * np.clip(field(vertices), -step, step)[:, None]
    a, b, c = (vertices[triangles[:, i]] for i in range(3))
    outward = np.sum(np.cross(b - a, c - a) * normals[triangles[:, 0]], axis=-1)
    triangles = np.where((outward < 0)[:, None], triangles[:, ::-1], triangles)
    area = np.linalg.norm(np.cross(b - a, c - a), axis=-1)
    return vertices, normals, triangles[area > 1e-9]


def skinned(skeleton: Skeleton, parts: list[Part], step: float, blend: float, falloff: float) -> Mesh:
    """One mesh over parts. step: the grid's spacing; blend: how far parts flow into each other; falloff: how softly the
    skin passes from joint to joint; all in metres. What would reach below the floor is cut off flat; colours meet at an edge."""
    vertices, normals, triangles = _surface(parts, step, blend)
    under = vertices[:, 1] < 0
    vertices[under, 1], normals[under] = 0.0, [0.0, -1.0, 0.0]
    palette = list(dict.fromkeys(p.colour for p in parts))
    own = [np.min([_distance(vertices, p) for p in parts if p.colour == c], axis=0) for c in palette]
    vertices, normals, faces, shade = _cut(vertices, normals, triangles.astype(np.int64), np.stack(own, axis=-1))
    colours = np.array(palette)[shade]
    distances = np.stack([_distance(vertices, p) for p in parts], axis=-1)
    per_joint = np.full((len(vertices), len(skeleton)), np.inf)
    for i, part in enumerate(parts):
        j = skeleton.index[part.joint]
        per_joint[:, j] = np.minimum(per_joint[:, j], distances[:, i])
    nearest = per_joint.min(axis=1, keepdims=True)
    pull = np.exp(-(((per_joint - nearest) / falloff) ** 2))
    pull = _along_hierarchy(skeleton, pull)
    order = np.argsort(-pull, axis=1)[:, :4]
    weights = np.take_along_axis(pull, order, axis=1)
    weights[weights < 0.02] = 0.0
    weights /= weights.sum(axis=1, keepdims=True)
    turned, placed = skeleton.rest_model
    bind = np.tile(np.eye(4), (len(skeleton), 1, 1))
    bind[:, :3, :3] = np.swapaxes(quat.to_matrix(turned), -1, -2)
    bind[:, :3, 3] = -np.einsum("jab,jb->ja", bind[:, :3, :3], placed)
    return Mesh(vertices, normals, faces.astype(np.uint32), order.astype(np.uint16), weights, bind, colours)


def _cut(
    vertices: Array, normals: Array, triangles: NDArray[np.int64], away: Array
) -> tuple[Array, Array, NDArray[np.int64], NDArray[np.int64]]:
    """A mesh cut where one colour passes into another, with vertices of their own on either side; and each vertex's colour.

    away ``(vertices, colours)``: how far each vertex is from what has a colour; the nearest one's it has.
    """
    nearest = np.argmin(away, axis=-1)
    points, turned = list(vertices), list(normals)
    found: dict[tuple[int, int], int] = {}
    made: dict[tuple[int, int], int] = {}
    faces: list[tuple[int, int, int]] = []
    shade: list[int] = []
    origin: list[int] = []

    def of(vertex: int, colour: int) -> int:
        """The vertex in a colour."""
        key = vertex, colour
        if key not in found:
            found[key] = len(shade)
            shade.append(colour)
            origin.append(vertex)
        return found[key]

    def between(a: int, b: int) -> int:
        """The point on an edge where both ends' colours are as far."""
        key = min(a, b), max(a, b)
        if key not in made:
            a, b = key
            p, q = nearest[a], nearest[b]
            at_a, at_b = away[a, q] - away[a, p], away[b, p] - away[b, q]
            t = float(np.clip(at_a / max(at_a + at_b, 1e-12), 0.02, 0.98))
            made[key] = len(points)
            points.append(vertices[a] + t * (vertices[b] - vertices[a]))
            n = normals[a] + t * (normals[b] - normals[a])
            turned.append(n / max(float(np.linalg.norm(n)), 1e-12))
        return made[key]

    for triangle in triangles.tolist():
        colours = [int(nearest[v]) for v in triangle]
        if len(set(colours)) == 1:
            faces.append(tuple(of(v, colours[0]) for v in triangle))  # type: ignore[arg-type]
        elif len(set(colours)) == 2:
            alone = next(i for i in range(3) if colours.count(colours[i]) == 1)
            a, b, c = (triangle[(alone + k) % 3] for k in range(3))
            one, two = colours[alone], colours[(alone + 1) % 3]
            x, y = between(a, b), between(a, c)
            faces.append((of(a, one), of(x, one), of(y, one)))
            faces += [(of(x, two), of(b, two), of(c, two)), (of(x, two), of(c, two), of(y, two))]
        else:
            faces.append(tuple(of(v, colours[0]) for v in triangle))  # type: ignore[arg-type]
    order = np.array(origin)
    return np.array(points)[order], np.array(turned)[order], np.array(faces), np.array(shade)


def _along_hierarchy(skeleton: Skeleton, pull: Array) -> Array:
    """Only joints near the strongest one in the hierarchy may pull: no leg tugs at the other."""
    n = len(skeleton)
    hops = np.full((n, n), 99)
    for i in range(n):
        line = [i]
        while skeleton.parents[line[-1]] >= 0:
            line.append(int(skeleton.parents[line[-1]]))
        for k, j in enumerate(line):
            hops[i, j] = hops[j, i] = min(hops[i, j], k)
    for p in range(n):
        for a in skeleton.children[p]:
            for b in skeleton.children[p]:
                if a != b:
                    hops[a, b] = 9 if {"thigh", "leg"} & set(words(skeleton.names[a])) else 2
    near = hops[np.argmax(pull, axis=1)] <= 2
    return np.where(near, pull, 0.0)
