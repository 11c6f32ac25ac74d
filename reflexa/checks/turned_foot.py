"""Feet that stand on the ground and do not lie on it."""

from __future__ import annotations

import numpy as np

from reflexa.checks.model import STOOD, Check, Finding, Limit, Subject
from reflexa.checks.slide import FOOT_LOCK
from reflexa.motion import quat, stances
from reflexa.motion.arrays import Array
from reflexa.rig.foot_rest import as_seen
from reflexa.rig.soles import soles
from reflexa.stage import surface_under

TILT = Limit("turned-foot", 30.0, "°", "Feet of captures that stand on heel and ball tilt by up to 25° (measured).")
# For how long at least, seconds; a foot that is tilted by more than this lies on its instep or its side, degrees.
_LONG, _LIES = 0.2, 70.0


def _run(subject: Subject) -> list[Finding]:
    """One finding per stance in which a foot stands on heel and ball at once and is tilted off what it stands on."""
    clip, rig, limit = subject.clip, subject.rig, subject.limit(TILT)
    # How a foot stands is known from its clip where no skin tells.
    seen, out = soles(rig if rig.meshes else as_seen(clip, rig)), []
    tilts: dict[str, Array] = {}
    for stance in subject.stands(STOOD, on_spot=False):
        foot, own = stance.foot, slice(stance.frames[0], stance.frames[1] + 1)
        flat = foot.heel_stands[own] & foot.ball_stands[own]
        if flat.sum() < _LONG * clip.rate:
            continue
        if stance.side not in tilts:
            up = quat.rotate(clip.model[0][:, foot.sole.ankle], seen[stance.side].up)
            normal = surface_under(subject.stage, clip, foot.ball).normal
            tilts[stance.side] = np.degrees(np.arccos(np.clip(np.sum(up * normal, axis=1), -1, 1)))
        tilt = tilts[stance.side][own]
        spans = stances.peaks(np.where(flat & (tilt < _LIES), tilt, 0.0), limit)
        spans = [p for p in spans if p[1] - p[0] + 1 >= _LONG * clip.rate]
        if spans:
            first, last, worst = max(spans, key=lambda p: float(tilt[p[2]]))
            size, at = float(tilt[worst]), stance.frames[0]
            text = f"{stance.joint} is tilted by {size:.0f}° against the surface it stands on"
            frames = at + first, at + last
            out.append(Finding("turned-foot", stance.joint, text, frames, at + worst, size, limit, "°", FOOT_LOCK))
    return out


CHECK = Check(
    "turned-foot", "Foot tilted", "A foot stands on heel and ball, but is tilted against the surface under it.", _run, 32,
    limits=(TILT,), about="ground",
)  # fmt: skip
