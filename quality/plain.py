"""Kinematics and skinning the plain way, with matrices, one joint after the other: nothing here is taken from the core."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from reflexa.motion.clip import Clip
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import Mesh

Array = NDArray[np.float64]


def matrix(q: Array) -> Array:
    """Rotation matrices ``(…, 3, 3)`` of quaternions x, y, z, w of any length but 0."""
    x, y, z, w = np.moveaxis(q / np.linalg.norm(q, axis=-1, keepdims=True), -1, 0)
    rows = [
        [w * w + x * x - y * y - z * z, 2 * (x * y - w * z), 2 * (x * z + w * y)],
        [2 * (x * y + w * z), w * w - x * x + y * y - z * z, 2 * (y * z - w * x)],
        [2 * (x * z - w * y), 2 * (y * z + w * x), w * w - x * x - y * y + z * z],
    ]
    return np.stack([np.stack(r, axis=-1) for r in rows], axis=-2)


def world(clip: Clip) -> tuple[Array, Array]:
    """Axes ``(frames, joints, 3, 3)`` and places ``(frames, joints, 3)`` of every joint; scales are inherited, and left in
    the axes."""
    return _chain(clip.skeleton, clip.rotations, clip.translations, clip.scales)


def rest(skeleton: Skeleton) -> tuple[Array, Array]:
    """The same of the rest pose: ``(joints, 3, 3)`` and ``(joints, 3)``."""
    scales = None if skeleton.rest_scales is None else skeleton.rest_scales[None]
    axes, places = _chain(skeleton, skeleton.rest_rotations[None], skeleton.rest_translations[None], scales)
    return axes[0], places[0]


def _chain(skeleton: Skeleton, q: Array, t: Array, scales: Array | None) -> tuple[Array, Array]:
    local = matrix(q)
    if scales is not None:
        local = local * scales[:, :, None, :]
    axes, places = np.empty_like(local), np.empty_like(t)
    for j, parent in enumerate(skeleton.parents.tolist()):
        if parent < 0:
            axes[:, j], places[:, j] = local[:, j], t[:, j]
        else:
            axes[:, j] = axes[:, parent] @ local[:, j]
            places[:, j] = places[:, parent] + np.einsum("fab,fb->fa", axes[:, parent], t[:, j])
    return axes, places


def skinned(mesh: Mesh, which: NDArray[np.intp], axes: Array, places: Array) -> Array:
    """Where vertices of a skin are ``(frames, vertices, 3)``, by linear blending."""
    out = np.zeros((len(axes), len(which), 3))
    for k in range(mesh.joints.shape[1]):
        joint, weight = mesh.joints[which, k], mesh.weights[which, k]
        bind = mesh.bind[joint]
        own = np.einsum("vab,vb->va", bind[:, :3, :3], mesh.positions[which]) + bind[:, :3, 3]
        out += weight[:, None] * (np.einsum("fvab,vb->fva", axes[:, joint], own) + places[:, joint])
    return out


def turned_by(axes: Array) -> Array:
    """By how many degrees each of ``(frames, …, 3, 3)`` turns to the next: ``(frames - 1, …)``."""
    return np.asarray(np.degrees(np.linalg.norm(rotation_vectors(axes[1:] @ np.swapaxes(axes[:-1], -1, -2)), axis=-1)))


def rotation_vectors(m: Array) -> Array:
    """Axis times angle ``(…, 3)`` in radians of rotation matrices."""
    odd = np.stack([m[..., 2, 1] - m[..., 1, 2], m[..., 0, 2] - m[..., 2, 0], m[..., 1, 0] - m[..., 0, 1]], axis=-1) / 2
    sine = np.linalg.norm(odd, axis=-1)
    cosine = (np.trace(m, axis1=-2, axis2=-1) - 1) / 2
    angle = np.arctan2(sine, cosine)
    return odd * np.where(sine > 1e-9, angle / np.maximum(sine, 1e-9), 1.0)[..., None]


def unit(v: Array) -> Array:
    return np.asarray(v / np.maximum(np.linalg.norm(v, axis=-1, keepdims=True), 1e-12))


def angle_between(a: Array, b: Array) -> Array:
    """Degrees between directions ``(…, 3)``."""
    return np.asarray(np.degrees(np.arctan2(np.linalg.norm(np.cross(a, b), axis=-1), np.sum(a * b, axis=-1))))
