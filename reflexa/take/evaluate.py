"""From a take to clips: after every step, with what is unchanged taken from a cache."""

from __future__ import annotations

import hashlib
import threading
from collections import OrderedDict
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from types import MappingProxyType

import msgspec
import numpy as np
from numpy.typing import NDArray

from reflexa.errors import RecipeError
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.steps import NOTHING, SOURCE, Context, Given, Outcome, Point, Step, kind_of, outcome, to_plain
from reflexa.take import edits
from reflexa.take.model import Take


class Cancelled(Exception):
    """A newer request made this one pointless."""


@dataclass(frozen=True, eq=False)
class _Line:
    """take: what was computed. outcomes[0] is the source, outcomes[i + 1] what came of step i; the last is the result.
    refused: per step (its id) that could not be run and was passed over, why."""

    take: Take
    outcomes: tuple[Outcome, ...]
    refused: Mapping[str, RecipeError] = field(default_factory=dict)

    @cached_property
    def clips(self) -> tuple[Clip, ...]:
        return tuple(o.clip for o in self.outcomes)

    @cached_property
    def rigs(self) -> tuple[Rig, ...]:
        return tuple(o.rig for o in self.outcomes)

    @property
    def rig(self) -> Rig:
        """The rig of the result."""
        return self.outcomes[-1].rig

    @property
    def result(self) -> Clip:
        return self.outcomes[-1].clip

    def after(self, step_id: str) -> int:
        """Number of the outcome of a step: 0 for the source, the result's for a step that is not there."""
        at = self.take.index(step_id)
        return 0 if step_id == SOURCE else at + 1 if at >= 0 else len(self.outcomes) - 1

    def same_time(self, a: int, b: int) -> bool:
        """True if two outcomes have the same time axis."""
        low, high = min(a, b), max(a, b)
        return all(o.times is None for o in self.outcomes[low + 1 : high + 1])

    def moment(self, frame: int, a: int, b: int) -> int:
        """The frame of outcome b at which stands what outcome a has at a frame, or what is nearest to it in time."""
        at = float(min(max(frame, 0), self.clips[a].frames - 1))
        for o in reversed(self.outcomes[b + 1 : a + 1]):
            at = at if o.times is None else float(np.interp(at, np.arange(len(o.times)), o.times))
        for o in self.outcomes[a + 1 : b + 1]:
            at = at if o.times is None else float(np.argmin(np.abs(o.times - at)))
        return int(min(max(round(at), 0), self.clips[b].frames - 1))

    def moments(self, a: int, b: int) -> NDArray[np.intp]:
        """The same of every frame of outcome a ``(frames,)``."""
        frames = self.clips[a].frames
        if self.same_time(a, b):
            return np.minimum(np.arange(frames), self.clips[b].frames - 1)
        return np.array([self.moment(f, a, b) for f in range(frames)], dtype=np.intp)

    @cached_property
    def ribbons(self) -> tuple[Array, ...]:
        """Per step, how much it changes the pose at each frame: mean joint turn in degrees plus move in cm, ``(frames,)``."""
        return tuple(change(a, b) for a, b in zip(self.clips, self.clips[1:], strict=False))


@dataclass(frozen=True, eq=False)
class Evaluation(_Line):
    """A take as it is: the only thing that is exported, merged, checked. drawn_on: the clips that it may draw on, by name."""

    drawn_on: Mapping[str, tuple[Clip, Rig]] = field(default_factory=lambda: MappingProxyType({}))


@dataclass(frozen=True, eq=False)
class Alone(_Line):
    """One step of a take shown alone, for looking at. ``take`` is the take as it is; ``step`` the one that is shown."""

    step: str = ""


class Cache:
    """Outcomes of steps under the digest of everything that led to them; the oldest go when ``most_bytes`` is passed.
    May be shared by threads."""

    def __init__(self, most_bytes: int = 512 << 20) -> None:
        self._kept: OrderedDict[str, Outcome] = OrderedDict()
        self._most = most_bytes
        self._bytes = 0
        self._lock = threading.Lock()

    def get(self, key: str) -> Outcome | None:
        with self._lock:
            found = self._kept.get(key)
            if found is not None:
                self._kept.move_to_end(key)
            return found

    def put(self, key: str, made: Outcome) -> None:
        with self._lock:
            old = self._kept.pop(key, None)
            self._bytes += _size(made) - (0 if old is None else _size(old))
            self._kept[key] = made
            while self._bytes > self._most and len(self._kept) > 1:
                self._bytes -= _size(self._kept.popitem(last=False)[1])


def _size(made: Outcome) -> int:
    # Model space is computed on demand and kept with the clip, so it counts too.
    return 2 * (made.clip.rotations.nbytes + made.clip.translations.nbytes)


