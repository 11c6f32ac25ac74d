"""What a person said of a rig, as a document: body map, pairs, centre line, helper rules, neutral pose, fits.

A document is a complete statement: what was found, with a person's edits. It applies to every file of the rig and
may carry the skeleton itself, so that it can stand in for a model file.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace as with_fields
from typing import Any

import msgspec
import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from reflexa.motion.arrays import Vector
from reflexa.motion.clip import Clip
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import chains, pairs
from reflexa.rig.bodymap import MANY, PARTS, TOLD
from reflexa.rig.foot_rest import stand_of, told_stand
from reflexa.rig.helpers import Helper, How
from reflexa.rig.pairs import Pair, Plane
from reflexa.rig.rig import SIDES, UP, Rig, Stand, analyse
from reflexa.rig.soles import underfoot

Quaternion = tuple[float, float, float, float]


class Rule(Struct, frozen=True):
    """Whom a helper joint follows, and how."""

    follows: str
    how: How = "rest offset"


class Pose(Struct, frozen=True):
    """A joint's local rotation (x, y, z, w) and translation in metres."""

    rotation: Quaternion
    translation: Vector


class Joint(Struct, frozen=True):
    """A joint of the skeleton, where the document carries it: parent's name, local rest rotation and translation."""

    name: str
    parent: str | None
    rotation: Quaternion
    translation: Vector
    tip: Vector | None = None


class Standing(Struct, frozen=True):
    """How a foot stands, for where the document stands in for a model with a skin: height of the ankle over the floor, metres;
    up, and what of the foot may touch the floor, in the axes of the ankle and of the toes."""

    height: float
    up: Vector
    toes_up: Vector | None = None
    under: tuple[Vector, ...] = ()
    under_toes: tuple[Vector, ...] = ()


class Notes(Struct, frozen=True):
    """body_map: part → joints. pairs: (left, right). reference: the pose taken for neutral, per joint. fits: per other
    rig's key, turns in degrees (rotation vectors, model space) that are added to this rig's aligned rest. ground: height
    of the sole in the neutral pose, metres, for where the document stands in for a model with a skin. stands: per side, how the
    foot stands, for the same. groups: joints under a name of a person's own."""

    body_map: dict[str, tuple[str, ...]] = {}
    pairs: tuple[tuple[str, str], ...] = ()
    centre: tuple[str, ...] = ()
    helpers: dict[str, Rule] = {}
    reference: dict[str, Pose] = {}
    fits: dict[str, dict[str, Vector]] = {}
    ground: float | None = None
    stands: dict[str, Standing] = {}
    joints: tuple[Joint, ...] = ()
    groups: dict[str, tuple[str, ...]] = {}


def notes_of(rig: Rig, with_joints: bool = False) -> Notes:
    """Everything that is known of a rig, as a document."""
    s = rig.skeleton
    reference: dict[str, Pose] = {}
    if rig.reference is not None:
        reference = {n: _pose(rig.reference[0][j], rig.reference[1][j]) for j, n in enumerate(s.names)}
    joints: tuple[Joint, ...] = ()
    if with_joints:
        joints = tuple(
            Joint(
                n, s.names[p] if p >= 0 else None, *_arrays(s.rest_rotations[j], s.rest_translations[j]),
                _vector(rig.tips[n]) if n in rig.tips else None,
            )
            for j, (n, p) in enumerate(zip(s.names, s.parents.tolist(), strict=True))
        )  # fmt: skip
    return Notes(
        dict(rig.body_map), tuple((p.left, p.right) for p in rig.pairs), rig.centre,
        {n: Rule(h.follows, h.how) for n, h in rig.helpers.items()}, reference,
        {k: dict(v) for k, v in rig.fits.items()}, round(rig.ground, 9) if with_joints else rig.sole,
        {side: _standing(rig, side) for side in SIDES if rig.joint(f"{side} foot") >= 0 and (with_joints or _told(rig, side))},
        joints,
        dict(rig.groups),
    )  # fmt: skip


def _told(rig: Rig, side: str) -> bool:
    return side in rig.stands and rig.stands[side].by == "told"


