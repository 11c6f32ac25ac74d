"""Limbs pinned straight: pulled to their full length by something out of reach."""

from __future__ import annotations

import numpy as np

from reflexa.checks.model import Check, Finding, Limit, Subject
from reflexa.motion import stances

LONG = Limit(
    "straight",
    0.2,
    "s",
    "How long a knee or elbow must stay exactly straight to look locked.",
)
# Straighter than this, degrees, and stiller than this from frame to frame, nothing alive is while it moves: by so many degrees
# at least; and the limb has been bent by as much just before or after.
_STRAIGHT, _STILL, _MOVES = 1.5, 0.1, 4.0


def _run(subject: Subject) -> list[Finding]:
    """One finding per stretch of time in which a limb swings while its joint is exactly straight, and is bent beside it."""
    from scipy.ndimage import maximum_filter1d  # takes its time to load

    clip = subject.clip
    least = max(3, round(subject.limit(LONG) * clip.rate))
    out = []
    for bend in subject.bends.values():
        change = np.abs(np.diff(bend.angle, prepend=bend.angle[:1]))
        name = clip.skeleton.names[bend.limb.middle]
        beside = maximum_filter1d(bend.angle, 2 * round(0.25 * clip.rate) + 1, mode="nearest")
        for first, last in stances.spans((bend.angle < _STRAIGHT) & (change < _STILL)):
            frames = last - first + 1
            way = bend.upper[first : last + 1]
            swings = np.degrees(np.arccos(np.clip((way @ way[0]).min(), -1, 1)))
            if frames < least or swings < _MOVES or max(beside[first], beside[last]) < _MOVES:
                continue
            seconds = frames / clip.rate
            text = f"{name} is locked straight for {seconds:.2f} s"
            out.append(Finding("straight", name, text, (first, last), first, seconds, subject.limit(LONG), "s"))
    return out


CHECK = Check(
    "straight", "Locked straight", "A knee or elbow stays exactly straight while its limb moves: its target is "
                                   "out of reach.", _run,
    24, limits=(LONG,),
    about="joint",
)  # fmt: skip
