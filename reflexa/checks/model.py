"""A finding: something measured that looks wrong — where, which frames, how much, and what repairs it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from types import MappingProxyType
from typing import Any, Literal

import numpy as np
from msgspec.structs import replace

from reflexa.formats.imported import Note
from reflexa.motion import limbs, stances
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.limbs import Bend
from reflexa.rig import Rig
from reflexa.rig.limbs import limb_of
from reflexa.rig.rig import LIMBS, SIDES
from reflexa.rig.soles import soles, under_tracks
from reflexa.stage import EMPTY, Stage, surface_under
from reflexa.stage.footing import Footing, Thresholds, footing
from reflexa.stage.surface import STEP
from reflexa.steps import Step, make
from reflexa.take.model import Range
from reflexa.words import length

# When a foot stands that is looked at.
STOOD = Thresholds(slack=1.0)
_NONE: Mapping[str, float] = MappingProxyType({})


@dataclass(frozen=True)
class Limit:
    """A threshold: its name in the thresholds file, the value that holds where nobody says otherwise, the unit, and why."""

    name: str
    value: float
    unit: str
    why: str


_METRES = {"mm": 0.001, "cm": 0.01, "m": 1.0}


def amount(size: float, unit: str) -> str:
    """A size with its unit, as people write it: lengths in the unit that they are read in.

    >>> amount(163.2, "mm"), amount(1, "frames"), amount(27.1, "°")
    ('16.3 cm', '1 frame', '27.1°')
    """
    if unit in _METRES:
        return length(size * _METRES[unit])
    if size == 1 and unit in ("frames", "times"):
        unit = unit[:-1]
    return f"{size:.3g}{unit}" if unit in ("°", "%") else f"{size:.3g} {unit}"


@dataclass(frozen=True)
class Repair:
    """The step that repairs a finding: what its button says, the kind of step, the settings that it begins with, and when it
    acts (as a step's envelope; empty: always)."""

    title: str
    kind: str
    settings: Mapping[str, Any] = field(default_factory=lambda: MappingProxyType({}))
    envelope: tuple[tuple[float, float], ...] = ()

    def step(self) -> Step:
        """The step itself, with an id of its own."""
        return replace(make(self.kind, self.title, **self.settings), envelope=self.envelope)


@dataclass(frozen=True)
class Finding:
    """frames: first and last that it concerns; worst: where it is largest. size and threshold in ``unit``. step: the id
    of the step that brought it in, where that is known (``SOURCE``: the source has it), and the size that it ``was`` before."""

    kind: str
    joint: str
    text: str
    frames: tuple[int, int]
    worst: int
    size: float
    threshold: float
    unit: str
    repair: Repair | None = None
    step: str = ""
    was: float = 0.0

    @property
    def weight(self) -> float:
        """How bad it is: so many times its threshold; where that is zero, its size."""
        return self.size / self.threshold if self.threshold > 0 else 1.0 + self.size

    def plain(self) -> dict[str, Any]:
        """As plain data for the command line; repair: the kind of the step that repairs it, or an empty text."""
        return {
            "kind": self.kind,
            "joint": self.joint,
            "text": self.text,
            "first": self.frames[0],
            "last": self.frames[1],
            "frames": list(self.frames),
            "worst": self.worst,
            "size": self.size,
            "threshold": self.threshold,
            "unit": self.unit,
            "repair": self.repair.kind if self.repair is not None else "",
            "step": self.step,
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
    """One stance of a foot: its side, its ankle joint, when heel and ball stand over the whole clip, first and last frame."""

    side: str
    joint: str
    foot: Footing
    frames: tuple[int, int]


@dataclass(frozen=True, eq=False)
class Subject:
    """What is looked at: a clip on its rig, the stage about it, and the steps that made it (their wishes can be checked).

    limits: thresholds by name that are other than the checks' own. ranges: those of the take. source: the clip and rig that
    the steps began with, where it was not read from a file. notes: what its reader noticed. like: another that much may be taken
    over from, where joints are the same. What several findings are read off is measured once, and kept here."""

    clip: Clip
    rig: Rig
    stage: Stage = EMPTY
    steps: tuple[Step, ...] = ()
    limits: Mapping[str, float] = field(default_factory=lambda: _NONE)
    ranges: tuple[Range, ...] = ()
    source: tuple[Clip, Rig] | None = None
    notes: tuple[Note, ...] = ()
    like: Subject | None = None

    def unchanged(self, joints: Iterable[int]) -> Subject | None:
        """The subject that this one is ``like``, where joints are there what they are here, on every frame."""
        other, clip = self.like, self.clip
        if other is None or other.rig is not self.rig or other.stage != self.stage:
            return None
        if (other.clip.frames, other.clip.loop, other.clip.rate) != (clip.frames, clip.loop, clip.rate):
            return None
        at = list(joints)
        pairs = zip(clip.model, other.clip.model, strict=True)
        return other if all(np.array_equal(a[:, at], b[:, at]) for a, b in pairs) else None

    def limit(self, limit: Limit) -> float:
        """The value of a threshold here."""
        return self.limits.get(limit.name, limit.value)

    @cached_property
    def whole(self) -> tuple[int, int]:
        """First and last frame."""
        return 0, self.clip.frames - 1

    @cached_property
    def body(self) -> str:
        """The joint that stands for the whole figure."""
        return self.clip.skeleton.names[self.rig.travel_joint]

    @cached_property
    def stances(self) -> tuple[Stance, ...]:
        """Every stance, those of clips made on the spot too."""
        return self.stands(STOOD, on_spot=True)

    def stands(self, by: Thresholds, on_spot: bool) -> tuple[Stance, ...]:
        """Every stance by some thresholds; on_spot: also in a clip whose feet are meant to go back. Kept."""
        if (by, on_spot) not in self._stood:
            self._stood[by, on_spot] = self._stances(by, on_spot)
        return self._stood[by, on_spot]

    @cached_property
    def _stood(self) -> dict[tuple[Thresholds, bool], tuple[Stance, ...]]:
        return {} if self._same_feet is None else self._same_feet._stood

    @cached_property
    def _same_feet(self) -> Subject | None:
        rig = self.rig
        feet = {j for s in soles(rig).values() for j in (s.ankle, s.toes)}
        return self.unchanged({rig.travel_joint, rig.joint("pelvis"), *feet} - {-1})

    def _stances(self, by: Thresholds, on_spot: bool) -> tuple[Stance, ...]:
        clip, rig = self.clip, self.rig
        floor: Literal["stage", "feet"] = "stage" if self.stage.props else "feet"
        feet = footing(clip, rig, self.stage, by, floor, on_spot)
        return tuple(
            Stance(side, clip.skeleton.names[f.sole.ankle], f, span)
            for side, f in feet.items()
            for span in stances.spans(f.stands)
        )

    def heights(self, on_spot: bool = False) -> list[tuple[Stance, Array]]:
        """Per stance the height of the lowest point of the sole over what lies below it ``(frames of the stance,)``, metres."""
        found = self.stances if on_spot else self.stands(STOOD, on_spot=False)
        return [(s, self.feet[s.joint][s.frames[0] : s.frames[1] + 1]) for s in found]

    @cached_property
    def feet(self) -> dict[str, Array]:
        """Per ankle joint the height of the lowest point of its sole over what lies below it ``(frames,)``, metres."""
        if self._same_feet is not None:
            return self._same_feet.feet
        names = self.clip.skeleton.names
        return {names[s.ankle]: self.over(under_tracks(self.clip, s)) for s in soles(self.rig).values()}

    def over(self, points: Iterable[Array], above: float = STEP) -> Array:
        """The height of the lowest of tracks ``(frames, 3)`` over what lies below it ``(frames,)``, metres: over surfaces
        that are at most so much ``above`` a point."""
        if not self.stage.props:
            return np.asarray(np.min([p[:, 1] for p in points], axis=0))
        return np.asarray(
            np.min([p[:, 1] - surface_under(self.stage, self.clip, p, above).height for p in points], axis=0)
        )

    @cached_property
    def bends(self) -> dict[str, Bend]:
        """Per limb that the rig has ("left hand", "right foot"), how it bends."""
        out: dict[str, Bend] = {}
        for end in (f"{side} {part}" for part in LIMBS for side in SIDES):
            l = limb_of(self.rig, end)
            if l is None:
                continue
            same = self.unchanged({l.root, l.middle, l.end if l.end >= 0 else l.middle})
            if same is not None:
                out[end] = same.bends[end]
                continue
            out[end] = limbs.bend(self.clip.model, l)
        return out


@dataclass(frozen=True)
class Check:
    """What looks for one kind of finding: a pure function of a subject. place: where it stands in lists, the lowest first.
    kinds: the kinds of the findings that it gives; none said: its name. limits: the thresholds that it goes by. line: it looks at
    more than clip, rig and stage: steps, ranges, source or notes. about: what is wrong then, by which marks are shaped. whole:
    the whole figure has it, and the joint of a finding is only the one that shows most. titles: of kinds that are called
    otherwise than the check itself. fine: what is so where it finds nothing, as part of a sentence. of_additive: it makes sense
    for a clip that is only a difference."""

    name: str
    title: str
    help: str
    run: Callable[[Subject], list[Finding]]
    place: int = 1000
    kinds: tuple[str, ...] = ()
    limits: tuple[Limit, ...] = ()
    line: bool = False
    about: Literal["figure", "ground", "joint", "time"] = "figure"
    whole: bool = False
    titles: Mapping[str, str] = field(default_factory=lambda: MappingProxyType({}))
    fine: str = ""
    of_additive: bool = False

    def title_of(self, kind: str) -> str:
        """What findings of one of its kinds are called."""
        return self.titles.get(kind, self.title)

    @property
    def gives(self) -> tuple[str, ...]:
        """The kinds of its findings."""
        return self.kinds or (self.name,)
