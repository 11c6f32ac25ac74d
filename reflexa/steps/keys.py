"""Work on the keys of a correction: timing, copies, the other side, fewer keys, layers into one. Each gives the next value."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from reflexa.motion import curves, quat
from reflexa.motion.clip import Clip
from reflexa.motion.arrays import Array, Vector, vector
from reflexa.rig import Rig
from reflexa.steps.correction import (
    CorrectionSettings,
    Key,
    Slopes,
    Track,
    correct,
    pose_key,
    sampled,
    track_at,
    with_keys,
    with_track,
)

Chosen = set[tuple[str, int]]
KeyOn = Mapping[int, Key]


def all_keys(settings: CorrectionSettings) -> Chosen:
    """Every key of a correction as (joint, frame)."""
    return {(t.joint, k.frame) for t in settings.tracks for k in t.keys}


def _moved(settings: CorrectionSettings, frames: Mapping[tuple[str, int], int], factor: float) -> CorrectionSettings:
    """Keys on other frames, by and large ``factor`` times as far apart; where two come to lie on one frame the later one
    stays."""
    for track in settings.tracks:
        going = {k.frame: frames[track.joint, k.frame] for k in track.keys if (track.joint, k.frame) in frames}
        if going:
            stay = tuple(k for k in track.keys if k.frame not in going)
            moved = [
                replace(k, frame=going[k.frame], arrive=_slower(k.arrive, factor), leave=_slower(k.leave, factor))
                for k in track.keys if k.frame in going
            ]  # fmt: skip
            settings = with_track(settings, with_keys(replace(track, keys=stay), *moved))
    return settings


def _slower(slopes: Slopes | None, factor: float) -> Slopes | None:
    return None if slopes is None else _seven(np.array(slopes) / factor)


def _seven(v: Array) -> Slopes:
    a, b, c, d, e, f, g = (float(x) for x in v)
    return a, b, c, d, e, f, g


def scale_keys(settings: CorrectionSettings, keys: Chosen, about: int, factor: float, last: int) -> CorrectionSettings:
    """Keys drawn nearer to a frame or further from it, on whole frames inside the clip."""
    to = {(j, f): min(max(about + round((f - about) * factor), 0), last) for j, f in keys}
    return _moved(settings, to, factor)


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
    return _moved(settings, to, frames / span)


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

    def sloped(v: Slopes | None) -> Slopes | None:
        return None if v is None else (*reflected(v[:3], True), *reflected(v[3:6], False), -v[6] if v[6] else 0.0)

    keys = tuple(
        replace(
            q, rotate=reflected(q.rotate, True), move=reflected(q.move, False), swing=-q.swing if q.swing else 0.0,
            arrive=sloped(q.arrive), leave=sloped(q.leave),
        )
        for q in track.keys
    )  # fmt: skip
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
        value = Key(frame, vector(r[0]), vector(m[0]), float(s[0]))
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


# How a span begins and ends, as shares of its mean slope. Below 0 it goes the other way first, or overshoots.
EASES: dict[str, tuple[float, float]] = {
    "Slow start": (0.0, 2.0),
    "Slow end": (2.0, 0.0),
    "Slow start and end": (0.0, 0.0),
    "Even": (1.0, 1.0),
    "Wind up before": (-1.5, 0.0),
    "Overshoot and settle": (0.0, -1.5),
}


def ease(settings: CorrectionSettings, keys: Chosen, begin: float, end: float) -> CorrectionSettings:
    """The spans that begin with the chosen keys, eased: their slopes at both ends as shares of the span's mean slope."""
    for track in settings.tracks:
        eased = list(track.keys)
        for i, (a, b) in enumerate(pairwise(track.keys)):
            if (track.joint, a.frame) in keys:
                mean = (_values7(b) - _values7(a)) / (b.frame - a.frame)
                eased[i] = replace(eased[i], then="eased", leave=_seven(begin * mean))
                eased[i + 1] = replace(eased[i + 1], arrive=_seven(end * mean))
        settings = with_track(settings, replace(track, keys=tuple(eased)))
    return settings


def _values7(key: Key) -> Array:
    return np.array((*key.rotate, *key.move, key.swing))


def flatten(settings: CorrectionSettings, keys: Chosen) -> CorrectionSettings:
    """The chosen keys of each joint take the value of the earliest of them: nothing moves in between."""
    for track in settings.tracks:
        chosen = [k for k in track.keys if (track.joint, k.frame) in keys]
        if chosen:
            flat = replace(chosen[0], arrive=None, leave=None)
            level = [replace(flat, frame=k.frame, then="smooth" if k.then == "eased" else k.then) for k in chosen]
            settings = with_track(settings, with_keys(track, *level))
    return settings


