"""Correction: a layer of keys. It adds: a key stores only the change, so what lies below still plays. Where it is told to
replace, its keys say the whole pose of their joints, from the rest pose on."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Literal

import numpy as np
from msgspec import Meta, Struct
from msgspec.structs import replace
from numpy.typing import ArrayLike, NDArray

from reflexa.motion import curves, kinematics, quat
from reflexa.motion.clip import Clip
from reflexa.motion.curves import Interpolation
from reflexa.motion.limbs import Posed, limb, look, reach, reach_chain, swing, turn_about
from reflexa.motion.arrays import Array, Vector, vector
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import Rig
from reflexa.steps.model import Settings, StepKind

Space = Literal["own", "parent", "world"]
Drives = Literal["joint", "limb", "chain", "body", "aim"]
Ends = Literal["feet", "hands"]
_ENDS: dict[str, tuple[str, str]] = {"feet": ("left foot", "right foot"), "hands": ("left hand", "right hand")}
ZERO: Vector = (0.0, 0.0, 0.0)
Slopes = tuple[float, float, float, float, float, float, float]


class Key(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A change at a whole frame: rotation vector in degrees, move in metres, swing of a limb's elbow or knee in degrees;
    ``then`` leads to the next key. arrive, leave: how fast turn (three numbers), move (three) and swing change on the way
    to the key and on from it, per frame, where they are eased; None leaves that to the curve."""

    frame: Annotated[int, Meta(ge=0, le=10_000_000)]
    rotate: Vector = ZERO
    move: Vector = ZERO
    swing: float = 0.0
    then: Interpolation = "smooth"
    arrive: Slopes | None = None
    leave: Slopes | None = None

    @property
    def neutral(self) -> bool:
        """Does it say "no change here"?"""
        return self.rotate == ZERO and self.move == ZERO and self.swing == 0


