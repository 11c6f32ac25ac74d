"""A plain body for a figure that has no skin: its volumes, drawn, so that a capture looks like a person and not like sticks."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.rig.bodies import Block, volumes
from reflexa.rig.mesh import Mesh, vertex_normals
from reflexa.rig.palms import palms
from reflexa.rig.rig import SIDES, Rig
from reflexa.rig.soles import soles

# How finely a part is rounded: about it, and along it.
_ABOUT, _ALONG = 20, 13
# How square a part is along its length: 2 is an ellipsoid, more is fuller.
_FULL, _ROUND = 3.4, 2.3
# Parts overlap by this share of their length, those of the trunk by more, so that none comes apart as it bends.
_OVERLAP, _TRUNK = 0.12, 0.4
# Light clay, in linear light; hands, feet and head a little darker, so that turns are seen.
_BODY, _ENDS = (0.56, 0.55, 0.52), (0.43, 0.40, 0.37)
# Half the width, thickness and length of a hand, half the width and height of a foot, and half a neck's, as shares of the height
# (from memory, of adults).
_HAND, _FOOT, _NECK = (0.024, 0.05, 0.012), (0.027, 0.022), 0.032


@lru_cache(maxsize=32)
def body_of(rig: Rig) -> tuple[Mesh, ...]:
    """What a figure is drawn with: its own skin, or a plain body in its place; nothing for what is not built like a person."""
    if rig.meshes:
        return rig.meshes
    limbs = [rig.joint(f"{s} {p}") for s in SIDES for p in ("upper arm", "forearm", "thigh", "shin")]
    if min(limbs) < 0 or rig.joint("pelvis") < 0:
        return ()
    parts = [(b, _BODY if b.part != "head" else _ENDS) for b in volumes(rig)]
    parts += [(b, _ENDS if b.part != "neck" else _BODY) for b in _ends(rig)]
    return (_mesh(rig, parts),)


def _ends(rig: Rig) -> Iterator[Block]:
    """Hands, feet and neck, which nothing enters and which are seen."""
    turned, placed = rig.neutral.rest_model
    for side, palm in palms(rig).items():
        middle = palm.points.mean(axis=0)
        far = float(np.linalg.norm(middle))
        along = middle / far if far > 1e-4 else _forearm(rig, side)
        across = _square(along if palm.normal is None else np.cross(palm.normal, along), along)
        width, length, thick = (x * rig.height for x in _HAND)
        length = max(length, far)
        axes = np.stack([across, along, np.cross(across, along)])
        yield Block(palm.joint, along * length, axes, np.array([width, length, thick]), f"{side} hand")
    for side, sole in soles(rig).items():
        heel, tip = sole.heel, sole.ball if sole.tip is None else sole.tip
        if sole.toes >= 0 and sole.toes != sole.ankle:
            own = quat.rotate(turned[sole.toes], tip) + placed[sole.toes] - placed[sole.ankle]
            tip = quat.rotate(quat.conjugate(turned[sole.ankle]), own)
        along = _unit(tip - heel)
        width, height = (x * rig.height for x in _FOOT)
        length = float(np.linalg.norm(tip - heel)) / 2
        across = _square(np.cross(sole.up, along), along)
        axes = np.stack([across, along, np.cross(across, along)])
        yield Block(
            sole.ankle, (heel + tip) / 2 + height * sole.up, axes, np.array([width, length, height]), f"{side} foot"
        )
    head, spine = rig.joint("head"), rig.body_map.get("spine", ())
    if head >= 0 and spine:
        top = rig.skeleton.index[rig.body_map.get("neck", spine)[0] if rig.body_map.get("neck") else spine[-1]]
        way = quat.rotate(quat.conjugate(turned[top]), placed[head] - placed[top])
        length = float(np.linalg.norm(way)) / 2
        if length > 1e-3:
            along, wide = _unit(way), _NECK * rig.height
            across = _square(np.array([0.6, 0.0, 0.8]), along)
            axes = np.stack([across, along, np.cross(across, along)])
            yield Block(top, way / 2, axes, np.array([wide, 1.3 * length, wide]), "neck")


def _forearm(rig: Rig, side: str) -> Array:
    """The way that a forearm points, in the axes of its hand ``(3,)``."""
    turned, placed = rig.neutral.rest_model
    a, b = rig.joint(f"{side} forearm"), rig.joint(f"{side} hand")
    return (
        quat.rotate(quat.conjugate(turned[b]), _unit(placed[b] - placed[a]))
        if min(a, b) >= 0
        else np.array([1.0, 0, 0])
    )


def _unit(v: Array) -> Array:
    return np.asarray(v / max(float(np.linalg.norm(v)), 1e-12))


def _square(v: Array, along: Array) -> Array:
    """A direction square to one, near another ``(3,)``."""
    v = v - (v @ along) * along
    if np.linalg.norm(v) < 1e-6:
        v = np.cross(along, [0.6, 0.8, 0.0])
    return _unit(v)


def _rounded(block: Block) -> tuple[Array, NDArray[np.intp]]:
    """Vertices ``(n, 3)`` about a block in its joint's axes, and triangles ``(m, 3)``."""
    trunk = block.part in ("pelvis", "spine")
    full = _FULL if trunk else _ROUND
    t = np.linspace(-1.0, 1.0, _ALONG)
    along = np.sign(t) * (1 - (1 - np.abs(t)) ** 1.5)  # closer together where it closes
    wide = np.maximum(1 - np.abs(along) ** full, 0.0) ** (1 / full)
    around = np.linspace(0.0, 2 * np.pi, _ABOUT, endpoint=False)
    half = block.half * [1.0, 1.0 + (_TRUNK if trunk else _OVERLAP), 1.0]
    grid = np.empty((_ALONG, _ABOUT, 3))
    grid[..., 0] = half[0] * wide[:, None] * np.cos(around)
    grid[..., 1] = (half[1] * along)[:, None]
    grid[..., 2] = half[2] * wide[:, None] * np.sin(around)
    points = grid.reshape(-1, 3) @ block.axes + block.middle
    i, k = np.meshgrid(np.arange(_ALONG - 1), np.arange(_ABOUT), indexing="ij")
    a, b = i * _ABOUT + k, i * _ABOUT + (k + 1) % _ABOUT
    lower, upper = np.stack([a, a + _ABOUT, b], axis=-1), np.stack([b, a + _ABOUT, b + _ABOUT], axis=-1)
    return points, np.concatenate([lower.reshape(-1, 3), upper.reshape(-1, 3)])


def _mesh(rig: Rig, parts: list[tuple[Block, tuple[float, float, float]]]) -> Mesh:
    turned, placed = rig.neutral.rest_model
    positions, triangles, joints, colours, count = [], [], [], [], 0
    for block, colour in parts:
        points, own = _rounded(block)
        positions.append(placed[block.joint] + quat.rotate(turned[block.joint], points))
        triangles.append(own + count)
        joints.append(np.full(len(points), block.joint))
        colours.append(np.tile(colour, (len(points), 1)))
        count += len(points)
    where = np.concatenate(positions)
    faces: NDArray[np.uint32] = np.concatenate(triangles).astype(np.uint32)
    each = np.concatenate(joints)
    n = len(rig.skeleton)
    bind = np.tile(np.eye(4), (n, 1, 1))
    back = quat.conjugate(turned)
    bind[:, :3, :3], bind[:, :3, 3] = quat.to_matrix(back), -quat.rotate(back, placed)
    of = np.zeros((len(where), 4), dtype=np.uint16)
    of[:, 0] = each
    weights = np.tile([1.0, 0, 0, 0], (len(where), 1))
    return Mesh(where, vertex_normals(where, faces), faces, of, weights, bind, np.concatenate(colours))
