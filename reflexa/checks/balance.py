"""Out of balance: a body that is nearly still, and whose weight lies beside what it stands on."""

from __future__ import annotations

import numpy as np

from reflexa.checks.model import STOOD, Check, Finding, Limit, Subject
from reflexa.motion import contacts
from reflexa.motion.arrays import Array
from reflexa.rig.masses import centre_of_mass
from reflexa.rig.soles import soles, under_tracks

BESIDE = Limit(
    "balance",
    6.0,
    "cm",
    "Clean captures that stand still are within 3 cm, by masses of people in general (measured here).",
)
# The body is nearly still while its centre moves by less than this, m/s; for so long at least, seconds.
_STILL, _LONG = 0.08, 0.4


def _outside(point: Array, corners: Array) -> float:
    """How far a point on the ground ``(2,)`` is outside the convex hull of some ``(n, 2)``, metres; 0 inside."""
    from scipy.spatial import ConvexHull, QhullError

    try:
        hull = ConvexHull(corners)
    except QhullError:  # all on one line
        return float(np.linalg.norm(corners - point, axis=1).min())
    if (hull.equations[:, :2] @ point + hull.equations[:, 2]).max() <= 0:
        return 0.0
    a = corners[hull.vertices]
    b = np.roll(a, -1, axis=0)
    way = b - a
    share = np.clip(np.sum((point - a) * way, axis=1) / np.maximum(np.sum(way * way, axis=1), 1e-12), 0, 1)
    return float(np.linalg.norm(a + share[:, None] * way - point, axis=1).min())


def _run(subject: Subject) -> list[Finding]:
    """One finding per stretch of time in which a body stands still beside its feet."""
    clip, rig, limit = subject.clip, subject.rig, subject.limit(BESIDE)
    centre = centre_of_mass(clip, rig)
    if centre is None or clip.frames < 3 or not subject.feet:
        return []
    still = contacts.speeds(centre, clip.rate) < _STILL
    upright = clip.model[1][:, rig.joint("pelvis"), 1] > 0.6 * np.median(clip.model[1][:, rig.joint("pelvis"), 1])
    if not (still & upright).any():
        return []
    stands = {s.side: s.foot.stands for s in subject.stands(STOOD, on_spot=False)}
    bears = np.any([*stands.values(), np.zeros(clip.frames, dtype=bool)], axis=0)
    joint, out = rig.skeleton.names[rig.joint("pelvis")], []
    corners = {side: under_tracks(clip, sole) for side, sole in soles(rig).items()}
    for a, b in contacts.spans(still & bears & upright):
        if b - a + 1 < _LONG * clip.rate:
            continue
        # Every tenth of a second is enough: it hardly moves.
        frames = range(a, b + 1, max(1, round(0.1 * clip.rate)))
        away = []
        for f in frames:
            under = [
                p[f, [0, 2]] for side, points in corners.items() if side in stands and stands[side][f] for p in points
            ]
            away.append(100 * _outside(centre[f, [0, 2]], np.array(under)))
        least = min(away)
        if least > limit:
            worst = frames[int(np.argmax(away))]
            text = f"the body stands still with its weight {max(away):.0f} cm beside its feet: it would fall over"
            out.append(Finding("balance", joint, text, (a, b), worst, max(away), limit, "cm"))
    return out


CHECK = Check(
    "balance",
    "Balance",
    "The body stands still, and its weight lies beside its feet.",
    _run,
    96,
    limits=(BESIDE,),
    whole=True,
)
