"""Sampled motion of a skeleton."""

from __future__ import annotations

import hashlib
import math
from dataclasses import InitVar, dataclass, replace
from functools import cached_property
from typing import Any, Literal

import numpy as np

from reflexa.motion import kinematics, quat
from reflexa.motion.arrays import Array, frozen, owned
from reflexa.motion.contact import Contact, at_times
from reflexa.motion.skeleton import Skeleton


@dataclass(frozen=True)
class Event:
    """A named mark in time, at ``frame`` (may lie between frames when the source's did), with a number or text that goes along
    with it for whoever plays the clip (the surface of a step, the loudness of a blow), or none."""

    frame: float
    name: str
    value: float | str | None = None

    @property
    def label(self) -> str:
        """The name, with the value behind it: ``step = wood``."""
        number = f"{self.value:g}" if isinstance(self.value, float | int) else self.value
        return self.name if number is None else f"{self.name} = {number}"

    @property
    def plain(self) -> dict[str, float | str]:
        """As it is written in files."""
        return {"frame": self.frame, "name": self.name, **({} if self.value is None else {"value": self.value})}


def event_from_plain(data: Any) -> Event | None:
    """The event that a file says; None where it says none."""
    frame = _number(data.get("frame")) if isinstance(data, dict) else None
    if frame is None or "name" not in data:
        return None
    value = data.get("value")
    return Event(frame, str(data["name"]), value if isinstance(value, str) else _number(value))


def _number(value: Any) -> float | None:
    good = isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)
    return float(value) if good else None


@dataclass(frozen=True, eq=False)
class Track:
    """A scalar curve that goes along with a clip, such as the weight of a shape of the face: values ``(frames,)``."""

    name: str
    values: Array

    def __post_init__(self) -> None:
        object.__setattr__(self, "values", frozen(self.values, (None,), f"the track {self.name!r}"))


@dataclass(frozen=True)
class Additive:
    """The mark of a clip that is a difference: what from, in words; on which side its rotations are applied; and how many seconds
    into the base it begins (None: the base stands still).

    Such a clip holds the rest pose with the difference on it, so that it can be looked at, mirrored and read by anybody. With b
    the base, r the rest pose and f the clip, the whole is, joint by joint in the parent's space: translation b + (f - r), scale
    b f / r, rotation ``own`` b r⁻¹ f (about the joint's own axes, after the base) or ``parent`` f r⁻¹ b (about the parent's).
    """

    base: str
    turns: Literal["own", "parent"] = "own"
    start: float | None = None

    @property
    def plain(self) -> dict[str, Any]:
        """As plain data for the extras of a file and for manifests."""
        start = {} if self.start is None else {"start": round(self.start, 9)}
        return {"base": self.base, "rotations": self.turns, **start, "on": "rest pose"}


