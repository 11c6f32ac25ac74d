"""Work on the keys of a correction: timing, copies, the other side, fewer keys, layers into one. Each gives the next value."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from reflexa.motion import quat
from reflexa.motion.clip import Clip
from reflexa.motion.quat import Array
from reflexa.rig import Rig
from reflexa.steps.correction import CorrectionSettings, Key, Track, Vector, track_at, with_keys, with_track

Chosen = set[tuple[str, int]]


def all_keys(settings: CorrectionSettings) -> Chosen:
    """Every key of a correction as (joint, frame)."""
    return {(t.joint, k.frame) for t in settings.tracks for k in t.keys}


def _moved(settings: CorrectionSettings, frames: Mapping[tuple[str, int], int]) -> CorrectionSettings:
    """Keys on other frames; where two come to lie on one frame the later one stays."""
    for track in settings.tracks:
        going = {k.frame: frames[track.joint, k.frame] for k in track.keys if (track.joint, k.frame) in frames}
        if going:
            stay = tuple(k for k in track.keys if k.frame not in going)
            moved = [replace(k, frame=going[k.frame]) for k in track.keys if k.frame in going]
            settings = with_track(settings, with_keys(replace(track, keys=stay), *moved))
    return settings


def scale_keys(settings: CorrectionSettings, keys: Chosen, about: int, factor: float, last: int) -> CorrectionSettings:
    """Keys drawn nearer to a frame or further from it, on whole frames inside the clip."""
    to = {(j, f): min(max(about + round((f - about) * factor), 0), last) for j, f in keys}
    return _moved(settings, to)


def stretch_keys(settings: CorrectionSettings, keys: Chosen, frames: int, last: int) -> CorrectionSettings:
    """Keys spread so that from the first to the last there are ``frames`` frames; what rounding leaves over is spread
    evenly (six frames apart from 30 to 25 they are five apart)."""
    if not keys:
        return settings
    at = sorted(f for _, f in keys)
    first, span = at[0], at[-1] - at[0]
    if span == 0 or frames < 1:
        return settings
    to = {(j, f): min(first + round((f - first) * frames / span), last) for j, f in keys}
    return _moved(settings, to)


# Copies -----------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Copied:
    """Keys taken along, with their tracks' ways; frames as they were, ``first`` the earliest."""

    tracks: tuple[Track, ...]

    @property
    def first(self) -> int:
        return min((k.frame for t in self.tracks for k in t.keys), default=0)


def copy_keys(settings: CorrectionSettings, keys: Chosen) -> Copied:
    """The chosen keys, to be pasted into this or another correction."""
    tracks = []
    for track in settings.tracks:
        taken = tuple(k for k in track.keys if (track.joint, k.frame) in keys)
        if taken:
            tracks.append(replace(track, keys=taken))
    return Copied(tuple(tracks))


def paste_keys(
    settings: CorrectionSettings, copied: Copied, rig: Rig, last: int, at: int | None = None, mirrored: bool = False,
    names: Mapping[str, str] | None = None,
) -> tuple[CorrectionSettings, tuple[str, ...]]:  # fmt: skip
    """The correction with copied keys, and the joints that the rig lacks.

    at: frame on which the earliest comes to lie; None leaves them on their own. mirrored: onto the partners, changes
    reflected. names: joint of the other rig → joint of this one, where they differ. Frames outside the clip are left
    out; a joint that has keys already keeps its space, and takes the values as they are.
    """
    by = 0 if at is None else at - copied.first
    gone = []
    for track in copied.tracks:
        name = (names or {}).get(track.joint, track.joint)
        if name not in rig.skeleton.index:
            gone.append(track.joint)
            continue
        own = mirrored_track(replace(track, joint=name), rig) if mirrored else replace(track, joint=name)
        new = [replace(k, frame=k.frame + by) for k in own.keys if 0 <= k.frame + by <= last]
        base = settings.track(own.joint)
        if not base.keys:
            base = replace(own, keys=())
        if new:
            settings = with_track(settings, with_keys(base, *new))
    return settings, tuple(gone)


