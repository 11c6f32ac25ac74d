"""A finding: something measured that looks wrong — where, which frames, how much, and what repairs it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from types import MappingProxyType
from typing import Any, Literal

import numpy as np

from reflexa.motion import contacts
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.stage import EMPTY, Stage, surface_under
from reflexa.stage.footing import Footing, Thresholds, footing
from reflexa.steps import Step


@dataclass(frozen=True)
class Repair:
    """The step that repairs a finding: what its button says, the kind of step, and the settings that it begins with."""

    title: str
    kind: str
    settings: Mapping[str, Any] = field(default_factory=lambda: MappingProxyType({}))


@dataclass(frozen=True)
class Finding:
    """frames: first and last that it concerns; worst: where it is largest. size and threshold in ``unit``."""

    kind: str
    joint: str
    text: str
    frames: tuple[int, int]
    worst: int
    size: float
    threshold: float
    unit: str
    repair: Repair | None = None

    def plain(self) -> dict[str, Any]:
        """As plain data for the command line; step: the kind that repairs it, or an empty text."""
        return {
            "kind": self.kind,
            "joint": self.joint,
            "text": self.text,
            "frames": list(self.frames),
            "worst": self.worst,
            "size": self.size,
            "threshold": self.threshold,
            "unit": self.unit,
            "step": self.repair.kind if self.repair is not None else "",
        }


@dataclass(frozen=True)
class Measured:
    """The largest of one kind over a clip, in cm; joint and frames: where; empty where there is nothing to measure."""

    size: float = 0.0
    joint: str = ""
    frames: tuple[int, int] = (0, 0)
    worst: int = 0


@dataclass(frozen=True, eq=False)
class Stance:
    """One stance of a foot: its ankle joint, when heel and ball stand over the whole clip, first and last frame."""

    joint: str
    foot: Footing
    frames: tuple[int, int]


@dataclass(frozen=True, eq=False)
class Subject:
    """What is looked at: a clip on its rig, the stage about it, and the steps that made it (their wishes can be checked).
    What several findings are read off is measured once, and kept here."""

    clip: Clip
    rig: Rig
    stage: Stage = EMPTY
    steps: tuple[Step, ...] = ()

    @cached_property
    def stances(self) -> tuple[Stance, ...]:
        """Every stance. A clip made on the spot has none: its feet are meant to go back."""
        clip, rig = self.clip, self.rig
        floor: Literal["stage", "feet"] = "stage" if self.stage.props else "feet"
        feet = footing(clip, rig, self.stage, Thresholds(slack=1.0), floor, on_spot=False).values()
        return tuple(
            Stance(clip.skeleton.names[f.sole.ankle], f, span) for f in feet for span in contacts.spans(f.stands)
        )

    @cached_property
    def heights(self) -> tuple[tuple[Stance, Array], ...]:
        """Per stance the height of the lowest point of the sole over what lies below it ``(frames of the stance,)``, metres."""
        out = []
        turned, placed = self.clip.model
        for stance in self.stances:
            frames = np.arange(stance.frames[0], stance.frames[1] + 1)
            points = stance.foot.sole.underside(turned[frames], placed[frames])
            over = [p[:, 1] - surface_under(self.stage, self.clip, p, frames=frames).height for p in points]
            out.append((stance, np.asarray(np.min(over, axis=0))))
        return tuple(out)


@dataclass(frozen=True)
class Check:
    """What looks for one kind of finding: a pure function of a subject. place: where it stands in lists, the lowest first.
    kinds: the kinds of the findings that it gives."""

    name: str
    title: str
    help: str
    run: Callable[[Subject], list[Finding]]
    place: int = 1000
    kinds: tuple[str, ...] = ()
