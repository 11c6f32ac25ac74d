"""Joints that jump from one frame to the next."""

from __future__ import annotations

import numpy as np

from reflexa.checks.model import Check, Finding, Subject
from reflexa.motion import quat
from reflexa.motion.arrays import Array

# A joint pops where one step of it is off those before and after by more than this, degrees (one that only sets out or stops is
# not), and by so many times what it is within half a second about it.
POP_DEG, _TIMES, _ABOUT = 30.0, 3.0, 0.5


def off_course(rotations: Array) -> Array:
    """By how much the step to each frame is off the steps before and after, whichever is nearer: degrees ``(frames, joints)`` of
    rotations ``(frames, joints, 4)``; 0 where one of the steps is missing."""
    step = quat.multiply(quat.conjugate(rotations[:-1]), rotations[1:])
    change = quat.multiply(quat.conjugate(step[:-1]), step[1:])
    off = np.degrees(quat.angle(change))
    none = np.zeros((1, rotations.shape[1]))
    return np.concatenate([none, none, np.minimum(off[:-1], off[1:]), none])


def _run(subject: Subject) -> list[Finding]:
    """One finding per moment at which joints pop, of the joint that does most."""
    clip = subject.clip
    if clip.frames < 6 or clip.stepped:
        return []
    off = off_course(clip.rotations)
    reach = max(4, round(_ABOUT * clip.rate))
    padded = np.concatenate([np.zeros((reach, off.shape[1])), off, np.zeros((reach, off.shape[1]))])
    windows = np.lib.stride_tricks.sliding_window_view(padded, 2 * reach + 1, axis=0)
    # What is usual about a frame is the most of it but for the few frames of the pop itself.
    keep = np.abs(np.arange(-reach, reach + 1)) > 2
    candidates = np.argwhere(off > POP_DEG)
    found: dict[int, tuple[float, int]] = {}
    for f, j in candidates.tolist():
        usual = float(np.percentile(windows[f, j][keep], 95))
        if off[f, j] > _TIMES * max(usual, 1.0):
            near = next((k for k in found if abs(k - f) <= 3), f)
            if off[f, j] > found.get(near, (0.0, 0))[0]:
                found[near] = float(off[f, j]), j
    names = clip.skeleton.names
    last = clip.frames - 1
    return [
        Finding(
            "pop", names[j], f"{names[j]} pops by {size:.0f}°", (max(f - 1, 0), min(f + 1, last)), f, size, POP_DEG, "°"
        )
        for f, (size, j) in sorted(found.items())
    ]


CHECK = Check("pop", "Pop", "A joint jumps from one frame to the next.", _run, 30, ("pop",))
