"""Figures and motion packed for a page: few bytes, exact to a fraction of a millimetre."""

from __future__ import annotations

import base64
import gzip
from typing import Any

import numpy as np
from numpy.typing import NDArray

from reflexa.draw.figure import drawn_bones
from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.rig import Mesh, Rig
from reflexa.rig.stand_in import body_of

_SIDES = {"left": 0, "right": 1, "centre": 2, "none": 3}


def packed(arrays: dict[str, NDArray[Any]]) -> dict[str, Any]:
    """Arrays one after the other, compressed, as text; parts: name, type, offset in bytes, how many numbers."""
    parts: list[tuple[str, str, int, int]] = []
    out = bytearray()
    for name, a in arrays.items():
        out += bytes(-len(out) % 4)
        parts.append((name, a.dtype.str[1:], len(out), a.size))
        out += np.ascontiguousarray(a).tobytes()
    return {"parts": parts, "data": base64.b64encode(gzip.compress(bytes(out), 9, mtime=0)).decode()}


def motion(clip: Clip, rig: Rig) -> dict[str, Any]:
    """Model-space places and rotations of every joint and frame. Places are 16 bits against where the figure stands on the
    ground, which is exact; all are written as changes from frame to frame, which compress well."""
    turned, placed = clip.model
    ground = placed[:, rig.travel_joint][:, [0, 2]].astype("<f4")
    own = np.array(placed)
    own[..., [0, 2]] -= ground[:, None].astype(np.float64)
    scale = max(float(np.abs(own).max()), 1e-6) / 32767
    places = np.round(own / scale).astype("<i2").reshape(len(own), -1)
    turns = np.round(quat.continuous(turned) * 32767).astype("<i2").reshape(len(own), -1)
    return {
        "frames": clip.frames,
        "scale": scale,
        "packed": packed({"ground": ground, "place": _changes(places), "turn": _changes(turns)}),
    }


def _changes(a: NDArray[np.int16]) -> NDArray[np.int16]:
    """Differences from row to row; 16 bits that wrap, as whoever sums them up does too."""
    out = np.array(a)
    out[1:] = a[1:] - a[:-1]
    return out


def model(rig: Rig) -> dict[str, Any]:
    """A figure: names of its joints, its bones and their ends, its skin."""
    sides = rig.side_of
    return {
        "joints": list(rig.skeleton.names),
        "bones": [(a, b, _SIDES[sides[b]]) for a, b in drawn_bones(rig)],
        "tips": [
            (rig.skeleton.index[n], *tip.tolist(), _SIDES[sides[rig.skeleton.index[n]]]) for n, tip in rig.tips.items()
        ],
        "meshes": [_mesh(m) for m in body_of(rig)],
    }


def _mesh(mesh: Mesh) -> dict[str, Any]:
    low, high = mesh.positions.min(axis=0), mesh.positions.max(axis=0)
    span = np.maximum(high - low, 1e-9)
    arrays: dict[str, NDArray[Any]] = {
        "triangle": mesh.triangles.astype("<u4"),
        "bind": _rows(mesh.bind).astype("<f4"),
        "position": np.round((mesh.positions - low) / span * 65535).astype("<u2"),
        "joint": mesh.joints.astype("<u2"),
        "normal": np.round(np.clip(mesh.normals, -1, 1) * 127).astype("i1"),
        "weight": np.round(np.clip(mesh.weights, 0, 1) * 255).astype("u1"),
        "colour": np.round(np.clip(mesh.colours, 0, 1) * 255).astype("u1"),
    }
    return {"low": low.tolist(), "span": span.tolist(), "packed": packed(arrays)}


def _rows(bind: Array) -> Array:
    """The first three rows of each matrix ``(joints, 12)``."""
    return np.ascontiguousarray(bind[:, :3, :]).reshape(len(bind), 12)
