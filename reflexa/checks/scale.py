"""Joints that are scaled: what hangs on them changes its size, and many engines leave it out."""

from __future__ import annotations

import numpy as np

from reflexa.checks.model import Check, Finding, Limit, Subject

SHARE = Limit("scale", 1.0, "%", "The change of a joint's size that becomes visible.")


def _run(subject: Subject) -> list[Finding]:
    """One finding per joint that is scaled against its rest."""
    clip, limit = subject.clip, subject.limit(SHARE)
    if clip.scales is None:
        return []
    rest = clip.skeleton.rest_scales
    off = 100 * np.abs(clip.scales - (1.0 if rest is None else rest)).max(axis=2)
    out = []
    for j in np.flatnonzero(off.max(axis=0) > limit).tolist():
        frames = np.flatnonzero(off[:, j] > limit)
        worst, name = int(np.argmax(off[:, j])), clip.skeleton.names[j]
        text = f"{name} is scaled by up to {off[worst, j]:.0f} %"
        span = (int(frames[0]), int(frames[-1]))
        out.append(Finding("scale", name, text, span, worst, float(off[worst, j]), limit, "%"))
    return out


CHECK = Check(
    "scale", "Scale", "A joint is scaled relative to its rest pose.", _run, 74, limits=(SHARE,), of_additive=True
)
