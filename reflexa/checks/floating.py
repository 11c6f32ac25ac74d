"""Soles that hover over what they stand on."""

from __future__ import annotations

import numpy as np

from reflexa.checks.model import Check, Finding, Limit, Measured, Subject
from reflexa.checks.slide import FOOT_LOCK
from reflexa.rig.foot_rest import leg_length, stand_of

OVER = Limit("float", 3.0, "cm", "The height at which a hovering foot becomes visible.")
STANDS = Limit(
    "float-no-prop", 15.0, "cm", "Above this height the foot probably stands on something that is missing on the stage."
)
# Of the height of an ankle over its sole, where no skin shows it, so much may be wrong without anyone seeing it.
_GUESSED = 0.15
# A figure whose pelvis is lower than this share of a leg lies or sits: its feet carry nothing.
_LOW = 0.5


def floats(subject: Subject, on_spot: bool = False) -> list[Measured]:
    """How high each stance is over the ground or prop: its lowest point, at the frame where that is lowest."""
    out = []
    for stance, height in subject.heights(on_spot):
        at = int(np.argmin(height))
        guessed = 0.0 if subject.rig.meshes else _GUESSED * stand_of(subject.rig, stance.side).height
        out.append(
            Measured(max(100 * float(height[at] - guessed), 0.0), stance.joint, stance.frames, stance.frames[0] + at)
        )
    return out


def _run(subject: Subject) -> list[Finding]:
    """One finding per stance in which the sole hovers; one for all that stand where no prop is."""
    over, stands = subject.limit(OVER), subject.limit(STANDS)
    out, high = [], []
    for m in floats(subject, on_spot=True):
        if m.size <= over or _lies(subject, m.worst):
            continue
        if m.size > stands:
            high.append(m)
            continue
        text = f"{m.joint} hovers {m.size:.1f} cm above the surface it stands on"
        out.append(Finding("float", m.joint, text, m.frames, m.worst, m.size, over, "cm", FOOT_LOCK))
    if high:
        m = max(high, key=lambda m: m.size)
        span = min(h.frames[0] for h in high), max(h.frames[1] for h in high)
        times = f", {len(high)} times," if len(high) > 1 else ""
        text = f"{m.joint} stands {m.size:.1f} cm above the ground{times} and there is no prop under it"
        out.append(Finding("float", m.joint, text, span, m.worst, m.size, stands, "cm"))
    return out


def _lies(subject: Subject, frame: int) -> bool:
    pelvis = subject.rig.joint("pelvis")
    return pelvis >= 0 and float(subject.clip.model[1][frame, pelvis, 1]) < _LOW * leg_length(subject.rig)


CHECK = Check(
    "float",
    "Float",
    "A standing foot hovers above the surface it stands on.",
    _run,
    30,
    limits=(OVER, STANDS),
    about="ground",
    fine="feet are on the ground",
)
