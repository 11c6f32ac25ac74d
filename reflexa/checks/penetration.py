"""Feet, hands, knees and the rest below the ground, or in what they stand on."""

from __future__ import annotations

import numpy as np

from reflexa.checks.model import Check, Finding, Limit, Measured, Subject
from reflexa.checks.slide import FOOT_LOCK
from reflexa.motion import stances
from reflexa.motion.arrays import Array
from reflexa.rig.foot_rest import stand_of
from reflexa.rig.rig import SIDES
from reflexa.rig.soles import soles, under_tracks

DEPTH = Limit(
    "penetration",
    3.0,
    "cm",
    "The depth that becomes visible if it lasts 0.1 s. Feet of captures sink in by up to 2.9 cm.",
)
MOMENT = Limit("penetration-moment", 8.0, "cm", "The depth that is visible even in a single frame.")
# For seconds; and a surface that is further above a point than this, metres, is beside it.
_LASTS, _ABOVE = 0.1, 0.15
# Of the height of an ankle over its sole, where no skin shows it, so much may be wrong.
_GUESSED = 0.4
# What else may be below the ground: one joint each.
_REST = ("head", "pelvis", "left shin", "right shin", "left forearm", "right forearm")


def depths(subject: Subject) -> list[Measured]:
    """How deep each stance sinks below the ground or prop."""
    out = []
    for stance, height in subject.heights():
        at = int(np.argmin(height))
        out.append(Measured(max(-100 * float(height[at]), 0.0), stance.joint, stance.frames, stance.frames[0] + at))
    return out


def _heights(subject: Subject) -> dict[str, Array]:
    """Per joint that may touch the ground how high it or what hangs on it is over what lies below ``(frames,)``, metres."""
    clip, rig = subject.clip, subject.rig
    names, placed = clip.skeleton.names, clip.model[1]
    out = {names[s.ankle]: subject.over(under_tracks(clip, s), _ABOVE) for s in soles(rig).values()}
    if not rig.meshes:  # how thick a sole is can only be guessed
        for side, s in soles(rig).items():
            out[names[s.ankle]] = out[names[s.ankle]] + _GUESSED * stand_of(rig, side).height
    for side in SIDES:
        hand = rig.joint(f"{side} hand")
        if hand >= 0:
            out[names[hand]] = subject.over((placed[:, j] for j in clip.skeleton.below(hand)), _ABOVE)
    for part in _REST:
        joint = rig.joint(part)
        if joint >= 0 and names[joint] not in out:
            out[names[joint]] = placed[:, joint, 1]
    return out


def _run(subject: Subject) -> list[Finding]:
    """One finding per stretch of time in which a part of the body is below the ground, or a foot below what it stands on."""
    from scipy.ndimage import minimum_filter1d  # takes its time to load

    rate, deep, moment = subject.clip.rate, subject.limit(DEPTH), subject.limit(MOMENT)
    feet = {subject.clip.skeleton.names[s.ankle] for s in soles(subject.rig).values()}
    width = max(1, round(_LASTS * rate))
    out = []
    for joint, height in _heights(subject).items():
        depth = -100 * height
        if depth.max() <= deep:
            continue
        lasting = minimum_filter1d(depth, width, mode="nearest") > deep
        for first, last, worst in stances.peaks(depth, deep):
            if lasting[first : last + 1].any() or depth[worst] > moment:
                size, foot = float(depth[worst]), joint in feet
                text = f"{joint} is {size:.1f} cm below " + ("the surface under it" if foot else "the ground")
                repair = FOOT_LOCK if foot else None
                out.append(Finding("penetration", joint, text, (first, last), worst, size, deep, "cm", repair))
    return out


CHECK = Check(
    "penetration", "Penetration", "A foot, hand or knee is below the ground, or in a prop.", _run, 20,
    limits=(DEPTH, MOMENT),
    about="ground",
)  # fmt: skip
