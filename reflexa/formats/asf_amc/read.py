"""Reading an ASF file as a rig, and an AMC file with its ASF file as a rig and a clip."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from reflexa.errors import ReadError
from reflexa.formats import frame as frames
from reflexa.formats import imported
from reflexa.formats.asf_amc.motion import posed, read_motion
from reflexa.formats.asf_amc.skeleton import in_order, read_skeleton
from reflexa.formats.frame import ImportFrame
from reflexa.formats.imported import Imported, ReadOptions, Remarks
from reflexa.motion import quat
from reflexa.motion.clip import Clip
from reflexa.motion.clips import Clips
from reflexa.motion.skeleton import Skeleton
from reflexa.names import readable
from reflexa.rig.known import known_rig

# Neither file says how fast it was recorded; this is what the large open database records at.
RATE = 120.0
INCH = 0.0254


def skeleton_of(motion: Path, options: ReadOptions) -> Path:
    """The .asf of an .amc: one that was given, of the same name, of the name before the underscore, or the only one there."""
    given = [p for p in options.rigs if p.suffix.lower() == ".asf"]
    if given:
        return given[0]
    try:
        there = sorted(p for p in motion.parent.iterdir() if p.suffix.lower() == ".asf")
    except OSError:
        there = []
    for stem in (motion.stem, motion.stem.rpartition("_")[0]):
        found = [p for p in there if p.stem.lower() == stem.lower()]
        if stem and found:
            return found[0]
    if len(there) == 1:
        return there[0]
    raise ReadError(
        "has no skeleton file next to it", motion,
        advice=f"Put {motion.stem}.asf into the same folder, or give it with --rig.",
    )  # fmt: skip


def _unit(length: float, height: float, told: float | None, warnings: list[str]) -> tuple[str, float]:
    """Name and metres of the file's unit. A scale that the file says is one of inches; else the height tells."""
    if told is not None:
        return "as told", told
    own = INCH / length if length > 0 else 0.0
    low, high = (0.5, 3.0) if length == 1 else (0.05, 12.0)  # a scale of its own is meant
    if low <= height * own <= high:
        return ("in" if length == 1 else f"in/{length:g}"), own
    unit, scale, sure = imported.guess_unit(height)
    if not sure:
        warnings.append(f"The unit is a guess: {unit} makes the figure {height * scale:.2f} m high.")
    return unit, scale


def read(path: Path, options: ReadOptions = ReadOptions()) -> Imported:
    """Read an .asf (a rig) or an .amc with its .asf (a rig and a clip). Raises ReadError with file, line and reason."""
    moves = path.suffix.lower() != ".asf"
    skeleton_file = skeleton_of(path, options) if moves else path
    text = read_skeleton(skeleton_file)
    bones = in_order(text.bones)
    warnings: list[str] = []
    index = {b.name: j for j, b in enumerate(bones)}
    ends = np.array([b.direction * b.length for b in bones])
    parents = np.array([index.get(b.parent, -1) for b in bones])
    offsets = np.where(parents[:, None] >= 0, ends[parents], 0.0)
    raw = Skeleton(tuple(index), parents, np.tile(quat.IDENTITY, (len(bones), 1)), offsets)
    tips = {b.name: ends[j] for j, b in enumerate(bones) if not raw.children[j]}
    if any("l" in b.channels for b in bones):
        warnings.append("Bones that change their length keep it: that is not read.")

    up, facing, _, said = imported.find_axes(raw, tips, guess_up=True, told=options.told_facing)
    placed = raw.rest_model[1]
    tops = np.concatenate([placed, [placed[index[n]] + tip for n, tip in tips.items()]])
    unit, scale = _unit(text.length, float(np.ptp(tops @ up)), options.unit, warnings)
    frame = ImportFrame(
        np.full(len(bones), scale), imported.axes_turn(up, facing)[None], np.zeros((1, 3)),
        unit, scale, frames.axis_name(up), frames.axis_name(facing),
    )  # fmt: skip
    skeleton = frames.convert_skeleton(frame, raw)
    ahead = imported.FACINGS["+Z"] if options.facing else None
    rig = known_rig(skeleton, tips={n: t * scale for n, t in tips.items()}, facing=ahead)
    skeleton = rig.skeleton
    clips: tuple[Clip, ...] = ()
    if moves:
        values, degrees = read_motion(path, bones)
        rotations, translations = posed(bones, values, raw, text.degrees if degrees is None else degrees)
        q, t = frames.to_internal(frame, skeleton, rotations, translations, in_place=True)
        clips = (Clip(readable(path.stem), skeleton, quat.made_continuous(q), t, RATE),)
        warnings.append(f"The file does not declare its rate: {RATE:g} frames per second are assumed.")
    return Imported(path, "amc", "", rig, Clips.of(clips), frame, Remarks((*warnings, *said)), None)
