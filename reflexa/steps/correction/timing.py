"""When keys are, and how they lead on: scaled, stretched, repeated, held, eased."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from itertools import pairwise

import numpy as np
from msgspec.structs import replace

from reflexa.motion.arrays import Array, vector
from reflexa.steps.correction.copies import copy_keys
from reflexa.steps.correction.edits import Chosen, with_keys, with_track
from reflexa.steps.correction.sampling import track_at
from reflexa.steps.correction.settings import CorrectionSettings, Key, Slopes


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


def shifted(settings: CorrectionSettings, by: int) -> CorrectionSettings:
    """All keys so many frames later. Where they would come before the clip, a key on its first frame says what the curve is
    there."""
    tracks = []
    for track in settings.tracks:
        keys = tuple(replace(k, frame=k.frame + by) for k in track.keys if k.frame + by >= 0)
        if len(keys) < len(track.keys) and (not keys or keys[0].frame > 0):
            r, m, s = (v[0] for v in track_at(track, np.array([-by])))
            before = [k for k in track.keys if k.frame + by < 0][-1]
            keys = (Key(0, vector(r), vector(m), float(s), "smooth" if before.then == "eased" else before.then), *keys)
        tracks.append(replace(track, keys=keys))
    return replace(settings, tracks=tuple(tracks))


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
        if until + settings.falloff <= last and not any(k.frame <= until + settings.falloff for k in later):
            new.append(Key(until + settings.falloff))
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
    "Anticipate": (-1.5, 0.0),
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
