"""A loop that leads off."""

from __future__ import annotations

from types import MappingProxyType

import numpy as np

from reflexa.checks.model import Check, Finding, Limit, Measured, Repair, Subject
from reflexa.steps.root_motion import travel_of

DRIFT = Limit("root-drift", 2.0, "cm", "How far a loop may drift sideways per cycle.")
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


def _run(subject: Subject) -> list[Finding]:
    m = drift(subject)
    if m.size <= subject.limit(DRIFT):
        return []
    text = f"{m.joint} drifts {m.size:.1f} cm per cycle of the loop"
    repair = Repair("Remove the drift", "root-motion", MappingProxyType({"operation": "remove drift"}))
    return [Finding("root-drift", m.joint, text, m.frames, m.worst, m.size, subject.limit(DRIFT), "cm", repair)]


CHECK = Check(
    "root-drift",
    "Root drift",
    "A loop drifts away with every cycle.",
    _run,
    40,
    limits=(DRIFT,),
    about="time",
    whole=True,
)
