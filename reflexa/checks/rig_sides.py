"""What a mirror or a retarget would stumble over in the rig itself."""

from __future__ import annotations

from reflexa.checks.model import Check, Finding, Limit, Subject
from reflexa.rig.problems import FAR, FAR_DEGREES, problems

SHARE = Limit(
    "asymmetry", 1.5, "% of height",
    "How far a joint may be from its mirrored partner. Skeletons measured on people are asymmetric by up to 1.4 %.",
)  # fmt: skip
TURNED = Limit(
    "asymmetry-turn",
    FAR_DEGREES,
    "°",
    "How far a bone may point away from its mirrored partner.",
)
_KINDS = {"asymmetric": "asymmetry", "missing part": "missing-part"}


def _run(subject: Subject) -> list[Finding]:
    """One finding per problem of the rig: unpaired, asymmetric, unsure, missing parts; of joints below one another that are
    asymmetric the worst."""
    rig, limit = subject.rig, subject.limit(SHARE) * 10 * subject.rig.height
    out = []
    for p in problems(rig, min(limit / 1000 / max(rig.height, 1e-9), FAR)):
        if p.kind == "asymmetric" and p.mm <= limit and p.degrees <= subject.limit(TURNED):
            continue
        kind, joint = _KINDS.get(p.kind, p.kind), p.joints[0] if p.joints else ""
        size, unit, most = (
            (p.mm, "mm", limit) if p.mm > limit or p.kind != "asymmetric" else (p.degrees, "°", subject.limit(TURNED))
        )
        out.append(Finding(kind, joint, p.text, subject.whole, 0, size, most, unit))
    return out


CHECK = Check(
    "rig", "Rig problems", "Problems of the rig that affect mirroring or retargeting.", _run, 80,
    ("unpaired", "asymmetry", "missing-part", "unsure"), (SHARE, TURNED),
    titles={
        "unpaired": "No partner", "asymmetry": "Sides differ", "missing-part": "Part not found", "unsure": "Part guessed",
    }, fine="every joint has a partner"
)  # fmt: skip
