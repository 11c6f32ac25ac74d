"""When something acts: from nothing to all of it and back, for goals and for what is kept."""

from __future__ import annotations

from typing import Annotated

import msgspec
import numpy as np
from msgspec import Meta

from reflexa.motion.arrays import Array

Frame = Annotated[int, Meta(ge=-10_000_000, le=10_000_000)]
EASE = 8  # frames that a reach takes to begin with


class Reach(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """When a goal acts: from ``start`` on it is neared, from ``at`` on it is held, until ``until``; at ``end`` it is let go."""

    start: Frame
    at: Frame
    until: Frame
    end: Frame

    def __post_init__(self) -> None:
        if not self.start <= self.at <= self.until <= self.end:
            raise ValueError("start, at, until and end of a reach do not rise")


def weight_of(reaches: tuple[Reach, ...], frames: int) -> Array:
    """How much a goal acts at each frame ``(frames,)``: 0 → 1 → 0 for each reach, with soft ends; all the time for none."""
    if not reaches:
        return np.ones(frames)
    at, out = np.arange(frames), np.zeros(frames)
    for r in reaches:
        up = np.clip((at - r.start) / max(r.at - r.start, 1e-9), 0, 1) if r.at > r.start else (at >= r.at) * 1.0
        down = np.clip((r.end - at) / max(r.end - r.until, 1e-9), 0, 1) if r.end > r.until else (at <= r.until) * 1.0
        u = np.minimum(up, down)
        out = np.maximum(out, u**3 * (10 - 15 * u + 6 * u * u))
    return np.asarray(out)


def later(reaches: tuple[Reach, ...], by: int) -> tuple[Reach, ...]:
    """The same so many frames later."""
    return tuple(Reach(r.start + by, r.at + by, r.until + by, r.end + by) for r in reaches)


# Edits: each gives the next reaches -----------------------------------------------------------------------------

PARTS = ("start", "at", "until", "end")


def reached_at(reaches: tuple[Reach, ...], frame: int, last: int) -> tuple[Reach, ...]:
    """With one more, that is there at a frame and holds to the clip's end; one that held until then gives way."""
    new = Reach(max(frame - EASE, 0), frame, last, last)
    before = tuple(
        msgspec.structs.replace(r, until=max(r.at, min(r.until, new.start)), end=max(r.at, min(r.end, frame)))
        for r in reaches if r.at < frame
    )  # fmt: skip
    return (*before, new)


def held_to(reaches: tuple[Reach, ...], frame: int, last: int) -> tuple[Reach, ...] | None:
    """With the last one that has begun held to a frame and let go after it; None where none has begun."""
    at = max((i for i, r in enumerate(reaches) if r.at <= frame), default=-1)
    if at < 0:
        return None
    held = msgspec.structs.replace(reaches[at], until=frame, end=min(frame + EASE, last))
    return (*reaches[:at], held, *reaches[at + 1 :])


def with_frame(reach: Reach, part: int, value: int) -> Reach:
    """With one of its four frames at another place; the others give way so that they still rise."""
    frames = [getattr(reach, p) for p in PARTS]
    frames[part] = value
    for i in range(part - 1, -1, -1):
        frames[i] = min(frames[i], frames[i + 1])
    for i in range(part + 1, 4):
        frames[i] = max(frames[i], frames[i - 1])
    return Reach(*frames)
