"""Hold: a pose kept for some frames, eased into and out of."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Any

import numpy as np
from msgspec import Meta
from msgspec.structs import replace as with_fields

from reflexa.errors import RecipeError
from reflexa.motion.arrays import Array
from reflexa.motion.resample import time_warped
from reflexa.steps.helper_joints import kept_on_rules
from reflexa.steps.model import Beginning, Context, Given, Outcome, Settings, StepKind


class HoldSettings(Settings, frozen=True):
    frame: Annotated[
        int, Meta(title="At frame", ge=0, description="The frame that is held.")
    ] = 0  # fmt: skip
    frames: Annotated[
        int, Meta(title="Held for", ge=0, le=100_000,
            description="How many frames the pose is held. The clip becomes longer by this.", extra={"unit": "frames"})
    ] = 12  # fmt: skip
    ease: Annotated[
        int,
        Meta(title="Ease", ge=0, le=1000,
            description="Frames over which the motion slows down before the hold and speeds up after it. They are "
            "part of the held frames.",
             extra={"unit": "frames"}),
    ] = 6  # fmt: skip


def times_of(frames: int, s: HoldSettings) -> Array:
    """Which frame (any number) stands at each frame of the result ``(frames + held,)``. Raises RecipeError."""
    if s.frame >= frames:
        raise RecipeError(f"there is no frame {s.frame}", place="frame", advice=f"The clip has 0 to {frames - 1}.")
    end, at, more = frames - 1, float(s.frame), s.frames
    new = np.arange(frames + more, dtype=np.float64)
    # Slowing down evenly takes twice as long as going on would; so half of the ease is before the frame, half in the hold.
    before = min(float(min(s.ease, more)), 2 * at)
    after = min(float(min(s.ease, more)), 2 * (end - at))
    out = np.where(new <= at, new, np.maximum(new - more, at))
    if before > 0:
        x = np.clip(new - (at - before / 2), 0.0, before)
        out = np.where((new > at - before / 2) & (new < at + before / 2), at - (before - x) ** 2 / (2 * before), out)
    if after > 0:
        x = np.clip(new - (at + more - after / 2), 0.0, after)
        out = np.where((new > at + more - after / 2) & (new < at + more + after / 2), at + x * x / (2 * after), out)
    return np.asarray(out)


def _run(given: Given, settings: HoldSettings, context: Context) -> Outcome:
    times = times_of(given.clip.frames, settings)
    if settings.frames == 0:
        return Outcome(given.clip, given.rig, times)
    out = replace(time_warped(given.clip, times), loop=given.clip.loop)
    return Outcome(kept_on_rules([given.clip], out, given.rig) if np.any(times % 1) else out, given.rig, times)


def _begin(at: Beginning) -> dict[str, Any]:
    return {"frame": max(at.frame, 0)}


KIND = StepKind(
    "hold",
    "Hold",
    "Hold a pose for some frames, then continue.",
    HoldSettings,
    _run,
    place=220,
    group="time",
    changes_time=True,
    weighed=False,
    begin=_begin,
    shifted=lambda s, by: with_fields(s, frame=max(s.frame + by, 0)),
    summary=lambda s: f"frame {s.frame} for {s.frames}",
)
