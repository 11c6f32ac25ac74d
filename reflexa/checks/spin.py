"""Limbs that spin about their own length."""

from __future__ import annotations

import numpy as np

from reflexa.checks.model import Check, Finding, Limit, Subject
from reflexa.checks.twists import twists

ROUND = Limit(
    "spin",
    270.0,
    "°",
    "No shoulder, hip or forearm rotates this far about its own axis (about 180° for a whole arm).",
)


def _run(subject: Subject) -> list[Finding]:
    """One finding per bone whose twist against rest goes further than any joint lets it."""
    clip, limit = subject.clip, subject.limit(ROUND)
    out = []
    for t in twists(clip, subject.rig):
        low, high = int(np.argmin(t.whole)), int(np.argmax(t.whole))
        # A bone that swings past where its twist can be told has not spun, and neither has one that circles: it turns about its
        # length from frame to frame as well, or not at all.
        gathered = np.cumsum(t.steps)
        size = min(float(t.whole[high] - t.whole[low]), float(np.ptp(gathered)))
        if size > limit:
            name = clip.skeleton.names[t.joint]
            first, last = min(low, high), max(low, high)
            fast = first + int(np.argmax(np.abs(np.diff(t.whole[first : last + 1])))) + 1
            text = f"{name} spins by {size:.0f}° about its own axis"
            out.append(Finding("spin", name, text, (first, last), min(fast, last), size, limit, "°"))
    return out


CHECK = Check(
    "spin",
    "Spin",
    "A bone of a limb rotates about its own axis further than a joint allows.",
    _run,
    28,
    limits=(ROUND,),
    about="joint",
)
