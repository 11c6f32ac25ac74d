"""When a step acts: spans in which it fades in, acts fully, and fades out again."""

from __future__ import annotations

from typing import Annotated, Any, TypeVar

import msgspec
import numpy as np
from msgspec import Meta

from reflexa.motion.arrays import Array

K = TypeVar("K", bound=Any)
Frame = Annotated[int, Meta(ge=-10_000_000, le=10_000_000)]
EASE = 8  # frames over which a span eases in and out to begin with


class ActiveSpan(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """When a step acts: it fades in from ``start`` to ``at``, acts fully until ``until``, and has faded out at ``end``."""

    start: Frame
    at: Frame
    until: Frame
    end: Frame

    def __post_init__(self) -> None:
        if not self.start <= self.at <= self.until <= self.end:
            raise ValueError("start, at, until and end of a span do not rise")


def weight_of(spans: tuple[ActiveSpan, ...], frames: int) -> Array:
    """How much a step acts at each frame ``(frames,)``: 0 → 1 → 0 for each span, with soft ends; all the time for none."""
    if not spans:
        return np.ones(frames)
    at, out = np.arange(frames), np.zeros(frames)
    for r in spans:
        up = np.clip((at - r.start) / max(r.at - r.start, 1e-9), 0, 1) if r.at > r.start else (at >= r.at) * 1.0
        down = np.clip((r.end - at) / max(r.end - r.until, 1e-9), 0, 1) if r.end > r.until else (at <= r.until) * 1.0
        u = np.minimum(up, down)
        out = np.maximum(out, u**3 * (10 - 15 * u + 6 * u * u))
    return np.asarray(out)


def later(spans: tuple[ActiveSpan, ...], by: int) -> tuple[ActiveSpan, ...]:
    """The same so many frames later."""
    return tuple(ActiveSpan(r.start + by, r.at + by, r.until + by, r.end + by) for r in spans)


def later_keys(keys: tuple[K, ...], by: int) -> tuple[K, ...]:
    """Keys (anything with a ``frame``) so many frames later; of those that would come before the clip, the last one begins it."""
    moved = [msgspec.structs.replace(k, frame=max(k.frame + by, 0)) for k in keys]
    return tuple({k.frame: k for k in moved}.values())


# Edits: each gives the next spans -----------------------------------------------------------------------------

PARTS = ("start", "at", "until", "end")


def span_begun_at(spans: tuple[ActiveSpan, ...], frame: int, last: int) -> tuple[ActiveSpan, ...]:
    """With one more, that is there at a frame and holds to the clip's end; one that held until then gives way."""
    new = ActiveSpan(max(frame - EASE, 0), frame, last, last)
    before = tuple(
        msgspec.structs.replace(r, until=max(r.at, min(r.until, new.start)), end=max(r.at, min(r.end, frame)))
        for r in spans if r.at < frame
    )  # fmt: skip
    return (*before, new)


def held_to(spans: tuple[ActiveSpan, ...], frame: int, last: int) -> tuple[ActiveSpan, ...] | None:
    """With the last one that has begun held to a frame and let go after it; None where none has begun."""
    at = max((i for i, r in enumerate(spans) if r.at <= frame), default=-1)
    if at < 0:
        return None
    held = msgspec.structs.replace(spans[at], until=frame, end=min(frame + EASE, last))
    return (*spans[:at], held, *spans[at + 1 :])


def with_frame(span: ActiveSpan, part: int, value: int) -> ActiveSpan:
    """With one of its four frames at another place; the others give way so that they still rise."""
    frames = [getattr(span, p) for p in PARTS]
    frames[part] = value
    for i in range(part - 1, -1, -1):
        frames[i] = min(frames[i], frames[i + 1])
    for i in range(part + 1, 4):
        frames[i] = max(frames[i], frames[i - 1])
    return ActiveSpan(*frames)
