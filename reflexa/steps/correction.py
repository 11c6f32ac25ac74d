"""Correction: an additive layer of keys. A key stores only the change, so what lies below still plays."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from msgspec import Meta, Struct
from msgspec.structs import replace
from numpy.typing import ArrayLike, NDArray

from reflexa.motion import curves, quat
from reflexa.motion.clip import Clip
from reflexa.motion.curves import Interpolation
from reflexa.motion.quat import Array
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import Rig
from reflexa.steps.model import Settings, StepKind

Space = Literal["own", "parent", "world"]
Vector = tuple[float, float, float]
ZERO: Vector = (0.0, 0.0, 0.0)


class Key(Struct, frozen=True, forbid_unknown_fields=True):
    """A change at a whole frame: rotation vector in degrees, move in metres; ``then`` leads to the next key."""

    frame: Annotated[int, Meta(ge=0, le=10_000_000)]
    rotate: Vector = ZERO
    move: Vector = ZERO
    then: Interpolation = "smooth"

    @property
    def neutral(self) -> bool:
        """Does it say "no change here"?"""
        return self.rotate == ZERO and self.move == ZERO


class Track(Struct, frozen=True, forbid_unknown_fields=True):
    """The keys of one joint, in rising order of frames, and the space that they are meant in."""

    joint: str
    keys: tuple[Key, ...] = ()
    space: Space = "own"


class CorrectionSettings(Settings, frozen=True):
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
    tracks: Annotated[tuple[Track, ...], Meta(title="Keys", description="Per joint, its keys.")] = ()

    def track(self, joint: str) -> Track:
        """The track of a joint; an empty one where it has none."""
        return next((t for t in self.tracks if t.joint == joint), Track(joint))


def correct(clip: Clip, rig: Rig, settings: CorrectionSettings, first: int = 0) -> Clip:
    """Add the keyed changes. Frames and joints without a change stay bit for bit as they were.

    Joints are taken parents first; changes in world space are meant in the world as it is then. A track for a
    joint that the rig lacks is passed over (``missing`` names it).
    """
    skeleton = clip.skeleton
    rotations, translations = np.array(clip.rotations), np.array(clip.translations)
    at = np.arange(first, first + clip.frames)
    known = [t for t in settings.tracks if t.joint in skeleton.index and t.keys]
    for track in sorted(known, key=lambda t: skeleton.index[t.joint]):
        joint = skeleton.index[track.joint]
        rotate, move = track_at(track, at)
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


def track_at(track: Track, frames: ArrayLike) -> tuple[Array, Array]:
    """Rotation vectors in degrees and moves in metres ``(n, 3)`` of a track's curve at frames."""
    times = [k.frame for k in track.keys]
    values = np.array([k.rotate + k.move for k in track.keys], dtype=np.float64)
    out = curves.sample(times, values, [k.then for k in track.keys], frames)
    return out[:, :3], out[:, 3:]


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
    rotate: Vector | None = None, move: Vector | None = None, space: Space = "own",
) -> CorrectionSettings:  # fmt: skip
    """Key a change of a joint at a frame, with neutral keys at the reach on both sides where nothing is keyed yet.

    What is not given keeps the value that the curve has there. A neutral key is left out where another key of
    the joint lies within the reach (the curve already leads there) or where the clip ends first: then the
    change holds to that end. ``space`` is taken for a joint's first key only: a track has one.
    """
    track = settings.track(joint)
    if not track.keys:
        track = replace(track, space=space)
        r0, m0 = ZERO, ZERO
    else:
        r, m = track_at(track, np.array([frame]))
        r0, m0 = _vector(r[0]), _vector(m[0])
    then = _then(track, frame)
    new = [Key(frame, r0 if rotate is None else rotate, m0 if move is None else move, then)]
    if not settings.whole_clip:
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
    r, m = track_at(track, np.array([frame]))
    return Key(frame, _vector(r[0]), _vector(m[0]), _then(track, frame))


def _then(track: Track, frame: int) -> Interpolation:
    """How the curve goes on at a frame: as the key before it says."""
    return next((k.then for k in reversed(track.keys) if k.frame <= frame), "smooth")


def _vector(v: Array) -> Vector:
    return float(v[0]), float(v[1]), float(v[2])


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
    "Add keyed changes on top of the motion: rotate or move joints at some frames, with neutral keys around them.",
    CorrectionSettings,
    correct,
)
