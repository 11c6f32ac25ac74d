"""How good a retarget is, in numbers: directions, slide, soles, reach."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from reflexa.motion import quat, stances
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.limbs import Posed
from reflexa.rig import Rig
from reflexa.rig.foot_rest import standing
from reflexa.rig.match import Match, Segment
from reflexa.rig.soles import soles as soles_of
from reflexa.steps.retarget.contact import Contacts, sole_points
from reflexa.steps.retarget.step import RetargetSettings
from reflexa.steps.retarget.transfer import moved_joints, transfer, turn_of


@dataclass(frozen=True)
class Number:
    """One measured thing: its median and its largest value (unit as the list says), and the frame of the largest."""

    name: str
    joint: str
    median: float
    most: float
    frame: int


@dataclass(frozen=True)
class Slide:
    """How far a standing foot slides at most within one contact, mm: scaled source, before and after the contact pass."""

    name: str
    joint: str
    source: float
    before: float
    after: float
    frame: int


@dataclass(frozen=True)
class Quality:
    """directions in degrees (after everything), before the contact pass; slides and soles in mm; shortfalls in mm.

    soles: per foot, the lowest point of its standing sole against where it is to be, mm (median, furthest off).
    sunk: how far the pelvis gave way at most, mm.
    """

    directions: tuple[Number, ...]
    before: tuple[Number, ...]
    slides: tuple[Slide, ...]
    soles: tuple[Number, ...]
    short: tuple[Number, ...]
    sunk: float


def measured(clip: Clip, made: tuple[Clip, Match, Posed, Contacts], settings: RetargetSettings) -> Quality:
    """Measure what ``run`` made of a clip."""
    out, m, posed, reached = made
    target = m.target
    raw = transfer(clip, m, settings.root, moved_joints(clip, m)[0])
    names = target.skeleton.names
    after_points = sole_points(posed.turned, posed.placed, m)
    before_points = sole_points(raw.turned, raw.placed, m)
    slides, soles = [], []
    for side, tracks in reached.tracks.items():
        stands = reached.standing[side]
        joint = names[target.joint(f"{side} foot")]
        # On the scaled source, before the contact pass, after it.
        (source_mm, _), (before_mm, _), (after_mm, frame) = (
            stances.slide(points, stands) for points in (tracks, before_points[side], after_points[side])
        )
        slides.append(Slide(f"{side} foot", joint, 1000 * source_mm, 1000 * before_mm, 1000 * after_mm, frame))
        both = stands[0] | stands[1]
        if both.any():
            low = soles_of(target)[side].lowest(posed.turned, posed.placed)
            off = 1000 * (low - reached.lows[side])
            number = _number(f"{side} sole", joint, off[both])
            soles.append(replace(number, frame=int(np.flatnonzero(both)[number.frame])))
    short = [_number(n, names[target.joint(n)], 1000 * v) for n, v in reached.short.items()]
    sunk = 0.0 if reached.sunk is None else float(reached.sunk.max() * 1000)
    return Quality(
        tuple(_directions(clip, m, out.model[0], out.model[1])), tuple(_directions(clip, m, raw.turned, raw.placed)),
        tuple(slides), tuple(soles), tuple(short), sunk,
    )  # fmt: skip


def _number(name: str, joint: str, values: Array) -> Number:
    worst = int(np.argmax(np.abs(values)))
    return Number(name, joint, float(np.median(values)), float(values[worst]), worst)


def _directions(clip: Clip, m: Match, turned: Array, placed: Array) -> list[Number]:
    """Per limb segment, the angle between where it points on both rigs; a foot's from flat on the ground on each."""
    goal = quat.multiply(m.aligned, standing(m.target).rest_model[0])
    groups: dict[str, list[tuple[Segment, Array]]] = {}
    for seg in m.segments:
        a, b = seg.source[0], seg.target[0]
        if seg.part.endswith("foot"):
            own = quat.multiply(turned[:, b], quat.conjugate(goal[b]))
            x, y = quat.rotate(turn_of(clip, m, a), m.target.facing), quat.rotate(own, m.target.facing)
        else:
            x = _segment(m.source, seg.source, *clip.model)
            x = quat.rotate(m.turn, x)
            y = _segment(m.target, seg.target, turned, placed)
        error = np.degrees(np.arctan2(np.linalg.norm(np.cross(x, y), axis=-1), np.sum(x * y, axis=-1)))
        groups.setdefault(seg.part, []).append((seg, error))
    out = []
    for part, found in groups.items():
        seg, error = max(found, key=lambda f: float(f[1].max()))
        out.append(_number(part, m.target.skeleton.names[seg.target[0]], error))
    return out


def _segment(rig: Rig, ends: tuple[int, int], turned: Array, placed: Array) -> Array:
    a, b = ends
    if b >= 0:
        return np.asarray(placed[:, b] - placed[:, a])
    return quat.rotate(turned[:, a], rig.tips[rig.skeleton.names[a]])
