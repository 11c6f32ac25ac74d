"""Helper joints: joints with no part in the body that follow another one for the engine, and the rule of each."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np

from reflexa.motion import kernels, quat
from reflexa.motion.arrays import Array
from reflexa.motion.kernels.parts import Model
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import bodymap, sides
from reflexa.rig.bodymap import BodyMap

How = Literal["exactly", "rest offset"]


@dataclass(frozen=True)
class Helper:
    """The rule of a helper joint: whom it follows, and whether exactly or keeping the offset that it has in rest."""

    follows: str
    how: How = "rest offset"
    found_by: str = "told"
    sure: float = 1.0


def find(skeleton: Skeleton, body_map: BodyMap, side_of: list[str]) -> dict[str, Helper]:
    """Helper joints and their rules: by coincidence with a body-part joint in rest, and by what their names say.

    Only joints outside the body that carry no skin-bearing part below them count, and only where they do not hang
    on the joint that they would follow (a child follows anyway).
    """
    placed = skeleton.rest_model[1]
    size = max(float(np.ptp(placed, axis=0).max()), 1e-6)
    known = {n for names in body_map.values() for n in names}
    bodies = [skeleton.index[n] for n in sorted(known, key=skeleton.index.__getitem__)]
    out: dict[str, Helper] = {}
    if not bodies:
        return out
    for j, name in enumerate(skeleton.names):
        if name in known or skeleton.children[j]:
            continue
        above = set(_line(skeleton, j))
        # What is of one side follows nothing of the other, nor of the middle.
        others = [b for b in bodies if b not in above and (side_of[j] == side_of[b] or not side_of[j])]
        if not others:
            continue
        away = np.linalg.norm(placed[others] - placed[j], axis=-1)
        near = others[int(np.argmin(away))]
        said = _said(name, side_of[j], body_map)
        if away.min() < 1e-3 * size:
            sure = 0.95 if said == skeleton.names[near] else 0.8
            out[name] = Helper(skeleton.names[near], _how(skeleton, j, near, size), "coincidence in rest", sure)
        elif said and skeleton.index[said] in others:
            out[name] = Helper(said, "rest offset", "names", 0.6)
    return out


def _line(skeleton: Skeleton, joint: int) -> list[int]:
    out = [joint]
    while (parent := int(skeleton.parents[out[-1]])) >= 0:
        out.append(parent)
    return out


def _said(name: str, side: str, body_map: BodyMap) -> str:
    """The joint that a name such as ``ik_foot_l`` speaks of, or nothing."""
    said = [w for w in sides.words(name) if w not in bodymap.HELPER_WORDS]
    if len(said) == len(sides.words(name)):
        return ""
    part = bodymap.limb_of(" ".join(said))
    whole = f"{side} {part}" if side else part
    return body_map[whole][0] if part and whole in body_map else ""


def _how(skeleton: Skeleton, helper: int, followed: int, size: float) -> How:
    turned, placed = skeleton.rest_model
    turn = quat.angle(quat.multiply(quat.conjugate(turned[helper]), turned[followed]))
    same = np.linalg.norm(placed[helper] - placed[followed]) < 1e-5 * size and turn < 1e-4
    return "exactly" if same else "rest offset"


def by_rule(skeleton: Skeleton, helper: int, rule: Helper, turned: Array, placed: Array) -> tuple[Array, Array]:
    """Where a rule wants a helper joint: model-space rotation ``(frames, 4)`` and position ``(frames, 3)``.

    skeleton: with the reference pose as its rest; turned, placed: model space of all joints.
    """
    followed = skeleton.index[rule.follows]
    if rule.how == "exactly":
        return turned[:, followed], placed[:, followed]
    rest_q, rest_p = skeleton.rest_model
    back = quat.conjugate(rest_q[followed])
    offset = quat.rotate(back, rest_p[helper] - rest_p[followed])
    turn = quat.multiply(back, rest_q[helper])
    q, p = np.empty((len(turned), 4)), np.empty((len(placed), 3))
    kernels.chains.carried(followed, turn, offset, Model(turned, placed), q, p)
    return q, p


def distances(
    skeleton: Skeleton, rules: Mapping[str, Helper], turned: Array, placed: Array
) -> dict[str, tuple[Array, Array]]:
    """Per helper joint, how far it is from its rule at each frame: metres ``(frames,)`` and radians ``(frames,)``."""
    out: dict[str, tuple[Array, Array]] = {}
    for name, rule in rules.items():
        j = skeleton.index[name]
        q, p = by_rule(skeleton, j, rule, turned, placed)
        away = np.linalg.norm(placed[:, j] - p, axis=-1)
        out[name] = away, quat.angle(quat.multiply(quat.conjugate(turned[:, j]), q))
    return out
