"""A skeleton with what we know of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import quat
from reflexa.motion.quat import Array
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import bodymap, pairs, sides
from reflexa.rig.bodymap import BodyMap
from reflexa.rig.mesh import Mesh
from reflexa.rig.pairs import Pair, Plane

UP: Array = np.array([0.0, 1.0, 0.0])
UP.flags.writeable = False


@dataclass(frozen=True, eq=False)
class Rig:
    """What is known of a skeleton: parts, partners, plane, facing, helper joints, skin.

    tips: end of the last bone per joint name, local, where the file gave one. helpers: helper joint → the
    joint that it follows. facing: horizontal unit vector that the figure looks along in rest.
    """

    skeleton: Skeleton
    body_map: BodyMap
    pairs: tuple[Pair, ...]
    centre: tuple[str, ...]
    unpaired: tuple[str, ...]
    plane: Plane
    facing: Array
    facing_found_by: str
    helpers: Mapping[str, str] = field(default_factory=dict)
    tips: Mapping[str, Array] = field(default_factory=dict)
    meshes: tuple[Mesh, ...] = ()

    @cached_property
    def partner(self) -> NDArray[np.intp]:
        """Index of each joint's partner ``(joints,)``: itself on the centre line and where none was found."""
        out = np.arange(len(self.skeleton), dtype=np.intp)
        for pair in self.pairs:
            a, b = self.skeleton.index[pair.left], self.skeleton.index[pair.right]
            out[a], out[b] = b, a
        return out

    @cached_property
    def side_of(self) -> tuple[str, ...]:
        """``"left"``, ``"right"``, ``"centre"`` or ``"none"`` (unpaired) per joint."""
        out = ["none"] * len(self.skeleton)
        for name in self.centre:
            out[self.skeleton.index[name]] = "centre"
        for pair in self.pairs:
            out[self.skeleton.index[pair.left]] = "left"
            out[self.skeleton.index[pair.right]] = "right"
        return tuple(out)

    @cached_property
    def height(self) -> float:
        """From the lowest to the highest joint, bone end or point of the skin in rest, metres."""
        turned, placed = self.skeleton.rest_model
        y = [placed[:, 1]]
        for name, tip in self.tips.items():
            j = self.skeleton.index[name]
            y.append((placed[j] + quat.rotate(turned[j], tip))[1:2])
        for mesh in self.meshes:
            y.append(mesh.posed(turned, placed)[:, 1])
        all_y = np.concatenate(y)
        return float(all_y.max() - all_y.min())

    def joint(self, part: str) -> int:
        """Index of the (first) joint of a body part, or -1."""
        names = self.body_map.get(part, ())
        return self.skeleton.index[names[0]] if names else -1

    @cached_property
    def travel_joint(self) -> int:
        """The joint that carries the figure over the ground: the root joint where there is one, else the pelvis."""
        for part in ("root", "pelvis"):
            if (joint := self.joint(part)) >= 0:
                return joint
        return self.skeleton.roots[0]

    def part_of(self, name: str) -> str:
        """The body part that a joint plays, or an empty text."""
        return self._parts.get(name, "")

    @cached_property
    def _parts(self) -> dict[str, str]:
        return {n: part for part, names in self.body_map.items() for n in names}


def find_sides(skeleton: Skeleton, partner: dict[int, int], lateral: Array | None) -> list[str]:
    """Side per joint: by name, else by which side of the plane it lies on."""
    names = skeleton.names
    out = [""] * len(names)
    for a, b in partner.items():
        left = pairs.left_of(names, a, b)
        if left < 0 and lateral is not None:
            placed = skeleton.rest_model[1]
            left = a if (placed[a] - placed[b]) @ lateral > 0 else b
        out[a] = "left" if left == a else "right"
    for j, name in enumerate(names):
        if not out[j]:
            out[j] = sides.side(name)
    return out


