"""BVH: reading every real-world variant.

The reader keeps the file's layout (channel orders, offsets, end sites, how positions relate to offsets), so
that a clip is written back as its source was.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from reflexa.errors import ReadError
from reflexa.formats import frame as frames
from reflexa.formats import imported
from reflexa.formats.bvh import numbers
from reflexa.formats.bvh.header import BvhJoint, parse_header
from reflexa.formats.files import read_bytes
from reflexa.formats.frame import ImportFrame
from reflexa.formats.imported import Imported, ReadOptions, Remarks
from reflexa.motion import channels, quat
from reflexa.motion.arrays import Array, owned
from reflexa.motion.clip import Clip
from reflexa.motion.clips import Clips
from reflexa.motion.skeleton import Skeleton
from reflexa.names import readable, told_apart
from reflexa.rig import Rig
from reflexa.rig.known import known_rig
from reflexa.words import counted, listed

_MOTION = re.compile(rb"^[ \t]*MOTION[ \t]*\r?$", re.MULTILINE | re.IGNORECASE)
_FRAMES = re.compile(rb"\s*Frames\s*:\s*(\S+)", re.IGNORECASE)
_TIME = re.compile(rb"\s*Frame\s+Time\s*:\s*(\S+)[^\n]*", re.IGNORECASE)


@dataclass(frozen=True)
class BvhLayout:
    """The file's joints in order, which joints' positions replace their offset, and the frame time as written."""

    joints: tuple[BvhJoint, ...]
    replaces: tuple[bool, ...]
    frame_time: str
    rate: float


def read(path: Path, options: ReadOptions = ReadOptions()) -> Imported:
    """Read a BVH file. Raises ReadError with file, line and reason."""
    data = read_bytes(path)
    if b"\r" in data:
        data = data.replace(b"\r\n", b"\n").replace(b"\r", b"\n")
    data = data.removeprefix(b"\xef\xbb\xbf")
    head, rows_at, claimed, frame_time = _split(data, path)
    joints, warnings = parse_header(head, path)
    rows = _rows(_Motion(data, rows_at, claimed), joints, path, warnings)
    rate = _rate(frame_time, warnings)

    names = told_apart([j.name for j in joints], "joints", warnings)
    offsets = np.array([j.offset for j in joints])
    still = np.broadcast_to(quat.IDENTITY, (len(joints), 4))
    raw = Skeleton(tuple(names), np.array([j.parent for j in joints]), still, offsets)
    tips = {n: np.array(j.tip) for n, j in zip(names, joints, strict=True) if j.tip is not None}
    replaces = _position_modes(joints, names, rows, options, warnings)
    rotations, translations = _motion(joints, offsets, replaces, rows)

    up, facing, first_look, said = imported.find_axes(raw, tips, guess_up=True, told=options.told_facing)
    warnings += said
    height = _extent(first_look, up)
    unit, scale, sure = imported.guess_unit(height)
    if options.unit is not None:
        unit, scale, sure = "as told", options.unit, True
    if not sure:
        warnings.append(f"The unit is a guess: {unit} makes the figure {height * scale:.2f} m high.")
    frame = ImportFrame(
        np.full(len(joints), scale), imported.axes_turn(up, facing)[None], np.zeros((1, 3)),
        unit, scale, frames.axis_name(up), frames.axis_name(facing),
    )  # fmt: skip
    skeleton = frames.convert_skeleton(frame, raw)
    ahead = imported.FACINGS["+Z"] if options.facing else None
    rig = known_rig(skeleton, tips={n: t * scale for n, t in tips.items()}, facing=ahead)
    skeleton = rig.skeleton
    q, t = frames.to_internal(frame, skeleton, rotations, translations, in_place=True)
    clip = Clip(readable(path.stem), skeleton, owned(quat.made_continuous(q)), owned(t), rate)
    return Imported(
        path, "bvh", "", rig, Clips.of([clip]), frame, Remarks(tuple(warnings)),
        BvhLayout(tuple(joints), replaces, frame_time, rate),
    )  # fmt: skip


@dataclass(frozen=True)
class _Motion:
    """The bytes of a file, where its numbers begin, and how many frames it says it has."""

    data: bytes
    at: int
    claimed: int


def _split(data: bytes, path: Path) -> tuple[str, int, int, str]:
    """Header text, where the numbers begin, the claimed number of frames and the frame time as written."""
    if b"\0" in data[:4096]:
        raise ReadError("is binary, not a BVH text file", path, "byte 0")
    motion = _MOTION.search(data)
    head = data[: motion.start()] if motion else data
    if len(head) > 64 << 20:
        raise ReadError("no MOTION line in the first 64 MiB", path, advice="Is it a BVH file?")
    try:
        text = head.decode("utf-8")
    except UnicodeDecodeError:
        text = head.decode("latin-1")
    if motion is None:
        parse_header(text, path)  # says what is wrong before the missing line is complained of
        raise ReadError("has no MOTION line", path, f"line {text.count(chr(10)) + 1}", "The file may be cut off.")
    line = text.count("\n") + 1
    count = _FRAMES.match(data, motion.end())
    time = _TIME.match(data, count.end()) if count else None
    if count is None or time is None:
        raise ReadError("MOTION is not followed by Frames: and Frame Time:", path, f"line {line + 1}")
    try:
        claimed = int(float(count.group(1)))
    except (ValueError, OverflowError):
        raise ReadError(f"Frames: {count.group(1)[:40]!r} is not a number", path, f"line {line + 1}") from None
    return text, time.end(), claimed, time.group(1).decode("latin-1")


# So many times more frames than the file says, and more poses of joints than so many: then channels are missing.
_FEW, _MANY = 3, 500_000


def _rows(motion: _Motion, joints: list[BvhJoint], path: Path, warnings: list[str]) -> Array:
    """The motion as ``(frames, channels)``, as many whole frames as there really are."""
    data, at, claimed = motion.data, motion.at, motion.claimed
    width = sum(len(j.channels) for j in joints)
    try:
        values = numbers.parse(memoryview(data)[at:])
    except numbers.NotANumber as e:
        line = data.count(b"\n", 0, at + e.offset) + 1
        raise ReadError(f"{e.word[:40]!r} is not a number", path, f"line {line}") from None
    if width == 0:
        raise ReadError("no joint has any channel", path, "HIERARCHY")
    count, rest = divmod(len(values), width)
    if rest:
        warnings.append(f"The last frame has {rest} of {width} values and is ignored: the file may be cut off.")
    if count == 0:
        raise ReadError("contains no complete frame of motion", path, "MOTION", "The file may be cut off.")
    if count > _FEW * max(claimed, 1) and count * len(joints) > _MANY:
        raise ReadError(
            f"declares {counted(claimed, 'frame')} and contains numbers for {count:,} of {width} channels", path, "MOTION",
            "Channels may be missing in its hierarchy.",
        )  # fmt: skip
    if count != claimed:
        warnings.append(f"The file declares {counted(claimed, 'frame')} and contains {count}.")
    rows = values[: count * width].reshape(count, width)
    if not (rows.max() < 1e9 and rows.min() > -1e9):  # nor is one no number at all
        bad = np.argwhere(~(np.abs(rows) < 1e9))
        raise ReadError(
            f"the value {rows[tuple(bad[0])]} is not a usable number", path,
            f"frame {bad[0][0]}, channel {bad[0][1] + 1}",
        )  # fmt: skip
    return rows


def _rate(frame_time: str, warnings: list[str]) -> float:
    try:
        seconds = float(frame_time)
    except ValueError:
        seconds = 0.0
    if not 1e-5 <= seconds <= 1e3:
        warnings.append(f"A frame time of {frame_time!r} cannot be used: 30 frames per second are assumed.")
        return 30.0
    return imported.settle_rate(1 / seconds)


def _position_modes(
    joints: list[BvhJoint], names: list[str], rows: Array, options: ReadOptions, warnings: list[str]
) -> tuple[bool, ...]:
    """Per joint: do its position channels replace the offset (or add to it)? Decided from the data."""
    out = []
    decided: dict[bool, list[str]] = {True: [], False: []}
    for joint, name in zip(joints, names, strict=True):
        replaces = True
        if joint.positions and any(joint.offset):
            middle, offset = middle_of(joint, rows)
            if options.positions == "auto":
                replaces = seems_to_replace(middle, offset)
                decided[replaces].append(name)
            else:
                replaces = options.positions == "replace"
        out.append(replaces)
    said = [
        f"{'replace' if replaces else 'add to'} the offset of {listed(of)}" for replaces, of in decided.items() if of
    ]
    if said:
        warnings.append(f"Position channels {' and '.join(said)} (decided from the values).")
    return tuple(out)


def middle_of(joint: BvhJoint, rows: Array) -> tuple[Array, Array]:
    """The median of a joint's position channels, and its offset along the same axes."""
    offset = np.array([joint.offset["XYZ".index(c[0])] for c in joint.positions])
    return np.median(rows[:, [joint.columns[c] for c in joint.positions]], axis=0), offset


