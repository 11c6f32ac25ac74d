"""Bodies that touch: hands that stay together, and arms that stay out of the body, by their skin."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from quality.figure import SIDES, Figure
from quality.model import Case, Measure, worst
from quality.plain import Array
from reflexa.contacts.bodies import body_for
from reflexa.motion import kernels, quat
from reflexa.motion.kernels.parts import Model
from reflexa.rig import Rig
from reflexa.rig.limbs import limb_of
from reflexa.rig.mesh import skin_of
from reflexa.solve.arms import arm_depths

# Hands within this of each other, as a share of the figure's height, hold one thing (a 20th: wrists 9 cm apart, or one rope).
_TOGETHER = 0.105
# So many points of an arm's skin are looked at.
_POINTS = 80


def _ends(f: Figure) -> tuple[Array, Array] | None:
    out = []
    for side in SIDES:
        j = f.joint(f"{side} hand")
        end = f.world[1][:, j] if j >= 0 else f.tip(f.joint(f"{side} forearm"))
        if end is None:
            return None
        out.append(end)
    return out[0], out[1]


def hands_apart(case: Case) -> list[Measure]:
    """Hands that the source keeps together: their distance within 2 cm of the source's, scaled, their direction within 10°."""
    before, after = _ends(case.before), _ends(case.after)
    if before is None or after is None or case.before.clip.frames != case.after.clip.frames:
        return []
    scale = np.array([case.factor[0], case.factor[1], case.factor[0]])
    was, now = (before[1] - before[0]) * scale, after[1] - after[0]
    together = np.linalg.norm(before[1] - before[0], axis=1) < _TOGETHER * case.before.rig.height
    if not together.any():
        return []
    sizes = np.linalg.norm(was, axis=1), np.linalg.norm(now, axis=1)
    cosine = np.sum(was * now, axis=1) / np.maximum(sizes[0] * sizes[1], 1e-9)
    off = np.where(together, 1000 * np.abs(sizes[1] - sizes[0]), -np.inf)
    turned = np.where(together, np.degrees(np.arccos(np.clip(cosine, -1, 1))), -np.inf)
    return worst("hands", "mm", [("both", off, 0.0, 20.0)]) + worst("hands", "°", [("both", turned, 0.0, 10.0)])


@lru_cache(maxsize=16)
def _skin(rig: Rig, side: str) -> tuple[tuple[int, Array], ...]:
    """Points of the skin of a forearm and hand, each joint's in its own axes."""
    turned, placed = rig.neutral.rest_model
    joints = [j for p in ("forearm", "hand") if (j := rig.joint(f"{side} {p}")) >= 0]
    out = []
    for j in joints:
        points = skin_of(rig.meshes, [j], (turned, placed))
        points = points[:: max(1, len(points) // (_POINTS // 2))]
        out.append((j, quat.rotate(quat.conjugate(turned[j]), points - placed[j])))
    return tuple(out)


def inside(case: Case) -> list[Measure]:
    """How deep the skin of arms is in trunk, head and legs: at most 1 cm deeper than the source's arms, scaled."""
    rig = case.after.rig
    if not rig.meshes or case.before.clip.frames != case.after.clip.frames:
        return []
    found = []
    turned, placed = case.after.clip.model
    for side in SIDES:
        if limb_of(rig, f"{side} hand") is None or limb_of(case.before.rig, f"{side} hand") is None:
            continue
        was = arm_depths(case.before.rig, side, case.before.clip.model).max(axis=1) * case.factor[0]
        points = [
            placed[:, j, None] + quat.rotate(turned[:, j, None], own[None]) for j, own in _skin(rig, side) if len(own)
        ]
        if not points:
            continue
        at = np.concatenate(points, axis=1)
        deep = np.zeros(at.shape[:2])
        kernels.blocks.entries(body_for(rig, side), np.zeros(at.shape[1]), Model(turned, placed), at, deep)
        over = 1000 * (deep.max(axis=1) - was)
        found.append((f"{side} arm", over, 0.0, 10.0))
    return worst("in the body", "mm", found)
