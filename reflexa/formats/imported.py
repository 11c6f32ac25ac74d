"""What a reader gives: rig and clips in our frame, and what it takes to write the same kind of file again."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path

import numpy as np

from reflexa.formats.frame import ImportFrame, axis_name, convert_skeleton, turn_to_ours
from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip, rest_clip
from reflexa.motion.clips import Clips, Head
from reflexa.motion.skeleton import Skeleton
from reflexa.names import readable
from reflexa.rig import Rig
from reflexa.rig.known import known_rig
from reflexa.rig.rig import UP

MOST_JOINTS = 10_000


@dataclass(frozen=True)
class Note:
    """Something of one clip (an empty name: of all) that a reader put right or left out: kind as findings have it, the joint, at
    which frame, how much of it, in words."""

    kind: str
    clip: str
    joint: str
    frame: int
    size: float
    unit: str
    text: str


def sign_notes(clip: str, names: tuple[str, ...], rotations: Array) -> list[Note]:
    """A note per joint whose quaternions ``(frames, joints, 4)`` change their sign from frame to frame: whoever blends them
    number by number goes the long way round."""
    flips = np.einsum("fji,fji->fj", rotations[:-1], rotations[1:]) < 0
    out = []
    for j in np.flatnonzero(flips.any(axis=0)).tolist():
        count, at = int(flips[:, j].sum()), int(np.argmax(flips[:, j])) + 1
        times = f"{count} times" if count > 1 else "once"
        text = f"the rotations of {names[j]} change their sign {times} in the file, first at frame {at}"
        out.append(Note("sign", clip, names[j], at, float(count), "times", text))
    return out


def lost_notes(clip: str, names: Iterable[str]) -> list[Note]:
    """A note for each that a clip moves in its file and that is no joint of the skeleton."""
    return [Note("lost", clip, n, 0, 1.0, "joints", f"the motion of {n} is ignored: it is not a joint") for n in names]


@dataclass(frozen=True)
class Remarks:
    """What a reader has to say of a clip or a file: in words, and what it put right or left out."""

    warnings: tuple[str, ...] = ()
    notes: tuple[Note, ...] = ()


@dataclass(frozen=True, eq=False)
class Imported:
    """One file as read. layout is the format's own memory of how the file was laid out; hashed: gives the digest of its bytes,
    which is computed beside. of_file: remarks on the file, and on clips that were decoded with it; of_clip: gives those on a
    clip that is decoded later, by its number."""

    path: Path
    format: str
    generator: str
    rig: Rig
    clips: Clips
    frame: ImportFrame
    of_file: Remarks
    layout: object
    hashed: Callable[[], str] | None = None
    of_clip: Callable[[int], Remarks] | None = None

    @property
    def warnings(self) -> tuple[str, ...]:
        """All that the reader has to say; decodes every clip. Raises ReadError where one of them cannot be."""
        later = [] if self.of_clip is None else [self.of_clip(i) for i in range(len(self.clips))]
        return (*self.of_file.warnings, *(w for remarks in later for w in remarks.warnings))

    def notes_on(self, clip: str) -> tuple[Note, ...]:
        """What was put right or left out in the file and, if it has it, that clip."""
        known = self.of_clip is not None and clip in self.clips.names
        later = self.of_clip(self.clips.names.index(clip)).notes if known and self.of_clip is not None else ()
        return (*(n for n in self.of_file.notes if n.clip in ("", clip)), *later)

    @property
    def sha256(self) -> str:
        """SHA-256 of the file's bytes as they were when it was read, as hexadecimal; waits for it if need be."""
        return "" if self.hashed is None else self.hashed()

    def clip(self, name: str) -> Clip | None:
        """The clip of that name; the rest pose of a file that has none."""
        return self.clips.named(name) if self.clips else self.or_rest[0]

    def head(self, name: str) -> Head | None:
        """What is known of that clip without decoding it."""
        return next((h for h in self.or_rest.heads if h.name == name or not self.clips), None)

    @cached_property
    def or_rest(self) -> Clips:
        """Its clips; one frame of rest pose where it is a rig and nothing else."""
        return self.clips or Clips.of([rest_clip(self.rig.skeleton, readable(self.path.stem))])


@dataclass(frozen=True)
class ReadOptions:
    """What a person may tell a reader: the unit of a file that declares none (metres per unit), how a joint's position
    channels relate to its offset where the format leaves that open, and which way the figure faces in the file
    (``FACINGS``; empty: found). rigs: files given beside, for a motion file that names its skeleton elsewhere."""

    unit: float | None = None
    positions: str = "auto"
    facing: str = ""
    rigs: tuple[Path, ...] = ()

    @property
    def told_facing(self) -> Array | None:
        """The direction ``(3,)`` in the file's axes that the figure was said to face; None where nothing was said."""
        return FACINGS[self.facing] if self.facing else None


