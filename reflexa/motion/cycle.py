"""A loop started elsewhere in its cycle."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import quat
from reflexa.motion.arrays import Array, owned
from reflexa.motion.clip import Clip, Track
from reflexa.motion.resample import at_frames


def shifted(clip: Clip, travel: int, by: float) -> Clip:
    """The clip started ``by`` frames later in its cycle; what lay before comes at the end, carried on by the travel.

    The cycle is the clip's length without its closing frame. travel: the joint that carries the figure over the
    ground (the roots are moved): a walk that gets 1.2 m ahead a cycle goes on from there, and the
    clip starts in the place and heading in which it did. by: may lie between frames. Events move along.
    """
    period = clip.frames - 1
    if period < 1:
        return clip
    by = by % period
    moved = at_moments(clip, travel, np.arange(clip.frames, dtype=np.float64) + by)
    # Back to where the clip began.
    first = moved.cut(0, 0).model
    start = (
        np.stack([first[0][0, travel], clip.model[0][0, travel]]),
        np.stack([first[1][0, travel], clip.model[1][0, travel]]),
    )
    moved = moved_over_ground(moved, *_on_ground(start, 0, 1))
    events = sorted(
        (replace(e, frame=(e.frame - by) % period) for e in clip.events if e.frame < period), key=lambda e: e.frame
    )
    return replace(moved, events=tuple(events))


def moved_over_ground(clip: Clip, turn: Array, move: Array) -> Clip:
    """A clip turned about up ``(4,)`` or ``(frames, 4)`` and moved ``(3,)`` or ``(frames, 3)`` as a whole."""
    rotations, translations = np.array(clip.rotations), np.array(clip.translations)
    for root in clip.skeleton.roots:
        rotations[:, root] = quat.multiply(turn, rotations[:, root])
        translations[:, root] = quat.rotate(turn, translations[:, root]) + move
    return clip.with_motion(owned(quat.continuous(rotations)), owned(translations))


def lined_up(a: Clip, at_a: int, b: Clip, at_b: int, joint: int) -> tuple[Array, Array]:
    """Turn about up ``(4,)`` and level move ``(3,)`` that take a frame of clip b to the place and heading of a frame of a, by
    the joint that carries the figure."""
    one = [x.cut(at, at).model for x, at in ((b, at_b), (a, at_a))]
    turned, placed = (np.stack([m[k][0, joint] for m in one]) for k in (0, 1))
    return _on_ground((turned, placed), 0, 1)


def seam(clip: Clip, joint: int) -> tuple[Array, Array]:
    """Turn about up ``(4,)`` and level move ``(3,)`` that take a loop's first frame to its last: a cycle's travel."""
    ends = at_frames(clip, np.array([0.0, clip.frames - 1.0])).model
    return _on_ground((ends[0][:, joint], ends[1][:, joint]), 0, 1)


def openings(clip: Clip, joint: int) -> tuple[Array, Array]:
    """By how much each joint of a clip fails to close as a loop, travel taken out: metres and radians ``(joints,)``."""
    turned, placed = at_frames(clip, np.array([0.0, clip.frames - 1.0])).model
    turn, move = _on_ground((turned[:, joint], placed[:, joint]), 0, 1)
    away = np.linalg.norm(placed[1] - quat.rotate(turn, placed[0]) - move, axis=-1)
    return away, quat.angle(quat.multiply(quat.conjugate(quat.multiply(turn, turned[0])), turned[1]))


def continued(places: Array, turn: Array, move: Array, frames: int) -> Array:
    """A loop's track ``(frames, 3)`` with ``frames`` more on either side, carried on by a cycle's travel."""
    period = len(places) - 1
    before = np.arange(-frames, 0)
    after = np.arange(period + 1, period + 1 + frames)
    out = [places]
    for at in (before, after):
        rounds, inside = np.divmod(at, period)
        turns, moves = _carried_on(turn, move, rounds)
        p = quat.rotate(turns, places[inside]) + moves
        out = [p, *out] if at is before else [*out, p]
    return np.concatenate(out)


Kind = TypeVar("Kind", bound=np.generic)


@dataclass(frozen=True, eq=False)
class Extended:
    """Tracks of a loop carried on over ``pad`` frames on either side, so that what happens at its seam is seen whole; those of
    other clips as they are (pad 0). turn, move: of a cycle's travel."""

    frames: int
    pad: int
    turn: Array
    move: Array

    def track(self, places: Array, moving: bool = True) -> Array:
        """A track ``(frames, 3)``, longer; moving: off, it only turns from cycle to cycle."""
        if not self.pad:
            return places
        return continued(places, self.turn, self.move if moving else np.zeros(3), self.pad)

    def values(self, over: NDArray[Kind]) -> NDArray[Kind]:
        """Values ``(frames, …)``, longer: the same in every cycle."""
        if not self.pad:
            return over
        return np.concatenate([over[-1 - self.pad : -1], over, over[1 : 1 + self.pad]])

    def frames_of(self, own: Sequence[int]) -> list[int]:
        """Where frames of the clip lie in what was made longer, in every cycle."""
        period = self.frames - 1
        all_ = (self.pad + f + k * period for k in ((-1, 0, 1) if self.pad else (0,)) for f in own)
        return sorted(f for f in all_ if 0 < f < self.frames + 2 * self.pad)

    @property
    def own(self) -> slice:
        """The clip's own part of what was made longer."""
        return slice(self.pad, self.pad + self.frames)


