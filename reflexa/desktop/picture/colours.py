"""Colours of joints: by side, by body part, by weight."""

from __future__ import annotations

import numpy as np

from reflexa.desktop.look import theme
from reflexa.desktop.picture.posed import PosedFigure
from reflexa.draw import figure as drawn
from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.rig import Rig
from reflexa.rig.match import Match


def by_side(rig: Rig) -> Array:
    """RGB per joint ``(joints, 3)``, for the theme in use."""
    t = theme.current()
    return drawn.colours_by_side(rig, t.rgb("quiet"), t.rgb("warn"))


# Okabe & Ito (2008), for body parts: one hue a group; sides are told by their marks.
_GROUPS = (
    (("root", "pelvis"), (0.45, 0.45, 0.45)), (("spine",), (0.0, 0.447, 0.698)), (("neck", "head"), (0.337, 0.706, 0.914)),
    (("clavicle", "upper arm"), (0.902, 0.624, 0.0)), (("forearm", "hand"), (0.80, 0.475, 0.655)),
    (("thigh",), (0.0, 0.620, 0.451)), (("shin",), (0.835, 0.369, 0.0)), (("foot", "toes"), (0.94, 0.894, 0.259)),
    (("thumb", "finger"), (0.80, 0.475, 0.655)),
)  # fmt: skip


def by_part(rig: Rig, m: Match) -> Array:
    """RGB per joint by body part, alike on both rigs of a match; what the other rig lacks is in the colour of a warning."""
    t = theme.current()
    other = m.target if rig.key == m.source.key else m.source
    out = np.tile(t.rgb("quiet"), (len(rig.skeleton), 1))
    chain_of = {n: name for name, joints in rig.chains.items() for n in joints}
    for j, name in enumerate(rig.skeleton.names):
        part = rig.part_of(name)
        if (part and part not in other.body_map) or (name in chain_of and chain_of[name] not in other.chains):
            out[j] = t.rgb("warn")
        elif part:
            out[j] = next((c for words, c in _GROUPS if any(part.endswith(w) for w in words)), out[j])
        elif name in chain_of:
            out[j] = (0.0, 0.447, 0.698)
    return out


def by_weight(rig: Rig, weights: Array) -> Array:
    """RGB per joint by how much of a step reaches it ``(joints,)``: from the quiet colour to the accent."""
    t = theme.current()
    low, high = np.array(t.rgb("line")), np.array(t.rgb("accent"))
    return np.asarray(low + weights[:, None] * (high - low))


# A joint that is so far from where it was, or turned by so much, is in the full colour: cm and degrees.
_FAR, _TURNED = 10.0, 30.0


def by_difference(a: PosedFigure, b: PosedFigure) -> Array:
    """RGB per joint of a by how far the joint of that name stands and is turned otherwise in b; quiet for what b lacks."""
    out = np.zeros(len(a.rig.skeleton))
    for j, name in enumerate(a.rig.skeleton.names):
        k = b.rig.skeleton.index.get(name, -1)
        if k >= 0:
            away = 100 * float(np.linalg.norm(a.clip.model[1][a.frame, j] - b.clip.model[1][b.frame, k]))
            apart = quat.multiply(quat.conjugate(a.clip.rotations[a.frame, j]), b.clip.rotations[b.frame, k])
            out[j] = min(max(away / _FAR, float(np.degrees(quat.angle(apart))) / _TURNED), 1.0)
    t = theme.current()
    low, high = np.array(t.rgb("line")), np.array(t.rgb("warn"))
    return np.asarray(low + out[:, None] * (high - low))