def every_nth(settings: CorrectionSettings, keys: Chosen, n: int) -> Chosen:
    """Of the chosen keys, per joint the first and each ``n``-th after it."""
    out: Chosen = set()
    for track in settings.tracks:
        out |= {(track.joint, f) for f in [k.frame for k in track.keys if (track.joint, k.frame) in keys][::n]}
    return out


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


# Fewer keys ---------------------------------------------------------------------------------------------------

# A key is set on the frame of an old one where that lies this near to where one is needed: it reads better there.
NEAR = 3


def thin_keys(settings: CorrectionSettings, degrees: float, mm: float) -> CorrectionSettings:
    """As few of each track's keys as keep its curve within tolerances at every whole frame; ends always stay."""
    for track in settings.tracks:
        if len(track.keys) > 2:
            first = track.keys[0].frame
            wanted = np.concatenate(_values(track, np.arange(first, track.keys[-1].frame + 1)), axis=1)
            frames = np.array([k.frame - first for k in track.keys])
            given = {k.frame - first: replace(k, frame=k.frame - first) for k in track.keys}
            kept = set((_fewest(wanted, frames, degrees, mm, given) + first).tolist())
            settings = with_track(settings, replace(track, keys=tuple(k for k in track.keys if k.frame in kept)))
    return settings


def _values(track: Track, frames: NDArray[np.intp]) -> tuple[Array, Array, Array]:
    turn, move, swing = track_at(track, frames)
    return turn, move, swing[:, None]


def _off(
    wanted: Array, keys: NDArray[np.intp], frames: NDArray[np.intp], degrees: float, mm: float, given: KeyOn | None
) -> Array:
    """By how many tolerances the curve through ``wanted`` ``(n, 7)`` at ``keys`` misses it at ``frames``."""
    if given is None:
        miss = curves.sample(keys, wanted[keys], ["smooth"] * len(keys), frames) - wanted[frames]
    else:
        miss = sampled(tuple(given[k] for k in keys.tolist()), frames) - wanted[frames]
    turn = np.linalg.norm(miss[:, :3], axis=-1) + np.abs(miss[:, 6])
    away = np.linalg.norm(miss[:, 3:6], axis=-1) * 1000
    return np.asarray(np.maximum(turn / max(degrees, 1e-9), away / max(mm, 1e-9)))


def _fewest(
    wanted: Array, old: NDArray[np.intp], degrees: float, mm: float, given: KeyOn | None = None
) -> NDArray[np.intp]:
    """The frames of as few keys as hold a curve within tolerances of ``wanted`` ``(n, 7)`` at every frame.

    old: frames that have keys already, rising. given: those keys, and no others are taken.
    """
    frames = np.arange(len(wanted))
    kept = np.array([0, len(wanted) - 1]) if len(wanted) > 1 else np.array([0])
    # Every span that is off gets a key where it is furthest off, until none is.
    while True:
        off = _off(wanted, kept, frames, degrees, mm, given)
        new = []
        for a, b in zip(kept.tolist(), kept[1:].tolist(), strict=False):
            if b - a > 1 and off[a + 1 : b].max() > 1:
                worst = a + 1 + int(np.argmax(off[a + 1 : b]))
                near = old[np.searchsorted(old, a, "right") : np.searchsorted(old, b)]
                best = int(near[np.argmin(np.abs(near - worst))]) if len(near) else None
                if best is not None and (given is not None or abs(best - worst) <= NEAR):
                    new.append(best)
                elif given is None:
                    new.append(worst)
        if not new:
            break
        kept = np.sort(np.concatenate([kept, new]))
    # Those that later ones make up for go again. A smooth curve feels a key no further than two keys away.
    i = 1
    while i < len(kept) - 1:
        fewer = np.delete(kept, i)
        lo, hi = max(i - 3, 0), i + 3
        around = frames[kept[max(i - 2, 0)] : kept[min(i + 2, len(kept) - 1)] + 1]
        if _off(wanted, fewer[lo:hi], around, degrees, mm, given).max() <= 1:
            kept = fewer
        else:
            i += 1
    return kept


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
        kept = frames if every_frame else _fewest(wanted, old, degrees, mm)
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
