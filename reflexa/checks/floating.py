"""Soles that hover over what they stand on."""

from __future__ import annotations

import numpy as np

from reflexa.checks.model import Check, Finding, Measured, Subject
from reflexa.checks.slide import PLANT

# What is seen in a game at arm's length (common practice, no source), cm. Higher than the second nobody hovers: what the
# foot stands on is not on the stage.
OVER_CM, STANDS_CM = 2.0, 15.0


def floats(subject: Subject) -> list[Measured]:
    """How high each stance is over the ground or prop: its lowest point, at the frame where that is lowest."""
    out = []
    for stance, height in subject.heights:
        at = int(np.argmin(height))
        out.append(Measured(max(100 * float(height[at]), 0.0), stance.joint, stance.frames, stance.frames[0] + at))
    return out


def _run(subject: Subject) -> list[Finding]:
    """One finding per stance in which the sole hovers, or stands where no prop is."""
    out = []
    for m in floats(subject):
        if m.size <= OVER_CM:
            continue
        missing = m.size > STANDS_CM
        text = f"{m.joint} hovers {m.size:.1f} cm over what it stands on"
        if missing:
            text = f"{m.joint} stands {m.size:.1f} cm over the ground, and no prop is there for it to stand on"
        repair = None if missing else PLANT
        out.append(Finding("float", m.joint, text, m.frames, m.worst, m.size, OVER_CM, "cm", repair))
    return out


CHECK = Check("float", "Float", "A sole hovers over what it stands on.", _run, 30, ("float",))