def stand(notes: Notes, rig: Rig, height: float, tilt: float) -> Notes:
    """Both feet stand with their ankles so high over the floor, metres, and their toes lower than built by a tilt in degrees."""
    said = {side: told_stand(rig, side, height, tilt) for side in SIDES if rig.joint(f"{side} foot") >= 0}
    stands = {
        side: Standing(round(s.height, 9), _vector(s.up), None if s.toes_up is None else _vector(s.toes_up))
        for side, s in said.items()
    }
    return replace(notes, stands=stands)


def stand_as_found(notes: Notes) -> Notes:
    """Feet stand as skin, rest pose or clips tell."""
    return replace(notes, stands={})


def _standing(rig: Rig, side: str) -> Standing:
    stand, under = stand_of(rig, side), underfoot(rig, side)
    corners = tuple(tuple(_vector(p) for p in points) for points in under)
    toes_up = None if stand.toes_up is None else _vector(stand.toes_up)
    return Standing(round(stand.height, 9), _vector(stand.up), toes_up, corners[0], corners[1])


def _vector(v: Any) -> Vector:
    # As many digits as are saved: what is kept in memory is what comes back from the file.
    return round(float(v[0]), 9), round(float(v[1]), 9), round(float(v[2]), 9)


def _arrays(q: Any, t: Any) -> tuple[Quaternion, Vector]:
    return (*_vector(q), round(float(q[3]), 9)), _vector(t)


def _pose(q: Any, t: Any) -> Pose:
    return Pose(*_arrays(q, t))


def rig_of(notes: Notes) -> Rig:
    """The rig of a document that carries its skeleton. Raises ValueError where it has none or it is no hierarchy."""
    if not notes.joints:
        raise ValueError("has no joints: it only describes a rig")
    names = tuple(j.name for j in notes.joints)
    index = {n: i for i, n in enumerate(names)}
    for j in notes.joints:
        if j.parent is not None and j.parent not in index:
            raise ValueError(f"joint {j.name!r} has a parent {j.parent!r} that does not exist")
    parents = np.array([-1 if j.parent is None else index[j.parent] for j in notes.joints])
    q = np.array([j.rotation for j in notes.joints])
    length = np.linalg.norm(q, axis=-1, keepdims=True)
    t = np.array([j.translation for j in notes.joints])
    if not (np.isfinite(q).all() and np.isfinite(t).all()) or (length < 1e-6).any():
        raise ValueError("has a joint whose rest pose is not a rotation and a position")
    skeleton = Skeleton(names, parents, q / length, t)
    tips = {j.name: np.array(j.tip) for j in notes.joints if j.tip is not None}
    return with_notes(analyse(skeleton, tips=tips), notes)[0]


def with_notes(rig: Rig, notes: Notes) -> tuple[Rig, tuple[str, ...]]:
    """The rig as a document says, and what of the document could not be used, in words.

    What the document repeats keeps how it was found; what differs counts as told. Joints that the rig lacks are
    passed over, a joint in two pairs keeps the first.
    """
    index = rig.skeleton.index
    unused: list[str] = []
    missing = sorted(_named(notes) - set(index))
    if missing:
        more = f" and {len(missing) - 6} more" if len(missing) > 6 else ""
        unused.append(f"The rig has no joint {', '.join(missing[:6])}{more}.")
    body_map = {}
    for part in PARTS:
        joints = tuple(n for n in notes.body_map.get(part, ()) if n in index)
        if joints:
            body_map[part] = joints
    unknown = [p for p in notes.body_map if p not in PARTS]
    if unknown:
        unused.append(f"There is no body part {', '.join(unknown)}.")
    found = {p: rig.found.get(p, TOLD) if rig.body_map.get(p) == names else TOLD for p, names in body_map.items()}
    neutral = _reference(rig, notes)
    rig = with_fields(rig, reference=neutral)
    if neutral is not None or rig.facing_found_by.startswith("nothing"):
        rig = _plane_from_pairs(rig, notes)
    before = {(p.left, p.right): p for p in rig.pairs}
    made: list[Pair] = []
    taken: set[str] = set()
    for left, right in notes.pairs:
        if left not in index or right not in index or left == right:
            continue
        twice = [n for n in (left, right) if n in taken]
        if twice:
            unused.append(f"{' and '.join(twice)} would be paired twice: the pair {left}, {right} is ignored.")
            continue
        taken |= {left, right}
        mm, deg = pairs.residual(rig.neutral, rig.plane, index[left], index[right])
        old = before.get((left, right))
        made.append(Pair(left, right, old.found_by if old else "told", mm, deg, old.sure if old else 1.0))
    centre = tuple(n for n in notes.centre if n in index and n not in taken)
    unpaired = tuple(n for n in rig.skeleton.names if n not in taken and n not in centre)
    rules = {
        n: rig.helpers[n] if n in rig.helpers and (rig.helpers[n].follows, rig.helpers[n].how) == (r.follows, r.how)
        else Helper(r.follows, r.how)
        for n, r in notes.helpers.items() if n in index and r.follows in index and n != r.follows
    }  # fmt: skip
    side_of = ["" for _ in index]
    for p in made:
        side_of[index[p.left]], side_of[index[p.right]] = "left", "right"
    twists = chains.find_twists(rig.skeleton, body_map)
    out = with_fields(
        rig, body_map=body_map, found=found, pairs=tuple(made), centre=centre, unpaired=unpaired, helpers=rules,
        twists=twists, chains=chains.find(rig.skeleton, body_map, {*rules, *twists}, side_of),
        fits={k: dict(v) for k, v in notes.fits.items()}, sole=notes.ground,
        stands=_stands(rig, notes, body_map),
        groups={g: kept for g, names in notes.groups.items() if (kept := tuple(n for n in names if n in index))},
    )  # fmt: skip
    return out, tuple(unused)


