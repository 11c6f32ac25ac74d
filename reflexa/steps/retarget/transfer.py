"""Rotations and places from one rig to another: every rule that needs no contacts."""

from __future__ import annotations

import numpy as np

from reflexa.motion import quat
from reflexa.motion.clip import Clip
from reflexa.motion.quat import Array
from reflexa.rig.match import SIDES, Match, hips
from reflexa.rig.rig import Rig
from reflexa.steps.retarget.pose import Posed


def deltas(clip: Clip, m: Match) -> Array:
    """The source's model-space turns from its neutral pose ``(frames, joints, 4)``, in the target's facing."""
    rest = m.source.neutral.rest_model[0]
    out = quat.multiply(clip.model[0], quat.conjugate(rest))
    if quat.angle(m.turn) > 0:
        out = quat.multiply(quat.multiply(m.turn, out), quat.conjugate(m.turn))
    return out


def places(clip: Clip, m: Match, joint: int) -> Array:
    """A source joint's track ``(frames, 3)``, turned into the target's facing and scaled to its size."""
    track = clip.model[1][:, joint]
    if quat.angle(m.turn) > 0:
        track = quat.rotate(m.turn, track)
    return np.asarray(track * m.scale)


def transfer(clip: Clip, m: Match, root: str) -> Posed:
    """The target in model space before the contact pass.

    Mapped joints take the source's turn on top of the aligned rest, twist joints their share of it, all others ride
    along. Pelvis and root are placed; no other joint leaves its bone.
    """
    target = m.target
    skeleton = target.neutral
    parents = skeleton.parents.tolist()
    frames = clip.frames
    turns = deltas(clip, m)
    rest_q = skeleton.rest_model[0]
    turned = np.empty((frames, len(skeleton), 4))
    mapped = np.zeros(len(skeleton), dtype=bool)
    mapped[m.targets] = True
    base = np.where((m.below < 0)[:, None], quat.IDENTITY, turns[:, m.below])
    split = np.flatnonzero(m.share > 0)
    if len(split):
        top = turns[:, m.above[split]]
        base[:, split] = quat.slerp(base[:, split], top, np.broadcast_to(m.share[split], (frames, len(split))))
    goal = quat.multiply(m.aligned, rest_q)
    turned[:, m.targets] = quat.multiply(base, goal[m.targets])
    travel = target.joint("root")
    pelvis = target.joint("pelvis")
    track = _pelvis(clip, m, turns)
    free: dict[int, Array] = {pelvis: track}
    if travel >= 0 and travel != pelvis:
        q, p = _root(clip, m, turns, root, track)
        turned[:, travel], free[travel] = quat.multiply(q, rest_q[travel]), p
        mapped[travel] = True
    for j in np.flatnonzero(~mapped).tolist():
        local = skeleton.rest_rotations[j]
        turned[:, j] = local if parents[j] < 0 else quat.multiply(turned[:, parents[j]], local)
    placed = np.empty((frames, len(skeleton), 3))
    has = np.flatnonzero(skeleton.parents >= 0)
    placed[:, has] = quat.rotate(turned[:, skeleton.parents[has]], skeleton.rest_translations[has])
    for j, parent in enumerate(parents):
        if j in free:
            placed[:, j] = free[j]
        elif parent < 0:
            placed[:, j] = skeleton.rest_translations[j]
        else:
            placed[:, j] += placed[:, parent]
    posed = Posed(skeleton, turned, placed)
    _share_twist(posed, m)
    return posed


def _yaw(q: Array, facing: Array) -> Array:
    """The turn about up of rotations ``(frames, 4)``: where the facing goes on the ground."""
    ahead = quat.rotate(q, facing)
    ahead[..., 1] = 0.0
    return quat.between(facing, ahead)


def _feet_middle(rig: Rig, placed: Array, part: str) -> Array:
    feet = [j for s in SIDES if (j := rig.joint(f"{s} {part}")) >= 0]
    return np.asarray(placed[feet].mean(axis=0)) if feet else np.asarray(placed[rig.joint("pelvis")])


def _pelvis(clip: Clip, m: Match, turns: Array) -> Array:
    """Pelvis track of the target: its hips where the source's are, height by standing heights, ground by stride, and
    over its own feet as it stands in rest."""
    a, b = m.source.joint("pelvis"), m.target.joint("pelvis")
    rest, own_rest = m.source.neutral.rest_model[1], m.aligned_rest[1]
    to_hips, own_hips = quat.rotate(m.turn, hips(m.source, rest) - rest[a]), hips(m.target, own_rest) - own_rest[b]
    track = clip.model[1][:, a]
    if quat.angle(m.turn) > 0:
        track = quat.rotate(m.turn, track)
    track = (track + quat.rotate(turns[:, a], to_hips)) * m.scale - quat.rotate(turns[:, a], own_hips)
    both = all(r.joint(f"{s} toes") >= 0 for r in (m.source, m.target) for s in SIDES)
    stands_on = "toes" if both else "foot"
    own = own_hips + own_rest[b] - _feet_middle(m.target, own_rest, stands_on)
    other = (to_hips + quat.rotate(m.turn, rest[a] - _feet_middle(m.source, rest, stands_on))) * m.scale
    over = (own - other) * [1.0, 0.0, 1.0]
    if np.abs(over).max() > 1e-12:
        track = track + quat.rotate(_yaw(turns[:, a], m.target.facing), over)
    return track


def _root(clip: Clip, m: Match, turns: Array, mode: str, track: Array) -> tuple[Array, Array]:
    """The root joint's turn from rest ``(frames, 4)`` and track ``(frames, 3)``, as chosen."""
    source, target = m.source, m.target
    a, b = source.joint("root"), target.joint("root")
    rest = target.neutral.rest_model[1][b]
    still = np.broadcast_to(quat.IDENTITY, (clip.frames, 4))
    if mode == "source root" and a >= 0:
        start = quat.rotate(m.turn, source.neutral.rest_model[1][a]) * m.scale
        return turns[:, a], places(clip, m, a) + (rest - start)
    if mode == "stays":
        return still, np.broadcast_to(rest, (clip.frames, 3))
    pelvis = target.neutral.rest_model[1][target.joint("pelvis")]
    heading = _yaw(turns[:, source.joint("pelvis")], target.facing) if mode == "pelvis, turning" else still
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


def _part_joint(rig: Rig, side: str, part: str) -> int:
    for name in (f"{side} {part}", part):
        if names := rig.body_map.get(name):
            return rig.skeleton.index[names[-1]]
    return -1