def mirrored_track(track: Track, rig: Rig) -> Track:
    """The track for the partner: turns and moves reflected across the figure's plane, swings turned round.

    In own and parent's axes the rest poses of both sides say how the axes correspond, so any axes will do.
    """
    j = rig.skeleton.index[track.joint]
    k = int(rig.partner[j])
    rest, parents = rig.neutral.rest_model[0], rig.skeleton.parents

    def axes(joint: int) -> Array:
        if track.space == "world":
            return quat.IDENTITY
        at = joint if track.space == "own" else int(parents[joint])
        return rest[at] if at >= 0 else quat.IDENTITY

    normal, here, there = rig.plane.normal, axes(j), quat.conjugate(axes(k))

    def reflected(v: Vector, turns: bool) -> Vector:
        if not any(v):
            return v
        model = quat.rotate(here, np.array(v))
        across = 2 * (model @ normal) * normal
        x = quat.rotate(there, across - model if turns else model - across)
        return float(x[0]), float(x[1]), float(x[2])

    keys = tuple(
        replace(q, rotate=reflected(q.rotate, True), move=reflected(q.move, False), swing=-q.swing if q.swing else 0.0)
        for q in track.keys
    )
    return replace(track, joint=rig.skeleton.names[k], keys=keys)


def repeat_at(settings: CorrectionSettings, keys: Chosen, frames: Iterable[int], last: int) -> CorrectionSettings:
    """The same keys again at each of some frames: the earliest chosen key comes to lie there."""
    copied = copy_keys(settings, keys)
    for frame in frames:
        for track in copied.tracks:
            new = [
                replace(k, frame=k.frame + frame - copied.first)
                for k in track.keys if 0 <= k.frame + frame - copied.first <= last
            ]  # fmt: skip
            settings = with_track(settings, with_keys(settings.track(track.joint), *new))
    return settings


def hold_until(
    settings: CorrectionSettings, joints: Iterable[str], frame: int, until: int, last: int
) -> CorrectionSettings:
    """What the correction is at one frame stays so until another; then it goes back to none within its reach, unless keys
    that come later lead on."""
    for joint in joints:
        track = settings.track(joint)
        if not track.keys or until <= frame:
            continue
        r, m, s = track_at(track, np.array([frame]))
        value = Key(frame, _plain(r[0]), _plain(m[0]), float(s[0]))
        later = [k for k in track.keys if k.frame > until]
        kept = [k for k in track.keys if k.frame < frame or k.frame > until]
        new = [value, replace(value, frame=until)]
        if until + settings.reach <= last and not any(k.frame <= until + settings.reach for k in later):
            new.append(Key(until + settings.reach))
        settings = with_track(settings, with_keys(replace(track, keys=tuple(kept)), *new))
    return settings


def begin_after(settings: CorrectionSettings, joints: Iterable[str], frame: int) -> CorrectionSettings:
    """Nothing is corrected up to a frame: a neutral key there, none before it. Joints without keys behind it stay."""
    for joint in joints:
        track = settings.track(joint)
        if any(k.frame > frame for k in track.keys):
            kept = tuple(k for k in track.keys if k.frame > frame)
            settings = with_track(settings, with_keys(replace(track, keys=kept), Key(frame)))
    return settings


def _plain(v: Array) -> Vector:
    return float(v[0]), float(v[1]), float(v[2])


def split_off(settings: CorrectionSettings, joints: set[str]) -> tuple[CorrectionSettings, CorrectionSettings]:
    """The correction without some joints' tracks, and one of those alone: together they do what it did."""
    stay = tuple(t for t in settings.tracks if t.joint not in joints)
    return replace(settings, tracks=stay), replace(
        settings, tracks=tuple(t for t in settings.tracks if t.joint in joints)
    )


# Fewer keys ---------------------------------------------------------------------------------------------------


def thin_keys(settings: CorrectionSettings, degrees: float, mm: float) -> CorrectionSettings:
    """As few of each track's keys as keep its curve within tolerances at every whole frame; ends always stay."""
    for track in settings.tracks:
        if len(track.keys) > 2:
            frames = np.arange(track.keys[0].frame, track.keys[-1].frame + 1)
            settings = with_track(settings, replace(track, keys=_fewest(track, list(track.keys), frames, degrees, mm)))
    return settings


def _off(track: Track, keys: list[Key], frames: NDArray[np.intp], wanted: Array, degrees: float, mm: float) -> Array:
    """By how many tolerances a curve through ``keys`` misses what is wanted ``(n, 7)`` at frames ``(n,)``."""
    r, m, s = track_at(replace(track, keys=tuple(keys)), frames)
    turn = np.linalg.norm(r - wanted[:, :3], axis=-1) + np.abs(s - wanted[:, 6])
    away = np.linalg.norm(m - wanted[:, 3:6], axis=-1) * 1000
    return np.asarray(np.maximum(turn / max(degrees, 1e-9), away / max(mm, 1e-9)))


