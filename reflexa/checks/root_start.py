"""A root joint that is turned, or off the ground, at the start."""

from __future__ import annotations

from types import MappingProxyType

import numpy as np

from reflexa.checks.model import Check, Finding, Limit, Repair, Subject
from reflexa.steps.root_motion import track_of

OFF = Limit("root-start-height", 1.0, "cm", "How far the root joint may be off at the start of a clip.")
TURNED = Limit("root-start-turn", 2.0, "°", "How far the root joint may be off at the start of a clip.")
_REPAIR = Repair("Start at the origin", "root-motion", MappingProxyType({"operation": "to origin"}))


def _run(subject: Subject) -> list[Finding]:
    """One finding each where the root starts turned or off the ground."""
    clip, rig = subject.clip, subject.rig
    root = rig.joint("root")
    if root < 0:
        return []
    out = []
    name = clip.skeleton.names[root]
    height = 100 * abs(float(clip.model[1][0, root, 1] - rig.neutral.rest_model[1][root, 1]))
    if height > subject.limit(OFF):
        text = f"{name} starts {height:.1f} cm off the ground"
        out.append(Finding("root-start", name, text, (0, 0), 0, height, subject.limit(OFF), "cm", _REPAIR))
    forward = np.arctan2(rig.facing[0], rig.facing[2])
    turned = np.degrees(track_of(clip.cut(0, 0), rig, root).heading[0] - forward)
    turned = abs((turned + 180) % 360 - 180)
    if turned > subject.limit(TURNED):
        text = f"{name} starts rotated by {turned:.1f}°"
        out.append(Finding("root-start", name, text, (0, 0), 0, float(turned), subject.limit(TURNED), "°", _REPAIR))
    return out


CHECK = Check(
    "root-start",
    "Root start",
    "The root joint starts rotated, or not on the ground.",
    _run,
    50,
    limits=(OFF, TURNED),
    about="time",
    whole=True,
)
