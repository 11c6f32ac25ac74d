"""Arms inside the body."""

from __future__ import annotations

from reflexa.checks.model import Check, Finding, Limit, Subject
from reflexa.motion import stances
from reflexa.rig import bodies
from reflexa.rig.rig import SIDES

DEPTH = Limit("inside-body", 4.0, "cm", "The depth at which an arm inside the body becomes visible.")
_LONG = 0.15  # for how long at least, seconds


def _run(subject: Subject) -> list[Finding]:
    """Per arm the deepest stretch of time in which it is in trunk or thighs."""
    clip, rig = subject.clip, subject.rig
    out, limit = [], subject.limit(DEPTH)
    for side in SIDES if rig.meshes else ():
        points = bodies.arm_points(rig, side, *clip.model)
        if points is None:
            continue
        deep = 100 * bodies.depths(rig, points, bodies.arm_thickness(rig, side), clip.model)[0].max(axis=0)
        spans = [p for p in stances.peaks(deep, limit) if p[1] - p[0] + 1 >= _LONG * clip.rate]
        if not spans:
            continue
        first, last, worst = max(spans, key=lambda p: float(deep[p[2]]))
        joint = rig.skeleton.names[rig.joint(f"{side} forearm")]
        text = f"{joint} is {deep[worst]:.1f} cm inside the body"
        out.append(Finding("inside-body", joint, text, (first, last), worst, float(deep[worst]), limit, "cm"))
    return out


CHECK = Check(
    "inside-body",
    "Arm in body",
    "A forearm is inside trunk or thighs.",
    _run,
    60,
    limits=(DEPTH,),
    about="joint",
    fine="arms stay out of the body",
)
