"""A step as a value: what it is, and how much of it, where and when. And what a kind of step is."""

from __future__ import annotations

import secrets
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import msgspec
import numpy as np
from numpy.typing import ArrayLike

from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.resample import time_warped
from reflexa.rig import Rig
from reflexa.rig.bodymap import joints_of
from reflexa.rig.joint_roles import RoleMap
from reflexa.stage import EMPTY, Stage

# Stands for the source wherever a step can be named by its id.
SOURCE = "source"


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


def new_id() -> str:
    """An id for a step made by hand. Chance, so that steps added in two copies of a project do not collide."""
    return secrets.token_hex(4)


class Tie(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """To which event of the clip a step is tied, and where that event was when its frames were set: where the event is elsewhere,
    so are they."""

    event: str
    frame: float


class Step(msgspec.Struct, frozen=True):
    """One revision. weight 0 to 1, or to what its kind allows;
    envelope: (frame, weight) points, linear between, held outside; no mask: all joints.
    locked: hands off in the window until it is unlocked. tied: its envelope and the frames of its settings go with an event.
    id: what selections and other steps know it by; it never changes, whatever the step is called and wherever it is moved."""

    kind: str
    settings: Settings
    name: str = ""
    on: bool = True
    weight: float = 1.0
    envelope: tuple[tuple[float, float], ...] = ()
    mask: Mask | None = None
    locked: bool = False
    tied: Tie | None = None
    id: str = msgspec.field(default_factory=new_id)

    @property
    def acts(self) -> bool:
        """True if the step is on and has any weight."""
        return self.on and self.weight > 0

    def envelope_at(self, frames: ArrayLike) -> Array:
        """Weight of the envelope at frames ``(n,)``."""
        x = np.asarray(frames, dtype=np.float64)
        if not self.envelope:
            return np.ones_like(x)
        at, weight = np.array(self.envelope).T
        return np.asarray(np.interp(x, at, weight))


# What a step is given, and what comes of it ---------------------------------------------------------------------


@dataclass(frozen=True, eq=False)
class Outcome:
    """What comes of a step: clip and rig at full weight.

    times: for a step that changes time, which frame (any number) of the clip before stands at each frame after
    ``(frames,)``; None: frames stay what they are. reporting: makes the kind's report, when it is asked for, of the clip
    that stands in the end (the step's weight and mask are in it).
    """

    clip: Clip
    rig: Rig
    times: Array | None = None
    reporting: Callable[[Clip], Any] | None = None

    @cached_property
    def report(self) -> Any:
        """What was found and what it came to, as the kind defines it, made once; None where the kind has none."""
        return None if self.reporting is None else self.reporting(self.clip)


@dataclass(frozen=True, eq=False)
class Given:
    """What a step is laid on. first: the number of the clip's first frame in the take, and whole: the clip that it was cut
    from (other than 0 and None only when a single pose is computed while a hand drags). mask: what the step reaches, weight
    ``(frames,)``: how much it acts, for kinds that have to know; None: all."""

    clip: Clip
    rig: Rig
    first: int = 0
    whole: Clip | None = None
    mask: Mask | None = None
    weight: Array | None = None

    def share(self, joint: int) -> Array:
        """How much the step acts on a joint at each frame ``(frames,)``, 0 to 1, or to what its kind allows."""
        own = 1.0 if self.mask is None else float(self.mask.weights(self.rig)[joint])
        return np.full(self.clip.frames, own) if self.weight is None else self.weight * own

    @property
    def wholly(self) -> bool:
        """True if the step acts fully at every frame and on every joint."""
        return self.mask is None and (self.weight is None or bool(np.all(self.weight == 1)))

    def changed(self, clip: Clip, reporting: Callable[[Clip], Any] | None = None) -> Outcome:
        """The outcome that has another clip on the same rig."""
        return Outcome(clip, self.rig, reporting=reporting)


@dataclass(frozen=True, eq=False)
class Point:
    """A point of the line: what stands after the step of that id (or ``SOURCE``). through: what steps since have done to time,
    each as ``Outcome.times``."""

    id: str
    name: str
    stood: Clip
    rig: Rig
    through: tuple[Array, ...] = ()

    @cached_property
    def clip(self) -> Clip:
        """The clip that stood there, by the time of whoever asks."""
        out = self.stood
        for times in self.through:
            out = time_warped(out, np.clip(times, 0, out.frames - 1))
        return out


@dataclass(frozen=True, eq=False)
class Context:
    """What a step may read beside the clip that it is given: rigs and clips by name, the stage, and the points of the
    line before it, from the source on."""

    rigs: Mapping[str, Rig] = field(default_factory=dict)
    clips: Mapping[str, tuple[Clip, Rig]] = field(default_factory=dict)
    stage: Stage = EMPTY
    earlier: tuple[Point, ...] = ()


NOTHING = Context()


@dataclass(frozen=True, eq=False)
class Beginning:
    """What a step begins with when a hand adds it: the clip and rig that it will be laid on (None while those are
    computed), what it may read, the steps before it, and what is selected."""

    given: Given | None = None
    context: Context = NOTHING
    before: tuple[Step, ...] = ()
    joint: str = ""
    prop: str = ""
    frame: int = 0


@dataclass(frozen=True, eq=False)
class Result:
    """What came of a whole line, to be held against what its steps asked for."""

    clip: Clip
    rig: Rig
    stage: Stage


@dataclass(frozen=True)
class Unmet:
    """Something that a step asks for and the result does not do: which joint, what it is in words, first and last frame,
    the worst one, how much it is there, how much is tolerated, and the unit of both."""

    joint: str
    text: str
    frames: tuple[int, int]
    worst: int
    size: float
    threshold: float
    unit: str


# Kinds ----------------------------------------------------------------------------------------------------------

Run = Callable[[Given, Any, Context], Outcome]


@dataclass(frozen=True)
class StepKind:
    """A kind of step: its settings type, and what it does at full weight by ``run(given, settings, context)``.

    place: where it stands in lists of kinds, the lowest first; group: the heading that it stands under (figure, ground, layers,
    time). Flags say what holds: it ``changes_rig`` (takes the clip to another one), it ``changes_time``, a ``single_pose`` comes
    out as in the whole clip, it can be ``weighed`` (weight, envelope, mask), it ``weighs_itself`` (half of it is half the way,
    which it finds itself, not half of what each joint turns), up to ``most_weight`` (beyond 1 it is exaggerated), its settings
    are a layer of keys (``keyed``). Further, each where it has something to say:

    between(given, settings, full, partly): the clip partly on the way to the step's own at full weight, with what no mixture of
      joints keeps put right.
    fixes: where it stands among the steps that fix findings, the lowest first: big things before small ones.
    was: names that the kind had in older versions, which are still read. settings_were: older names of settings → today's.
    upgraded(plain): saved settings of older versions as they are written now, where more than a name has changed.
    reads(settings, context): a digest of everything in the context that run reads: equal digests, equal result.
    begin(beginning): the settings with which a hand begins it, so that it means something at once.
    adjusted(settings, name, value, given): the settings once a hand has set one of them, with what follows from it.
    slides(settings): does it make feet slide that stood? Then later steps may look for where they stood before it.
    summary(settings): one line for its card. overrules(settings, later): does a later step of the kind take over?
    unmet(step, later, result): what the result lacks of what the step asks for; later: the steps behind it that are on.
    shifted(settings, by): with the frames that they speak of so much later, for steps that are tied to an event.
    notes(settings): entries that go into the manifest of an exported clip, by what they are about.
    moments(settings): the frames at which it has keys.
    carried(settings, carrier): the settings as they are meant on another rig, where more than names of joints has to go along.
    """

    kind: str
    title: str
    help: str
    settings: type[Settings]
    run: Run
    place: int = 1000
    group: str = "other"
    changes_rig: bool = False
    changes_time: bool = False
    single_pose: bool = False
    weighed: bool = True
    weighs_itself: bool = False
    most_weight: float = 1.0
    between: Callable[[Given, Any, Clip, Clip], Clip] | None = None
    keyed: bool = False
    fixes: int = 1000
    was: tuple[str, ...] = ()
    settings_were: Mapping[str, str] = field(default_factory=dict)
    upgraded: Callable[[dict[str, Any]], dict[str, Any]] | None = None
    reads: Callable[[Any, Context], list[str]] | None = None
    begin: Callable[[Beginning], dict[str, Any]] | None = None
    adjusted: Callable[[Any, str, Any, Given], Settings] | None = None
    slides: Callable[[Any], bool] | None = None
    summary: Callable[[Any], str] | None = None
    overrules: Callable[[Any, Any], bool] | None = None
    unmet: Callable[[Step, tuple[Step, ...], Result], list[Unmet]] | None = None
    shifted: Callable[[Any, int], Settings] | None = None
    notes: Callable[[Any], dict[str, str]] | None = None
    moments: Callable[[Any], list[float]] | None = None
    carried: Callable[[Any, RoleMap], Settings] | None = None


def known_rigs(context: Context) -> list[str]:
    """Digests of every rig that a step can choose from."""
    return sorted(f"{n}={r.digest}" for n, r in context.rigs.items())
