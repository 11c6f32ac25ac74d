"""A skeleton with what we know of it."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from types import MappingProxyType
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import quat
from reflexa.motion.arrays import Array, Vector, frozen
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import bodymap, chains, helpers, pairs, shape, sides
from reflexa.rig.bodymap import BodyMap, Found
from reflexa.rig.helpers import Helper
from reflexa.rig.mesh import Mesh
from reflexa.rig.pairs import Pair, Plane

UP: Array = np.array([0.0, 1.0, 0.0])
UP.flags.writeable = False


SIDES = ("left", "right")
# The end of a limb → the parts of its two bones.
LIMBS = {"hand": ("upper arm", "forearm"), "foot": ("thigh", "shin")}


class Stand(NamedTuple):
    """How a foot stands: height of its ankle over the floor, metres, and up in the axes of ankle and toes, unit (None
    without toes). under: what of it may touch the floor, points in the axes of ankle and toes, where that is known without its
    skin. by: what tells so ("told", "clips", "skin", "rest pose", "proportions"), and how sure that is, 0 to 1."""

    height: float
    up: Vector
    toes_up: Vector | None
    under: tuple[tuple[Vector, ...], tuple[Vector, ...]] = ((), ())
    by: str = "clips"
    sure: float = 1.0


@dataclass(frozen=True, eq=False)
class Rig:
    """What is known of a skeleton: parts, partners, plane, facing, chains, helper joints, skin.

    found: how each entry of the body map was found. chains: what hangs on the body beside it, by name. twists: twist
    joint → the limb joint whose twist it shares. helpers: helper joint → its rule. tips: end of the last bone per
    joint name, local, where the file gave one. facing: horizontal unit vector that the figure looks along in rest.
    reference: local rotations and translations of another pose taken for neutral, where the rest pose is of no use.
    fits: per other rig (its ``key``), turns in degrees that a person added to this rig's aligned rest, per joint.
    sole: height of the ground under the neutral pose, where a document tells it and no skin shows it.
    stands: per side how the foot stands, where its clips tell and no skin shows it. groups: joints that a person has put together
    under a name; no step reads them.
    """

    skeleton: Skeleton
    body_map: BodyMap
    pairs: tuple[Pair, ...]
    centre: tuple[str, ...]
    unpaired: tuple[str, ...]
    plane: Plane
    facing: Array
    facing_found_by: str
    found: Mapping[str, Found] = field(default_factory=dict)
    chains: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    twists: Mapping[str, str] = field(default_factory=dict)
    helpers: Mapping[str, Helper] = field(default_factory=dict)
    tips: Mapping[str, Array] = field(default_factory=dict)
    meshes: tuple[Mesh, ...] = ()
    reference: tuple[Array, Array] | None = None
    fits: Mapping[str, Mapping[str, Vector]] = field(default_factory=dict)
    sole: float | None = None
    stands: Mapping[str, Stand] = field(default_factory=dict)
    groups: Mapping[str, tuple[str, ...]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        for name in ("body_map", "found", "chains", "twists", "helpers", "tips", "fits", "stands", "groups"):
            object.__setattr__(self, name, MappingProxyType(dict(getattr(self, name))))
        object.__setattr__(self, "facing", frozen(self.facing, (3,), "facing"))
        if self.reference is not None:
            q, t = self.reference
            object.__setattr__(self, "reference", (frozen(q), frozen(t)))

    @cached_property
    def key(self) -> str:
        """A short word for the skeleton's names and hierarchy: equal for every file of the same rig."""
        said = "\n".join(f"{n} {p}" for n, p in zip(self.skeleton.names, self.skeleton.parents.tolist(), strict=True))
        return hashlib.sha256(said.encode()).hexdigest()[:12]

    @cached_property
    def digest(self) -> str:
        """SHA-256 over everything that a step may read of the rig, its skin included: soles and height are read off it."""
        s = self.skeleton
        h = hashlib.sha256(self.key.encode())
        for a in (s.rest_rotations, s.rest_translations, s.rest_scales, self.plane.normal, self.facing,
                  *(self.reference or ()), *self.tips.values()):  # fmt: skip
            h.update(b"-" if a is None else np.ascontiguousarray(a).tobytes())
        said = (
            self.plane.offset, dict(self.body_map), [(p.left, p.right) for p in self.pairs], self.centre, dict(self.chains),
            dict(self.twists), dict(self.helpers), list(self.tips), self.ground, [m.digest for m in self.meshes],
            {k: dict(v) for k, v in self.fits.items()}, dict(self.stands),
        )  # fmt: skip
        h.update(repr(said).encode())
        return h.hexdigest()

    @cached_property
    def neutral(self) -> Skeleton:
        """The skeleton with the pose taken for neutral as its rest: what mirror and retarget measure from."""
        if self.reference is None:
            return self.skeleton
        s = self.skeleton
        return Skeleton(s.names, s.parents, self.reference[0], self.reference[1], s.rest_scales)

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

    @cached_property
    def ground(self) -> float:
        """Height of the ground under the neutral pose, metres: its lowest point of the skin; without a skin what was
        told, or the floor of the scene where the feet stand just above it, or the lowest joint or bone end of the feet."""
        if self.sole is not None and not self.meshes:
            return self.sole
        turned, placed = self.neutral.rest_model
        feet = [
            self.skeleton.index[n] for side in ("left", "right") for part in ("shin", "foot", "toes")
            for n in self.body_map.get(f"{side} {part}", ())
        ]  # fmt: skip
        y = [placed[feet, 1] if feet else placed[:, 1]]
        y += [
            (placed[j] + quat.rotate(turned[j], tip))[1:2]
            for name, tip in self.tips.items() if (j := self.skeleton.index[name]) in feet or not feet
        ]  # fmt: skip
        y += [mesh.posed(turned, placed)[:, 1] for mesh in self.meshes]
        low = float(np.concatenate(y).min())
        return 0.0 if not self.meshes and 0 < low < 0.05 * float(np.ptp(placed[:, 1])) else low

    def joint(self, part: str) -> int:
        """Index of the (first) joint of a body part, or -1."""
        names = self.body_map.get(part, ())
        return self.skeleton.index[names[0]] if names else -1

    def joint_called(self, name: str) -> int:
        """Index of the joint that a body part's name or a joint's own name stands for, or -1."""
        joint = self.joint(name)
        return self.skeleton.index.get(name, -1) if joint < 0 else joint

    def limb(self, end: str) -> tuple[int, int, int] | None:
        """Root, middle and end joint of the limb that a hand or foot ("left hand") is the end of, where the rig has all
        three, one above the other."""
        side, _, part = end.partition(" ")
        if part not in LIMBS:
            return None
        a, b, c = (self.joint(f"{side} {p}") for p in (*LIMBS[part], part))
        if min(a, b, c) < 0 or b not in self.skeleton.below(a) or c not in self.skeleton.below(b):
            return None
        return a, b, c

    def chain_to(self, joint: str) -> list[int]:
        """The free chain (a tail, a wing) that a joint is the end of, or the neck that a head of several neck joints sits
        on, as joint indices from the one that stays to the end; empty where it ends none of three joints or more."""
        if self.part_of(joint) == "head":
            line = (*self.body_map.get("neck", ()), joint)
        else:
            line = next((c for c in self.chains.values() if c[-1] == joint), ())
        indices = [self.skeleton.index[n] for n in line]
        hangs = all(a in self.skeleton.above(b) for a, b in zip(indices, indices[1:], strict=False))
        return indices if len(indices) >= 3 and hangs else []

    @cached_property
    def looking(self) -> Array:
        """The way the head looks, in its own axes ``(3,)`` unit; the root's where there is no head."""
        turned = self.neutral.rest_model[0][max(self.joint("head"), 0)]
        return np.asarray(quat.rotate(quat.conjugate(turned), self.facing))

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
    placed = skeleton.rest_model[1]
    out = [""] * len(names)
    for a, b in partner.items():
        left = pairs.left_of(names, a, b)
        if left < 0 and lateral is not None:
            apart = (placed[a] - placed[b]) @ lateral
            if abs(apart) < 1e-9:  # in the same place: what hangs on them tells
                apart = (placed[skeleton.below(a)].mean(axis=0) - placed[skeleton.below(b)].mean(axis=0)) @ lateral
            left = a if apart > 0 else b
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
    facing: Array | None = None,
) -> Rig:
    """Find body map, pairs, mirror plane, facing, chains and helper joints of a skeleton in rest.

    facing: told by a person; else found. Total: whatever cannot be found is left empty, and the joints it concerns
    stand in ``unpaired``.
    """
    names = skeleton.names
    placed = skeleton.rest_model[1]
    size = max(float(np.ptp(placed, axis=0).max()), 1e-6)
    tolerance = 0.02 * size
    named = pairs.by_names(names)
    lateral = pairs.lateral_from(named, names, placed)
    geometric: dict[int, int] = {}
    facing_found_by = "names of left and right joints"
    if facing is not None:
        lateral = np.cross(up, facing)
        facing_found_by = "told"
        if not named:
            geometric = pairs.by_geometry(
                skeleton, Plane(lateral, _offset({}, placed, lateral, skeleton)), {}, tolerance
            )
    elif lateral is None:
        lateral, geometric = pairs.symmetry_axis(skeleton, up, tolerance)
        facing_found_by = "nothing in the rig shows where it faces"
    lateral = lateral - (lateral @ up) * up
    lateral = lateral / max(float(np.linalg.norm(lateral)), 1e-9)
    plane = Plane(lateral, _offset(named or geometric, placed, lateral, skeleton))
    if named:
        geometric = pairs.by_geometry(skeleton, plane, named, tolerance)
    partner = {**geometric, **named}
    side_of = find_sides(skeleton, partner, lateral)
    body_map, found_by = _body_map(skeleton, side_of, partner, up, tips or {})
    ahead = np.cross(lateral, up)
    toes = _toe_direction(skeleton, body_map, tips or {}, up)
    if toes is not None and not named and facing is None:
        # Names are silent: the feet tell which way is forward, and so which side is left.
        facing_found_by = "direction of the feet"
        if toes @ ahead < 0:
            ahead, lateral = -ahead, -lateral
            plane = Plane(lateral, -plane.offset)
            side_of = find_sides(skeleton, partner, lateral)
            body_map, found_by = _body_map(skeleton, side_of, partner, up, tips or {})
    found: list[Pair] = []
    for a, b in sorted(partner.items()):
        if side_of[a] == "left":
            how = "names" if a in named else "geometry"
            mm, deg = pairs.residual(skeleton, plane, a, b)
            found.append(Pair(names[a], names[b], how, mm, deg, _sure(how, mm / 1000 / size)))
    away = np.abs(placed @ plane.normal - plane.offset)
    alone = [j for j in range(len(names)) if j not in partner]
    centre = tuple(names[j] for j in alone if away[j] <= tolerance and not sides.side(names[j]))
    unpaired = tuple(names[j] for j in alone if names[j] not in centre)
    rules = helpers.find(skeleton, body_map, side_of)
    twists = chains.find_twists(skeleton, body_map)
    return Rig(
        skeleton, body_map, tuple(found), centre, unpaired, plane, ahead, facing_found_by, found_by,
        chains.find(skeleton, body_map, {*rules, *twists}, side_of), twists, rules, dict(tips or {}), meshes,
    )  # fmt: skip


def _sure(how: str, away: float) -> float:
    """How sure a pair is: names count for more than geometry, and both for less far from a reflection (as a share of
    the figure's size)."""
    return round((0.95 if how == "names" else 0.75) - min(0.45, 5 * away), 2)


def _body_map(
    skeleton: Skeleton, side_of: list[str], partner: dict[int, int], up: Array, tips: Mapping[str, Array]
) -> tuple[BodyMap, dict[str, Found]]:
    """Parts by name and hierarchy; where those leave a core part open, by the shape of the rest pose too."""
    body_map, found = bodymap.find(skeleton, side_of)
    if all(part in body_map for part in shape.CORE):
        return body_map, found
    taken = {n for names in body_map.values() for n in names}
    for part, joints in shape.find(skeleton, side_of, partner, up, tips).items():
        names = tuple(skeleton.names[j] for j in joints)
        creature = any(bodymap.CREATURE_WORDS & set(sides.words(n)) for n in names)
        if part not in body_map and not taken & set(names) and not creature:
            body_map[part], found[part] = names, Found("geometry", 0.6)
    return {p: body_map[p] for p in bodymap.PARTS if p in body_map}, found


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
