"""Retime: faster or slower, to a length, to a rate, by a curve; or the play rate made into frames."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated, Literal

import numpy as np
from msgspec import Meta

from reflexa.errors import RecipeError
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.curves import monotone
from reflexa.motion.resample import at_even_times, time_warped
from reflexa.rig import Rig
from reflexa.steps.helper_joints import kept_on_rules
from reflexa.steps.model import NOTHING, Context, Given, Outcome, Settings, StepKind
from reflexa.words import counted

# No clip becomes longer than this, frames.
_MOST = 200_000


def _for(*how: str) -> dict[str, object]:
    return {"when": {"how": how[0] if len(how) == 1 else list(how)}}


class RetimeSettings(Settings, frozen=True):
    how: Annotated[
        Literal["speed", "length", "rate", "curve", "play rate"],
        Meta(
            title="How",
            description="speed: play faster or slower by a factor. length: fit to a number of frames. rate: "
            "resample to other frames per second, with the same duration. curve: a drawn time "
            "curve. play rate: apply the clip's own play rate to its frames.",
        ),
    ] = "speed"
    speed: Annotated[
        float, Meta(title="Speed", ge=0.01, le=100, description="A factor. 2: half the duration.",
            extra={"unit": "×", **_for("speed")})
    ] = 1.0  # fmt: skip
    frames: Annotated[
        int, Meta(title="Frames", ge=0, le=_MOST, description="The length of the result.",
                  extra={"unit": "frames", "zero": "as it is", **_for("length")})
    ] = 0  # fmt: skip
    rate: Annotated[
        float, Meta(title="Rate", gt=0, le=1000, description="Frames per second.", extra={"unit": "fps", **_for("rate")})
    ] = 30.0  # fmt: skip
    curve: Annotated[
        tuple[tuple[float, float], ...],
        Meta(title="Curve",
            description="Points (old frame, new frame): the pose of the old frame moves to the new frame.",
             extra=_for("curve")),
    ] = ()  # fmt: skip
    backwards: Annotated[
        bool, Meta(title="May go backwards", description="Allow time to run backwards. Off: time only runs forward.",
            extra=_for("curve"))
    ] = False  # fmt: skip


@dataclass(frozen=True, eq=False)
class RetimeReport:
    """Frames and seconds before and after, and how fast it goes at each new frame ``(frames,)``, times the old speed."""

    before: int
    after: int
    seconds: tuple[float, float]
    speed: Array


def _drawn(end: int, s: RetimeSettings) -> Array:
    if len(s.curve) < 2:
        raise RecipeError("a curve needs two points", place="curve", advice="Give [[old frame, new frame], …].")
    old, new = np.array(sorted(s.curve, key=lambda p: p[1]), dtype=np.float64).T
    if not np.isfinite([old, new]).all() or np.any(np.diff(new) <= 0):
        raise RecipeError(
            "two points of the curve have the same new frame", place="curve", advice="Remove one of them."
        )
    if np.any(np.diff(old) < 0) and not s.backwards:
        at = int(np.argmax(np.diff(old) < 0))
        raise RecipeError(
            f"the curve goes backwards from old frame {old[at]:g} to {old[at + 1]:g}", place="curve",
            advice="Let it rise, or switch 'May go backwards' on.",
        )  # fmt: skip
    if new[-1] - new[0] + 1 > _MOST:
        raise RecipeError(f"{new[-1] - new[0] + 1:,.0f} frames are too many", place="curve", advice=f"Up to {_MOST:,}.")
    frames = np.arange(np.ceil(new[0] - 1e-9), np.floor(new[-1] + 1e-9) + 1)
    return np.asarray(np.clip(monotone(new, old, frames), 0.0, end))


def retime(clip: Clip, settings: RetimeSettings) -> tuple[Clip, Array]:
    """The clip at another speed or rate, and the frame of it at each frame of the result ``(frames,)``. Raises RecipeError."""
    how, end = settings.how, clip.frames - 1
    if how in ("speed", "rate", "play rate"):
        step = {"speed": settings.speed, "rate": clip.rate / settings.rate, "play rate": clip.play_rate}[how]
        if end / step + 1 > _MOST:
            raise RecipeError(f"{end / step + 1:,.0f} frames are too many", place=how, advice=f"Up to {_MOST:,}.")
        out, times = at_even_times(clip, step) if step != 1.0 else (clip, np.arange(clip.frames, dtype=np.float64))
        if how == "rate":
            out = replace(out, rate=settings.rate)
        return (replace(out, play_rate=1.0) if how == "play rate" else out), times
    times = _drawn(end, settings) if how == "curve" else np.linspace(0.0, end, settings.frames or clip.frames)
    if np.array_equal(times, np.arange(clip.frames)):
        return clip, times
    return replace(time_warped(clip, times), loop=clip.loop and (how == "length" or _whole(times, clip))), times


def resampled(clip: Clip, rig: Rig, rate: float) -> Clip:
    """The clip as the step makes it at another rate, frames per second: helper joints stay on their rules. Raises RecipeError."""
    return _run(Given(clip, rig), RetimeSettings(how="rate", rate=rate), NOTHING).clip


def _whole(times: Array, clip: Clip) -> bool:
    return bool(times[0] == 0 and times[-1] == clip.frames - 1)


def _run(given: Given, settings: RetimeSettings, context: Context) -> Outcome:
    before = given.clip
    out, times = retime(before, settings)
    if np.any(times % 1):
        out = kept_on_rules([before], out, given.rig)

    def report(now: Clip) -> RetimeReport:
        speed = np.gradient(times) * now.rate / before.rate if len(times) > 1 else np.ones(1)
        return RetimeReport(before.frames, now.frames, (before.duration, now.duration), speed)

    return Outcome(out, given.rig, times, report)


def _summary(s: RetimeSettings) -> str:
    return {
        "speed": f"× {s.speed:g}", "length": counted(s.frames, "frame"), "rate": f"{s.rate:g} fps", "curve": "as drawn",
        "play rate": "play rate into frames",
    }[s.how]  # fmt: skip


KIND = StepKind(
    "retime",
    "Retime",
    "Play faster or slower, fit to a length or rate, or follow a drawn time curve. Events and tracks follow.",
    RetimeSettings,
    _run,
    place=210,
    group="time",
    fixes=20,
    changes_time=True,
    weighed=False,
    summary=_summary,
)
