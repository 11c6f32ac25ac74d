"""Rotations and places from one rig to another: every rule that needs no contacts."""

from __future__ import annotations

import numpy as np

from reflexa.motion import cycle, kernels, quat, travel
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.limbs import Posed
from reflexa.rig.foot_rest import standing
from reflexa.rig.match import Match, hips
from reflexa.rig.rig import SIDES, UP, Rig


def turn_of(clip: Clip, m: Match, joint: int) -> Array:
    """A source joint's model-space turn from its neutral pose, feet as they stand ``(frames, 4)``, in the target's facing."""
    rest = standing(m.source).rest_model[0][joint]
    out = quat.multiply(clip.model[0][:, joint], quat.conjugate(rest))
    if quat.angle(m.turn) > 0:
        out = quat.multiply(quat.multiply(m.turn, out), quat.conjugate(m.turn))
    return out


def places(clip: Clip, m: Match, joint: int) -> Array:
    """A source joint's track ``(frames, 3)``, turned into the target's facing and scaled to its size."""
    track = clip.model[1][:, joint]
    if quat.angle(m.turn) > 0:
        track = quat.rotate(m.turn, track)
    return np.asarray(track * m.scale)


# Joints that leave their rest place by less than this do not, metres.
_STAYS = 1e-5


def moved_joints(clip: Clip, m: Match) -> tuple[dict[int, Array], tuple[str, ...]]:
    """Joints of the target, other than pelvis and root, that leave their rest place as the source's do: how far, in their
    parent's axes ``(frames, 3)``, scaled; and the source's joints whose moves cannot be carried over."""
    source, target = standing(m.source), standing(m.target)
    low, high = clip.translations.min(axis=0), clip.translations.max(axis=0)
    away = np.maximum(np.abs(low - source.rest_translations), np.abs(high - source.rest_translations))
    moving = np.flatnonzero(away.max(axis=-1) > _STAYS)
    travel = {m.source.joint("root"), m.source.joint("pelvis"), *source.roots}
    whole = {int(s): int(t) for t, s in zip(m.targets[m.whole], m.below[m.whole], strict=True)}
    goal = quat.multiply(m.aligned, target.rest_model[0])
    out: dict[int, Array] = {}
    lost = []
    for s in moving.tolist():
        if s in travel or (m.source.skeleton.names[s] in m.source.helpers and s not in whole):
            continue
        t = whole.get(s, -1)
        if t < 0 or target.parents[t] < 0:
            lost.append(source.names[s])
            continue
        beyond = clip.translations[:, s] - source.rest_translations[s]
        in_model = quat.rotate(m.turn, quat.rotate(source.rest_model[0][source.parents[s]], beyond))
        out[t] = m.stride * quat.rotate(quat.conjugate(goal[target.parents[t]]), in_model)
    return out, tuple(lost)


def transfer(clip: Clip, m: Match, root: str, moved: dict[int, Array]) -> Posed:
    """The target in model space before the contact pass. moved: as ``moved_joints`` has them.

    Mapped joints take the source's turn on top of the aligned rest, twist joints their share of it, all others ride
    along. Pelvis and root are placed; no other joint leaves its bone.
    """
    target = m.target
    skeleton = standing(target)
    frames = clip.frames
    rest_q = skeleton.rest_model[0]
    goal = quat.multiply(m.aligned, rest_q)
    turned = np.empty((frames, len(skeleton), 4))
    whole = m.targets[m.whole]
    kernels.chains.mapped(m.below[m.whole], whole, m.to_model, clip.model[0], turned)
    mixed = np.flatnonzero(~m.whole)
    if len(mixed):
        low, high = m.below[mixed], m.above[mixed]
        a, b = (quat.mapped(clip.model[0][:, j], m.turns(j)) for j in (low, high))
        a[:, low < 0] = quat.IDENTITY  # nothing below: turned from no turn at all
        turns = quat.slerp(a, b, np.broadcast_to(m.share[mixed], (frames, len(mixed))))
        turned[:, m.targets[mixed]] = quat.mapped(turns, quat.right_matrix(goal[m.targets[mixed]]))
    local = np.empty_like(turned)
    direct = m.targets[m.direct]
    kernels.chains.mapped(m.below[m.direct], direct, m.to_local, clip.rotations, local)
    dirty = set(m.targets[~m.direct].tolist())
    mapped = np.zeros(len(skeleton), dtype=bool)
    mapped[m.targets] = True
    travel, pelvis = target.joint("root"), target.joint("pelvis")
    track = _pelvis(clip, m)
    free: dict[int, Array] = {pelvis: track}
    if travel >= 0 and travel != pelvis:
        q, p = _root(clip, m, root, track)
        turned[:, travel], free[travel] = quat.multiply(q, rest_q[travel]), p
        mapped[travel] = True
        dirty.add(travel)
    local[:, ~mapped] = skeleton.rest_rotations[~mapped]
    placed = np.empty((frames, len(skeleton), 3))
    for j, place in free.items():
        placed[:, j] = place
    given = np.stack([mapped, np.isin(np.arange(len(skeleton)), list(free))], axis=-1)
    kernels.chains.hang(skeleton.parents, skeleton.rest_rotations, skeleton.rest_translations, given, turned, placed)
    for j, by in moved.items():
        placed[:, skeleton.below(j)] += quat.rotate(turned[:, skeleton.parents[j]], by)[:, None]
    posed = Posed(skeleton, turned, placed, local, dirty)
    _share_twist(posed, m)
    return posed


