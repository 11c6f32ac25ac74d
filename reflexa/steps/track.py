"""Track: a scalar curve of the clip (the weight of a shape of the face, say) shaped by keys."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Any, Literal

import numpy as np
from msgspec import Meta
from msgspec.structs import replace as with_fields

from reflexa.errors import RecipeError
from reflexa.motion.arrays import Array, owned
from reflexa.motion.clip import Clip, Track
from reflexa.motion.curves import monotone
from reflexa.steps.model import Beginning, Context, Given, Outcome, Settings, StepKind


class TrackSettings(Settings, frozen=True):
    track: Annotated[
        str,
        Meta(title="Track",
            description="The name of the track. A new track with the value 0 is added if the clip has none of this "
            "name.", extra={"choose": "track"}),
    ] = ""  # fmt: skip
    how: Annotated[
        Literal["add", "replace"],
        Meta(title="How",
            description="add: keys are added to the curve. replace: keys are the values; the first and the last one hold."),
    ] = "add"  # fmt: skip
    keys: Annotated[
        tuple[tuple[int, float], ...],
        Meta(title="Keys",
            description="A list of [frame, value]. The curve is smooth and never overshoots two neighbouring keys."),
    ] = ()  # fmt: skip


def curve(s: TrackSettings, frames: int) -> Array:
    """What the keys say at every frame ``(frames,)``; 0 without any."""
    if not s.keys:
        return np.zeros(frames)
    keys = dict(s.keys)
    at = np.array(sorted(keys), dtype=np.float64)
    values = np.array([keys[f] for f in sorted(keys)])
    return values[0] * np.ones(frames) if len(at) == 1 else np.asarray(monotone(at, values, np.arange(float(frames))))


def with_track(clip: Clip, s: TrackSettings) -> Clip:
    """The clip with one of its tracks changed. Raises RecipeError where none is named."""
    if not s.track:
        known = ", ".join(t.name for t in clip.tracks)
        raise RecipeError(
            "no track is chosen", place="track", advice=f"Known: {known}." if known else "Give it a name."
        )
    old = next((t.values for t in clip.tracks if t.name == s.track), np.zeros(clip.frames))
    if not s.keys:
        return clip
    new = curve(s, clip.frames) + (old if s.how == "add" else 0.0)
    made = Track(s.track, owned(new))
    names = [t.name for t in clip.tracks]
    tracks = tuple(made if t.name == s.track else t for t in clip.tracks)
    return replace(clip, tracks=tracks if s.track in names else (*clip.tracks, made))


def _run(given: Given, settings: TrackSettings, context: Context) -> Outcome:
    return given.changed(with_track(given.clip, settings))


def _begin(at: Beginning) -> dict[str, Any]:
    return {"track": at.given.clip.tracks[0].name} if at.given is not None and at.given.clip.tracks else {}


def _shifted(s: TrackSettings, by: int) -> TrackSettings:
    return with_fields(s, keys=tuple({max(f + by, 0): (max(f + by, 0), v) for f, v in sorted(s.keys)}.values()))


KIND = StepKind(
    "track",
    "Track",
    "Edit a scalar curve of the clip with keys, such as the weight of a face shape.",
    TrackSettings,
    _run,
    place=280,
    group="layers",
    begin=_begin,
    shifted=_shifted,
    moments=lambda s: [f for f, _ in s.keys],
    summary=lambda s: f"{s.track}, {len(s.keys)} key{'' if len(s.keys) == 1 else 's'}" if s.track else "",
)
