"""Helper joints away from their rule: what the engine reads is then not where the hand or foot is."""

from __future__ import annotations

import numpy as np

from reflexa.checks.model import Check, Finding, Repair, Subject
from reflexa.rig.helpers import distances

# Less than this nobody sees on a foot or hand (common practice, no source).
MOST_MM = 1.0
_REPAIR = Repair("Put helper joints back", "helper-joints")


def _run(subject: Subject) -> list[Finding]:
    """One finding per helper joint that leaves its rule by more than a millimetre."""
    clip, rig = subject.clip, subject.rig
    out: list[Finding] = []
    for name, (away, _) in distances(rig.neutral, rig.helpers, *clip.model).items():
        mm = 1000 * away
        if mm.max() <= MOST_MM:
            continue
        off = np.flatnonzero(mm > MOST_MM)
        worst = int(np.argmax(mm))
        out.append(
            Finding(
                "helper joint", name, f"{name} is up to {mm[worst]:.1f} mm away from {rig.helpers[name].follows}, its rule",
                (int(off[0]), int(off[-1])), worst, float(mm[worst]), MOST_MM, "mm", _REPAIR,
            )
        )  # fmt: skip
    return out


CHECK = Check(
    "helper joint", "Helper joint off its rule", "What the engine reads is not where the hand or foot is.", _run, 70,
    ("helper joint",),
)  # fmt: skip
