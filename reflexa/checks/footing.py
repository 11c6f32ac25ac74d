"""Feet that slide, sink or hover while they stand."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np

from reflexa.checks.model import Finding, Subject
from reflexa.motion import contacts
from reflexa.motion.quat import Array
from reflexa.stage import surface_under
from reflexa.steps.footing import Footing, Thresholds, footing

# A point this much over the lowest of its stance is leaving the ground, metres.
_LEAVING = 0.01
# What is seen in a game at arm's length (common practice, no source), cm.
SLIDE_CM, DEPTH_CM, OVER_CM, STANDS_CM = 1.0, 1.0, 2.0, 15.0


@dataclass(frozen=True)
class Measured:
    """The largest of one kind over a clip, in cm; joint and frames: where; empty where there is nothing to measure."""

    size: float = 0.0
    joint: str = ""
    frames: tuple[int, int] = (0, 0)
    worst: int = 0


def foot_slide(subject: Subject) -> list[Finding]:
    """One finding per stance in which heel and ball both leave their place."""
    return [
        Finding(
            "foot slide", m.joint, f"{m.joint} slides {m.size:.1f} cm while it stands", m.frames, m.worst, m.size, SLIDE_CM,
            "cm", "plants",
        ) for m in slides(subject) if m.size > SLIDE_CM
    ]  # fmt: skip


def foot_height(subject: Subject) -> list[Finding]:
    """One finding per stance in which the sole is below what it stands on, or hovers over it."""
    out = []
    for m in depths(subject):
        if m.size > DEPTH_CM:
            text = f"{m.joint} is {m.size:.1f} cm below what it stands on"
            out.append(Finding("penetration", m.joint, text, m.frames, m.worst, m.size, DEPTH_CM, "cm", "plants"))
    for m in floats(subject):
        if m.size > OVER_CM:
            # So high nobody hovers: what it stands on is not on the stage.
            missing = m.size > STANDS_CM
            text = f"{m.joint} hovers {m.size:.1f} cm over what it stands on"
            if missing:
                text = f"{m.joint} stands {m.size:.1f} cm over the ground, and no prop is there for it to stand on"
            step = "" if missing else "plants"
            out.append(Finding("float", m.joint, text, m.frames, m.worst, m.size, OVER_CM, "cm", step))
    return out


def slides(subject: Subject) -> list[Measured]:
    """How far each stance slides."""
    out = []
    for joint, f, (a, b) in _stances(subject):
        own = slice(a, b + 1)
        heel, ball = f.sole.points(subject.clip.model[0][own], subject.clip.model[1][own])
        away = np.full((2, b + 1 - a), np.inf)
        for i, (track, stands) in enumerate(((heel, f.heel_stands[own]), (ball, f.ball_stands[own]))):
            # A foot that is leaving the ground, or not quite there, is not what slides.
            low = track[:, 1] < (track[stands, 1].min() if stands.any() else 0.0) + _LEAVING
            for x, y in contacts.spans(stands & low):
                away[i, x : y + 1] = np.linalg.norm((track[x : y + 1] - track[x])[:, [0, 2]], axis=-1)
        least = away.min(axis=0)
        out.append(_most(np.where(np.isinf(least), 0.0, 100 * least), joint, (a, b)))
    return out


def depths(subject: Subject) -> list[Measured]:
    """How deep each stance sinks below the ground or prop."""
    return [_most(-100 * low, joint, span) for joint, low, span in _heights(subject)]


def floats(subject: Subject) -> list[Measured]:
    """How high each stance is over the ground or prop: its lowest point, at the frame where that is lowest."""
    out = []
    for joint, low, span in _heights(subject):
        at = int(np.argmin(low))
        out.append(Measured(max(100 * float(low[at]), 0.0), joint, span, span[0] + at))
    return out


# Several findings are read off the same stances.
@lru_cache(maxsize=2)
def _heights(subject: Subject) -> list[tuple[str, Array, tuple[int, int]]]:
    """Per stance the height of the lowest point of the sole over what lies below it ``(frames of the stance,)``, metres."""
    out = []
    turned, placed = subject.clip.model
    for joint, f, (a, b) in _stances(subject):
        frames = np.arange(a, b + 1)
        points = f.sole.underside(turned[frames], placed[frames])
        over = [p[:, 1] - surface_under(subject.stage, subject.clip, p, frames=frames).height for p in points]
        out.append((joint, np.min(over, axis=0), (a, b)))
    return out


@lru_cache(maxsize=2)
def _stances(subject: Subject) -> list[tuple[str, Footing, tuple[int, int]]]:
    """Every stance: joint, foot, first and last frame. A clip made on the spot has none: its feet are meant to go back."""
    clip, rig = subject.clip, subject.rig
    out = []
    floor: Literal["stage", "feet"] = "stage" if subject.stage.props else "feet"
    for f in footing(clip, rig, subject.stage, Thresholds(slack=1.0), floor, "world").values():
        out += [(clip.skeleton.names[f.sole.ankle], f, span) for span in contacts.spans(f.stands)]
    return out


def _most(values: Array, joint: str, span: tuple[int, int]) -> Measured:
    at = int(np.argmax(values))
    return Measured(max(float(values[at]), 0.0), joint, span, span[0] + at)