def extended(clip: Clip, joint: int, pad: int) -> Extended:
    """How a clip's tracks go on beyond its ends, by up to a cycle. joint: the one that carries the figure."""
    if not clip.loop or clip.frames < 3:
        return Extended(clip.frames, 0, np.array(quat.IDENTITY), np.zeros(3))
    return Extended(clip.frames, min(pad, clip.frames - 1), *seam(clip, joint))


def repeated(clip: Clip, travel: int, count: int) -> Clip:
    """A loop ``count`` times over, its travel carried on from cycle to cycle; events come again in each."""
    period = clip.frames - 1
    if count <= 1 or period < 1:
        return clip
    out = at_moments(clip, travel, np.arange(period * count + 1, dtype=np.float64))
    again = [e for e in clip.events if e.frame < period]
    events = [replace(e, frame=e.frame + k * period) for k in range(count) for e in again]
    return replace(out, events=tuple(events))


def at_moments(clip: Clip, travel: int, at: Array, turning: bool = True) -> Clip:
    """A loop's pose at any frames ``(n,)``, before its start and after its end too: each cycle goes on, place and heading,
    where the one before it ended. The very end of the last cycle asked for is its end, not the next one's beginning.

    turning: off, only the place goes on; for clips that are no loops, whose ends face anywhere.
    """
    period = clip.frames - 1
    if period < 1:
        return at_frames(clip, np.zeros_like(at))
    rounds = np.floor(at / period)
    last = float(rounds.max(initial=0.0))
    ends = (rounds == last) & (last > 0) & bool(at.max(initial=0.0) - last * period < 1e-9)
    rounds = np.where(ends, last - 1, rounds)
    out = at_frames(clip, np.clip(at - rounds * period, 0, period))
    turn, move = seam(clip, travel)
    if not turning:
        track = clip.model[1][:, travel]
        turn, move = np.array(quat.IDENTITY), (track[-1] - track[0]) * [1.0, 0.0, 1.0]
    return moved_over_ground(out, *_carried_on(turn, move, rounds))


def _carried_on(turn: Array, move: Array, rounds: Array) -> tuple[Array, Array]:
    """What ``rounds`` ``(n,)`` cycles (negative: back) that each turn (about up) and move (level) so come to: ``(n, 4)`` and
    ``(n, 3)``. The moves are a geometric series of turned ones, so any number of rounds costs the same."""
    half = float(np.arctan(turn[1] / turn[3])) if turn[3] else np.pi / 2
    turns = np.zeros((len(rounds), 4))
    turns[:, 1], turns[:, 3] = np.sin(half * rounds), np.cos(half * rounds)
    # A level move as one complex number, z + x i: turning it by an angle multiplies it by exp(i angle).
    sine = np.sin(half)
    length = rounds if abs(sine) < 1e-12 else np.sin(half * rounds) / sine
    way = (move[2] + 1j * move[0]) * np.exp(1j * half * (rounds - 1)) * length
    return turns, np.stack([way.imag, np.zeros(len(rounds)), way.real], axis=-1)


def carried(clip: Clip, travel: int, place: Array, rounds: int) -> Array:
    """A place ``(3,)`` on the ground of a loop as it is ``rounds`` cycles later (negative: earlier)."""
    turns, moves = _carried_on(*seam(clip, travel), np.array([rounds]))
    return np.asarray(quat.rotate(turns[0], place) + moves[0])


def three(clip: Clip, travel: int) -> Clip:
    """A loop with the cycle before it and the one after it, its travel carried on: frame 0 is frame ``frames - 1`` of it.
    No loop any more; the clip itself is in it bit for bit."""
    period = clip.frames - 1
    before = at_moments(clip, travel, np.arange(-period, 0, dtype=np.float64))
    after = at_moments(clip, travel, np.arange(period + 1, 2 * period + 1, dtype=np.float64))
    parts = (before, clip, after)
    rotations = quat.continuous(np.concatenate([c.rotations for c in parts]))
    rotations[period : 2 * period + 1] = clip.rotations
    translations = np.concatenate([c.translations for c in parts])
    scales = None if clip.scales is None else np.concatenate([clip.scales[:-1], clip.scales, clip.scales[1:]])
    tracks = tuple(Track(t.name, np.concatenate([t.values[:-1], t.values, t.values[1:]])) for t in clip.tracks)
    again = np.concatenate([np.arange(period), np.arange(period), np.arange(period + 1.0)])
    return replace(
        clip, rotations=owned(rotations), translations=owned(translations), scales=scales, loop=False, events=(),
        tracks=tracks, contacts=clip.contacts_at(again),
    )  # fmt: skip


def after_rounds(clip: Clip, travel: int, frame: int, rounds: int) -> Clip:
    """One frame of a loop as it is ``rounds`` cycles later, its travel carried on."""
    turns, moves = _carried_on(*seam(clip, travel), np.array([rounds]))
    return moved_over_ground(clip.cut(frame, frame), turns, moves)


def _on_ground(track: tuple[Array, Array], a: int, b: int) -> tuple[Array, Array]:
    """Turn about up ``(4,)`` and move ``(3,)`` (level) that take a place and heading at frame a to those at frame b."""
    change = quat.multiply(track[0][b], quat.conjugate(track[0][a]))
    turn = quat.swing_twist(change, np.array([0.0, 1.0, 0.0]))[1]
    move = track[1][b] - quat.rotate(turn, track[1][a])
    return turn, move * [1.0, 0.0, 1.0]
