"""The import frame: how a file's units and axes become ours, once, and how they are put back.

Inside, a figure is in metres, +Y up, facing +Z. A file's own frame is undone at its root joints: their
transforms are turned, scaled and moved, and every translation below is scaled. Local rotations of all other
joints stay as they are.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.skeleton import Skeleton

_AXES = ("X", "Y", "Z")


@dataclass(frozen=True, eq=False)
class ImportFrame:
    """What was converted at import.

    scale: metres per unit of the file, ``(joints,)`` (parent nodes' scale included). turn ``(roots, 4)`` and move
    ``(roots, 3)``: what was put before each root joint's local transform (parent nodes' transforms included).
    unit, up, facing: in words, for ``info``. baked: names of parent nodes whose transform was taken in.
    """

    scale: Array
    turn: Array
    move: Array
    unit: str = "m"
    unit_scale: float = 1.0
    up: str = "+Y"
    facing: str = "+Z"
    baked: tuple[str, ...] = field(default=())


def axis_name(v: Array) -> str:
    """``+X`` … ``-Z`` for a direction along an axis, else its angle in words."""
    i = int(np.argmax(np.abs(v)))
    text = f"{'+' if v[i] > 0 else '-'}{_AXES[i]}"
    off = np.degrees(np.arccos(np.clip(abs(v[i]) / max(float(np.linalg.norm(v)), 1e-12), 0, 1)))
    return text if off < 0.5 else f"{text} ({off:.0f}° off)"


def turn_to_ours(up: Array, facing: Array) -> Array:
    """The rotation ``(4,)`` that takes ``up`` to +Y and ``facing`` to +Z."""
    left = np.cross(up, facing)
    source = np.stack([left, up, facing], axis=-1)
    return quat.from_matrix(source.T)


def to_internal(
    frame: ImportFrame, skeleton: Skeleton, rotations: Array, translations: Array, in_place: bool = False
) -> tuple[Array, Array]:  # fmt: skip
    """Local motion ``(…, joints, 4)``, ``(…, joints, 3)`` from the file's frame into ours. in_place: the arrays are changed, for
    a reader that has just made them."""
    q, t = (rotations, translations) if in_place else (np.array(rotations), np.array(translations))
    t *= frame.scale[:, None]
    for i, root in enumerate(skeleton.roots):
        q[..., root, :] = quat.multiply(frame.turn[i], q[..., root, :])
        t[..., root, :] = quat.rotate(frame.turn[i], t[..., root, :]) + frame.move[i]
    return q, t


def to_file(frame: ImportFrame, skeleton: Skeleton, rotations: Array, translations: Array) -> tuple[Array, Array]:
    """The opposite of ``to_internal``."""
    q, t = np.array(rotations), np.array(translations)
    for i, root in enumerate(skeleton.roots):
        back = quat.conjugate(frame.turn[i])
        q[..., root, :] = quat.multiply(back, q[..., root, :])
        t[..., root, :] = quat.rotate(back, t[..., root, :] - frame.move[i])
    return q, t / frame.scale[:, None]


def convert_skeleton(frame: ImportFrame, skeleton: Skeleton) -> Skeleton:
    """The skeleton with its rest pose in our frame."""
    q, t = to_internal(frame, skeleton, skeleton.rest_rotations, skeleton.rest_translations)
    return Skeleton(skeleton.names, skeleton.parents, q, t, skeleton.rest_scales)
