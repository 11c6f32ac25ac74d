"""Knees and elbows that bend the wrong way."""

from __future__ import annotations

import numpy as np

from reflexa.checks.bridge import bridged
from reflexa.checks.model import Check, Finding, Limit, Subject
from reflexa.motion import stances
from reflexa.motion.arrays import Array
from reflexa.motion.limbs import Bend
from reflexa.rig.limbs import made_to_bend

KNEE = Limit(
    "hyperextension-knee",
    15.0,
    "°",
    "Knees bend up to 10° beyond straight (joint mobility textbooks).",
)
ELBOW = Limit(
    "hyperextension-elbow",
    20.0,
    "°",
    "Elbows bend up to 15° beyond straight (joint mobility textbooks).",
)
# A limb that is bent by more than this, degrees, shows which way it bends.
_SHOWS = 15.0
_EASE = 2


def usual_axis(bend: Bend, made: Array, knee: bool) -> Array:
    """The axis a limb bends about in a clip, in the upper bone's own axes ``(3,)`` unit: a knee as it is ``made``; an elbow,
    whose upper arm may be twisted, by the mean of all frames that show it; as it is made where too few do."""
    bent = bend.angle > _SHOWS
    if knee or bent.mean() < 0.15:
        return made
    axis = (bend.axis[bent] * bend.angle[bent, None]).sum(axis=0) / bend.angle[bent].sum()
    size = float(np.linalg.norm(axis))
    return np.asarray(axis / size) if size >= 0.5 else made


def _run(subject: Subject) -> list[Finding]:
    """One finding per stretch of time in which a knee or elbow is bent beyond straight, about the axis it usually bends about."""
    out = []
    for end, bend in subject.bends.items():
        knee = end.endswith("foot")
        limit = subject.limit(KNEE if knee else ELBOW)
        along = bend.axis @ usual_axis(bend, made_to_bend(subject.rig, end), knee)
        # Half across is twisted, not thrown back: what counts is what is about the opposite axis.
        beyond = np.where(along < -0.5, -along * bend.angle, 0.0)
        name = subject.clip.skeleton.names[bend.limb.middle]
        for first, last, worst in stances.peaks(beyond, limit):
            size = float(beyond[worst])
            text = f"{name} is bent {size:.0f}° beyond straight"
            # It comes and goes over some frames: so those too.
            a, b = max(first - _EASE, 1), min(last + _EASE, subject.clip.frames - 2)
            repair = bridged(subject.clip, [name], a, b)
            out.append(Finding("hyperextension", name, text, (first, last), worst, size, limit, "°", repair))
    return out


CHECK = Check(
    "hyperextension", "Hyperextension", "A knee or elbow is bent beyond straight, the wrong way.", _run, 22,
    limits=(KNEE, ELBOW),
    about="joint",
)  # fmt: skip
