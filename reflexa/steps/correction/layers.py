"""Layers out of layers: split, extracted, merged, turned from adding into replacing and back."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

import numpy as np
from msgspec.structs import replace

from reflexa.motion import quat
from reflexa.motion.arrays import Array, vector
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.steps.correction.edits import all_keys, pose_key
from reflexa.steps.correction.reduction import fewest
from reflexa.steps.correction.sampling import track_at
from reflexa.steps.correction.settings import CorrectionSettings, Key, Track
from reflexa.steps.correction.step import correct


def turned_into(
    settings: CorrectionSettings, how: Literal["add", "replace"], below: Clip, rig: Rig
) -> CorrectionSettings:
    """The layer as one that adds, or replaces: on the frames of its keys the pose stays what it is over the clip below.

    Where it moved limbs or the body, every joint that those moved gets keys.
    """
    if how == settings.how:
        return settings
    above = correct(below, rig, settings)
    keyed = sorted({f for _, f in all_keys(settings) if f < below.frames})
    names = below.skeleton.names
    turned = (below.rotations != above.rotations).any(axis=(0, 2)) | (below.translations != above.translations).any(
        axis=(0, 2)
    )
    limbs = any(t.drives != "joint" for t in settings.tracks)
    tracks = {t.joint: t for t in settings.tracks}
    out = []
    for j in np.flatnonzero(turned | np.array([n in tracks for n in names])).tolist():
        own = tracks.get(names[j])
        frames = (
            keyed
            if own is None or (limbs and how == "replace")
            else [k.frame for k in own.keys if k.frame < below.frames]
        )
        then = {k.frame: k.then for k in own.keys} if own is not None else {}
        keys = [
            pose_key(above, names[j], f, f) if how == "replace" else _change_key(below, above, j, f) for f in frames
        ]
        out.append(Track(names[j], tuple(replace(k, then=then.get(k.frame, "smooth")) for k in keys)))
    return replace(settings, how=how, tracks=tuple(out))


def _change_key(below: Clip, above: Clip, j: int, frame: int) -> Key:
    """A key that leads from one clip to another at a frame, in the joint's own axes."""
    back = quat.conjugate(below.rotations[frame, j])
    turn = np.degrees(quat.to_rotvec(quat.multiply(back, above.rotations[frame, j])))
    move = quat.rotate(back, above.translations[frame, j] - below.translations[frame, j])
    return Key(frame, vector(turn.round(9)), vector(move.round(9)))


def split_off(settings: CorrectionSettings, joints: set[str]) -> tuple[CorrectionSettings, CorrectionSettings]:
    """The correction without some joints' tracks, and one of those alone: together they do what it did."""
    stay = tuple(t for t in settings.tracks if t.joint not in joints)
    return replace(settings, tracks=stay), replace(
        settings, tracks=tuple(t for t in settings.tracks if t.joint in joints)
    )


def extracted(clip: Clip, rig: Rig, joints: Iterable[str]) -> tuple[CorrectionSettings, CorrectionSettings]:
    """The motion of joints taken out of a clip: a layer that holds them as they are at its first frame, and one that adds
    what they did, with a key on every frame. One after the other they give the clip again, within 1e-9."""
    still = tuple(Track(joint, (pose_key(clip, joint, 0, 0),)) for joint in joints)
    hold = CorrectionSettings(how="replace", tracks=still)
    held = correct(clip, rig, hold)
    return hold, merged(held, clip, (), every_frame=True).settings


@dataclass(frozen=True)
class Merged:
    """settings: one correction that does what several did. keys: how many it has. degrees, mm: its largest error."""

    settings: CorrectionSettings
    keys: int
    degrees: float
    mm: float


def merged(
    below: Clip, above: Clip, at: Iterable[int], degrees: float = 0.5, mm: float = 1.0, every_frame: bool = False
) -> Merged:
    """One correction that leads from a clip to another of the same rig and length, whatever led there before.

    at: frames that have keys already, where new ones are set by preference; there are as few as keep the curves within
    the tolerances at every frame. every_frame: a key on each frame instead.
    """
    turn = np.degrees(_unwound(quat.to_rotvec(quat.multiply(quat.conjugate(below.rotations), above.rotations))))
    # Moves are kept in the joint's own axes, as the keys are read.
    move = quat.rotate(quat.conjugate(below.rotations), above.translations - below.translations)
    changes = np.concatenate([turn, move, np.zeros_like(turn[..., :1])], axis=-1)
    changes = np.round(changes, 9)  # a millionth of a mm: what is less is rounding of the clips, and says nothing
    frames = np.arange(below.frames)
    old = np.array(sorted({f for f in at if 0 <= f < below.frames}), dtype=np.intp)
    tracks, worst_turn, worst_move = [], 0.0, 0.0
    for j in np.flatnonzero(np.any(changes != 0, axis=(0, 2))).tolist():
        wanted = changes[:, j]
        kept = frames if every_frame else fewest(wanted, old, degrees, mm)
        keys = tuple(Key(f, vector(wanted[f, :3]), vector(wanted[f, 3:6])) for f in kept.tolist())
        tracks.append(Track(below.skeleton.names[j], keys))
        r, m, _ = track_at(tracks[-1], frames)
        worst_turn = max(worst_turn, float(np.linalg.norm(r - wanted[:, :3], axis=-1).max()))
        worst_move = max(worst_move, float(np.linalg.norm(m - wanted[:, 3:6], axis=-1).max()) * 1000)
    settings = CorrectionSettings(tracks=tuple(tracks))
    return Merged(settings, sum(len(t.keys) for t in tracks), worst_turn, worst_move)


def _unwound(v: Array) -> Array:
    """Rotation vectors ``(frames, joints, 3)`` without jumps by a whole turn."""
    out = np.array(v)
    for f in range(1, len(out)):
        length = np.linalg.norm(out[f], axis=-1, keepdims=True)
        with np.errstate(divide="ignore", invalid="ignore"):
            other = np.where(length > 1e-9, out[f] * (1 - 2 * np.pi / length), out[f])
        nearer = np.linalg.norm(other - out[f - 1], axis=-1) < np.linalg.norm(out[f] - out[f - 1], axis=-1)
        out[f] = np.where(nearer[:, None], other, out[f])
    return out
