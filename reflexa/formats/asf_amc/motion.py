"""The motion of an AMC file: channel values of every bone, and the poses that they make."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from reflexa.errors import ReadError
from reflexa.formats.asf_amc.skeleton import MOVES, TURNS, Bone
from reflexa.formats.asf_amc.text import Text
from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.skeleton import Skeleton


def read_motion(path: Path, bones: list[Bone]) -> tuple[dict[str, Array], bool | None]:
    """Per bone its channels' values ``(frames, channels)``, and whether angles are degrees (None: not said). A bone that a
    frame leaves out stays as it was; before it was ever given, at rest."""
    text = Text(path)
    by_name = {b.name: b for b in bones}
    rows: dict[str, list[list[float]]] = {b.name: [] for b in bones}
    degrees: bool | None = None
    frame = 0

    def fill(upto: int) -> None:
        for name, own in rows.items():
            while len(own) < upto:
                own.append(own[-1] if own else [0.0] * len(by_name[name].channels))

    for words in text:
        if words[0].startswith(":"):
            said = words[0].lower()
            degrees = True if said == ":degrees" else False if said == ":radians" else degrees
            continue
        if len(words) == 1 and words[0].isdigit():
            fill(frame)
            frame += 1
            continue
        bone = by_name.get(words[0])
        if bone is None:
            raise text.bad(
                f"the skeleton has no bone {words[0][:40]!r}", "Is it the skeleton that belongs to this motion?"
            )
        if frame == 0:
            raise text.bad("a bone is listed before the first frame")
        if len(rows[bone.name]) >= frame:
            raise text.bad(f"{bone.name!r} is listed twice in a frame")
        fill_one = rows[bone.name]
        while len(fill_one) < frame - 1:
            fill_one.append(fill_one[-1] if fill_one else [0.0] * len(bone.channels))
        fill_one.append(text.numbers(words[1:], len(bone.channels)))
    fill(frame)
    if frame == 0:
        raise ReadError("contains no frames of motion", path, advice="The file may be cut off.")
    return {n: np.array(v, dtype=np.float64).reshape(frame, -1) for n, v in rows.items()}, degrees


def _euler(angles: Array, order: str) -> Array:
    """Turns ``(…, 4)`` about the fixed axes x, y, z by angles ``(…, 3)`` in radians, carried out in that order."""
    out = np.broadcast_to(quat.IDENTITY, (*angles.shape[:-1], 4))
    for axis in order:
        out = quat.multiply(quat.about("xyz".index(axis), angles[..., "xyz".index(axis)]), out)
    return out


def posed(bones: list[Bone], values: dict[str, Array], skeleton: Skeleton, degrees: bool) -> tuple[Array, Array]:
    """Local rotations ``(frames, joints, 4)`` and translations ``(frames, joints, 3)`` in the file's units."""
    frames_ = len(next(iter(values.values())))
    rotations = np.tile(quat.IDENTITY, (frames_, len(bones), 1))
    translations = np.tile(skeleton.rest_translations, (frames_, 1, 1))
    unit = np.pi / 180 if degrees else 1.0
    for j, bone in enumerate(bones):
        angles, moved = np.zeros((frames_, 3)), np.zeros((frames_, 3))
        for k, channel in enumerate(bone.channels):
            if channel in TURNS:
                angles[:, TURNS.index(channel)] = values[bone.name][:, k]
            elif channel in MOVES:
                moved[:, MOVES.index(channel)] = values[bone.name][:, k]
        axes = _euler(bone.axis * np.pi / 180, bone.order)
        turn = _euler(angles * unit, bone.order)
        rotations[:, j] = quat.multiply(quat.multiply(axes, turn), quat.conjugate(axes))
        translations[:, j] += moved
    return rotations, translations
