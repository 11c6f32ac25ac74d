"""Parts of a sequence brought into step: who walks or runs into a crossfade goes on in it with the same foot."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

import numpy as np

from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.gait import Gait, gait, in_step
from reflexa.motion.joining import Part
from reflexa.motion.resample import time_warped
from reflexa.rig import Rig
from reflexa.rig.foot_rest import leg_length
from reflexa.steps.helper_joints import kept_on_rules
from reflexa.steps.root_motion.track import travel_of

# Times that differ by less than this, frames, are one.
_SAME = 1e-6


def stepping(parts: Iterable[Part], rig: Rig, free: frozenset[int] = frozenset()) -> list[Part]:
    """Parts whose crossfades are in step where both walk or run, as long as they were; those with the numbers in ``free`` are not
    brought into step with the one before."""
    out = list(parts)
    feet = [rig.joint(f"{side} foot") for side in ("left", "right")]
    for i in range(1, len(out)):
        a, b = out[i - 1], out[i]
        n = min(b.crossfade, a.clip.frames - 1, b.clip.frames - 1)
        if n < 2 or i in free or min(feet) < 0:
            continue
        before, after = _gait(a.clip, rig, a.clip.frames - (n + 1) / 2), _gait(b.clip, rig, (n - 1) / 2)
        if before is None or after is None or not (before.whole or after.whole):
            continue
        if before.forward != after.forward:  # there and back: one comes as the other goes
            continue
        before, after = before.completed(after), after.completed(before)
        times = in_step((before, a.clip.frames), (after, b.clip.frames), n)
        out[i - 1], out[i] = (replace(p, clip=_warped(p.clip, rig, t)) for p, t in zip((a, b), times, strict=True))
    return out


def _gait(clip: Clip, rig: Rig, about: float) -> Gait | None:
    track, placed = travel_of(clip, rig), clip.model[1]
    ahead = np.stack([np.sin(track.heading), np.zeros(clip.frames), np.cos(track.heading)], axis=1)
    left, right = (placed[:, rig.joint(f"{side} foot")] for side in ("left", "right"))
    return gait(left, right, ahead, clip.rate, leg_length(rig), about)


def _warped(clip: Clip, rig: Rig, times: Array) -> Clip:
    """The clip by a map of time, helper joints on their rules; as it is where that changes nothing."""
    if np.abs(times - np.arange(clip.frames)).max() < _SAME:
        return clip
    return kept_on_rules([clip], time_warped(clip, times), rig)
