"""Bones that turn over from one frame to the next."""

from __future__ import annotations

import numpy as np

from reflexa.checks.model import Check, Finding, Limit, Subject
from reflexa.checks.twists import twists

TURN = Limit(
    "flip-speed",
    1800.0,
    "°/s",
    "The rotation between two frames that no limb does.",
)
# What turns by less than this from one frame to the next is no flip, however fast the clip's frames are, degrees.
_LEAST = 20.0


def _run(subject: Subject) -> list[Finding]:
    """One finding per frame to which a bone of a limb turns over about its own length."""
    clip, limit = subject.clip, subject.limit(TURN)
    if clip.stepped:
        return []
    out = []
    for t in twists(clip, subject.rig):
        name = clip.skeleton.names[t.joint]
        speed = np.abs(t.steps) * clip.rate
        for f in np.flatnonzero((speed > limit) & (np.abs(t.steps) > _LEAST)).tolist():
            text = f"{name} flips by {abs(float(t.steps[f])):.0f}° from one frame to the next"
            out.append(Finding("flip", name, text, (f - 1, f), f, float(speed[f]), limit, "°/s"))
    return out


CHECK = Check(
    "flip",
    "Flip",
    "A bone of a limb flips about its own axis from one frame to the next.",
    _run,
    26,
    limits=(TURN,),
    about="joint",
    fine="nothing flips",
    of_additive=True,
)