@dataclass(frozen=True, eq=False)
class Clip:
    """Per frame and joint a local rotation ``(frames, joints, 4)`` and translation ``(frames, joints, 3)``.

    scales ``(frames, joints, 3)`` or None where every scale is one. rate in frames a second.
    stepped: values hold until the next frame instead of moving towards it. play_rate: the speed that the
    source asks to be played at (1 = as sampled). tracks: scalar curves of the same frames. reduced: its curves are straight
    between few frames, so that only those need be written as keys. contacts: which there are, where somebody has said so; None:
    they are found by whoever asks. additive: the mark of a clip that is the difference from another. known_model: model-space
    rotations and positions, told by whoever computed them on the way, so that nobody need do so again; never carried over to
    a changed clip.
    """

    name: str
    skeleton: Skeleton
    rotations: Array
    translations: Array
    rate: float
    scales: Array | None = None
    loop: bool = False
    stepped: bool = False
    play_rate: float = 1.0
    events: tuple[Event, ...] = ()
    tracks: tuple[Track, ...] = ()
    reduced: bool = False
    contacts: tuple[Contact, ...] | None = None
    additive: Additive | None = None
    known_model: InitVar[tuple[Array, Array] | None] = None

    def __post_init__(self, known_model: tuple[Array, Array] | None) -> None:
        n = len(self.skeleton)
        rotations = frozen(self.rotations, (None, n, 4), "rotations")
        if len(rotations) == 0:
            raise ValueError("a clip needs at least one frame")
        if not (np.isfinite(self.rate) and self.rate > 0):
            raise ValueError(f"a rate of {self.rate} frames a second")
        object.__setattr__(self, "rotations", rotations)
        object.__setattr__(self, "translations", frozen(self.translations, (len(rotations), n, 3), "translations"))
        if self.scales is not None:
            object.__setattr__(self, "scales", frozen(self.scales, (len(rotations), n, 3), "scales"))
        for track in self.tracks:
            if len(track.values) != len(rotations):
                raise ValueError(f"the track {track.name!r} has {len(track.values)} frames, not {len(rotations)}")
        if known_model is not None:
            turned = frozen(known_model[0], (len(rotations), n, 4), "model rotations")
            object.__setattr__(self, "model", (turned, frozen(known_model[1], (len(rotations), n, 3), "places")))

    @property
    def frames(self) -> int:
        return len(self.rotations)

    @property
    def duration(self) -> float:
        """Seconds from the first frame to the last at the sampled rate."""
        return (self.frames - 1) / self.rate

    @cached_property
    def model(self) -> tuple[Array, Array]:
        """Model-space rotations ``(frames, joints, 4)`` and positions ``(frames, joints, 3)``."""
        turned, placed = kinematics.forward(self.skeleton.parents, self.rotations, self.translations, self.scales)
        return owned(turned), owned(placed)

    @cached_property
    def digest(self) -> str:
        """SHA-256 over everything that the clip says; equal digests mean equal clips."""
        h = hashlib.sha256()
        head = (self.rate, self.loop, self.stepped, self.play_rate, self.events, self.skeleton.names, self.reduced)
        h.update(repr(head).encode())
        for said in (self.contacts, self.additive):
            if said is not None:
                h.update(repr(said).encode())
        skeleton = self.skeleton
        arrays = (skeleton.rest_rotations, skeleton.rest_translations, skeleton.rest_scales)
        for a in (self.rotations, self.translations, self.scales, *arrays):
            h.update(b"-" if a is None else np.ascontiguousarray(a).tobytes())
        for track in self.tracks:
            h.update(track.name.encode() + b"\0" + track.values.tobytes())
        h.update(skeleton.parents.tobytes())
        return h.hexdigest()

    def with_motion(self, rotations: Array, translations: Array, **changes: Any) -> Clip:
        """The same clip with other rotations and translations."""
        return replace(self, rotations=rotations, translations=translations, **changes)

    def cut(self, first: int, last: int) -> Clip:
        """Frames ``first`` to ``last``, both included, with the events inside moved along.

        Raises ValueError when the range is empty or lies outside the clip.
        """
        if not 0 <= first <= last < self.frames:
            raise ValueError(f"frames {first} to {last} are not inside {self.name!r} (0 to {self.frames - 1})")
        if first == 0 and last == self.frames - 1:
            return self
        span = slice(first, last + 1)
        return replace(
            self,
            rotations=self.rotations[span],
            translations=self.translations[span],
            scales=None if self.scales is None else self.scales[span],
            events=tuple(replace(e, frame=e.frame - first) for e in self.events if first <= e.frame <= last),
            tracks=tuple(Track(t.name, t.values[span]) for t in self.tracks),
            contacts=self.contacts_at(np.arange(first, last + 1.0)),
        )

    def contacts_at(self, times: Array) -> tuple[Contact, ...] | None:
        """The contacts where a map of time has them, frame i being what was at ``times[i]``; None where nobody has said any."""
        return None if self.contacts is None else at_times(self.contacts, self.frames, times)


def rest_clip(skeleton: Skeleton, name: str = "rest pose", rate: float = 30.0) -> Clip:
    """One frame of rest pose."""
    return Clip(
        name,
        skeleton,
        skeleton.rest_rotations[None],
        skeleton.rest_translations[None],
        rate,
        None if skeleton.rest_scales is None else skeleton.rest_scales[None],
    )


def continuous(clip: Clip) -> Clip:
    """The clip with each joint's quaternions on one hemisphere from frame to frame."""
    return clip.with_motion(quat.continuous(clip.rotations), clip.translations)
