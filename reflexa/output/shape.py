"""The clips that a result is handed over as: cut to its range or ranges, repeated, at a rate, held at its ends, named."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from reflexa.errors import RecipeError
from reflexa.motion.clip import Clip
from reflexa.motion.cycle import repeated
from reflexa.motion.resample import at_frames
from reflexa.rig import Rig
from reflexa.steps.retime import resampled
from reflexa.take import Export, Range


def exported(result: Clip, rig: Rig, export: Export) -> Clip:
    """The frames of a result that its export settings name, as they say.

    Raises ValueError where the range lies outside the clip, RecipeError where the rate would make too many frames.
    """
    last = result.frames - 1 if export.last is None else export.last
    out = result.cut(export.first, last)
    # What closes is resampled so that it still does.
    loop = result.loop and out.frames == result.frames if export.loop is None else export.loop
    out = replace(out, loop=loop)
    if export.cycles > 1:
        out = repeated(out, rig.travel_joint, export.cycles)
    if export.rate is not None:
        out = resampled(out, rig, export.rate)
    before, after = export.held
    if before or after:
        at = np.clip(np.arange(-before, out.frames + after), 0, out.frames - 1).astype(np.float64)
        events = tuple(replace(e, frame=e.frame + before) for e in out.events)
        out = replace(at_frames(out, at), events=events)
    play = out.play_rate if export.play_rate is None else export.play_rate
    return replace(out, name=export.name or out.name, play_rate=play)


def exported_clips(result: Clip, rig: Rig, ranges: tuple[Range, ...], export: Export) -> list[Clip]:
    """A clip of each range, where ranges are exported, a looping one as often as ``cycles`` says; else the one of the export's
    own frames.

    Raises RecipeError for a range that lies outside the result, or two of one name; ValueError as ``exported``.
    """
    if not ranges or export.ranges == "whole":
        return [exported(result, rig, export)]
    _check(ranges, result.frames)
    out = []
    for r in ranges:
        cycles = export.cycles if r.loop else 1
        own = replace(export, name=r.name, first=r.first, last=r.last, loop=r.loop, cycles=cycles)
        out.append(exported(result, rig, own))
    return out


def _check(ranges: tuple[Range, ...], frames: int) -> None:
    names: list[str] = []
    for i, r in enumerate(ranges):
        if not r.name.strip() or r.name in names:
            said = f"two are called {r.name!r}" if r.name.strip() else "has no name"
            raise RecipeError(said, place=f"ranges[{i}]", advice="Give each a different name.")
        if not 0 <= r.first <= r.last < frames:
            raise RecipeError(
                f"{r.name!r}, frames {r.first} to {r.last}, lies outside the clip", place=f"ranges[{i}]",
                advice=f"Its frames are 0 to {frames - 1}.",
            )  # fmt: skip
        names.append(r.name)
