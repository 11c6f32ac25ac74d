"""Bones that turn over from one frame to the next."""

from __future__ import annotations

import numpy as np

from reflexa.checks.model import Check, Finding, Limit, Subject
from reflexa.checks.twists import twists

TURN = Limit(
    "flip",
    60.0,
    "°",
    "Faster than any limb turns about its length in one frame: 1,800° a second at 30 (common practice, no source).",
)


def _run(subject: Subject) -> list[Finding]:
    """One finding per frame to which a bone of a limb turns over about its own length."""
    clip, limit = subject.clip, subject.limit(TURN)
    if clip.stepped:
        return []
    out = []
    for t in twists(clip, subject.rig):
        name = clip.skeleton.names[t.joint]
        for f in np.flatnonzero(np.abs(t.steps) > limit).tolist():
            size = abs(float(t.steps[f]))
            text = f"{name} turns over by {size:.0f}° from one frame to the next"
            out.append(Finding("flip", name, text, (f - 1, f), f, size, limit, "°"))
    return out


CHECK = Check(
    "flip",
    "Flip",
    "A bone of a limb turns over about its own length from one frame to the next.",
    _run,
    26,
    limits=(TURN,),
    about="joint",
)
