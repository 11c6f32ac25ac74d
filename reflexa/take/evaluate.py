"""From a take to clips: after every step, with what is unchanged taken from a cache."""

from __future__ import annotations

import hashlib
import threading
from collections import OrderedDict
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from types import MappingProxyType

import msgspec
import numpy as np

from reflexa.errors import RecipeError
from reflexa.motion.clip import Clip
from reflexa.motion.cycle import repeated
from reflexa.motion.arrays import Array
from reflexa.motion.resample import to_rate
from reflexa.rig import Rig
from reflexa.steps import KINDS, Step, carried, to_plain
from reflexa.steps.model import Around, Point
from reflexa.take.model import Export, Take


class Cancelled(Exception):
    """A newer request made this one pointless."""


@dataclass(frozen=True, eq=False)
class Evaluation:
    """clips[0] is the source, clips[i + 1] what stands after step i; the last is the result. rigs: of each clip."""

    take: Take
    rigs: tuple[Rig, ...]
    clips: tuple[Clip, ...]

    @property
    def rig(self) -> Rig:
        """The rig of the result."""
        return self.rigs[-1]

    @property
    def result(self) -> Clip:
        return self.clips[-1]

    @cached_property
    def ribbons(self) -> tuple[Array, ...]:
        """Per step, how much it changes the pose at each frame: mean joint turn in degrees plus move in cm, ``(frames,)``."""
        return tuple(change(a, b) for a, b in zip(self.clips, self.clips[1:], strict=False))


class Cache:
    """Outputs of steps under the digest of everything that led to them; the oldest go when ``most_bytes`` is passed.
    May be shared by threads."""

    def __init__(self, most_bytes: int = 512 << 20) -> None:
        self._kept: OrderedDict[str, tuple[Clip, Rig]] = OrderedDict()
        self._most = most_bytes
        self._bytes = 0
        self._lock = threading.Lock()

    def get(self, key: str) -> tuple[Clip, Rig] | None:
        with self._lock:
            found = self._kept.get(key)
            if found is not None:
                self._kept.move_to_end(key)
            return found

    def put(self, key: str, made: tuple[Clip, Rig]) -> None:
        with self._lock:
            old = self._kept.pop(key, None)
            self._bytes += _size(made[0]) - (0 if old is None else _size(old[0]))
            self._kept[key] = made
            while self._bytes > self._most and len(self._kept) > 1:
                self._bytes -= _size(self._kept.popitem(last=False)[1][0])


def _size(clip: Clip) -> int:
    # Model space is computed on demand and kept with the clip, so it counts too.
    return 2 * (clip.rotations.nbytes + clip.translations.nbytes)


def evaluate(
    take: Take,
    clip: Clip,
    rig: Rig,
    cache: Cache | None = None,
    cancelled: Callable[[], bool] = lambda: False,
    rigs: Mapping[str, Rig] = MappingProxyType({}),
    clips: Mapping[str, tuple[Clip, Rig]] = MappingProxyType({}),
    refused: list[tuple[int, RecipeError]] | None = None,
) -> Evaluation:
    """Run a take's steps over its source clip. rigs, clips: those that a step may take the clip to, or draw on, by name.

    refused: where given, a step that cannot be run is passed over, and noted there with its number.
    Raises RecipeError from a step, Cancelled when told to stop.
    """
    made, on = [clip], [rig]
    points = [Point("source", clip, rig)]
    key = f"{clip.digest}/{rig.digest}"
    for i, step in enumerate(take.steps):
        if cancelled():
            raise Cancelled
        around = Around(rigs, clips, take.stage, tuple(points))
        if not step.on or step.weight == 0:
            made.append(made[-1])
            on.append(on[-1])
            points.append(Point(step.name, made[-1], on[-1]))
            continue
        carries, reads = KINDS[step.kind].carry is not None, KINDS[step.kind].reads
        try:
            key_now = _digest(key, step, reads(step.settings, around) if reads is not None else [])
            out = cache.get(key_now) if cache is not None else None
            if out is None:
                out = carried(step, made[-1], on[-1], around)
                if cache is not None:
                    cache.put(key_now, out)
        except RecipeError as e:
            if refused is None:
                raise
            refused.append((i, e))
            made.append(made[-1])
            on.append(on[-1])
            points.append(Point(step.name, made[-1], on[-1]))
            continue
        key = key_now
        made.append(out[0])
        on.append(out[1] if carries else on[-1])
        points.append(Point(step.name, made[-1], on[-1]))
    return Evaluation(take, tuple(on), tuple(made))


def _digest(before: str, step: Step, besides: list[str]) -> str:
    what = to_plain(step)
    what.pop("name")  # a new name changes no motion
    what.pop("locked", None)
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
    """SHA-256 of the steps as they are saved."""
    return hashlib.sha256(msgspec.json.encode([to_plain(s) for s in steps])).hexdigest()


def exported(clip: Clip, export: Export, rig: Rig | None = None) -> Clip:
    """The result as it is handed over: cut to the range, at the rate, with the name and loop flag.

    rig: needed for more than one cycle. Raises ValueError where the range lies outside the clip.
    """
    last = clip.frames - 1 if export.last is None else export.last
    out = clip.cut(export.first, last)
    if export.cycles > 1 and rig is not None:
        out = repeated(out, rig.travel_joint, export.cycles)
    if export.rate is not None:
        out = to_rate(out, export.rate)
    loop = out.loop if export.loop is None else export.loop
    return replace(out, name=export.name or out.name, loop=loop)