def _fewest(track: Track, keys: list[Key], frames: NDArray[np.intp], degrees: float, mm: float) -> tuple[Key, ...]:
    """Keys added where the curve is furthest off, beginning with the ends, until it is within tolerances everywhere."""
    r, m, s = track_at(replace(track, keys=tuple(keys)), frames)
    wanted = np.concatenate([r, m, s[:, None]], axis=1)
    by_frame = {k.frame: k for k in keys}
    kept = [keys[0], keys[-1]]
    while len(kept) < len(keys):
        off = _off(track, kept, frames, wanted, degrees, mm)
        if off.max() <= 1:
            break
        # The nearest key that is not kept yet to the worst frame.
        worst = int(frames[int(np.argmax(off))])
        left = [f for f in by_frame if all(k.frame != f for k in kept)]
        nearest = min(left, key=lambda f: abs(f - worst))
        kept = sorted([*kept, by_frame[nearest]], key=lambda k: k.frame)
    return tuple(kept)


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

    at: frames that have keys already; more are set where the curve would be further off than the tolerances.
    every_frame: a key on each frame instead.
    """
    names = below.skeleton.names
    turn = quat.to_rotvec(quat.multiply(quat.conjugate(below.rotations), above.rotations))
    move = above.translations - below.translations
    # Moves are kept in the joint's own axes, as the keys are read.
    own = quat.rotate(quat.conjugate(below.rotations), move)
    frames = np.arange(below.frames)
    tracks, worst_turn, worst_move = [], 0.0, 0.0
    for j, name in enumerate(names):
        r, m = np.degrees(_unwound(turn[:, j])), own[:, j]
        m = np.where(np.abs(m) < 1e-12, 0.0, m)
        r = np.where(np.abs(r) < 1e-9, 0.0, r)
        if not r.any() and not m.any():
            continue
        wanted = np.concatenate([r, m, np.zeros((len(r), 1))], axis=1)

        def key(f: int, wanted: Array = wanted) -> Key:
            v = [round(float(x), 9) for x in wanted[f]]
            return Key(f, (v[0], v[1], v[2]), (v[3], v[4], v[5]))

        track = Track(name)
        chosen = (
            set(range(below.frames))
            if every_frame
            else {0, below.frames - 1, *(f for f in at if 0 <= f < below.frames)}
        )
        keys = [key(f) for f in sorted(chosen)]
        off = _off(track, keys, frames, wanted, degrees, mm)
        while off.max() > 1 and len(keys) < below.frames:
            free = [f for f in np.argsort(-off).tolist() if all(k.frame != f for k in keys)]
            keys = sorted([*keys, key(free[0])], key=lambda k: k.frame)
            off = _off(track, keys, frames, wanted, degrees, mm)
        if not every_frame:
            keys = list(_needed(track, keys, frames, wanted, degrees, mm))
        tracks.append(replace(track, keys=tuple(keys)))
        rr, mm_, _ = track_at(tracks[-1], frames)
        worst_turn = max(worst_turn, float(np.linalg.norm(rr - r, axis=-1).max()))
        worst_move = max(worst_move, float(np.linalg.norm(mm_ - m, axis=-1).max()) * 1000)
    settings = CorrectionSettings(tracks=tuple(tracks))
    return Merged(settings, sum(len(t.keys) for t in tracks), worst_turn, worst_move)


def _needed(
    track: Track, keys: list[Key], frames: NDArray[np.intp], wanted: Array, degrees: float, mm: float
) -> list[Key]:
    """Without the keys that the others make up for, the least needed first; ends stay."""
    while len(keys) > 2:
        costs = [
            (float(_off(track, [*keys[:i], *keys[i + 1 :]], frames, wanted, degrees, mm).max()), i)
            for i in range(1, len(keys) - 1)
        ]
        least, i = min(costs)
        if least > 1:
            break
        keys = [*keys[:i], *keys[i + 1 :]]
    # A track that says nothing at its ends needs no keys there but neutral ones, which these are.
    return keys


def _unwound(v: Array) -> Array:
    """Rotation vectors ``(frames, 3)`` without jumps by a whole turn."""
    out = np.array(v)
    for f in range(1, len(out)):
        length = np.linalg.norm(out[f])
        if length > 1e-9:
            other = out[f] * (1 - 2 * np.pi / length)
            if np.linalg.norm(other - out[f - 1]) < np.linalg.norm(out[f] - out[f - 1]):
                out[f] = other
    return out
