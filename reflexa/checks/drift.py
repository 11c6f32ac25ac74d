"""A root that drifts, is turned, or is off the ground at the start."""

from __future__ import annotations

import numpy as np

from reflexa.checks.footing import Measured
from reflexa.checks.model import Finding, Subject
from reflexa.steps.root_motion import track_of, travel_of

# Less than this nobody minds at the start of a clip (common practice, no source).
OFF_CM, TURNED_DEG = 1.0, 2.0
# What a loop may lead aside in a round, cm.
DRIFT_CM = 2.0
# A loop that gets no further than this in a round is meant to stay where it is, metres.
_STAYS = 0.25


def drift(subject: Subject) -> Measured:
    """How far a loop leads off in a round, cm: to the side of where it is heading, or at all where it is meant to stay."""
    clip = subject.clip
    if not clip.loop or clip.frames < 3:
        return Measured()
    t = travel_of(clip, subject.rig, "exact")
    gone = t.place[-1] - t.place[0]
    far = float(np.linalg.norm(gone))
    if far > _STAYS:
        side = np.array([np.cos(t.heading[0]), -np.sin(t.heading[0])])
        ahead = np.array([np.sin(t.heading[0]), np.cos(t.heading[0])])
        # A strafe goes to the side on purpose: what counts is what is left beside the nearest eighth of a turn.
        angle = np.arctan2(gone @ side, gone @ ahead)
        off = angle - np.round(angle / (np.pi / 4)) * (np.pi / 4)
        far = far * abs(float(np.sin(off)))
    return Measured(100 * far, clip.skeleton.names[t.joint], (0, clip.frames - 1), clip.frames - 1)


def root_drift(subject: Subject) -> list[Finding]:
    """One finding where a loop leads off, and one each where the root starts turned or off the ground."""
    clip, rig = subject.clip, subject.rig
    out = []
    m = drift(subject)
    if m.size > DRIFT_CM:
        text = f"{m.joint} drifts {m.size:.1f} cm in a round of the loop"
        out.append(Finding("root drift", m.joint, text, m.frames, m.worst, m.size, DRIFT_CM, "cm", "root-motion"))
    root = rig.joint("root")
    if root >= 0:
        name = clip.skeleton.names[root]
        height = 100 * abs(float(clip.model[1][0, root, 1] - rig.neutral.rest_model[1][root, 1]))
        if height > OFF_CM:
            text = f"{name} starts {height:.1f} cm off the ground"
            out.append(Finding("root start", name, text, (0, 0), 0, height, OFF_CM, "cm", "root-motion"))
        forward = np.arctan2(rig.facing[0], rig.facing[2])
        turned = np.degrees(track_of(clip, rig, root).heading[0] - forward)
        turned = abs((turned + 180) % 360 - 180)
        if turned > TURNED_DEG:
            text = f"{name} starts turned by {turned:.1f}°"
            out.append(Finding("root start", name, text, (0, 0), 0, float(turned), TURNED_DEG, "°", "root-motion"))
    return out
