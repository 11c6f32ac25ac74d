"""From local to model space and back, over all frames at once."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import kernels, quat
from reflexa.motion.arrays import Array
from reflexa.motion.kernels.parts import Model

Parents = NDArray[np.intp]


def forward(
    parents: Parents, rotations: Array, translations: Array, scales: Array | None = None
) -> tuple[Array, Array]:
    """Model-space rotations ``(frames, joints, 4)`` and positions ``(frames, joints, 3)``.

    parents ``(joints,)``: -1 for a root, and every parent before its children.
    rotations, translations (and scales) are local, ``(frames, joints, …)``. Scales act as in glTF 2.0
    (section 3.5.3: T · R · S, inherited by children); the rotations returned leave them out.

    >>> import numpy as np
    >>> elbow = quat.from_rotvec([[[0, 0, 0], [0, 0, np.pi / 2], [0, 0, 0]]])  # a quarter turn at the second joint
    >>> bones = np.array([[[0.0, 0, 0], [1.0, 0, 0], [1.0, 0, 0]]])
    >>> forward(np.array([-1, 0, 1]), elbow, bones)[1][0].round(6).tolist()
    [[0.0, 0.0, 0.0], [1.0, 0.0, 0.0], [1.0, 1.0, 0.0]]
    """
    frames, joints = rotations.shape[:2]
    if scales is not None:
        return _forward_scaled(parents, rotations, translations, scales)
    turned = np.empty((frames, joints, 4))
    placed = np.empty((frames, joints, 3))
    if kernels.use_compiled(rotations.size, "chains.forward"):
        kernels.chains.forward(parents, rotations, translations, turned, placed)
    else:
        _forward_few(parents, rotations, translations, turned, placed)
    return turned, placed


def _forward_few(parents: Parents, q: Array, t: Array, turned: Array, placed: Array) -> None:
    """All joints of one depth together."""
    depth = np.zeros(len(parents), dtype=np.intp)
    for joint, parent in enumerate(parents.tolist()):
        depth[joint] = depth[parent] + 1 if parent >= 0 else 0
    for level in (np.flatnonzero(depth == d) for d in range(int(depth.max()) + 1)):
        above = parents[level]
        if (above < 0).any():
            turned[:, level], placed[:, level] = q[:, level], t[:, level]
            continue
        turned[:, level] = quat.multiply(turned[:, above], q[:, level])
        placed[:, level] = quat.rotate(turned[:, above], t[:, level]) + placed[:, above]


def _forward_scaled(parents: Parents, q: Array, t: Array, scales: Array) -> tuple[Array, Array]:
    placed = forward_matrices(parents, q, t, scales)[1]
    turned = np.empty_like(q)
    for joint, parent in enumerate(parents.tolist()):
        turned[:, joint] = q[:, joint] if parent < 0 else quat.multiply(turned[:, parent], q[:, joint])
    return turned, placed


def forward_matrices(
    parents: Parents, rotations: Array, translations: Array, scales: Array | None = None
) -> tuple[Array, Array]:
    """Model-space linear parts ``(frames, joints, 3, 3)`` with scale and shear, and positions."""
    frames, joints = rotations.shape[:2]
    linear = np.empty((frames, joints, 3, 3))
    placed = np.empty((frames, joints, 3))
    local = quat.to_matrix(rotations)
    if scales is not None:
        local = local * scales[..., None, :]
    for joint, parent in enumerate(parents.tolist()):
        if parent < 0:
            linear[:, joint], placed[:, joint] = local[:, joint], translations[:, joint]
        else:
            linear[:, joint] = linear[:, parent] @ local[:, joint]
            placed[:, joint] = placed[:, parent] + (linear[:, parent] @ translations[:, joint, :, None])[..., 0]
    return linear, placed


def inverse(parents: Parents, turned: Array, placed: Array) -> tuple[Array, Array]:
    """Local rotations and translations from model space, the opposite of ``forward`` without scales."""
    has = parents >= 0
    above = parents[has]
    rotations, translations = np.array(turned), np.array(placed)
    back = quat.conjugate(turned[:, above])
    rotations[:, has] = quat.multiply(back, turned[:, has])
    translations[:, has] = quat.rotate(back, placed[:, has] - placed[:, above])
    return rotations, translations


def to_local(
    parents: Parents, model: tuple[Array, Array], joint: int, turn: Array, place: Array
) -> tuple[Array, Array]:
    """A joint's wanted model-space turn ``(frames, 4)`` and place ``(frames, 3)`` as its local rotation and translation,
    its parent standing as ``model`` (rotations and positions of all joints, without scales) has it."""
    parent = int(parents[joint])
    if parent < 0:
        return turn, place
    q, p = np.empty(turn.shape), np.empty(place.shape)
    kernels.chains.against(parent, Model(*model), turn, place, q, p)
    return q, p
