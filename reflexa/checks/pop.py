"""Joints that jump from one frame to the next."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from reflexa.checks.bridge import bridged
from reflexa.checks.model import Check, Finding, Limit, Subject, amount
from reflexa.motion import kernels
from reflexa.motion.arrays import Array

TURN = Limit("pop", 30.0, "°", "The jump between two frames that becomes visible.")
MOVE = Limit("pop-move", 6.0, "cm", "The jump between two frames that becomes visible.")
TIMES = Limit(
    "pop-times",
    3.0,
    "times",
    "How much larger the jump must be than the movement within half a second around it: fast movement is not a pop.",
)
_ABOUT, _LEAST = 0.5, (1.0, 0.2)  # seconds; degrees and cm that count as usual at least
# Pops of joints within so many frames are one.
_NEAR = 3


def off_course(rotations: Array) -> Array:
    """By how much the step to each frame is off the steps before and after, whichever is nearer: degrees ``(frames, joints)`` of
    rotations ``(frames, joints, 4)``; 0 where one of the steps is missing. A joint that only sets out or stops is not off."""
    return np.asarray(np.degrees(2 * np.arccos(_course(rotations))))


def _course(rotations: Array) -> Array:
    change, out = np.empty(rotations.shape[:2]), np.empty(rotations.shape[:2])
    kernels.changes.off_course(rotations, change, out)
    return out


def moved_off(translations: Array) -> Array:
    """The same in cm of translations ``(frames, joints, 3)``."""
    change, out = np.empty(translations.shape[:2]), np.empty(translations.shape[:2])
    kernels.changes.moved_off(translations, change, out)
    return 100 * out


def _pops(off: Array, limit: float, times: float, least: float, rate: float) -> list[tuple[int, int, float]]:
    """Frame, joint and size of each."""
    reach = max(4, round(_ABOUT * rate))
    out = []
    for f, j in np.argwhere(off > limit).tolist():
        about = np.arange(max(f - reach, 0), min(f + reach + 1, len(off)))
        # What is usual about a frame is the most of it but for the few frames of the pop itself.
        kept = off[about[np.abs(about - f) > 2], j]
        usual = float(np.percentile(kept, 95)) if len(kept) else 0.0
        if off[f, j] > times * max(usual, least):
            out.append((f, j, float(off[f, j])))
    return out


def _run(subject: Subject) -> list[Finding]:
    """One finding per moment at which joints pop, of the joint that does most."""
    clip = subject.clip
    if clip.frames < 6 or clip.stepped:
        return []
    names, times = clip.skeleton.names, subject.limit(TIMES)
    own = np.array([n not in subject.rig.helpers for n in names])  # helper joints go where others lead them
    turned = _course(clip.rotations)
    turns = np.zeros_like(turned)
    # Few are off at all: only those, and what is about them, need be told in degrees.
    if turned.min() < np.cos(np.radians(subject.limit(TURN) / 2)):
        turns = np.degrees(2 * np.arccos(turned))
    moves = moved_off(clip.translations)
    pops = [
        _Pop(f, j, size, limit)
        for off, limit, least in ((turns * own, TURN, _LEAST[0]), (moves * own, MOVE, _LEAST[1]))
        for f, j, size in _pops(off, subject.limit(limit), times, least, clip.rate)
    ]
    moments: list[list[_Pop]] = []
    for pop in sorted(pops, key=lambda p: p.frame):
        if moments and pop.frame - moments[-1][0].frame <= _NEAR:
            moments[-1].append(pop)
        else:
            moments.append([pop])
    return [_finding(subject, moment, (turns, moves)) for moment in moments]


class _Pop(NamedTuple):
    frame: int
    joint: int
    size: float
    limit: Limit


def _finding(subject: Subject, moment: list[_Pop], off: tuple[Array, Array]) -> Finding:
    clip, names = subject.clip, subject.clip.skeleton.names
    worst = max(moment, key=lambda p: p.size / subject.limit(p.limit))
    unit, name = worst.limit.unit, names[worst.joint]
    text = f"{name} pops by {amount(round(worst.size), unit)}"
    span = max(worst.frame - 1, 0), min(worst.frame + 1, clip.frames - 1)
    # A joint that pops and comes back is led across the frames between; one that stays away, across the jump.
    first, last = min(p.frame for p in moment), max(p.frame for p in moment)
    between = (first, last - 1) if last > first else (first - 2, first + 1)
    about = slice(max(first - 1, 0), last + 2)
    shares = [a[about].max(axis=0) > 0.25 * subject.limit(k) for a, k in zip(off, (TURN, MOVE), strict=True)]
    joints = [names[j] for j in np.flatnonzero(shares[0] | shares[1]).tolist()]
    repair = bridged(clip, joints, *between)
    return Finding("pop", name, text, span, worst.frame, worst.size, subject.limit(worst.limit), unit, repair)


CHECK = Check(
    "pop",
    "Pop",
    "A joint jumps from one frame to the next.",
    _run,
    25,
    limits=(TURN, MOVE, TIMES),
    about="joint",
    whole=True,
    fine="nothing pops",
    of_additive=True,
)