@dataclass(frozen=True, eq=False)
class Surroundings:
    """What a take may draw on: rigs that a step can take the clip to and clips that it can lay over, by name; and the
    cache that its outcomes are kept in."""

    rigs: Mapping[str, Rig] = field(default_factory=lambda: MappingProxyType({}))
    clips: Mapping[str, tuple[Clip, Rig]] = field(default_factory=lambda: MappingProxyType({}))
    cache: Cache | None = None


NOWHERE = Surroundings()


def _never() -> bool:
    return False


def evaluate(
    take: Take, clip: Clip, rig: Rig, within: Surroundings = NOWHERE, cancelled: Callable[[], bool] = _never,
    lenient: bool = False,
) -> Evaluation:  # fmt: skip
    """Run a take's steps over its source clip.

    cancelled: asked before every step. lenient: a step that cannot be run is passed over and noted in ``refused``.
    Raises RecipeError from a step, Cancelled when told to stop.
    """
    return Evaluation(take, *_run(take, clip, rig, within, cancelled, lenient), drawn_on=within.clips)


def evaluate_alone(
    take: Take, step_id: str, clip: Clip, rig: Rig, within: Surroundings = NOWHERE,
    cancelled: Callable[[], bool] = _never,
) -> Alone:  # fmt: skip
    """One step of a take without the others, to be looked at. A step that cannot be run is passed over."""
    return Alone(take, *_run(edits.alone(take, step_id), clip, rig, within, cancelled, True), step=step_id)


def _run(
    take: Take, clip: Clip, rig: Rig, within: Surroundings, cancelled: Callable[[], bool], lenient: bool
) -> tuple[tuple[Outcome, ...], Mapping[str, RecipeError]]:
    made = [Outcome(clip, rig)]
    points = [Point(SOURCE, "the source", clip, rig)]
    refused: dict[str, RecipeError] = {}
    key = f"{clip.digest}/{rig.digest}"
    for step in take.steps:
        if cancelled():
            raise Cancelled
        before = made[-1]
        out = Outcome(before.clip, before.rig)
        if step.acts:
            context = Context(within.rigs, within.clips, take.stage, tuple(points))
            try:
                key_now = _digest(key, step, context)
                kept = within.cache.get(key_now) if within.cache is not None else None
                out = outcome(step, Given(before.clip, before.rig), context) if kept is None else kept
            except RecipeError as e:
                if not lenient:
                    raise
                refused[step.id] = e
            else:
                key = key_now
                if kept is None and within.cache is not None:
                    within.cache.put(key, out)
        made.append(out)
        points = _by_time_of(points, out)
        points.append(Point(step.id, step.name, out.clip, out.rig))
    return tuple(made), MappingProxyType(refused)


def _by_time_of(points: list[Point], out: Outcome) -> list[Point]:
    """Points of the line seen by the time that a step has made."""
    if out.times is None:
        return points
    return [Point(p.id, p.name, p.stood, p.rig, (*p.through, out.times)) for p in points]


def context_at(line: Evaluation, step_id: str, within: Surroundings = NOWHERE) -> tuple[Given, Context]:
    """What a step of an evaluated take is laid on, and what it may read there."""
    at = line.take.index(step_id)
    ids = [SOURCE, *(s.id for s in line.take.steps)]
    names = ["the source", *(s.name for s in line.take.steps)]
    points: list[Point] = []
    for id_, name, o in list(zip(ids, names, line.outcomes, strict=True))[: at + 1]:
        points = [*_by_time_of(points, o), Point(id_, name, o.clip, o.rig)]
    below = line.outcomes[at]
    return Given(below.clip, below.rig), Context(within.rigs, within.clips, line.take.stage, tuple(points))


def _digest(before: str, step: Step, context: Context = NOTHING) -> str:
    reads = kind_of(step.kind).reads
    besides = [] if reads is None else reads(step.settings, context)
    what = to_plain(step, identity=False)
    what.pop("name")  # a new name changes no motion
    return hashlib.sha256(before.encode() + msgspec.json.encode([what, besides])).hexdigest()


def change(before: Clip, after: Clip) -> Array:
    """How far two clips of one skeleton differ per frame ``(frames,)``: mean turn in degrees plus mean move in cm."""
    if before is after:
        return np.zeros(after.frames)
    if before.frames != after.frames or before.skeleton is not after.skeleton:
        return np.ones(after.frames)
    dot = np.abs(np.sum(before.rotations * after.rotations, axis=-1))
    turn = np.degrees(2 * np.arccos(np.clip(dot, 0, 1)))
    turn[dot > 1 - 1e-12] = 0.0
    move = np.linalg.norm(after.translations - before.translations, axis=-1) * 100
    return np.asarray(turn.mean(axis=1) + move.mean(axis=1))


def recipe_digest(steps: tuple[Step, ...]) -> str:
    """SHA-256 of what the steps do, whatever their ids."""
    return hashlib.sha256(msgspec.json.encode([to_plain(s, identity=False) for s in steps])).hexdigest()
