"""Loops stay loops, twice is once, headings turn with the figure."""

from __future__ import annotations

import numpy as np

from quality import plain
from quality.figure import Figure
from quality.model import Case, Measure, worst
from quality.plain import Array


def seams(case: Case) -> list[Measure]:
    """How far a loop's last frame is from its first, travel taken out: no more than the source's plus 0.5 mm and 0.1°; and
    its velocity there plus 1 % of the largest."""
    if not (case.before.clip.loop and case.after.clip.loop):
        return []
    (m0, d0, v0), (m1, d1, v1) = (seam_of(f) for f in (case.before, case.after))
    last = case.after.clip.frames - 1
    return [
        Measure("seam", "mm", m1, m0, m0 + 0.5, last, ""),
        Measure("seam", "°", d1, d0, d0 + 0.1, last, ""),
        Measure("seam speed", "%", v1, v0, v0 + 1.0, last, ""),
    ]


def seam_of(f: Figure) -> tuple[float, float, float]:
    """Pose in mm and degrees, and velocity of places in % of the largest, against the seam."""
    axes, places = f.world
    joint = max(f.joint("root"), f.joint("pelvis"), 0) if f.joint("root") < 0 else f.joint("root")
    change = axes[-1, joint] @ axes[0, joint].T
    angle = np.arctan2(change[0, 2] - change[2, 0], change[0, 0] + change[2, 2])
    c, s = np.cos(angle), np.sin(angle)
    turn = np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]])
    move = (places[-1, joint] - turn @ places[0, joint]) * [1.0, 0.0, 1.0]
    first = places[0] @ turn.T + move
    mm = 1000 * float(np.linalg.norm(places[-1] - first, axis=-1).max())
    off = axes[-1] @ np.swapaxes(turn @ axes[0], -1, -2)
    degrees = float(np.degrees(np.linalg.norm(plain.rotation_vectors(off), axis=-1)).max())
    if len(places) < 4:
        return mm, degrees, 0.0
    out, into = places[1] - places[0], places[-1] - places[-2]
    largest = float(np.linalg.norm(np.diff(places, axis=0), axis=-1).max())
    # Over the seam a frame's worth of change is allowed, as it is from frame to frame everywhere else.
    usual = float(np.linalg.norm(np.diff(places, n=2, axis=0), axis=-1).max())
    jump = float(np.linalg.norm(into - out @ turn.T, axis=-1).max())
    return mm, degrees, 100 * max(0.0, jump - usual) / max(largest, 1e-9)


def twice(name: str, once: Figure, again: Figure) -> list[Measure]:
    """What a step changes in its own result: at most 0.5 mm and 0.1°."""
    away = 1000 * np.linalg.norm(again.world[1] - once.world[1], axis=-1)
    change = again.world[0] @ np.swapaxes(once.world[0], -1, -2)
    turned = np.degrees(np.linalg.norm(plain.rotation_vectors(change), axis=-1))
    names = once.clip.skeleton.names
    out = []
    for values, unit, bound in ((away, "mm", 0.5), (turned, "°", 0.1)):
        frame, joint = np.unravel_index(int(np.argmax(values)), values.shape)
        out.append(Measure(name, unit, float(values[frame, joint]), 0.0, bound, int(frame), names[int(joint)]))
    return out


def half_way(before: Array, half: Array, full: Array, where: str) -> list[Measure]:
    """How far the half-weighted place ``(frames, 3)`` is from the middle of the straight way: at most 3 cm."""
    off = 100 * np.linalg.norm(half - (before + full) / 2, axis=-1)
    return worst("half-way", "cm", [(where, off, 0.0, 3.0)])


def heading(case: Case, joint: int, of: int) -> list[Measure]:
    """The root turns about up no more, in a frame and in all, than the body does."""
    before, after = case.before.world[0][:, of], case.after.world[0][:, joint]
    step = [_about_up(a) for a in (before, after)]
    most = float(np.abs(plain.turned_by(before)).max(initial=0.0)) * case.before.rate
    out = worst("root turn", "°", [("root", np.abs(step[1]) * case.after.rate, most, 1.6 * most + 8)])
    total = np.abs(np.cumsum(step[1]))
    ends = float(np.abs(_chest_turn(case.before)))
    return out + worst("root winds", "°", [("root", total, ends, 1.6 * ends + 8)])


def _about_up(axes: Array) -> Array:
    return np.degrees(plain.rotation_vectors(axes[1:] @ np.swapaxes(axes[:-1], -1, -2))[:, 1])


def _chest_turn(f: Figure) -> float:
    """The most that the line across the hips turns about up, degrees, while it lies flat."""
    a, b = f.joint("left thigh"), f.joint("right thigh")
    if min(a, b) < 0:
        return 0.0
    line = f.world[1][:, a] - f.world[1][:, b]
    angle = np.unwrap(np.arctan2(line[:, 2], line[:, 0]))
    return float(np.degrees(np.ptp(angle)))
