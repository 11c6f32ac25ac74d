"""What the curves of a joint can show, and their values."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.curves import eased_slopes
from reflexa.steps.correction import CorrectionSettings, Key, track_at


@dataclass(frozen=True)
class View:
    """keyed: the change that keys make, which hands may shape; else what comes out of it, to be judged. field, scale: of a
    key, where its values are, and how many of its units make one that is shown. first: where they begin among the seven
    values of a tangent."""

    title: str
    unit: str
    keyed: bool
    field: str = ""
    scale: float = 1.0
    first: int = 0


VIEWS: dict[str, View] = {
    "turn": View("Rotation keys", "°", True, "rotate"),
    "move": View("Move keys", "cm", True, "move", 0.01, 3),
    "place": View("Position in the world", "cm", False),
    "angles": View("Angles to the parent", "°", False),
}


def keyed_values(view: View, settings: CorrectionSettings, joint: str, frames: int) -> Array | None:
    """Values ``(frames, 3)`` in the unit of the view; None where the joint has no keys."""
    track = settings.track(joint)
    if not track.keys:
        return None
    turns, moves, _ = track_at(track, np.arange(frames))
    return np.asarray((turns if view.field == "rotate" else moves) / view.scale)


def clip_values(name: str, clip: Clip, joint: str) -> Array | None:
    """Values ``(frames, 3)`` of a joint of a clip: its place in cm, or its angles about x, y, z in degrees without jumps;
    None where the clip lacks it."""
    if joint not in clip.skeleton.index:
        return None
    j = clip.skeleton.index[joint]
    if name == "place":
        return np.asarray(100 * clip.model[1][:, j])
    angles = np.degrees(quat.to_euler(clip.rotations[:, j], "ZXY"))[:, [1, 2, 0]]
    return np.asarray(np.unwrap(angles, axis=0, period=360))


def key_value(view: View, key: Key, axis: int) -> float:
    """A key's value on an axis, in the unit of the view."""
    value: float = getattr(key, view.field)[axis]
    return value / view.scale


def usual_slopes(keys: tuple[Key, ...]) -> Array:
    """The slopes ``(keys, 7)`` that an eased curve has by itself."""
    values = np.array([(*k.rotate, *k.move, k.swing) for k in keys])
    return np.asarray(eased_slopes(np.array([float(k.frame) for k in keys]), values))
