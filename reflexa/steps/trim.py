"""Trim: the frames that are kept; spans cut out of the middle; rest-pose frames left out at both ends."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated, Any

import numpy as np
from msgspec import Meta
from msgspec.structs import replace as with_fields

from reflexa.errors import RecipeError
from reflexa.motion import cycle, seams
from reflexa.motion.clip import Clip
from reflexa.motion.resample import time_warped
from reflexa.rig import Rig
from reflexa.rig.rest_ends import rest_ends
from reflexa.steps.helper_joints import kept_on_rules
from reflexa.steps.model import Beginning, Context, Given, Outcome, Settings, StepKind


class TrimSettings(Settings, frozen=True):
    first: Annotated[
        int, Meta(title="First frame", ge=0, description="The first frame that is kept.")
    ] = 0  # fmt: skip
    last: Annotated[
        int,
        Meta(title="Last frame", ge=-1, description="The last frame that is kept. -1: the last frame of the clip.",
             extra={"zero": "last frame"}),
    ] = -1  # fmt: skip
    cut: Annotated[
        tuple[tuple[int, int], ...],
        Meta(title="Cut out",
            description="Spans to cut out, with first and last frame. Position and heading continue across each cut."),
    ] = ()  # fmt: skip
    blend: Annotated[
        int,
        Meta(title="Blend over", ge=0, le=1000, description="Frames over which the difference at a cut is spread.",
             extra={"unit": "frames"}),
    ] = 8  # fmt: skip
    rest_ends: Annotated[
        bool, Meta(title="Rest pose at the ends", description="Remove frames in rest pose at the start and the end.")
    ] = False  # fmt: skip


@dataclass(frozen=True)
class TrimReport:
    """How many frames there were and are, spans that were kept (of the clip before), and frames of rest pose at head and
    tail."""

    before: int
    after: int
    kept: tuple[tuple[int, int], ...]
    rest: tuple[int, int]


def kept(clip: Clip, rig: Rig, settings: TrimSettings) -> tuple[tuple[int, int], ...]:
    """First and last frame of every span that is kept. Raises RecipeError where spans lie outside or nothing is left."""
    end = clip.frames - 1
    head, tail = rest_ends(clip, rig) if settings.rest_ends else (0, 0)
    last = end if settings.last < 0 else settings.last
    if settings.first > last or settings.first > end:
        raise RecipeError(
            f"frames {settings.first} to {last} are outside this clip of {clip.frames}", place="first",
            advice=f"Give frames from 0 to {end}.",
        )  # fmt: skip
    keep = np.zeros(clip.frames, dtype=bool)
    keep[max(settings.first, head) : min(last, end - tail) + 1] = True
    for i, (a, b) in enumerate(settings.cut):
        if not 0 <= a <= b:
            raise RecipeError(
                f"{a} to {b} is not a span of frames", place=f"cut[{i}]", advice="Give its first and its last."
            )
        keep[a : b + 1] = False
    if not keep.any():
        raise RecipeError("nothing is left of the clip", place="cut", advice="Cut out less.")
    edges = np.flatnonzero(np.diff(np.concatenate([[0], keep.astype(np.int8), [0]])))
    return tuple((int(a), int(b) - 1) for a, b in zip(edges[::2], edges[1::2], strict=True))


def trim(clip: Clip, rig: Rig, settings: TrimSettings) -> tuple[Clip, np.ndarray]:
    """The clip with the frames that are kept, and which frame of it each is ``(frames,)``. Raises RecipeError."""
    spans = kept(clip, rig, settings)
    times = np.concatenate([np.arange(a, b + 1) for a, b in spans]).astype(np.float64)
    if len(times) == clip.frames:
        return clip, times
    at = np.cumsum([b - a + 1 for a, b in spans])[:-1].tolist()
    out = time_warped(clip, times, at)
    # Each stretch goes on in the place and heading in which the one before it ended, one step further.
    for k, (_, (b, _)) in zip(at, zip(spans, spans[1:], strict=False), strict=True):
        turn, move = cycle.lined_up(out, k - 1, clip, b - 1, rig.travel_joint)
        behind = cycle.moved_over_ground(time_warped(clip, times[k:]), turn, move)
        rotations, translations = np.array(out.rotations), np.array(out.translations)
        rotations[k:], translations[k:] = behind.rotations, behind.translations
        out = out.with_motion(rotations, translations)
    for k in at:
        out = seams.healed(out, k, settings.blend)
    out = kept_on_rules([clip], out, rig) if at else out
    whole_cycle = clip.loop and len(spans) == 1 and spans[0] == (0, clip.frames - 1)
    return replace(out, loop=whole_cycle), times


def _run(given: Given, settings: TrimSettings, context: Context) -> Outcome:
    out, times = trim(given.clip, given.rig, settings)
    clip, rig = given.clip, given.rig

    def report(_: Clip) -> TrimReport:
        return TrimReport(clip.frames, len(times), kept(clip, rig, settings), rest_ends(clip, rig))

    return Outcome(out, rig, times, report)


def _begin(at: Beginning) -> dict[str, Any]:
    """What stands at its ends in rest pose is what most clips are trimmed of; else as it is."""
    return {"rest_ends": True} if at.given is not None and any(rest_ends(at.given.clip, at.given.rig)) else {}


def _summary(s: TrimSettings) -> str:
    parts = [f"{s.first}–{'end' if s.last < 0 else s.last}"] if s.first or s.last >= 0 else []
    parts += [f"{len(s.cut)} cut out"] if s.cut else []
    parts += ["rest pose removed"] if s.rest_ends else []
    return ", ".join(parts) or "all frames"


def _shifted(s: TrimSettings, by: int) -> TrimSettings:
    """What says "from the beginning" or "to the end" goes on to say so."""
    first, last = (max(s.first + by, 0) if s.first else 0), (max(s.last + by, 0) if s.last >= 0 else s.last)
    cut = tuple((max(a + by, 0), b + by) for a, b in s.cut if b + by >= 0)
    return with_fields(s, first=first, last=last, cut=cut)


KIND = StepKind(
    "trim",
    "Trim",
    "Keep a part of the clip: trim both ends, cut spans out of the middle, and remove frames in rest pose.",
    TrimSettings,
    _run,
    place=200,
    group="time",
    fixes=10,
    changes_time=True,
    weighed=False,
    upgraded=lambda plain: {k: v for k, v in plain.items() if v is not None},
    begin=_begin,
    shifted=_shifted,
    summary=_summary,
)