class Track(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """The keys of one joint, in rising order of frames, and the space that they are meant in.

    drives: the joint alone; the limb, or the chain (a tail, a long neck), that it is the end of, by inverse kinematics
    (bones keep their lengths); the body, from the pelvis, with the limbs' ends in ``stay`` ("feet", "hands") kept where
    they are; or the aim of the head: the point that it looks at is moved, and neck and head turn after it.
    """

    joint: str
    keys: tuple[Key, ...] = ()
    space: Space = "own"
    drives: Drives = "joint"
    stay: tuple[Ends, ...] = ()

    def __post_init__(self) -> None:
        for a, b in pairwise(self.keys):
            if a.frame >= b.frame:
                raise ValueError(f"keys must rise from frame to frame: {b.frame} comes after {a.frame}")


class CorrectionSettings(Settings, frozen=True):
    how: Annotated[
        Literal["add", "replace"],
        Meta(
            title="Layer",
            description="add: keys change what is below. replace: the joints that have keys leave the motion below; their "
            "keys say where they are, counted from the rest pose.",
        ),
    ] = "add"  # fmt: skip
    reach: Annotated[
        int,
        Meta(
            title="Reach", ge=1, le=1000, extra={"unit": "frames"},
            description="How far before and after a new key its neutral keys are set.",
        ),
    ] = 12  # fmt: skip
    whole_clip: Annotated[
        bool, Meta(title="Whole clip", description="New keys change the whole clip: no neutral keys are set.")
    ] = False
    cycle: Annotated[
        int,
        Meta(
            title="Repeat every", ge=0, le=1_000_000, extra={"unit": "frames", "zero": "never"},
            description="The layer begins again after this many frames from its first key, whatever the clip's length; its "
            "end leads back to its beginning. 0: it does not repeat.",
        ),
    ] = 0  # fmt: skip
    tracks: Annotated[tuple[Track, ...], Meta(title="Keys", description="Per joint, its keys.")] = ()

    def __post_init__(self) -> None:
        joints = [t.joint for t in self.tracks]
        if len(set(joints)) < len(joints):
            raise ValueError(f"two tracks for {next(j for j in joints if joints.count(j) > 1)}")

    def track(self, joint: str) -> Track:
        """The track of a joint; an empty one where it has none."""
        return next((t for t in self.tracks if t.joint == joint), Track(joint))


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
    return clip.with_motion(rotations, translations)


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


_ORDER = {"body": 0, "joint": 1, "chain": 2, "limb": 2, "aim": 2}
NECK = 0.35  # what the neck does of a turn of the head


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


def track_at(track: Track, frames: ArrayLike) -> tuple[Array, Array, Array]:
    """Rotation vectors in degrees and moves in metres ``(n, 3)``, swings in degrees ``(n,)`` of a track's curve at frames."""
    out = sampled(track.keys, frames)
    return out[:, :3], out[:, 3:6], out[:, 6]


def sampled(keys: tuple[Key, ...], frames: ArrayLike) -> Array:
    """Turn in degrees, move in metres and swing in degrees ``(n, 7)`` of the curve through keys."""
    values = np.array([(*k.rotate, *k.move, k.swing) for k in keys], dtype=np.float64)
    arrive, leave = (
        np.array([a or _AS_THE_CURVE for a in way]) if any(way) else None
        for way in ([k.arrive for k in keys], [k.leave for k in keys])
    )
    return curves.sample([k.frame for k in keys], values, [k.then for k in keys], frames, arrive, leave)


_AS_THE_CURVE = (np.nan,) * 7


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


def usual_drive(rig: Rig, joint: str) -> tuple[Drives, tuple[Ends, ...]]:
    """What moving a joint by hand most often means: a hand or foot takes its limb along, the end of a tail or long
    neck its chain, the head its aim, the pelvis the body over feet that stay, everything else moves alone."""
    part = rig.part_of(joint)
    if rig.limb(part) is not None:
        return "limb", ()
    if rig.chain_to(joint):
        return "chain", ()
    return ("body", ("feet",)) if part == "pelvis" else ("aim", ()) if part == "head" else ("joint", ())


def usual_track(settings: CorrectionSettings, rig: Rig, joint: str) -> Track:
    """The joint's track, or an empty one as it would be begun by hand: limbs and body in the world's axes."""
    track = settings.track(joint)
    if track.keys or settings.how == "replace":
        return track
    drives, stay = usual_drive(rig, joint)
    return Track(joint, (), "own" if drives == "joint" else "world", drives, stay)


def pose_key(clip: Clip, joint: str, frame: int, at: int) -> Key:
    """A key at frame ``at`` by which a layer that replaces keeps a joint as the clip has it at ``frame``."""
    skeleton = clip.skeleton
    j = skeleton.index[joint]
    back = quat.conjugate(skeleton.rest_rotations[j])
    turn = np.degrees(quat.to_rotvec(quat.multiply(back, clip.rotations[frame, j])))
    move = quat.rotate(back, clip.translations[frame, j] - skeleton.rest_translations[j])
    # Rounded as files are, so that a saved layer holds what it held.
    return Key(at, vector(np.asarray(turn).round(9)), vector(move.round(9)))


def missing(settings: CorrectionSettings, rig: Rig) -> list[str]:
    """Joints that have keys and that the rig lacks."""
    return [t.joint for t in settings.tracks if t.keys and t.joint not in rig.skeleton.index]


# Edits: each gives the next settings ----------------------------------------------------------------------


def with_track(settings: CorrectionSettings, track: Track) -> CorrectionSettings:
    """The settings with one joint's track replaced; an empty track is taken out."""
    others = [t for t in settings.tracks if t.joint != track.joint]
    keep = [*others, track] if track.keys else others
    order = {t.joint: i for i, t in enumerate(settings.tracks)}
    keep.sort(key=lambda t: order.get(t.joint, len(order)))
    return replace(settings, tracks=tuple(keep))


def with_keys(track: Track, *new: Key) -> Track:
    """The track with keys added; a key on an occupied frame takes its place."""
    by_frame = {k.frame: k for k in track.keys} | {k.frame: k for k in new}
    return replace(track, keys=tuple(by_frame[f] for f in sorted(by_frame)))


def set_key(
    settings: CorrectionSettings, joint: str, frame: int, last_frame: int,
    rotate: Vector | None = None, move: Vector | None = None, space: Space = "own", swing: float | None = None,
    drives: Drives = "joint", stay: tuple[Ends, ...] = (),
) -> CorrectionSettings:  # fmt: skip
    """Key a change of a joint at a frame, with neutral keys at the reach on both sides where nothing is keyed yet.

    What is not given keeps the value that the curve has there. A neutral key is left out where another key of
    the joint lies within the reach (the curve already leads there) or where the clip ends first: then the
    change holds to that end. ``space``, ``drives`` and ``stay`` are taken for a joint's first key only: a track has one
    of each. A layer that replaces has no neutral keys: its joints stay where the last key has put them.
    """
    track = settings.track(joint)
    if not track.keys and settings.how == "add":
        track = replace(track, space=space, drives=drives, stay=stay)
    now = _still(track, frame) if track.keys else Key(frame)
    given = {"rotate": rotate, "move": move, "swing": swing}
    new = [replace(now, **{k: v for k, v in given.items() if v is not None})]
    if not settings.whole_clip and settings.how == "add":
        before, after = frame - settings.reach, frame + settings.reach
        if before >= 0 and not any(before <= k.frame < frame for k in track.keys):
            new.append(Key(before) if not _changed_at(track, before) else _still(track, before))
        if after <= last_frame and not any(frame < k.frame <= after for k in track.keys):
            new.append(Key(after) if not _changed_at(track, after) else _still(track, after))
    return with_track(settings, with_keys(track, *new))


def _changed_at(track: Track, frame: int) -> bool:
    return bool(track.keys) and any(np.any(v) for v in track_at(track, np.array([frame])))


def _still(track: Track, frame: int) -> Key:
    """A key that says what the curve already says at a frame."""
    r, m, s = track_at(track, np.array([frame]))
    return Key(frame, vector(r[0]), vector(m[0]), float(s[0]), _then(track, frame))


def _then(track: Track, frame: int) -> Interpolation:
    """How the curve goes on at a frame: as the key before it says."""
    return next((k.then for k in reversed(track.keys) if k.frame <= frame), "smooth")


def move_keys(settings: CorrectionSettings, keys: set[tuple[str, int]], by: int, last_frame: int) -> CorrectionSettings:
    """Keys (joint, frame) moved by whole frames, no further than the clip's ends; one that lands on another takes its place."""
    if not keys:
        return settings
    frames = [f for _, f in keys]
    by = max(-min(frames), min(by, last_frame - max(frames)))
    for track in settings.tracks:
        moved = [k for k in track.keys if (track.joint, k.frame) in keys]
        stay = [k for k in track.keys if (track.joint, k.frame) not in keys]
        if moved:
            shifted = [replace(k, frame=k.frame + by) for k in moved]
            settings = with_track(settings, with_keys(replace(track, keys=tuple(stay)), *shifted))
    return settings


def change_keys(settings: CorrectionSettings, keys: set[tuple[str, int]], **changes: object) -> CorrectionSettings:
    """Keys (joint, frame) with fields replaced, such as ``then="hold"``; with no changes given they are deleted."""
    for track in settings.tracks:
        out = []
        for k in track.keys:
            if (track.joint, k.frame) not in keys:
                out.append(k)
            elif changes:
                out.append(replace(k, **changes))
        settings = with_track(settings, replace(track, keys=tuple(out)))
    return settings


CORRECTION = StepKind(
    "correction",
    "Correction",
    "Add keyed changes on top of the motion, or replace it: rotate or move joints at some frames, neutral around them.",
    CorrectionSettings,
    correct,
)