def analyse(
    skeleton: Skeleton,
    up: Array = UP,
    tips: Mapping[str, Array] | None = None,
    meshes: tuple[Mesh, ...] = (),
) -> Rig:
    """Find body map, pairs, mirror plane, facing and helper joints of a skeleton in rest.

    Total: whatever cannot be found is left empty, and the joints it concerns stand in ``unpaired``.
    """
    names = skeleton.names
    placed = skeleton.rest_model[1]
    size = max(float(np.ptp(placed, axis=0).max()), 1e-6)
    tolerance = 0.02 * size
    named = pairs.by_names(names)
    lateral = pairs.lateral_from(named, names, placed)
    geometric: dict[int, int] = {}
    facing_found_by = "names of left and right joints"
    if lateral is None:
        lateral, geometric = pairs.symmetry_axis(skeleton, up, tolerance)
        facing_found_by = "nothing in the rig tells the facing"
    lateral = lateral - (lateral @ up) * up
    lateral = lateral / max(float(np.linalg.norm(lateral)), 1e-9)
    plane = Plane(lateral, _offset(named or geometric, placed, lateral, skeleton))
    if named:
        geometric = pairs.by_geometry(skeleton, plane, named, tolerance)
    partner = {**geometric, **named}
    side_of = find_sides(skeleton, partner, lateral)
    body_map = bodymap.find(skeleton, side_of)
    facing = np.cross(lateral, up)
    toes = _toe_direction(skeleton, body_map, tips or {}, up)
    if toes is not None and not named:
        # Names are silent: the feet tell which way is forward, and so which side is left.
        facing_found_by = "direction of the feet"
        if toes @ facing < 0:
            facing, lateral = -facing, -lateral
            plane = Plane(lateral, -plane.offset)
            side_of = find_sides(skeleton, partner, lateral)
    found: list[Pair] = []
    for a, b in sorted(partner.items()):
        if side_of[a] == "left":
            how = "names" if a in named else "geometry"
            found.append(Pair(names[a], names[b], how, *pairs.residual(skeleton, plane, a, b)))
    away = np.abs(placed @ plane.normal - plane.offset)
    alone = [j for j in range(len(names)) if j not in partner]
    centre = tuple(names[j] for j in alone if away[j] <= tolerance and not sides.side(names[j]))
    unpaired = tuple(names[j] for j in alone if names[j] not in centre)
    return Rig(
        skeleton, body_map, tuple(found), centre, unpaired, plane, facing, facing_found_by,
        find_helpers(skeleton, body_map, size), dict(tips or {}), meshes,
    )  # fmt: skip


def _offset(partner: dict[int, int], placed: Array, normal: Array, skeleton: Skeleton) -> float:
    middles = [(placed[a] + placed[b]) / 2 @ normal for a, b in partner.items() if a < b]
    offset = float(np.median(middles)) if middles else float(placed[skeleton.roots[0]] @ normal)
    return 0.0 if abs(offset) < 1e-9 else offset


def _toe_direction(skeleton: Skeleton, body_map: BodyMap, tips: Mapping[str, Array], up: Array) -> Array | None:
    """Mean horizontal direction from foot to toes (or the foot's tip) in rest."""
    turned, placed = skeleton.rest_model
    total = np.zeros(3)
    for side in ("left", "right"):
        for name in body_map.get(f"{side} foot", ()):
            foot = skeleton.index[name]
            if f"{side} toes" in body_map:
                total += placed[skeleton.index[body_map[f"{side} toes"][0]]] - placed[foot]
            elif name in tips:
                total += quat.rotate(turned[foot], tips[name])
    total = total - (total @ up) * up
    length = float(np.linalg.norm(total))
    return total / length if length > 1e-9 else None


def find_helpers(skeleton: Skeleton, body_map: BodyMap, size: float) -> dict[str, str]:
    """Helper joints: leaves that coincide in rest with a body-part joint which is not their own parent."""
    placed = skeleton.rest_model[1]
    known = {n for part in body_map.values() for n in part}
    bodies = [skeleton.index[n] for n in sorted(known)]
    out: dict[str, str] = {}
    for j, name in enumerate(skeleton.names):
        if name in known or skeleton.children[j] or not bodies:
            continue
        others = [b for b in bodies if b != int(skeleton.parents[j])]
        if not others:
            continue
        away = np.linalg.norm(placed[others] - placed[j], axis=-1)
        if away.min() < 1e-3 * size:
            out[name] = skeleton.names[others[int(np.argmin(away))]]
    return out
