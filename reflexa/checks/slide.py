"""Feet that slide while they stand."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from reflexa.checks.model import Check, Finding, Measured, Repair, Subject
from reflexa.motion import contacts
from reflexa.motion.arrays import Array

# What is seen in a game at arm's length (common practice, no source), cm.
SLIDE_CM = 1.0
# A point this much over the lowest of its stance is leaving the ground, metres.
_LEAVING = 0.01
PLANT = Repair("Plant the feet", "plants")


def slides(subject: Subject) -> list[Measured]:
    """How far each stance slides."""
    out = []
    for stance in subject.stances:
        f, (a, b) = stance.foot, stance.frames
        own = slice(a, b + 1)
        points = f.sole.points(subject.clip.model[0][own], subject.clip.model[1][own])
        heel, ball = (_down(p, s[own]) for p, s in zip(points, (f.heel_stands, f.ball_stands), strict=True))
        far, frame = contacts.slide(points, (heel, ball))
        out.append(Measured(100 * far, stance.joint, (a, b), a + frame))
    return out


def _down(track: Array, stands: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """When a standing point is all down: one that is leaving the ground, or not quite there, is not what slides."""
    return stands & (track[:, 1] < (track[stands, 1].min() if stands.any() else 0.0) + _LEAVING)


def _run(subject: Subject) -> list[Finding]:
    """One finding per stance in which heel and ball both leave their place."""
    return [
        Finding(
            "foot slide", m.joint, f"{m.joint} slides {m.size:.1f} cm while it stands", m.frames, m.worst, m.size,
            SLIDE_CM, "cm", PLANT,
        ) for m in slides(subject) if m.size > SLIDE_CM
    ]  # fmt: skip


CHECK = Check("slide", "Foot slide", "A standing foot moves over the ground.", _run, 10, ("foot slide",))
