"""Helper joints away from their rule: what the engine reads is then not where the hand or foot is."""

from __future__ import annotations

import numpy as np

from reflexa.checks.model import Check, Finding, Limit, Repair, Subject
from reflexa.rig.helpers import by_rule

AWAY = Limit("helper", 1.0, "mm", "The distance at which a helper joint is visibly off.")
_REPAIR = Repair("Put helper joints back", "helper-joints")


def _run(subject: Subject) -> list[Finding]:
    """One finding per helper joint that leaves its rule by more than a millimetre."""
    clip, rig, limit = subject.clip, subject.rig, subject.limit(AWAY)
    out: list[Finding] = []
    turned, placed = clip.model
    for name, rule in rig.helpers.items():
        joint = rig.skeleton.index[name]
        mm = 1000 * np.linalg.norm(placed[:, joint] - by_rule(rig.neutral, joint, rule, turned, placed)[1], axis=-1)
        if mm.max() <= limit:
            continue
        off = np.flatnonzero(mm > limit)
        worst = int(np.argmax(mm))
        out.append(
            Finding(
                "helper", name, f"{name} is up to {mm[worst]:.1f} mm away from {rig.helpers[name].follows}, which "
                                "it should follow",
                (int(off[0]), int(off[-1])), worst, float(mm[worst]), limit, "mm", _REPAIR,
            )
        )  # fmt: skip
    return out


CHECK = Check(
    "helper", "Helper off", "A helper joint is not where the hand or foot is that it follows.", _run, 70,
    limits=(AWAY,), fine="helper joints are in place"
)  # fmt: skip
