"""Results handed over as the difference from a base."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from reflexa.errors import RecipeError
from reflexa.motion.additive import as_long_as, held, lined_up, put_onto
from reflexa.motion.clip import Additive, Clip, rest_clip
from reflexa.motion.joints import by_names
from reflexa.output.shape import exported_clips
from reflexa.rig import Rig
from reflexa.steps.blend import clip_named
from reflexa.take import Export, Range

Named = Mapping[str, tuple[Clip, Rig]]
REST, FIRST = "rest", "first"
_FRAME = re.compile(r"frame (\d+)")
# Rests whose rotations differ by less (1 - cosine of half the angle) have the same axes.
_SAME_AXES = 1e-6


@dataclass(frozen=True, eq=False)
class Whole:
    """What an additive clip was made of: put onto the base it is the clip again."""

    clip: Clip
    base: Clip


def bases(
    result: Clip, out: list[Clip], rig: Rig, ranges: tuple[Range, ...], export: Export, clips: Named
) -> list[Clip]:  # fmt: skip
    """The base of each clip that a result is exported as, of as many frames. clips: those that a base may be. Raises RecipeError
    where there is no such base, or the result is a difference already."""
    if result.additive is not None:
        raise RecipeError("the clip is additive already", advice="Put it onto a base first.")
    to = export.additive
    if to == FIRST:
        return [held(c, 0, c.frames) for c in out]
    frame = _FRAME.fullmatch(to)
    if to == REST or frame is not None:
        if frame is not None and int(frame[1]) >= result.frames:
            raise RecipeError(
                f"there is no frame {frame[1]} to be the base", advice=f"The last one is {result.frames - 1}."
            )
        pose = rest_clip(result.skeleton) if frame is None else result.cut(int(frame[1]), int(frame[1]))
        return [held(pose, 0, c.frames) for c in out]
    other, other_rig = clip_named(to, clips)
    # Shaped as the result is: cut, repeated and resampled alike, so that both lie beside each other frame by frame.
    times = np.arange(result.frames) / result.rate
    beside = on_joints_of(result, lined_up(other, other_rig.travel_joint, times), to)
    beside = replace(beside, name=result.name, rate=result.rate, loop=result.loop, events=())
    return exported_clips(beside, rig, ranges, export)


def is_frame(to: str) -> bool:
    """True for ``frame N``."""
    return _FRAME.fullmatch(to) is not None


def on_joints_of(clip: Clip, base: Clip, name: str) -> Clip:
    """A base with the joints of a clip. Raises RecipeError where they have none in common."""
    if base.skeleton is clip.skeleton:
        return base
    if not any(n in base.skeleton.index for n in clip.skeleton.names):
        raise RecipeError(f"{name!r} has none of the joints of {clip.name!r}", advice="Retarget one of them first.")
    return by_names(base, clip.skeleton, own_bones=True)


def added(clip: Clip, base: Clip, base_rig: Rig, name: str) -> Clip:
    """An additive clip on a base of any length and rate: an ordinary clip at the rate of the additive one; a single pose, and a
    loop, for as long as the base. name: of the base, for messages. Raises RecipeError where they have no joint in common."""
    clip = as_long_as(clip, base)
    start = (clip.additive.start if clip.additive is not None else None) or 0.0
    beside = lined_up(base, base_rig.travel_joint, start + np.arange(clip.frames) / clip.rate)
    return put_onto(clip, on_joints_of(clip, beside, name))


def parted_by(wholes: Mapping[str, Whole], back: Sequence[Clip]) -> float:
    """How far clips that were read back, put onto their bases, are from what they were made of, mm at the worst joint. Those that
    rest in other axes in their format (BVH has none of its own) are measured as differences only."""
    worst = 0.0
    for clip in back:
        whole = wholes.get(clip.name, next(iter(wholes.values())) if len(back) == len(wholes) == 1 else None)
        if whole is None or not {*whole.clip.skeleton.names} <= clip.skeleton.index.keys():
            continue
        here = whole.clip.skeleton
        again = by_names(clip, here)
        order = [clip.skeleton.index[n] for n in here.names]
        if np.abs((clip.skeleton.rest_rotations[order] * here.rest_rotations).sum(axis=-1)).min() > 1 - _SAME_AXES:
            placed = put_onto(again, whole.base).model[1]
            worst = max(worst, 1000 * float(np.linalg.norm(placed - whole.clip.model[1], axis=-1).max()))
    return worst


def mark_of(export: Export, start: float) -> Additive:
    """The mark of a clip that begins so many seconds into the result; a base that stands still has no time."""
    to = export.additive
    still = to in (REST, FIRST) or is_frame(to)
    said = {REST: "rest pose", FIRST: "first frame"}.get(to, to)
    return Additive(said, export.additive_turns, None if still else round(start, 9))
