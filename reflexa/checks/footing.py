"""Feet that slide, sink or hover while they stand."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from reflexa.checks.model import Finding, Subject
from reflexa.motion import contacts
from reflexa.motion.arrays import Array
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
        points = f.sole.points(subject.clip.model[0][own], subject.clip.model[1][own])
        heel, ball = (_down(p, s[own]) for p, s in zip(points, (f.heel_stands, f.ball_stands), strict=True))
        far, frame = contacts.slide(points, (heel, ball))
        out.append(Measured(100 * far, joint, (a, b), a + frame))
    return out


def _down(track: Array, stands: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """When a standing point is all down: one that is leaving the ground, or not quite there, is not what slides."""
    return stands & (track[:, 1] < (track[stands, 1].min() if stands.any() else 0.0) + _LEAVING)


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
    for f in footing(clip, rig, subject.stage, Thresholds(slack=1.0), floor, on_spot=False).values():
        out += [(clip.skeleton.names[f.sole.ankle], f, span) for span in contacts.spans(f.stands)]
    return out


def _most(values: Array, joint: str, span: tuple[int, int]) -> Measured:
    at = int(np.argmax(values))
    return Measured(max(float(values[at]), 0.0), joint, span, span[0] + at)