def _stands(rig: Rig, notes: Notes, body_map: Mapping[str, tuple[str, ...]]) -> dict[str, Stand]:
    """How feet stand, where the document says something else than the rig itself."""
    out = dict(rig.stands)
    for side, s in notes.stands.items():
        part = f"{side} foot"
        same = side in SIDES and part in body_map and rig.body_map.get(part) == body_map[part]
        if same and s != _standing(rig, side):
            out[side] = Stand(s.height, s.up, s.toes_up, (s.under, s.under_toes), by="told")
    return out


def _plane_from_pairs(rig: Rig, notes: Notes) -> Rig:
    """The mirror plane and facing that the document's pairs tell in the neutral pose; as they were where they tell none."""
    index, placed = rig.skeleton.index, rig.neutral.rest_model[1]
    known = [(index[a], index[b]) for a, b in notes.pairs if a in index and b in index]
    if not known:
        return rig
    left, right = placed[[a for a, _ in known]], placed[[b for _, b in known]]
    lateral = pairs.snapped(np.sum(left - right, axis=0) * [1.0, 0.0, 1.0])
    if lateral is None:
        return rig
    plane = Plane(lateral, float(np.median((left + right) / 2 @ lateral)))
    return with_fields(rig, plane=plane, facing=np.cross(lateral, UP), facing_found_by="pairs")


def _named(notes: Notes) -> set[str]:
    out = {n for names in notes.body_map.values() for n in names} | {n for pair in notes.pairs for n in pair}
    out |= {n for names in notes.groups.values() for n in names}
    return out | set(notes.centre) | set(notes.helpers) | {r.follows for r in notes.helpers.values()}


def _reference(rig: Rig, notes: Notes) -> tuple[Any, Any] | None:
    if not notes.reference:
        return None
    q, t = np.array(rig.skeleton.rest_rotations), np.array(rig.skeleton.rest_translations)
    for name, pose in notes.reference.items():
        if name in rig.skeleton.index:
            j = rig.skeleton.index[name]
            q[j], t[j] = pose.rotation, pose.translation
    length = np.linalg.norm(q, axis=-1, keepdims=True)
    return np.where(length > 1e-6, q / np.maximum(length, 1e-6), rig.skeleton.rest_rotations), t


# Edits: each gives the next document ----------------------------------------------------------------------


def assign(notes: Notes, joint: str, part: str, order: Mapping[str, int]) -> Notes:
    """Give a joint a body part (of which it may have one). order: joint → its place in the skeleton.

    A part of several joints takes it in the order of the hierarchy; another part changes hands. An empty part
    unassigns.
    """
    body_map = {p: tuple(n for n in names if n != joint) for p, names in notes.body_map.items()}
    if part:
        joints = (*body_map.get(part, ()), joint) if part in MANY else (joint,)
        body_map[part] = tuple(sorted(joints, key=lambda n: order.get(n, 0)))
    return replace(notes, body_map={p: body_map[p] for p in PARTS if body_map.get(p)})


