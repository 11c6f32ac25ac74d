"""Stretches in which nothing moves at all."""

from __future__ import annotations

import numpy as np

from reflexa.checks.model import Check, Finding, Limit, Repair, Subject
from reflexa.motion import kernels, stances
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.per_clip_cache import cached_per_clip

LONG = Limit("freeze", 0.5, "s", "The time without movement that counts as frozen.")
LIVELY = Limit("freeze-lively", 0.15, "s", "The same, for clips that are nowhere else still, such as captures.")
# Nothing alive stands stiller than this from frame to frame: radians and metres (common practice, no source).
_STILL, _STILL_M = 1e-5, 1e-6
# A clip that stands still more often than this does so as its habit.
_SELDOM = 2


def _run(subject: Subject) -> list[Finding]:
    clip = subject.clip
    if clip.frames < 3 or clip.stepped or any(s.kind == "hold" and s.acts for s in subject.steps):
        return []
    spans = _still(clip)
    if spans == ((0, clip.frames - 2),):
        return []  # a pose, not a motion that stops
    limit = subject.limit(LIVELY if len(spans) <= _SELDOM else LONG)
    out = []
    for a, b in spans:
        seconds = (b - a + 1) / clip.rate
        if seconds > limit:
            frames = (a, b + 1)
            cut = Repair(
                "Cut out the frozen frames",
                "trim",
                {"cut": ((a + 1, b + 1),)} if b + 1 < clip.frames - 1 else {"last": a},
            )
            text = f"nothing moves for {seconds:.2f} s"
            out.append(Finding("freeze", subject.body, text, frames, a, seconds, limit, "s", cut))
    return out


@cached_per_clip
def _still(clip: Clip) -> tuple[tuple[int, int], ...]:
    """Spans of frames to whose next nothing moves."""
    return tuple(stances.spans((_moved(clip.rotations) < _STILL) & (_moved(clip.translations) < _STILL_M)))


def _moved(motion: Array) -> Array:
    """The most that any number changes from frame to frame ``(frames - 1,)``."""
    out = np.empty(len(motion))
    kernels.changes.moved(motion, np.arange(len(motion)), out)
    return out[1:]


CHECK = Check(
    "freeze",
    "Freeze",
    "Nothing moves for a while.",
    _run,
    32,
    limits=(LONG, LIVELY),
    line=True,
    about="time",
    whole=True,
    fine="nothing freezes",
)
