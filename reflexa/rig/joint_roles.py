"""The role of each joint on its rig, as plain values, and the joints of another rig that have the same role."""

from __future__ import annotations

from collections.abc import Iterable

import msgspec
import numpy as np

from reflexa.motion import quat
from reflexa.motion.arrays import Array, Vector, vector
from reflexa.rig.foot_rest import leg_length
from reflexa.rig.match import SEGMENTS
from reflexa.rig.rig import Rig

Turn = tuple[float, float, float, float]
_FORWARD = np.array([0.0, 0.0, 1.0])
# Axes and bones that differ by less are the same, radians: what goes from one to the other stays to the last bit.
_SAME = 1e-6


class Role(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """What a joint plays: a body part, or a link of a chain of that name, as number ``at`` of ``of``. axes, parent: its axes and
    its parent's in the neutral pose, and bone: where its bone points (nothing: it has none), all seen by the figure: x to its
    left, y up, z ahead."""

    part: str = ""
    chain: str = ""
    at: int = 0
    of: int = 1
    axes: Turn = (0.0, 0.0, 0.0, 1.0)
    parent: Turn = (0.0, 0.0, 0.0, 1.0)
    bone: Vector | None = None


class JointRoles(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """The joints of a rig that are spoken of, by name. key: the rig's; leg: its leg length, metres (0: it has no legs)."""

    key: str
    leg: float = 0.0
    joints: dict[str, Role] = {}


def joint_roles_of(rig: Rig, names: Iterable[str]) -> JointRoles:
    """What those joints play on a rig; names that are none of its joints are passed over."""
    known = [n for n in dict.fromkeys(names) if n in rig.skeleton.index]
    return JointRoles(rig.key, round(leg_length(rig), 6), {n: role_of(rig, n) for n in known})


def role_of(rig: Rig, name: str) -> Role:
    """What a joint plays on its rig."""
    j = rig.skeleton.index[name]
    turned, placed = rig.neutral.rest_model
    to_figure = quat.conjugate(quat.between(_FORWARD, rig.facing))
    part = rig.part_of(name)
    chain = "" if part else next((c for c, joints in rig.chains.items() if name in joints), "")
    row = rig.body_map[part] if part else rig.chains[chain] if chain else (name,)
    up = int(rig.skeleton.parents[j])
    bone = _bone(rig, j, turned, placed)
    return Role(
        part, chain, row.index(name), len(row), _told(quat.multiply(to_figure, turned[j])),
        _told(quat.multiply(to_figure, turned[up]) if up >= 0 else to_figure),
        None if bone is None else vector(np.round(quat.rotate(to_figure, bone), 6)),
    )  # fmt: skip


def _told(q: Array) -> Turn:
    q = np.round(q if q[3] >= 0 else -q, 7) + 0.0
    return float(q[0]), float(q[1]), float(q[2]), float(q[3])


def _bone(rig: Rig, joint: int, turned: Array, placed: Array) -> Array | None:
    """Where the bone of a limb's joint or of a chain's link points in the model, unit: to the next of the limb or chain, or its
    tip. Pelvis and spine bear several bones: what turns them turns no single one."""
    name, part = rig.skeleton.names[joint], rig.part_of(rig.skeleton.names[joint])
    side, _, limb = part.partition(" ")
    ends = [rig.joint(f"{side} {p}") for p in SEGMENTS.get(limb, ())]
    chain = next((c for c in rig.chains.values() if name in c), ())
    ends += [rig.skeleton.index[n] for n in chain[chain.index(name) + 1 : chain.index(name) + 2]] if chain else []
    to = next((e for e in ends if e >= 0), -1)
    if to >= 0:
        way = placed[to] - placed[joint]
    elif (limb in SEGMENTS or chain) and name in rig.tips:
        way = quat.rotate(turned[joint], rig.tips[name])
    else:
        return None
    size = float(np.linalg.norm(way))
    return np.asarray(way / size) if size > _SAME else None


class RoleMap:
    """Takes what was said of one rig's joints to another rig. lacks: joints asked for that the other rig has not, in words."""

    def __init__(self, roles: JointRoles, rig: Rig) -> None:
        self.roles, self.rig = roles, rig
        self.lacks: list[str] = []
        own = leg_length(rig)
        self.scale = own / roles.leg if own > 0 and roles.leg > 0 else 1.0

    def joint(self, name: str) -> str | None:
        """The joint of the rig that plays what this one did on its own; None (and it is noted) where there is none. What was no
        joint there, as a body part's name, stays."""
        role = self.roles.joints.get(name)
        if role is None:
            return name
        found = self._found(name, role)
        if found is None:
            self.lacks.append(name if not (role.part or role.chain) else f"{name} ({role.part or role.chain})")
        return found

    def _found(self, name: str, role: Role) -> str | None:
        rig = self.rig
        if name in rig.skeleton.index and (rig.part_of(name) == role.part or role.part not in rig.body_map):
            return name
        row = rig.body_map.get(role.part) or rig.chains.get(role.chain)
        if not row:
            return None
        along = role.at / (role.of - 1) if role.of > 1 else 0.5
        return row[role.at if role.of == len(row) else round(along * (len(row) - 1))]

    def turned(self, name: str, to: str, space: str) -> Array | None:
        """What takes a vector in the axes of a joint (space "own", "parent" or "world") to those of the joint that stands for it
        ``(4,)``; None where they are the same. Bones point elsewhere in another rest pose: what turned about the bone still does.
        """
        role, there = self.roles.joints[name], role_of(self.rig, to)
        if space == "world":
            return None
        a, b = (np.array(r.axes if space == "own" else r.parent) for r in (role, there))
        over = quat.IDENTITY
        if space == "own" and role.bone is not None and there.bone is not None:
            over = quat.between(np.array(role.bone), np.array(there.bone))
        out = quat.normalise(quat.multiply(quat.conjugate(b), quat.multiply(over, a)))
        return None if float(quat.angle(out)) < _SAME else out
