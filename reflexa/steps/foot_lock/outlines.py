"""Where feet and hands are held, as strokes on what they stand on."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.contact import Contact
from reflexa.rig import Rig
from reflexa.rig.soles import Sole, soles


@dataclass(frozen=True, eq=False)
class Outlines:
    """Strokes ``(n, 2, 3)`` in the world, and which contact each belongs to ``(n,)``."""

    ends: Array
    of: NDArray[np.intp]


def outlines(clip: Clip, rig: Rig, contacts: tuple[Contact, ...]) -> Outlines:
    """The rim of each sole where it is held, and a cross where a hand is. Contacts that are left out have none."""
    known, (turned, placed) = soles(rig), clip.model
    ends, of = [np.zeros((0, 2, 3))], [np.zeros(0, dtype=np.intp)]
    for i, p in enumerate(contacts):
        if not p.on or p.first >= clip.frames or rig.joint(p.limb) < 0:
            continue
        side, _, part = p.limb.partition(" ")
        if part != "foot":
            own = placed[p.first, rig.joint(p.limb)] + 0.04 * np.stack([-np.eye(3), np.eye(3)], axis=1)
        elif side in known:
            at = _flat(p, clip.frames)
            own = _rim(known[side], turned[at], placed[at])
        else:
            continue
        ends.append(own)
        of.append(np.full(len(own), i))
    return Outlines(np.concatenate(ends), np.concatenate(of))


def _flat(p: Contact, frames: int) -> int:
    """A frame at which heel and ball bear: before it comes down and after it lifts, the foot is not flat."""
    at = (p.ball_from + p.heel_to) // 2 if p.ball_from <= p.heel_to else p.ball_from
    return min(max(at, p.first), p.last, frames - 1)


def _rim(sole: Sole, turned: Array, placed: Array) -> Array:
    """The rim of a sole in a pose as strokes ``(4, 2, 3)``, a little above what it stands on."""
    points = sole.underside(turned[None], placed[None])[:, 0]
    heel, end = points[0], points[-1]
    way = (end - heel) * [1.0, 0.0, 1.0]
    across = np.array([way[2], 0.0, -way[0]]) * 0.19
    rim = np.array([heel - 0.7 * across, heel + 0.7 * across, end + across, end - across, heel - 0.7 * across])
    rim[:, 1] += 0.004
    return np.stack([rim[:-1], rim[1:]], axis=1)
