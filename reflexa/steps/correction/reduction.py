"""As few keys as keep a curve."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from reflexa.motion import curves
from reflexa.motion.arrays import Array
from reflexa.steps.correction.edits import with_track
from reflexa.steps.correction.sampling import sampled, track_at
from reflexa.steps.correction.settings import CorrectionSettings, Key, Track

KeyOn = Mapping[int, Key]
# A key is set on the frame of an old one where that lies this near to where one is needed: it reads better there.
NEAR = 3


def reduce_keys(settings: CorrectionSettings, degrees: float, mm: float) -> CorrectionSettings:
    """As few of each track's keys as keep its curve within tolerances at every whole frame; ends always stay."""
    for track in settings.tracks:
        if len(track.keys) > 2:
            first = track.keys[0].frame
            wanted = np.concatenate(_values(track, np.arange(first, track.keys[-1].frame + 1)), axis=1)
            frames = np.array([k.frame - first for k in track.keys])
            given = {k.frame - first: replace(k, frame=k.frame - first) for k in track.keys}
            kept = set((fewest(wanted, frames, degrees, mm, given) + first).tolist())
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


def fewest(
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
