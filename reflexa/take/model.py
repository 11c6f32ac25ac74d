"""A take: source, ordered steps, and how it is exported. The unit of work; a value that saves as text."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Annotated, Any, Literal

from msgspec import Meta

from reflexa.formats import STANDARD
from reflexa.stage import EMPTY, Stage
from reflexa.steps import Step

# What an export can leave out.
Part = Literal["helpers", "fingers", "tracks", "scale"]
Frames = Annotated[int, Meta(ge=0, le=100_000)]


@dataclass(frozen=True)
class Segment:
    """A part of a sequence: a clip of a file, from first to last frame (None: its last), so many times as fast, reversed,
    mirrored; it fades in over the end of the one before over ``crossfade`` frames. in_place: it stands where it is in its file;
    else place and heading carry on. out_of_step: where both walk or run, it is not brought into step with the one before."""

    file: str
    clip: str
    first: int = 0
    last: int | None = None
    speed: float = 1.0
    reversed: bool = False
    mirrored: bool = False
    crossfade: int = 0
    in_place: bool = False
    out_of_step: bool = False


@dataclass(frozen=True)
class Source:
    """A clip in a project: the file's name in the project's sources folder, and which clip of it. segments: it is these in a
    row, under that name; then the file is that of the rig."""

    file: str
    clip: str
    segments: tuple[Segment, ...] = ()


@dataclass(frozen=True)
class Range:
    """A part of a take's result that is handed over as a clip of its own: first and last frame, and whether it is a loop."""

    name: str
    first: int
    last: int
    loop: bool = False


@dataclass(frozen=True)
class View:
    """A place from which a take is looked at, kept under a name: what the camera looks at, metres; from which side and how far
    above the ground, degrees; from how far, metres. follow: it goes along with the figure."""

    name: str
    target: tuple[float, float, float] = (0.0, 0.95, 0.0)
    yaw: float = 32.0
    pitch: float = 12.0
    distance: float = 4.2
    perspective: bool = True
    follow: bool = False


@dataclass(frozen=True)
class Accepted:
    """A finding that a person puts up with: its kind and joint, between which frames of the result, and why."""

    kind: str
    joint: str
    first: int
    last: int
    reason: str = ""


@dataclass(frozen=True)
class Export:
    """What is handed to the engine. first, last: the frames (None: to the clip's end); rate None: as the source's. cycles: how
    many times over a loop is written, its travel carried on. play_rate: how fast it asks to be played (None: as it did).
    ranges: those of the take are written ``together`` in one file, ``apart``, or not (``whole``: the result alone). held: so
    many frames more of the first pose before each clip, and of the last behind it. additive: only the difference is written, from
    the ``rest`` pose, each clip's ``first`` frame, ``frame N`` of the result, or a clip (FILE/CLIP, take:NAME); empty: all of it.
    additive_turns: on which side rotations differ (``Additive``). additive_root: whether the root differs too, or stays that of
    the base. joints: names of joints, groups, chains and parts of the body that are written (none said: all); without: what is
    not."""

    name: str = ""
    first: int = 0
    last: int | None = None
    rate: float | None = None
    loop: bool | None = None
    format: str = STANDARD
    frame: str = "source"
    cycles: int = 1
    play_rate: float | None = None
    ranges: Literal["together", "apart", "whole"] = "together"
    held: tuple[Frames, Frames] = (0, 0)
    additive: str = ""
    additive_turns: Literal["own", "parent"] = "own"
    additive_root: bool = True
    joints: tuple[str, ...] = ()
    without: tuple[Part, ...] = ()


@dataclass(frozen=True)
class Varies:
    """Of which take (its id) another one is a variation, and the values that are its own: step (its id), setting (or ``weight``),
    value."""

    of: str
    values: tuple[tuple[str, str, bool | int | float | str], ...] = ()


@dataclass(frozen=True)
class Take:
    """Source, steps, stage, ranges of the result, findings that are put up with, views.

    id: what it is known by, whatever it is called; given when it is saved or read, where it has none. folder: that it lies in, in
    the list of takes. note: what a person says of it. varies: it follows another take in all but some values. ``unknown`` keeps
    fields of a saved take that this version does not know."""

    name: str
    source: Source
    steps: tuple[Step, ...] = ()
    export: Export = Export()
    unknown: dict[str, Any] = field(default_factory=dict)
    stage: Stage = EMPTY
    ranges: tuple[Range, ...] = ()
    accepted: tuple[Accepted, ...] = ()
    views: tuple[View, ...] = ()
    id: str = field(default="", compare=False)
    folder: str = ""
    note: str = ""
    varies: Varies | None = None

    def index(self, step_id: str) -> int:
        """The place of a step on the line, or -1."""
        return next((i for i, s in enumerate(self.steps) if s.id == step_id), -1)

    def step(self, step_id: str) -> Step | None:
        """The step of that id, where there is one."""
        at = self.index(step_id)
        return self.steps[at] if at >= 0 else None
