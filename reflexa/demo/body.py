"""The Deckhand's look: a smooth body of rounded cones, meshed once. Needs scikit-image, at build time only."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from skimage.measure import marching_cubes

from reflexa.demo import deckhand
from reflexa.motion import quat
from reflexa.motion.quat import Array
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import Mesh

SKIN = (0.48, 0.27, 0.17)
JUMPER = (0.055, 0.12, 0.19)
OILSKIN = (0.70, 0.47, 0.10)
BOOT = (0.045, 0.075, 0.065)
CAP = (0.42, 0.085, 0.06)
SCARF = (0.66, 0.60, 0.48)
SOLE = (0.30, 0.24, 0.16)


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


def _body(place: dict[str, Array]) -> list[Part]:
    def at(joint: str, x: float = 0, y: float = 0, z: float = 0) -> Array:
        return np.asarray(place[joint] + np.array([x, y, z]))

    out = [
        Part("pelvis", at("pelvis", -0.065, -0.035), at("pelvis", 0.065, -0.035), 0.112, 0.112, OILSKIN, 0.92),
        Part("pelvis", at("pelvis", 0, 0.00), at("spine_low", 0, 0.03), 0.135, 0.130, OILSKIN, 0.82),
        Part("spine_mid", at("spine_low", 0, 0.02, 0.004), at("chest", 0, -0.01, 0.01), 0.134, 0.142, JUMPER, 0.80),
        Part("chest", at("chest", -0.055, 0.05, 0.012), at("chest", 0.055, 0.05, 0.012), 0.122, 0.122, JUMPER, 0.92),
        Part("chest", at("chest", -0.10, 0.145, -0.006), at("chest", 0.10, 0.145, -0.006), 0.070, 0.070, JUMPER, 0.95),
        Part("neck", at("neck", 0, -0.030, 0.004), at("head", 0, 0.0, -0.004), 0.060, 0.052, SKIN),
        Part("neck", at("neck", 0, -0.018, 0.002), at("neck", 0, 0.022, 0.010), 0.078, 0.068, SCARF),
        Part("head", at("head", 0, 0.035, 0.018), at("head", 0, 0.105, 0.006), 0.068, 0.088, SKIN, 1.12),
        Part("head", at("head", 0, 0.012, 0.052), at("head", 0, 0.03, 0.045), 0.030, 0.04, SKIN),
        Part("head", at("head", 0, 0.065, 0.100), at("head", 0, 0.044, 0.112), 0.010, 0.014, SKIN),
        Part("head", at("head", 0, 0.128, -0.004), at("head", 0, 0.150, -0.012), 0.098, 0.086, CAP, 1.08),
        Part("head", at("head", -0.045, 0.118, 0.075), at("head", 0.045, 0.118, 0.075), 0.022, 0.022, CAP, 1.6),
    ]
    for side, s in deckhand.SIDES:
        j = {
            k: place[f"{k}_{side}"]
            for k in ("clavicle", "upper_arm", "forearm", "hand", "thigh", "shin", "foot", "toes")
        }
        out += [
            Part("head", at("head", s * 0.088, 0.062, 0.0), at("head", s * 0.090, 0.085, -0.002), 0.014, 0.018, SKIN),
            Part(f"clavicle_{side}", j["clavicle"] + [s * 0.05, 0, 0], j["upper_arm"] - [s * 0.01, 0, 0], 0.062, 0.064, JUMPER),
            Part(f"upper_arm_{side}", j["upper_arm"], j["forearm"], 0.063, 0.050, JUMPER),
            Part(f"forearm_{side}", j["forearm"], j["hand"] - [s * 0.075, 0, 0], 0.051, 0.043, JUMPER),
            Part(f"forearm_{side}", j["hand"] - [s * 0.085, 0, 0], j["hand"] - [s * 0.065, 0, 0], 0.049, 0.049, SCARF),
            Part(f"thigh_{side}", j["thigh"] + [0, 0.01, 0], j["shin"], 0.098, 0.069, OILSKIN),
            Part(f"shin_{side}", j["shin"], j["foot"] + [0, 0.22, 0], 0.068, 0.070, OILSKIN),
            Part(f"shin_{side}", j["foot"] + [0, 0.225, -0.004], j["foot"] + [0, 0.05, -0.004], 0.078, 0.060, BOOT),
            Part(f"foot_{side}", j["foot"] + [0, -0.014, -0.024], j["foot"] + [0, -0.020, 0.06], 0.050, 0.046, BOOT),
            Part(f"foot_{side}", j["foot"] + [0, -0.024, 0.05], j["toes"] + [0, 0.016, 0], 0.046, 0.040, BOOT),
            Part(f"toes_{side}", j["toes"] + [0, 0.014, 0], j["toes"] + [0, 0.010, 0.048], 0.040, 0.033, BOOT),
        ]  # fmt: skip
    return out


def _hand(place: dict[str, Array], side: str, s: float) -> list[Part]:
    hand = place[f"hand_{side}"]
    out = [
        Part(f"forearm_{side}", hand - [s * 0.075, 0, 0], hand, 0.036, 0.029, SKIN),
        Part(f"hand_{side}", hand + [s * 0.012, 0, 0.010], hand + [s * 0.078, 0, 0.022], 0.024, 0.018, SKIN),
        Part(f"hand_{side}", hand + [s * 0.012, 0, -0.008], hand + [s * 0.076, 0, -0.018], 0.024, 0.017, SKIN),
        Part(f"hand_{side}", hand + [s * 0.02, -0.006, 0.020], place[f"thumb_2_{side}"], 0.019, 0.014, SKIN),
    ]
    for finger, radius in (
        ("thumb", 0.0135),
        ("index", 0.0115),
        ("middle", 0.0118),
        ("ring", 0.0112),
        ("little", 0.0098),
    ):
        for n in (1, 2, 3):
            a = place[f"{finger}_{n}_{side}"]
            if n < 3:
                b = place[f"{finger}_{n + 1}_{side}"]
            else:
                before = place[f"{finger}_2_{side}"]
                b = a + (a - before) * 0.75
            if finger == "thumb" and n == 1:
                continue
            out.append(Part(f"{finger}_{n}_{side}", a, b, radius, radius * 0.9, SKIN))
    return out


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


def _skinned(skeleton: Skeleton, parts: list[Part], step: float, blend: float, falloff: float) -> Mesh:
    vertices, normals, triangles = _surface(parts, step, blend)
    distances = np.stack([_distance(vertices, p) for p in parts], axis=-1)
    colours = np.array([p.colour for p in parts])[np.argmin(distances, axis=-1)]
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
    return Mesh(vertices, normals, triangles.astype(np.uint32), order.astype(np.uint16), weights, bind, colours)


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
                    hops[a, b] = 9 if "thigh" in skeleton.names[a] else 2
    near = hops[np.argmax(pull, axis=1)] <= 2
    return np.where(near, pull, 0.0)


def deckhand_meshes(skeleton: Skeleton) -> tuple[Mesh, ...]:
    """Body and two hands, skinned to the skeleton."""
    place = {n: skeleton.rest_model[1][i] for n, i in skeleton.index.items()}
    body = _skinned(skeleton, _body(place), 0.024, 0.008, 0.035)
    hands = [_skinned(skeleton, _hand(place, side, s), 0.0088, 0.0028, 0.008) for side, s in deckhand.SIDES]
    return (body, *hands)
