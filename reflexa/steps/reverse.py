"""Reverse: backwards, or there and back with no frame twice at the turn."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

import numpy as np
from msgspec import Meta

from reflexa.motion.arrays import Array
from reflexa.motion.resample import time_warped
from reflexa.steps.helper_joints import kept_on_rules
from reflexa.steps.model import Context, Given, Outcome, Settings, StepKind


class ReverseSettings(Settings, frozen=True):
    how: Annotated[
        Literal["reverse", "there and back"],
        Meta(
            title="How",
            description="reverse: play from the last frame to the first. there and back: play forward, then backward.",
        ),
    ] = "reverse"
    blend: Annotated[
        int,
        Meta(title="Ease at the turn", ge=0, le=1000,
             description="Frames over which the motion slows down and turns around. The clip becomes longer by this.",
             extra={"unit": "frames", "when": {"how": "there and back"}}),
    ] = 0  # fmt: skip


def times_of(frames: int, s: ReverseSettings) -> Array:
    """Which frame stands at each frame of the result."""
    end = frames - 1
    if s.how == "reverse" or end < 1:
        return np.arange(end, -1, -1, dtype=np.float64)
    ease = min(s.blend, 2 * end)
    # Slowing down evenly to the turn takes twice as long as going on would.
    half = end + ease / 2
    away = np.abs(np.arange(int(np.ceil(2 * half - 1e-9)) + 1) - half)
    slow = away * away / (2 * ease) if ease else away
    return np.asarray(np.clip(end - np.where(away < ease, slow, away - ease / 2), 0.0, end))


def _run(given: Given, settings: ReverseSettings, context: Context) -> Outcome:
    times = times_of(given.clip.frames, settings)
    out = replace(time_warped(given.clip, times), loop=given.clip.loop)
    return Outcome(kept_on_rules([given.clip], out, given.rig) if np.any(times % 1) else out, given.rig, times)


KIND = StepKind(
    "reverse",
    "Reverse",
    "Play the clip backward, or forward and then backward.",
    ReverseSettings,
    _run,
    place=230,
    group="time",
    changes_time=True,
    weighed=False,
    summary=lambda s: s.how,
)
