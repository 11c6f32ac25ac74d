"""Stretches in which nothing moves at all."""

from __future__ import annotations

import numpy as np

from reflexa.checks.model import Check, Finding, Repair, Subject
from reflexa.motion import contacts

# Nothing alive stands stiller than this from frame to frame: radians and metres (common practice, no source).
_STILL, _STILL_M = 1e-5, 1e-6
# Frozen frames count from so many seconds on.
FREEZE_S = 0.4


def _run(subject: Subject) -> list[Finding]:
    clip = subject.clip
    if clip.frames < 3 or clip.stepped or any(s.kind == "hold" and s.acts for s in subject.steps):
        return []
    still = (np.abs(np.diff(clip.rotations, axis=0)).max(axis=(1, 2)) < _STILL) & (
        np.abs(np.diff(clip.translations, axis=0)).max(axis=(1, 2)) < _STILL_M
    )
    if still.all():
        return []  # a pose, not a motion that stops
    out = []
    for a, b in contacts.spans(still):
        seconds = (b - a + 1) / clip.rate
        if seconds >= FREEZE_S:
            frames = (a, b + 1)
            cut = Repair(
                "Cut the frozen frames out",
                "trim",
                {"cut": ((a + 1, b + 1),)} if b + 1 < clip.frames - 1 else {"last": a},
            )
            joint = clip.skeleton.names[subject.rig.travel_joint]
            text = f"nothing moves for {seconds:.2f} s"
            out.append(Finding("freeze", joint, text, frames, a, seconds, FREEZE_S, "s", cut))
    return out


CHECK = Check("freeze", "Freeze", "Nothing moves for a while.", _run, 32, ("freeze",))
