"""What a mirror or a retarget would stumble over in the rig itself."""

from __future__ import annotations

from reflexa.checks.model import Finding
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.rig.problems import FAR, problems


def rig_sides(clip: Clip, rig: Rig) -> list[Finding]:
    """One finding per problem of the rig: unpaired, asymmetric, unsure, missing parts."""
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
