"""What a mirror or a retarget would stumble over in the rig itself."""

from __future__ import annotations

from reflexa.checks.model import Check, Finding, Subject
from reflexa.rig.problems import FAR, problems


def _run(subject: Subject) -> list[Finding]:
    """One finding per problem of the rig: unpaired, asymmetric, unsure, missing parts."""
    clip, rig = subject.clip, subject.rig
    whole = (0, clip.frames - 1)
    limit = 1000 * FAR * rig.height
    return [
        Finding(
            f"{p.kind} joint" if p.joints else p.kind,
            p.joints[0] if p.joints else "",
            p.text,
            whole,
            0,
            p.mm,
            limit,
            "mm",
        )
        for p in problems(rig)
    ]


CHECK = Check(
    "rig sides", "Rig problems", "What a mirror or a retarget would stumble over in the rig itself.", _run, 80
)
