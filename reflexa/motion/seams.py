"""Where one stretch of motion meets another: what differs there, in pose and in velocity, spread over the frames beside it."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from reflexa.motion import cycle, kernels, quat
from reflexa.motion.arrays import Array, owned
from reflexa.motion.clip import Clip


@dataclass(frozen=True, eq=False)
class _Side:
    """The last frame of a stretch of motion and the one before it, or its first and the one after: rotations
    ``(2, joints, 4)`` and translations ``(2, joints, 3)``, the one at the seam first."""

    q: Array
    t: Array

    @property
    def turning(self) -> Array:
        """How it turns away from the seam, in the axes at the seam, rotation vectors ``(joints, 3)``."""
        return quat.to_rotvec(quat.multiply(quat.conjugate(self.q[0]), self.q[1]))

    @property
    def moving(self) -> Array:
        return np.asarray(self.t[1] - self.t[0])


def _met(end: _Side, start: _Side, across: float) -> tuple[_Side, _Side]:
    """Both sides so that they meet half-way between them, at the mean of their velocities; across: how many frames the step
    from one to the other takes (0: both are the same frame)."""
    middle = quat.slerp(end.q[0], start.q[0], np.full(end.q.shape[1], 0.5))
    place = (end.t[0] + start.t[0]) / 2
    turning, moving = (start.turning - end.turning) / 2, (start.moving - end.moving) / 2

    def at(frames: Array) -> _Side:
        q = [quat.multiply(middle, quat.from_rotvec(f * turning)) for f in frames]
        return _Side(np.array(q), np.array([place + f * moving for f in frames]))

    half = across / 2
    return at(np.array([-half, -half - 1])), at(np.array([half, half + 1]))


# Velocity is brought to what it has to be over this long, seconds: over longer, what differs would add up to a way of its own.
_SOON = 0.2


def _fade_to(now: _Side, wanted: _Side, q: Array, t: Array, over: tuple[int, int]) -> None:
    """One side of a seam changed in place, from what is wanted at it and one frame on, level to nothing; q, t: the frames away
    from the seam, in that order; over: so many frames for the pose, so many for the velocity."""
    turn = quat.to_rotvec(quat.multiply(quat.conjugate(now.q), wanted.q))
    x = np.arange(1, max(over))[:, None] / np.array(over)
    u = np.clip(x, 0.0, 1.0)
    h = np.stack([1 - u[:, 0] ** 2 * (3 - 2 * u[:, 0]), u[:, 1] * (1 - u[:, 1]) ** 2], axis=-1)
    end = len(h) + 1
    for change, turns in ((turn, True), (wanted.t - now.t, False)):
        # The cubic's slope, chosen by what it comes to one frame on.
        begin = (change[1] - change[0] * h[0, 0]) / h[0, 1] if over[1] > 1 else np.zeros_like(change[0])
        if turns:
            kernels.moments.faded(change[0], begin, h, q[1:end])
        else:
            t[1:end] += h[:, 0, None, None] * change[0] + h[:, 1, None, None] * begin
    q[0], t[0] = wanted.q[0], wanted.t[0]


def healed(clip: Clip, at: int, over: int) -> Clip:
    """A clip in which frame ``at`` does not go on from the one before it, made to: over so many frames about the seam, half of
    them on either side. Both sides give way by half; the step across is the mean of those beside it. Roots included, so whoever
    calls has lined up place and heading."""
    n = clip.frames
    a, b = min(max(over // 2, 2), at - 1), min(max(over - over // 2, 2), n - 1 - at)
    if a < 2 or b < 2 or over < 1:
        return clip
    q, t = np.array(clip.rotations), np.array(clip.translations)
    end, start = _Side(q[[at - 1, at - 2]], t[[at - 1, at - 2]]), _Side(q[at : at + 2].copy(), t[at : at + 2].copy())
    to_end, to_start = _met(end, start, 1.0)
    before, after, soon = q[at - 1 - a : at][::-1], q[at : at + b + 1], _soon(clip.rate)
    _fade_to(end, to_end, before, t[at - 1 - a : at][::-1], (a, min(a, soon)))
    _fade_to(start, to_start, after, t[at : at + b + 1], (b, min(b, soon)))
    kernels.moments.one_side(q)
    return clip.with_motion(owned(q), owned(t))


# A clip closes where pose and velocity differ by no more than this: metres and radians, and as a share of the fastest.
_CLOSED, _CLOSED_TURN, _CLOSED_SPEED = 1e-4, np.radians(0.01), 0.01


def gap(clip: Clip, travel: int) -> tuple[float, float, float]:
    """By how much a clip fails to close, travel taken out: metres and radians of the joint that does the most, and velocity as
    a share of the largest in the clip."""
    away, turned = (float(x.max()) for x in cycle.openings(clip, travel))
    if clip.frames < 3:
        return away, turned, 0.0
    turn, _ = cycle.seam(clip, travel)
    placed = clip.model[1]
    steps = np.diff(placed, axis=0)
    before, after = steps[-1], quat.rotate(turn, steps[0])
    fastest = max(float(np.linalg.norm(steps, axis=-1).max()), 1e-9)
    return away, turned, float(np.linalg.norm(after - before, axis=-1).max()) / fastest


def closes(clip: Clip, travel: int) -> bool:
    """Is a clip an exact loop already? One that is so to a rounding in pose is, whatever its last step."""
    away, turned, speed = gap(clip, travel)
    return away < _CLOSED and turned < _CLOSED_TURN and (speed < _CLOSED_SPEED or (away < 1e-6 and turned < 1e-6))


def closed(clip: Clip, travel: int, over: int = 0) -> Clip:
    """A clip that ends as it begins, in pose and velocity, its travel left out: what differs is spread over so many frames
    about the seam (0: the whole clip), half of it on either side. An exact loop is left as it is, bit for bit."""
    n = clip.frames
    if n < 4:
        raise ValueError(f"{n} frames make no loop")
    if closes(clip, travel):
        return clip if clip.loop else replace(clip, loop=True)
    half = (n - 1) // 2 if over <= 0 else max(2, min(over // 2, (n - 1) // 2))
    turn, move = cycle.seam(clip, travel)
    roots = list(clip.skeleton.roots)
    q, t = np.array(clip.rotations), np.array(clip.translations)
    ahead = _Side(q[:2].copy(), t[:2].copy())  # the first frames as the next cycle has them
    _carry(ahead, roots, turn, move)
    end = _Side(q[[-1, -2]], t[[-1, -2]])
    to_end, to_start = _met(end, ahead, 0.0)
    back, over_ = quat.conjugate(turn), (half, min(half, _soon(clip.rate)))
    _carry(to_start, roots, back, -quat.rotate(back, move))
    _fade_to(end, to_end, q[n - 1 - half :][::-1], t[n - 1 - half :][::-1], over_)
    _fade_to(_Side(q[:2].copy(), t[:2].copy()), to_start, q[: half + 1], t[: half + 1], over_)
    kernels.moments.one_side(q)
    return clip.with_motion(owned(q), owned(t), loop=True)


def _soon(rate: float) -> int:
    return max(2, round(_SOON * rate))


def _carry(side: _Side, roots: list[int], turn: Array, move: Array) -> None:
    side.q[:, roots] = quat.multiply(turn, side.q[:, roots])
    side.t[:, roots] = quat.rotate(turn, side.t[:, roots]) + move
