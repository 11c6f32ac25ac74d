"""Cycle: a loop begun elsewhere, and played so many times over, its travel carried on."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from msgspec import Meta

from reflexa.errors import RecipeError
from reflexa.motion import cycle as cycles
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.stage.footing import footing
from reflexa.steps.model import Beginning, Context, Given, Outcome, Settings, StepKind

Strike = Literal["left strike", "right strike"]
# A clip that does not close by this much, metres and radians, cannot be begun elsewhere.
_CLOSES, _CLOSES_TURN = 0.06, np.radians(20)
_MOST = 200_000


class CycleSettings(Settings, frozen=True):
    start: Annotated[
        int | str,
        Meta(title="Begins at", description="A frame, the name of an event, 'left strike' or 'right strike'."),
    ] = 0  # fmt: skip
    times: Annotated[
        int, Meta(title="Cycles", ge=1, le=1000,
            description="The number of cycles. Travel continues from cycle to cycle.", extra={"unit": "×"})
    ] = 1  # fmt: skip


def start_of(clip: Clip, rig: Rig, start: int | str) -> float:
    """The frame at which a loop is to begin. Raises RecipeError where there is no such frame, event or strike."""
    if isinstance(start, int):
        if not 0 <= start < clip.frames:
            raise RecipeError(
                f"there is no frame {start}", place="start", advice=f"The loop has 0 to {clip.frames - 1}."
            )
        return float(start)
    found = [e.frame for e in clip.events if e.name == start]
    if found:
        return min(found)
    if start.isdigit():
        return start_of(clip, rig, int(start))
    side, _, what = start.partition(" ")
    foot = footing(clip, rig).get(side) if what == "strike" else None
    if foot is not None:
        falls = np.flatnonzero(foot.stands[1:] & ~foot.stands[:-1]) + 1
        if len(falls):
            return float(falls[0])
        raise RecipeError(
            f"the {side} foot never strikes", place="start", advice="Give a frame, or the name of an event."
        )
    known = ", ".join(dict.fromkeys(e.name for e in clip.events))
    raise RecipeError(
        f"there is no event {start!r}", place="start",
        advice=f"Known: {known}." if known else "Give a frame, 'left strike' or 'right strike'.",
    )  # fmt: skip


def must_close(clip: Clip, rig: Rig, so: str, advice: str) -> None:
    """Raises RecipeError for a clip that is no loop, by far, and says what follows from it and what to do."""
    away, turned = (float(x.max()) for x in cycles.openings(clip, rig.travel_joint))
    if away > _CLOSES or turned > _CLOSES_TURN:
        raise RecipeError(
            f"{clip.name!r} is not closed: its end is {100 * away:.0f} cm and {np.degrees(turned):.0f}° away from "
            f"its start{so}",
            advice=advice,
        )


def recycled(clip: Clip, rig: Rig, s: CycleSettings) -> tuple[Clip, Array]:
    """The loop begun elsewhere and repeated, and which frame of it stands where ``(frames,)``. Raises RecipeError."""
    at = start_of(clip, rig, s.start)
    period = clip.frames - 1
    if period < 2:
        raise RecipeError(f"{clip.frames} frames make no loop", advice="Give it a clip of at least 3.")
    if period * s.times + 1 > _MOST:
        raise RecipeError(f"{period * s.times + 1:,} frames are too many", place="times", advice=f"Up to {_MOST:,}.")
    if at % period or s.times > 1:
        must_close(clip, rig, "", "Add the step Close loop before this one.")
    out = cycles.shifted(clip, rig.travel_joint, at) if at % period else clip
    out = cycles.repeated(out, rig.travel_joint, s.times)
    frames = np.arange(out.frames, dtype=np.float64) + at
    times = frames % period
    times[-1] = times[-1] or (period if at % period == 0 else 0.0)
    return out, times


def _run(given: Given, settings: CycleSettings, context: Context) -> Outcome:
    out, times = recycled(given.clip, given.rig, settings)
    return Outcome(out, given.rig, times)


def _begin(at: Beginning) -> dict[str, Any]:
    return {"start": at.frame} if at.frame > 0 and at.given is not None and at.frame < at.given.clip.frames else {}


KIND = StepKind(
    "cycle",
    "Cycle",
    "Start a loop at another frame, event or foot strike, or repeat it.",
    CycleSettings,
    _run,
    place=250,
    group="time",
    changes_time=True,
    weighed=False,
    begin=_begin,
    summary=lambda s: f"from {s.start}" + (f", {s.times} times" if s.times > 1 else ""),
)
