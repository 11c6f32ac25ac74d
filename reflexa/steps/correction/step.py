"""The correction step: keyed changes added to the motion, or put in its place."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from reflexa.motion import kinematics, quat
from reflexa.motion.arrays import Array, owned
from reflexa.motion.clip import Clip
from reflexa.motion.limbs import Posed, limb, look, reach, reach_chain, swing, turn_about
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import Rig
from reflexa.steps.correction.sampling import track_at
from reflexa.steps.correction.settings import CorrectionSettings, Ends, Space, Track

_ENDS: dict[str, tuple[str, str]] = {"feet": ("left foot", "right foot"), "hands": ("left hand", "right hand")}
_ORDER = {"body": 0, "joint": 1, "chain": 2, "limb": 2, "aim": 2}
NECK = 0.35  # what the neck does of a turn of the head


def correct(clip: Clip, rig: Rig, settings: CorrectionSettings, first: int = 0) -> Clip:
    """Add the keyed changes, or replace the motion of their joints. Frames (of a layer that adds) and joints without a
    change stay bit for bit as they were.

    The body comes first, then single joints, parents before children, then limbs; changes in world space are meant in
    the world as it is then. A track for a joint that the rig lacks is passed over (``missing`` names it), and so is
    a limb that it does not have whole. A layer that replaces moves each joint alone.
    """
    skeleton = clip.skeleton
    rotations, translations = np.array(clip.rotations), np.array(clip.translations)
    at = np.arange(first, first + clip.frames)
    if settings.cycle:
        settings, at = repeated(settings, at)
    known = [t for t in settings.tracks if t.joint in skeleton.index and t.keys]
    if settings.how == "replace":
        known = [replace(t, drives="joint") for t in known]
        joints = [skeleton.index[t.joint] for t in known]
        rotations[:, joints] = skeleton.rest_rotations[joints]
        translations[:, joints] = skeleton.rest_translations[joints]
    for track in sorted(known, key=lambda t: (_ORDER[t.drives], skeleton.index[t.joint])):
        if track.drives != "joint":
            _drive(clip, rig, rotations, translations, track, at)
            continue
        joint = skeleton.index[track.joint]
        rotate, move, _ = track_at(track, at)
        turning = np.flatnonzero(np.any(rotate != 0, axis=1))
        moving = np.flatnonzero(np.any(move != 0, axis=1))
        if len(moving):
            v = _in_parent(skeleton, rotations, joint, moving, move[moving], track.space)
            translations[moving, joint] += v
        if len(turning):
            d = quat.from_rotvec(np.radians(rotate[turning]))
            q = rotations[turning, joint]
            if track.space == "own":
                new = quat.multiply(q, d)
            elif track.space == "parent":
                new = quat.multiply(d, q)
            else:
                above = _model_rotation(skeleton, rotations, int(skeleton.parents[joint]), turning)
                new = quat.multiply(quat.multiply(quat.multiply(quat.conjugate(above), d), above), q)
            rotations[turning, joint] = quat.shortest(quat.normalise(new), q)
    return clip.with_motion(owned(rotations), owned(translations))


def repeated(settings: CorrectionSettings, at: NDArray[np.intp]) -> tuple[CorrectionSettings, NDArray[np.intp]]:
    """A layer on its own cycle: the settings with every track closed, and the frames ``(n,)`` as they fall into it.

    A cycle begins with the layer's first key. Keys beyond its end do not count; on its end each track has the value
    that it began with, so that nothing can drift from round to round.
    """
    starts = [t.keys[0].frame for t in settings.tracks if t.keys]
    if not starts:
        return settings, at
    start = min(starts)
    closed = []
    for track in settings.tracks:
        keys = [k for k in track.keys if k.frame < start + settings.cycle]
        if keys:
            keys.append(replace(keys[0], frame=keys[0].frame + settings.cycle))
            if keys[0].frame > start:  # begun later than others: until then the round before goes on
                keys.insert(0, replace(keys[-2], frame=keys[-2].frame - settings.cycle))
        closed.append(replace(track, keys=tuple(keys)))
    return replace(settings, tracks=tuple(closed)), start + (at - start) % settings.cycle


def aim_point(rig: Rig, turned: Array, placed: Array) -> Array:
    """The point ``(…, 3)`` that a head looks at, half the figure's height ahead of it. turned, placed: the head's."""
    return np.asarray(placed + 0.5 * rig.height * quat.rotate(turned, rig.looking))


def _drive(clip: Clip, rig: Rig, rotations: Array, translations: Array, track: Track, at: NDArray[np.intp]) -> None:
    """Carry out a track that moves a limb or the body, in the arrays given, at the frames that it changes."""
    skeleton = clip.skeleton
    rotate, move, swinging = track_at(track, at)
    frames = np.flatnonzero(np.any(rotate != 0, axis=1) | np.any(move != 0, axis=1) | (swinging != 0))
    joints = rig.limb(rig.part_of(track.joint)) if track.drives == "limb" else None
    line = rig.chain_to(track.joint) if track.drives == "chain" else []
    if len(frames) == 0 or (track.drives == "limb" and joints is None) or (track.drives == "chain" and not line):
        return
    local = rotations[frames]  # a copy: what stays as it was is written nowhere
    scales = None if clip.scales is None else clip.scales[frames]
    turned, placed = kinematics.forward(skeleton.parents, local, translations[frames], scales)
    posed = Posed(skeleton, turned, placed, local, set())
    j = skeleton.index[track.joint]
    change, shift = _in_model(posed, j, quat.from_rotvec(np.radians(rotate[frames])), move[frames], track.space)
    if joints is not None:
        l = limb(skeleton, *joints)
        reach(posed, l, placed[:, j] + shift, rig.bend_side(rig.part_of(track.joint)))
        swing(posed, l, np.radians(swinging[frames]))
        turn_about(posed, l.beyond, posed.placed[:, j].copy(), change)
        posed.loose.add(j)
    elif track.drives == "aim":
        goal = aim_point(rig, turned[:, j], placed[:, j]) + shift
        neck = [k for n in rig.body_map.get("neck", ()) if j in skeleton.below(k := skeleton.index[n]) and k != j]
        look(posed, [*neck, j], [NECK / (len(neck) - i) for i in range(len(neck))], rig.looking, goal)
        turn_about(posed, np.array(skeleton.below(j), dtype=np.intp), posed.placed[:, j].copy(), change)
    elif line:
        reach_chain(posed, line, placed[:, j] + shift)
        turn_about(posed, np.array(skeleton.below(j), dtype=np.intp), posed.placed[:, j].copy(), change)
    else:
        _move_body(posed, rig, j, change, shift, track.stay)
        translations[frames, j] = posed.translation(j)
    after = posed.rotations()
    for k in posed.loose:
        rotations[frames, k] = quat.shortest(quat.normalise(after[:, k]), rotations[frames, k])


def _in_model(posed: Posed, joint: int, turn: Array, move: Array, space: Space) -> tuple[Array, Array]:
    """A change of a joint in its space as a model-space turn ``(frames, 4)`` and shift ``(frames, 3)``."""
    if space == "world":
        return turn, move
    parent = int(posed.skeleton.parents[joint])
    frame = posed.turned[:, joint if space == "own" else parent] if space == "own" or parent >= 0 else None
    if frame is None:
        return turn, move
    return quat.multiply(quat.multiply(frame, turn), quat.conjugate(frame)), quat.rotate(frame, move)


def _move_body(posed: Posed, rig: Rig, joint: int, change: Array, shift: Array, stay: tuple[Ends, ...]) -> None:
    """Turn and shift everything below a joint; limbs that stay keep the place and turn of their ends."""
    parts = [end for ends in stay for end in _ENDS[ends]]
    kept = [(part, limb(rig.skeleton, *joints)) for part in parts if (joints := rig.limb(part)) is not None]
    before = [(posed.turned[:, l.beyond].copy(), posed.placed[:, l.beyond].copy()) for _, l in kept]
    below = np.array(posed.skeleton.below(joint), dtype=np.intp)
    turn_about(posed, below, posed.placed[:, joint].copy(), change)
    posed.placed[:, below] += shift[:, None]
    posed.loose.add(joint)
    for (part, l), (turned, placed) in zip(kept, before, strict=True):
        end = l.beyond.tolist().index(l.end)
        goal = placed[:, end]
        posed.turned[:, l.beyond] = turned
        posed.placed[:, l.beyond] = placed - goal[:, None] + posed.placed[:, l.end, None]
        reach(posed, l, goal, rig.bend_side(part), softness=0.0)


def _in_parent(
    skeleton: Skeleton, rotations: Array, joint: int, frames: NDArray[np.intp], move: Array, space: Space
) -> Array:
    if space == "own":
        return quat.rotate(rotations[frames, joint], move)
    if space == "world":
        above = _model_rotation(skeleton, rotations, int(skeleton.parents[joint]), frames)
        return quat.rotate(quat.conjugate(above), move)
    return move


def _model_rotation(skeleton: Skeleton, rotations: Array, joint: int, frames: NDArray[np.intp]) -> Array:
    out = np.broadcast_to(quat.IDENTITY, (len(frames), 4))
    while joint >= 0:
        out = quat.multiply(rotations[frames, joint], out)
        joint = int(skeleton.parents[joint])
    return out
