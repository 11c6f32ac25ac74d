"""Feet that slide while they stand."""

from __future__ import annotations

import numpy as np

from reflexa.checks.model import STOOD, Check, Finding, Limit, Measured, Repair, Subject
from reflexa.motion import kernels
from reflexa.stage.footing import Thresholds

FAR = Limit(
    "slide",
    3.5,
    "cm",
    "The distance at which a sliding foot becomes visible. Feet of captures settle by up to 3.4 cm.",
)
# A point this much over the lowest of its stance is leaving the ground, metres; and a foot lands and leaves for so long, seconds.
_LEAVING, _LANDS = 0.01, 0.06
# A foot that slides fast does not stand, and is low nevertheless.
_LOW = Thresholds(low=0.035, slow=0.8, slack=1.0)
FOOT_LOCK = Repair("Lock the feet", "foot-lock")


def slides(subject: Subject, by: Thresholds = STOOD, lands: int = 0) -> list[Measured]:
    """How far each stance slides, its first and last few frames (``lands``) not counted."""
    out: dict[int, Measured] = {}
    stances = subject.stands(by, on_spot=False)
    for side in dict.fromkeys(s.side for s in stances):
        at = [i for i, s in enumerate(stances) if s.side == side]
        f = stances[at[0]].foot
        tracks, stands = np.stack([f.heel, f.ball]), np.stack([f.heel_stands, f.ball_stands])
        foot = kernels.changes.Stood(tracks, stands, _LEAVING, lands)
        far, where = np.empty(len(at)), np.empty(len(at), dtype=np.intp)
        kernels.changes.slides(foot, np.array([stances[i].frames for i in at], dtype=np.intp), far, where)
        for i, size, frame in zip(at, far.tolist(), where.tolist(), strict=True):
            out[i] = Measured(100 * size, stances[i].joint, stances[i].frames, frame)
    return [out[i] for i in range(len(stances))]


def _run(subject: Subject) -> list[Finding]:
    """One finding per stance in which heel and ball both leave their place, once the foot has landed and until it leaves."""
    limit, lands = subject.limit(FAR), round(_LANDS * subject.clip.rate)
    return [
        Finding(
            "slide", m.joint, f"{m.joint} slides {m.size:.1f} cm while it stands", m.frames, m.worst, m.size, limit, "cm",
            FOOT_LOCK,
        ) for m in slides(subject, _LOW, lands) if m.size > limit
    ]  # fmt: skip


CHECK = Check(
    "slide",
    "Foot slide",
    "A standing foot moves over the ground.",
    _run,
    10,
    limits=(FAR,),
    about="ground",
    fine="feet stand still",
)
