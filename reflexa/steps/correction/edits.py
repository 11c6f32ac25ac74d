"""Edits of a layer: each gives the next settings."""

from __future__ import annotations

from collections.abc import Set
from itertools import takewhile
from typing import TypedDict, Unpack

import numpy as np
from msgspec.structs import replace

from reflexa.motion import curves, quat
from reflexa.motion.arrays import Vector, vector
from reflexa.motion.clip import Clip
from reflexa.motion.curves import Interpolation
from reflexa.rig import Rig
from reflexa.steps.correction.sampling import track_at
from reflexa.steps.correction.settings import CorrectionSettings, Drives, Ends, Key, Space, Track

Chosen = Set[tuple[str, int]]


def all_keys(settings: CorrectionSettings) -> Chosen:
    """Every key of a correction as (joint, frame)."""
    return {(t.joint, k.frame) for t in settings.tracks for k in t.keys}


def frames_from(settings: CorrectionSettings, first: int) -> list[int]:
    """The frames with keys from one on, rising. Keys rise in a track: only those are looked at."""
    found = {k.frame for t in settings.tracks for k in takewhile(lambda k: k.frame >= first, reversed(t.keys))}
    return sorted(found)


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


def with_track(settings: CorrectionSettings, track: Track) -> CorrectionSettings:
    """The settings with one joint's track replaced; an empty track is taken out."""
    others = [t for t in settings.tracks if t.joint != track.joint]
    keep = [*others, track] if track.keys else others
    order = {t.joint: i for i, t in enumerate(settings.tracks)}
    keep.sort(key=lambda t: order.get(t.joint, len(order)))
    return replace(settings, tracks=tuple(keep))


def with_keys(track: Track, *new: Key) -> Track:
    """The track with keys added; a key on an occupied frame takes its place."""
    return replace(track, keys=curves.put_in(track.keys, *new))


class KeyChange(TypedDict, total=False):
    """What a key says (degrees, metres, degrees), and in what way its track says it."""

    rotate: Vector
    move: Vector
    swing: float
    space: Space
    drives: Drives
    stay: tuple[Ends, ...]


def set_key(
    settings: CorrectionSettings, joint: str, frame: int, last_frame: int, **change: Unpack[KeyChange]
) -> CorrectionSettings:
    """Key a change of a joint at a frame, with neutral keys at the reach on both sides where nothing is keyed yet.

    What is not given keeps the value that the curve has there. A neutral key is left out where another key of
    the joint lies within the reach (the curve already leads there) or where the clip ends first: then the
    change holds to that end. ``space``, ``drives`` and ``stay`` are taken for a joint's first key only: a track has one
    of each. A layer that replaces has no neutral keys: its joints stay where the last key has put them.
    """
    track = settings.track(joint)
    if not track.keys and settings.how == "add":
        way = {k: v for k, v in change.items() if k in ("space", "drives", "stay")}
        track = replace(track, **{"space": "own", "drives": "joint", "stay": (), **way})
    now = _still(track, frame) if track.keys else Key(frame)
    new = [replace(now, **{k: v for k, v in change.items() if k in ("rotate", "move", "swing")})]
    if not settings.whole_clip and settings.how == "add":
        before, after = frame - settings.falloff, frame + settings.falloff
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


def move_keys(settings: CorrectionSettings, keys: Chosen, by: int, last_frame: int) -> CorrectionSettings:
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


def change_keys(settings: CorrectionSettings, keys: Chosen, **changes: object) -> CorrectionSettings:
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