def _yaw(q: Array, facing: Array) -> Array:
    """The turn about up of rotations ``(frames, 4)`` of a body that faces so, carried through poses that do not stand."""
    rest = np.arctan2(facing[0], facing[2])
    return travel.yaw(travel.headings(q, facing, UP) - rest)


def _feet_middle(rig: Rig, placed: Array, part: str) -> Array:
    feet = [j for s in SIDES if (j := rig.joint(f"{s} {part}")) >= 0]
    return np.asarray(placed[feet].mean(axis=0)) if feet else np.asarray(placed[rig.joint("pelvis")])


def _pelvis(clip: Clip, m: Match) -> Array:
    """Pelvis track of the target: its hips where the source's are, height by standing heights, ground by stride, and
    over its own feet as it stands in rest."""
    a, b = m.source.joint("pelvis"), m.target.joint("pelvis")
    rest, own_rest = standing(m.source).rest_model[1], m.aligned_rest[1]
    to_hips, own_hips = quat.rotate(m.turn, hips(m.source, rest) - rest[a]), hips(m.target, own_rest) - own_rest[b]
    track = clip.model[1][:, a]
    if quat.angle(m.turn) > 0:
        track = quat.rotate(m.turn, track)
    turn = turn_of(clip, m, a)
    track = (track + quat.rotate(turn, to_hips)) * m.scale - quat.rotate(turn, own_hips)
    both = all(r.joint(f"{s} toes") >= 0 for r in (m.source, m.target) for s in SIDES)
    stands_on = "toes" if both else "foot"
    own = own_hips + own_rest[b] - _feet_middle(m.target, own_rest, stands_on)
    other = (to_hips + quat.rotate(m.turn, rest[a] - _feet_middle(m.source, rest, stands_on))) * m.scale
    over = (own - other) * [1.0, 0.0, 1.0]
    if np.abs(over).max() > 1e-12:
        track = track + quat.rotate(_yaw(turn, m.target.facing), over)
    return track


def _root(clip: Clip, m: Match, mode: str, track: Array) -> tuple[Array, Array]:
    """The root joint's turn from rest ``(frames, 4)`` and track ``(frames, 3)``, as chosen."""
    source, target = m.source, m.target
    a, b = source.joint("root"), target.joint("root")
    rest = standing(target).rest_model[1][b]
    still = np.broadcast_to(quat.IDENTITY, (clip.frames, 4))
    if mode == "source root" and a >= 0:
        start = quat.rotate(m.turn, standing(source).rest_model[1][a]) * m.scale
        return turn_of(clip, m, a), places(clip, m, a) + (rest - start)
    if mode == "stays":
        return still, np.broadcast_to(rest, (clip.frames, 3))
    pelvis = standing(target).rest_model[1][target.joint("pelvis")]
    heading = still
    if mode == "pelvis, turning":
        heading = _yaw(turn_of(clip, m, source.joint("pelvis")), target.facing)
    elif clip.loop and clip.frames > 2:  # a cycle that turns goes on turned
        angle = 2 * np.arctan2(*cycle.seam(clip, source.travel_joint)[0][[1, 3]])
        heading = travel.yaw(np.linspace(0.0, (angle + np.pi) % (2 * np.pi) - np.pi, clip.frames))
    offset = (rest - pelvis) * [1.0, 0.0, 1.0]
    under = track + quat.rotate(heading, offset)
    return heading, np.stack([under[:, 0], np.full(clip.frames, rest[1]), under[:, 2]], axis=-1)


_CARRIER = {"upper arm": ("clavicle", "spine"), "thigh": ("pelvis",)}
_END = {"forearm": "hand", "shin": "foot", "upper arm": "forearm", "thigh": "shin"}


def _share_twist(posed: Posed, m: Match) -> None:
    """Twist joints turn about their bone by a share of the twist: towards the hand along a lower bone, back towards
    the body along an upper one."""
    rig, skeleton = m.target, posed.skeleton
    rest_q, rest_p = skeleton.rest_model
    goal = quat.multiply(m.aligned, rest_q)

    def turn(j: int) -> Array:
        return quat.multiply(posed.turned[:, j], quat.conjugate(goal[j]))

    for name, limb in rig.twists.items():
        j, a = skeleton.index[name], skeleton.index[limb]
        side, _, part = rig.part_of(limb).partition(" ")
        end = rig.joint(f"{side} {_END.get(part, '')}")
        if end < 0:
            continue
        bone = rest_p[end] - rest_p[a]
        length = float(bone @ bone)
        if length < 1e-12:
            continue
        share = float(np.clip((rest_p[j] - rest_p[a]) @ bone / length, 0, 1))
        axis = quat.rotate(m.aligned[a], bone / np.sqrt(length))
        if part in _CARRIER:
            carrier = next((c for p in _CARRIER[part] if (c := _part_joint(rig, side, p)) >= 0), -1)
            if carrier < 0:
                continue
            twist = quat.swing_twist(quat.multiply(quat.conjugate(turn(carrier)), turn(a)), axis)[1]
            part_of_it = quat.scaled(twist, share - 1.0)
        else:
            twist = quat.swing_twist(quat.multiply(quat.conjugate(turn(a)), turn(end)), axis)[1]
            part_of_it = quat.scaled(twist, share)
        posed.turned[:, j] = quat.multiply(quat.multiply(turn(a), part_of_it), goal[j])
        # What hangs on a twist joint (a hand, where it stands in the line) keeps its place in model space.
        posed.dirty |= {j, *skeleton.children[j]}


def _part_joint(rig: Rig, side: str, part: str) -> int:
    for name in (f"{side} {part}", part):
        if names := rig.body_map.get(name):
            return rig.skeleton.index[names[-1]]
    return -1
