"""A step as a value: what it is, and how much of it, where and when."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

import msgspec
import numpy as np
from numpy.typing import ArrayLike

from reflexa.motion.clip import Clip
from reflexa.motion.arrays import Array
from reflexa.rig import Rig
from reflexa.rig.bodymap import joints_of
from reflexa.stage import EMPTY, Stage


class Settings(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Base of every kind's settings: typed fields with unit, range, title and help in ``msgspec.Meta``."""


class Mask(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Which joints a step reaches: body parts (and presets such as "left arm") fully, single joints by weight; over the
    first ``edge`` joints, from the topmost down, it fades in."""

    parts: tuple[str, ...] = ()
    joints: dict[str, float] = {}
    edge: int = 0

    def weights(self, rig: Rig) -> Array:
        """Weight per joint ``(joints,)``. Raises KeyError for a part or joint that does not exist."""
        out = np.zeros(len(rig.skeleton))
        for part in self.parts:
            for name in joints_of(rig.body_map, part):
                out[rig.skeleton.index[name]] = 1.0
        for name, weight in self.joints.items():
            out[rig.skeleton.index[name]] = weight
        if self.edge > 0:
            # How many joints above, itself included, are reached too: the edge fades in over that many.
            inside = np.zeros(len(rig.skeleton))
            for j, parent in enumerate(rig.skeleton.parents.tolist()):
                inside[j] = (inside[parent] + 1 if parent >= 0 else 1) if out[j] > 0 else 0
            out *= np.minimum(inside / (self.edge + 1), 1.0)
        return out


class Step(msgspec.Struct, frozen=True):
    """One revision. weight 0 to 1; envelope: (frame, weight) points, linear between, held outside; no mask: all joints.
    locked: hands off in the window until it is unlocked."""

    kind: str
    settings: Settings
    name: str = ""
    on: bool = True
    weight: float = 1.0
    envelope: tuple[tuple[float, float], ...] = ()
    mask: Mask | None = None
    locked: bool = False

    def envelope_at(self, frames: ArrayLike) -> Array:
        """Weight of the envelope at frames ``(n,)``."""
        x = np.asarray(frames, dtype=np.float64)
        if not self.envelope:
            return np.ones_like(x)
        at, weight = np.array(self.envelope).T
        return np.asarray(np.interp(x, at, weight))


@dataclass(frozen=True, eq=False)
class Point:
    """A point of the line: what stands after a step (or the source, under the name "source")."""

    name: str
    clip: Clip
    rig: Rig


@dataclass(frozen=True, eq=False)
class Around:
    """What a step may read beside the clip that it is given: rigs and clips by name, the stage, and the points of the
    line before it, from the source on."""

    rigs: Mapping[str, Rig] = field(default_factory=dict)
    clips: Mapping[str, tuple[Clip, Rig]] = field(default_factory=dict)
    stage: Stage = EMPTY
    earlier: tuple[Point, ...] = ()


NOTHING = Around()

Apply = Callable[[Clip, Rig, Any, int], Clip]
Draws = Callable[[Clip, Rig, "Step", Around], Clip]
Carry = Callable[[Clip, Rig, Any, Around], tuple[Clip, Rig]]
Reads = Callable[[Any, Around], list[str]]


def known_rigs(around: Around) -> list[str]:
    """Digests of every rig that a step can choose from."""
    return sorted(f"{n}={r.digest}" for n, r in around.rigs.items())


@dataclass(frozen=True)
class StepKind:
    """A kind of step: its settings type and what it does, by one of three functions.

    apply(clip, rig, settings, first) gives the changed clip of the same rig at full weight; ``first`` is the number of
    the clip's first frame in the take (not 0 only when a single pose is computed while a hand drags).
    carry(clip, rig, settings, around) takes the clip to another rig, out of those known by name: clip and rig. Such a
    step has no weight, envelope or mask.
    draws(clip, rig, step, around) gives the changed clip at full weight too, out of the whole clip and what is around.
    reads(settings, around) gives a digest of everything around that carry or draws reads: equal digests, equal result.
    """

    kind: str
    title: str
    help: str
    settings: type[Settings]
    apply: Apply | None = None
    carry: Carry | None = None
    draws: Draws | None = None
    reads: Reads | None = None