def pair(notes: Notes, left: str, right: str) -> Notes:
    """Make two joints partners; whatever either was paired with before is left without."""
    kept = [p for p in notes.pairs if left not in p and right not in p]
    centre = tuple(n for n in notes.centre if n not in (left, right))
    return replace(notes, pairs=(*kept, (left, right)), centre=centre)


def unpair(notes: Notes, joint: str) -> Notes:
    """Take a joint out of its pair, or off the centre line."""
    pairs_left = tuple(p for p in notes.pairs if joint not in p)
    return replace(notes, pairs=pairs_left, centre=tuple(n for n in notes.centre if n != joint))


def mark_centre(notes: Notes, joint: str) -> Notes:
    """Put a joint on the centre line: it is its own partner."""
    out = unpair(notes, joint)
    return replace(out, centre=(*out.centre, joint))


def follow(notes: Notes, joint: str, rule: Rule | None) -> Notes:
    """Give a joint a helper rule, or take its rule away."""
    rules = {n: r for n, r in notes.helpers.items() if n != joint}
    if rule is not None:
        rules[joint] = rule
    return replace(notes, helpers=rules)


def group(notes: Notes, name: str, joints: tuple[str, ...]) -> Notes:
    """Put joints together under a name, in place of those that were; none: the group is no more."""
    groups = {g: names for g, names in notes.groups.items() if g != name}
    return replace(notes, groups=groups | ({name: joints} if joints else {}))


def take_reference(notes: Notes, clip: Clip | None, frame: int = 0) -> Notes:
    """Take a frame of a clip for the neutral pose, without its travel; None goes back to the rest pose."""
    if clip is None:
        return replace(notes, reference={})
    s = clip.skeleton
    reference = {n: _pose(clip.rotations[frame, j], clip.translations[frame, j]) for j, n in enumerate(s.names)}
    for root in s.roots:
        rest = _pose(s.rest_rotations[root], s.rest_translations[root])
        height = reference[s.names[root]].translation[1]
        x, _, z = rest.translation
        reference[s.names[root]] = Pose(reference[s.names[root]].rotation, (x, height, z))
    return replace(notes, reference=reference)


def set_fit(notes: Notes, other: str, joint: str, turn: Vector) -> Notes:
    """Add a turn (degrees, model space) to a joint's aligned rest against another rig; no turn takes it away."""
    fit = {n: v for n, v in notes.fits.get(other, {}).items() if n != joint}
    if any(turn):
        fit[joint] = _vector(turn)
    fits = {k: v for k, v in notes.fits.items() if k != other}
    if fit:
        fits[other] = fit
    return replace(notes, fits=fits)


# As text ----------------------------------------------------------------------------------------------------

VERSION = 1


def to_plain(notes: Notes, name: str, key: str, unknown: Mapping[str, Any] | None = None) -> dict[str, Any]:
    """The document as plain data, in its saved order; single joints of a part stand alone."""
    plain = msgspec.to_builtins(notes)
    plain["body_map"] = {p: n[0] if len(n) == 1 else list(n) for p, n in notes.body_map.items()}
    plain["pairs"] = [{"left": left, "right": right} for left, right in notes.pairs]
    for optional in ("reference", "fits", "ground", "joints", "groups"):
        if plain[optional] is None or plain[optional] in ({}, []):
            del plain[optional]
    return {"reflexa": "rig", "version": VERSION, "name": name, "skeleton": key, **plain, **(unknown or {})}


def from_plain(data: Mapping[str, Any]) -> tuple[Notes, dict[str, Any]]:
    """Notes and the fields that this version does not know. Raises msgspec.ValidationError for what does not fit."""
    plain = {k: v for k, v in data.items() if k in Notes.__struct_fields__}
    head = {"reflexa", "version", "name", "skeleton"}
    body_map = msgspec.convert(plain.get("body_map", {}), dict[str, str | list[str]])
    plain["body_map"] = {p: [n] if isinstance(n, str) else n for p, n in body_map.items()}
    made = msgspec.convert(plain.get("pairs", []), list[dict[str, Any]])
    plain["pairs"] = [[p.get("left", ""), p.get("right", "")] for p in made]
    return msgspec.convert(plain, Notes), {k: v for k, v in data.items() if k not in plain and k not in head}