FACINGS = {
    f"{sign}{axis}": np.eye(3)[i] * (1 if sign == "+" else -1) for i, axis in enumerate("XYZ") for sign in "+-"
}  # fmt: skip
UNITS = {"m": 1.0, "cm": 0.01, "mm": 0.001, "in": 0.0254, "ft": 0.3048, "dm": 0.1}
# Order of the guess. The last but one is the scale of a large public motion library's conversion to BVH,
# whose notes give lengths as inches / 0.45.
_GUESSES = (
    ("m", 1.0),
    ("cm", 0.01),
    ("in", 0.0254),
    ("in/0.45", 0.0254 / 0.45),
    ("mm", 0.001),
    ("ft", 0.3048),
)


def unit_said(unit: str) -> str:
    """A unit's name as people read it."""
    return "an inch divided by 0.45" if unit == "in/0.45" else unit


def guess_unit(height: float) -> tuple[str, float, bool]:
    """Unit name, metres per unit, and whether the standing height really tells it (a person of 1.2 to 2.3 m)."""
    for name, scale in _GUESSES:
        if 1.2 <= height * scale <= 2.3:
            return name, scale, True
    for name, scale in _GUESSES[:1] + _GUESSES[1:2] + _GUESSES[4:5]:
        if 0.05 <= height * scale <= 12:
            return name, scale, False
    return "m", 1.0, False


def find_axes(
    skeleton: Skeleton, tips: Mapping[str, Array], guess_up: bool, told: Array | None = None
) -> tuple[Array, Array, Rig, list[str]]:
    """Up and facing of a rest pose in the file's frame, the first look at the rig, and warnings. told: the facing that
    a person gave ``(3,)``."""
    up = np.array([0.0, 1.0, 0.0])
    rig = known_rig(skeleton, up, tips)
    warnings: list[str] = []
    if guess_up:
        seen = _seen_up(rig)
        if seen is not None and seen @ up < 0.9:
            up = seen
            rig = known_rig(skeleton, up, tips)
            warnings.append(f"The rest pose stands along {axis_name(up)}: rotated to +Y up.")
    facing = rig.facing
    if told is not None and abs(told @ up) < 0.5:
        facing = told
    elif rig.facing_found_by.startswith("nothing"):
        facing = np.array([0.0, 0.0, 1.0]) if abs(up[2]) < 0.5 else np.array([0.0, -1.0, 0.0])
    facing = facing - (facing @ up) * up
    return up, facing / np.linalg.norm(facing), rig, warnings


def _seen_up(rig: Rig) -> Array | None:
    """The axis along which the upper body stands over the feet in rest, where both are known."""
    placed = rig.skeleton.rest_model[1]
    top = next((j for p in ("head", "neck", "spine") if (j := rig.joint(p)) >= 0), -1)
    feet = [j for s in ("left", "right") if (j := rig.joint(f"{s} foot")) >= 0]
    if top < 0 or not feet:
        return None
    v = placed[top] - placed[feet].mean(axis=0)
    i = int(np.argmax(np.abs(v)))
    if abs(v[i]) < 0.85 * np.linalg.norm(v):
        return None
    return np.asarray(np.eye(3)[i] * np.sign(v[i]))


def axes_turn(up: Array, facing: Array) -> Array:
    """Rotation into our axes; exactly the identity where the file already has them."""
    turn = turn_to_ours(up, facing)
    return np.array([0.0, 0.0, 0.0, 1.0]) if abs(turn[3]) > 1 - 1e-15 else turn


def settle_frame(
    raw: Skeleton, inner: ImportFrame, options: ReadOptions, warnings: list[str], upright: Array | None = None
) -> ImportFrame:
    """The import frame of a file that says its up axis: what its parent transforms do (``inner``: from the file's joints to
    metres, +Y up), then the turn to face +Z. upright ``(4,)``: the turn from the file's own axes to +Y up, in which its
    facing is told and said; None where it has them already."""
    lay = np.array(quat.IDENTITY) if upright is None else upright
    told = options.told_facing
    told = None if told is None else quat.rotate(lay, told)
    _, facing, _, said = find_axes(convert_skeleton(inner, raw), {}, guess_up=False, told=told)
    warnings += said
    outer = axes_turn(UP, facing)
    turn, move = quat.multiply(outer, inner.turn), quat.rotate(outer, inner.move)
    in_file = quat.rotate(quat.conjugate(lay), facing)
    return replace(inner, turn=turn, move=move, facing=axis_name(in_file))


def settle_rate(rate: float) -> float:
    """A rate whose decimals come from a rounded frame time, as the whole number that was meant."""
    whole = round(rate)
    return float(whole) if whole > 0 and abs(rate - whole) / whole < 1e-4 else rate
