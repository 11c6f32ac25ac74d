"""Soles below what they stand on."""

from __future__ import annotations

import numpy as np

from reflexa.checks.model import Check, Finding, Measured, Subject
from reflexa.checks.slide import PLANT

# What is seen in a game at arm's length (common practice, no source), cm.
DEPTH_CM = 1.0


def depths(subject: Subject) -> list[Measured]:
    """How deep each stance sinks below the ground or prop."""
    out = []
    for stance, height in subject.heights:
        at = int(np.argmin(height))
        out.append(Measured(max(-100 * float(height[at]), 0.0), stance.joint, stance.frames, stance.frames[0] + at))
    return out


def _run(subject: Subject) -> list[Finding]:
    """One finding per stance in which the sole is below what it stands on."""
    return [
        Finding(
            "penetration", m.joint, f"{m.joint} is {m.size:.1f} cm below what it stands on", m.frames, m.worst, m.size,
            DEPTH_CM, "cm", PLANT,
        ) for m in depths(subject) if m.size > DEPTH_CM
    ]  # fmt: skip


CHECK = Check("penetration", "Penetration", "A sole is below what it stands on.", _run, 20, ("penetration",))