def seems_to_replace(middle: Array, offset: Array) -> bool:
    """Do position channels with that median replace an offset (or add to it)? Whichever leaves the joint nearer to where it
    rests."""
    return bool(np.linalg.norm(middle - offset) <= np.linalg.norm(middle))


def _motion(joints: list[BvhJoint], offsets: Array, replaces: tuple[bool, ...], rows: Array) -> tuple[Array, Array]:
    """Local rotations and translations in the file's units."""
    translations = np.empty((len(rows), *offsets.shape))
    translations[:] = offsets
    axes, columns = np.full((len(joints), 3), -1), np.zeros((len(joints), 3), dtype=np.int64)
    for i, joint in enumerate(joints):
        for k, axis in enumerate(joint.order):
            axes[i, k], columns[i, k] = "XYZ".index(axis), joint.columns[f"{axis}rotation"]
        for channel in joint.positions:
            axis_ = "XYZ".index(channel[0])
            base = 0.0 if replaces[i] else offsets[i, axis_]
            translations[:, i, axis_] = base + rows[:, joint.columns[channel]]
    return channels.turned(axes, columns, rows), translations


def _extent(rig: Rig, up: Array) -> float:
    placed = rig.skeleton.rest_model[1]
    ends = [placed[rig.skeleton.index[n]] + tip for n, tip in rig.tips.items()]
    return float(np.ptp(np.concatenate([placed, np.array(ends).reshape(-1, 3)]) @ up))
