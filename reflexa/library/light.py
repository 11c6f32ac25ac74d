"""A light figure: the few strokes and poses of a clip that a preview needs, without its file."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.rig import Rig

# Poses a second, and how many a clip has at least and at most.
_RATE, _LEAST, _MOST = 12.0, 2, 72
_POINTS = 32
_STEPS = 65535
# How thick a stroke is, as a share of the figure's height, by the part that it leads to.
_WIDTHS = {
    "spine": 0.115, "neck": 0.05, "head": 0.055, "clavicle": 0.06, "upper arm": 0.05, "forearm": 0.045, "hand": 0.04,
    "thigh": 0.085, "shin": 0.065, "foot": 0.05, "toes": 0.04,
}  # fmt: skip
_THIN = 0.028
_SKULL, _HEAD = 0.115, 0.1
_FLOOR = 0.2
# Of the poses the furthest from their mean are left out when the telling one is looked for: stray ones are among them.
_STRAY = 0.8


@dataclass(frozen=True)
class Strokes:
    """Which points of a rig a light figure has, in an order in which each stands behind the one it hangs on.

    joints: index of the joint of each point; ends: is it the tip of that joint's bone; above: the point it hangs on, or -1;
    sides: "left", "right" or "centre"; widths: of the stroke that leads to it, share of the height."""

    joints: tuple[int, ...]
    ends: tuple[bool, ...]
    above: tuple[int, ...]
    sides: tuple[str, ...]
    widths: tuple[float, ...]


@dataclass(frozen=True, eq=False)
class Light:
    """Poses of a clip: ``points`` (poses, points) x 3 as whole numbers, which ``places`` makes metres of again."""

    points: NDArray[np.uint16]
    low: float
    size: float

    @property
    def scale(self) -> tuple[float, float]:
        """Metres of a step of ``points``, and of their 0."""
        return self.size / _STEPS, self.low

    @property
    def all_places(self) -> Array:
        """Places ``(poses, points, 3)`` in metres, at every pose."""
        return np.asarray(self.points * (self.size / _STEPS) + self.low)

    def places(self, pose: float) -> Array:
        """Places ``(points, 3)`` in metres at a pose, between two of them where it is no whole number."""
        a = int(pose) % len(self.points)
        b = min(a + 1, len(self.points) - 1)
        share = pose - int(pose)
        mixed = self.points[a] * (1 - share) + self.points[b] * share
        return np.asarray(mixed * (self.size / _STEPS) + self.low)


def strokes(rig: Rig) -> Strokes:
    """The points that tell a figure: its mapped parts without fingers, and free chains; of a rig that has no parts to speak of
    whatever joints come first."""
    s, names = rig.skeleton, rig.skeleton.names
    fingers = {n for part, all_ in rig.body_map.items() if part.endswith(("finger", "thumb")) for n in all_}
    mapped = {n for part, all_ in rig.body_map.items() if part != "root" for n in all_} - fingers
    chained = {n for line in rig.chains.values() for n in line}
    chosen = [j for j, n in enumerate(names) if n in mapped or n in chained]
    if len(chosen) < 4:
        chosen = list(range(len(names)))
    if len(chosen) > _POINTS:
        kept = [j for j in chosen if names[j] in mapped]
        chosen = sorted((kept + [j for j in chosen if j not in set(kept)])[:_POINTS])
    at = {j: i for i, j in enumerate(chosen)}
    above = []
    for j in chosen:
        up = int(s.parents[j])
        while up >= 0 and up not in at:
            up = int(s.parents[up])
        above.append(at.get(up, -1))
    joints, ends, sides, widths = list(chosen), [False] * len(chosen), [], []
    for j in chosen:
        side, part = rig.side_of[j], (rig.part_of(names[j]) or "").replace("left ", "").replace("right ", "")
        sides.append(side if side in ("left", "right") else "centre")
        widths.append(_WIDTHS.get(part, _THIN))
    for i, j in enumerate(chosen):
        if i not in above and _tip(rig, j) is not None:
            joints.append(j)
            ends.append(True)
            above.append(i)
            sides.append(sides[i])
            widths.append(_SKULL if rig.part_of(names[j]) == "head" else widths[i])
    return Strokes(tuple(joints), tuple(ends), tuple(above), tuple(sides), tuple(widths))


def _tip(rig: Rig, joint: int) -> Array | None:
    """The end of a joint's bone in its own axes; of a head that has none as far on as the skull goes."""
    name = rig.skeleton.names[joint]
    tip = rig.tips.get(name)
    if tip is not None and np.linalg.norm(tip) > 1e-6:
        return tip
    parent = int(rig.skeleton.parents[joint])
    if rig.part_of(name) != "head" or parent < 0:
        return None
    turned, placed = rig.skeleton.rest_model
    way = placed[joint] - placed[parent]
    long = float(np.linalg.norm(way))
    if long < 1e-6:
        return None
    return np.asarray(quat.rotate(quat.conjugate(turned[joint]), way / long) * _HEAD * rig.height)


def light(clip: Clip, rig: Rig, drawn: Strokes) -> Light:
    """The poses of a clip, in place: over the ground it stays where it is."""
    count = int(np.clip(round(clip.duration * _RATE) + 1, _LEAST, _MOST))
    frames = np.unique(np.round(np.linspace(0, clip.frames - 1, count)).astype(int))
    turned, placed = clip.model[0][frames], clip.model[1][frames]
    joints = np.array(drawn.joints)
    points = np.array(placed[:, joints])
    for i, (j, end) in enumerate(zip(drawn.joints, drawn.ends, strict=True)):
        tip = _tip(rig, j) if end else None
        if tip is not None:
            points[:, i] += np.asarray(quat.rotate(turned[:, j], tip))
    body = rig.joint("pelvis")
    points[:, :, [0, 2]] -= placed[:, None, body if body >= 0 else rig.travel_joint, [0, 2]]
    # The floor is where the lowest point of the figure mostly is: the clip's own, whatever its rest pose says.
    points[:, :, 1] -= np.quantile(points[:, :, 1].min(axis=1), _FLOOR)
    low = float(points.min())
    size = max(float(points.max()) - low, 1e-6)
    return Light(np.round((points - low) * (_STEPS / size)).astype(np.uint16), low, size)


def telling(shown: Light) -> int:
    """The pose that says most: the one that is furthest from the mean of them all, strays aside."""
    off = ((shown.points - shown.points.mean(axis=0)) ** 2).sum(axis=(1, 2))
    return int(np.argmax(np.where(off <= np.quantile(off, _STRAY), off, -1.0)))
