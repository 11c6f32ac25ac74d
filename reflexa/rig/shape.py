"""Body parts from the shape of the rest pose alone, where names say nothing."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from reflexa.motion.arrays import Array
from reflexa.motion.skeleton import Skeleton
from reflexa.rig.bodymap import FINGERS

# What a figure must at least have to be called one with arms and legs.
CORE = (
    "pelvis",
    *(f"{s} {p}" for s in ("left", "right") for p in ("thigh", "shin", "foot", "upper arm", "forearm", "hand")),
)


def find(
    skeleton: Skeleton, side_of: list[str], partner: dict[int, int], up: Array, tips: Mapping[str, Array]
) -> dict[str, list[int]]:
    """Body part → joint indices, as far as paired limbs, their length and their place tell.

    The legs are the pair of limbs that reaches the ground (the hindmost pair on the hierarchy where several do); the
    joint that carries both is the pelvis; the arms are the longest pair further up. Empty where there are no legs.
    """
    placed = skeleton.rest_model[1]
    ends = {skeleton.index[n]: float(np.linalg.norm(tip)) for n, tip in tips.items()}
    height = placed @ up
    size = max(float(np.ptp(height)), 1e-9)
    reach = _reaches(skeleton)
    limbs = [
        _main_line(skeleton, j, side_of, reach) for j in range(len(skeleton))
        if side_of[j] == "left" and j in partner and not _carried_by_own_side(skeleton, j, side_of)
    ]  # fmt: skip
    legs = [
        line for line in limbs
        if height[line].min() < height.min() + 0.15 * size and _length(placed, line) > 0.25 * size and len(line) > 2
    ]  # fmt: skip
    if not legs:
        return {}
    leg = min(legs, key=lambda line: (len(skeleton.above(line[0])), line[0]))
    out: dict[str, list[int]] = {}
    pelvis = _centre_above(skeleton, leg[0], side_of)
    if pelvis < 0:
        return {}
    out["pelvis"] = [pelvis]
    top = [pelvis]
    while skeleton.parents[top[-1]] >= 0:
        top.append(int(skeleton.parents[top[-1]]))
    if len(top) > 1:
        out["root"] = [top[-1]]
    _limb(out, placed, leg, ("", "thigh", "shin", "foot", "toes"), partner, ends)
    arms = [
        line for line in limbs
        if line not in legs and len(line) > 1 + (line[-1] not in ends) and _length(placed, line) > 0.1 * size
        and pelvis in skeleton.above(line[0])
    ]  # fmt: skip
    centre = {j for j in skeleton.below(pelvis) if not side_of[j] and j != pelvis and j not in partner}
    if arms:
        arm = max(arms, key=lambda line: _length(placed, line))
        _limb(out, placed, arm, ("clavicle", "upper arm", "forearm", "hand", ""), partner, ends)
        if "left hand" in out:
            _fingers(out, skeleton, placed, out["left hand"][0], partner)
        carrier = _centre_above(skeleton, arm[0], side_of)
        spine = [j for j in (*skeleton.above(carrier), carrier) if j in centre]
        over = _upwards(skeleton, carrier, centre, height, reach)
    else:
        spine, over = _upwards(skeleton, pelvis, centre, height, reach), []
    if spine:
        out["spine"] = sorted(spine)
    if over:
        out["head"] = [over[-1]]
        if over[:-1]:
            out["neck"] = over[:-1]
    return out


def _carried_by_own_side(skeleton: Skeleton, joint: int, side_of: list[str]) -> bool:
    parent = int(skeleton.parents[joint])
    return parent >= 0 and side_of[parent] == side_of[joint]


def _centre_above(skeleton: Skeleton, joint: int, side_of: list[str]) -> int:
    return next((j for j in skeleton.above(joint) if not side_of[j]), -1)


def _reaches(skeleton: Skeleton) -> list[float]:
    """Per joint, the length of the longest way down from it, its own bone included."""
    out = np.linalg.norm(skeleton.rest_translations, axis=-1).tolist()
    longest = [0.0] * len(skeleton)
    for j in range(len(skeleton) - 1, -1, -1):
        out[j] += longest[j]
        if (parent := int(skeleton.parents[j])) >= 0:
            longest[parent] = max(longest[parent], out[j])
    return list(out)


def _main_line(skeleton: Skeleton, joint: int, side_of: list[str], reach: list[float]) -> list[int]:
    line = [joint]
    while below := [c for c in skeleton.children[line[-1]] if side_of[c] == side_of[joint]]:
        if len(below) >= 3:
            break  # fingers, toes, feathers: the limb ends here
        line.append(max(below, key=reach.__getitem__))
    return line


def _length(placed: Array, line: list[int]) -> float:
    return float(np.linalg.norm(np.diff(placed[line], axis=0), axis=-1).sum())


def _limb(
    out: dict[str, list[int]], placed: Array, line: list[int], parts: tuple[str, ...], partner: dict[int, int],
    ends: Mapping[int, float],
) -> None:  # fmt: skip
    """Name a limb's joints: its two longest bones in a row are the upper and the lower one."""
    before, upper, lower, end, beyond = parts
    bones = np.linalg.norm(np.diff(placed[line], axis=0), axis=-1)
    if len(line) == 2:
        bones = np.append(bones, ends[line[-1]])
    i = int(np.argmax(bones[:-1] + bones[1:]))
    if (
        before
        and i == 0
        and len(line) > 3
        and _apart(placed, line[0], partner) < 0.5 * _apart(placed, line[1], partner)
    ):
        i = 1  # it starts by the breastbone: the first bone is the clavicle, however long
    named = [(upper, i), (lower, i + 1)]
    if i + 2 < len(line):
        named.append((end, i + 2))
    if before and i > 0:
        named.append((before, i - 1))
    if beyond and i + 3 < len(line):
        named.append((beyond, i + 3))
    for part, at in named:
        out[f"left {part}"] = [line[at]]
        if line[at] in partner:
            out[f"right {part}"] = [partner[line[at]]]


def _apart(placed: Array, joint: int, partner: dict[int, int]) -> float:
    return float(np.linalg.norm(placed[joint] - placed[partner.get(joint, joint)]))


def _fingers(out: dict[str, list[int]], skeleton: Skeleton, placed: Array, hand: int, partner: dict[int, int]) -> None:
    """Five lines of joints from the hand: the thumb leaves nearest to the wrist, the others lie in a row from it."""
    starts = [c for c in skeleton.children[hand] if c in partner and skeleton.children[c]]
    if len(starts) != 5:
        return
    thumb = min(starts, key=lambda j: float(np.linalg.norm(placed[j] - placed[hand])))
    others = sorted((j for j in starts if j != thumb), key=lambda j: float(np.linalg.norm(placed[j] - placed[thumb])))
    for part, start in zip(FINGERS, (thumb, *others), strict=True):
        line = [start]
        while below := skeleton.children[line[-1]]:
            line.append(below[0])
        if all(j in partner for j in line):
            out[f"left {part}"], out[f"right {part}"] = line, [partner[j] for j in line]


def _upwards(skeleton: Skeleton, joint: int, centre: set[int], height: Array, reach: list[float]) -> list[int]:
    """The line of centre joints that leads up from a joint."""
    out: list[int] = []
    while True:
        below = [c for c in skeleton.children[joint] if c in centre and height[c] > height[joint] - 1e-9]
        if not below:
            return out
        joint = max(below, key=reach.__getitem__)
        out.append(joint)
