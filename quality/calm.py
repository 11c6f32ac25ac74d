"""No new pops, no spinning limbs, straight limbs calm."""

from __future__ import annotations

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view

from quality import plain
from quality.figure import Figure
from quality.model import Case, Measure, worst
from quality.plain import Array


def pops(case: Case) -> list[Measure]:
    """The largest turn of a joint in the world from frame to frame: 1.6 times the source's largest plus 8°."""
    before, after = (plain.turned_by(f.world[0]) * f.rate for f in (case.before, case.after))
    names = case.after.clip.skeleton.names
    found = []
    for a, b in case.joints:
        most = float(before[:, a].max(initial=0.0))
        found.append((names[b], after[:, b], most, 1.6 * most + 8))
    return worst("turn", "°", found)


def jerks(case: Case) -> list[Measure]:
    """The second difference of knee and elbow angles: 1.6 times the source's largest plus 3°."""
    found = []
    for a, b in case.limbs:
        x, y = _second(case.before, a), _second(case.after, b)
        if x is not None and y is not None:
            most = float(x.max(initial=0.0))
            found.append((b, y, most, 1.6 * most + 3))
    return worst("bend jerk", "°", found)


def _second(f: Figure, limb: str) -> Array | None:
    """Second difference of a bend over thirtieths of a second, at every frame in between."""
    bend = f.bends.get(limb)
    s = max(1, round(f.rate))
    if bend is None or len(bend) < 2 * s + 1:
        return None
    return np.asarray(np.abs(bend[2 * s :] - 2 * bend[s:-s] + bend[: -2 * s]))


def spins(case: Case) -> list[Measure]:
    """Thighs and upper arms about their own axis: as for turns."""
    found = []
    parts = {"knee": "thigh", "elbow": "upper arm"}
    for a, b in case.limbs:
        x, y = (f"{n.split()[0]} {parts[n.split()[1]]}" for n in (a, b))
        if x in case.before.spins and y in case.after.spins:
            most = float(case.before.spins[x].max(initial=0.0)) * case.before.rate
            found.append((y, case.after.spins[y] * case.after.rate, most, 1.6 * most + 8))
    return worst("spin", "°", found)


def straight(case: Case) -> list[Measure]:
    """No knee or elbow straighter than 178° unless the source's was."""
    found = []
    for a, b in case.limbs:
        if a in case.before.bends and b in case.after.bends:
            most = float(case.before.bends[a].max())
            found.append((b, case.after.bends[b], most, max(178.0, most + 0.3)))
    return worst("straight", "°", found)


def calm(case: Case) -> list[Measure]:
    """Within half a second a bend varies by no more than 1.6 times the source's plus 10°: 3° do not become 15°."""
    found = []
    for a, b in case.limbs:
        if b in case.on_purpose or a not in case.before.bends or b not in case.after.bends:
            continue
        x, y = case.before.bends[a], case.after.bends[b]
        w = max(2, round(case.before.clip.rate / 2))
        if len(x) <= w or len(x) != len(y):
            continue
        u, v = (np.ptp(sliding_window_view(z, w), axis=1) for z in (x, y))
        most = float(u[int(np.argmax(v - 1.6 * u))])
        found.append((b, v - 1.6 * u - 10, most, 0.0))
    return worst("swing", "° over", found)


def led(f: Figure, root: int, end: int) -> float:
    """By how many degrees a thirtieth of a second the line from one joint to another turns at most."""
    way = plain.unit(f.world[1][:, end] - f.world[1][:, root])
    return float(plain.angle_between(way[1:], way[:-1]).max(initial=0.0)) * f.rate
