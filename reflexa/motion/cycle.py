"""A loop started elsewhere in its cycle."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from reflexa.motion import quat
from reflexa.motion.clip import Clip, Event
from reflexa.motion.quat import Array
from reflexa.motion.resample import at_frames


def shifted(clip: Clip, travel: int, by: float) -> Clip:
    """The clip started ``by`` frames later in its cycle; what lay before comes at the end, carried on by the travel.

    The cycle is the clip's length without its closing frame. travel: the joint that carries the figure over the
    ground (it, or the root above it, is moved): a walk that gets 1.2 m ahead a cycle goes on from there, and the
    clip starts in the place and heading in which it did. by: may lie between frames. Events move along.
    """
    period = clip.frames - 1
    if period < 1:
        return clip
    by = by % period
    at = np.arange(clip.frames, dtype=np.float64) + by
    again = at >= period
    at[again] -= period
    out = _sampled(clip, at)
    root = clip.skeleton.root_of(travel)
    rotations, translations = np.array(out.rotations), np.array(out.translations)
    carrier = clip.model[0][:, travel], clip.model[1][:, travel]
    turn, move = _on_ground(carrier, 0, period)
    q, p = rotations[:, root], translations[:, root]
    q[again] = quat.multiply(turn, q[again])
    p[again] = quat.rotate(turn, p[again]) + move
    rotations[:, root], translations[:, root] = q, p
    moved = out.with_motion(rotations, translations)
    # Back to where the clip began.
    first = moved.cut(0, 0).model
    start = np.stack([first[0][0, travel], carrier[0][0]]), np.stack([first[1][0, travel], carrier[1][0]])
    turn, move = _on_ground(start, 0, 1)
    rotations[:, root] = quat.multiply(turn, rotations[:, root])
    translations[:, root] = quat.rotate(turn, translations[:, root]) + move
    events = [Event((e.frame - by) % period, e.name) for e in clip.events if e.frame < period]
    return moved.with_motion(
        quat.continuous(rotations), translations, events=tuple(sorted(events, key=lambda e: e.frame))
    )


def seam(clip: Clip, joint: int) -> tuple[Array, Array]:
    """Turn about up ``(4,)`` and level move ``(3,)`` that take a loop's first frame to its last: a cycle's travel."""
    return _on_ground((clip.model[0][:, joint], clip.model[1][:, joint]), 0, clip.frames - 1)


def continued(places: Array, turn: Array, move: Array, frames: int) -> Array:
    """A loop's track ``(frames, 3)`` with ``frames`` more on either side, carried on by a cycle's travel."""
    period = len(places) - 1
    before = np.arange(-frames, 0)
    after = np.arange(period + 1, period + 1 + frames)
    out = [places]
    for at in (before, after):
        rounds, inside = np.divmod(at, period)
        p = places[inside]
        for k in np.unique(rounds):
            own = rounds == k
            for _ in range(abs(int(k))):
                p[own] = quat.rotate(turn, p[own]) + move if k > 0 else quat.rotate(quat.conjugate(turn), p[own] - move)
        out = [p, *out] if at is before else [*out, p]
    return np.concatenate(out)


def repeated(clip: Clip, travel: int, count: int) -> Clip:
    """A loop ``count`` times over, its travel carried on from cycle to cycle; events come again in each."""
    period = clip.frames - 1
    if count <= 1 or period < 1:
        return clip
    turn, move = seam(clip, travel)
    root = clip.skeleton.root_of(travel)
    at = np.arange(period * count + 1)
    rounds = np.minimum(at // period, count - 1)
    inside = at - rounds * period
    out = _sampled(clip, inside.astype(np.float64))
    rotations, translations = np.array(out.rotations), np.array(out.translations)
    for _ in range(1, count):
        on = rounds > 0
        rotations[on, root] = quat.multiply(turn, rotations[on, root])
        translations[on, root] = quat.rotate(turn, translations[on, root]) + move
        rounds = rounds - 1
    again = [e for e in clip.events if e.frame < period]
    events = [Event(e.frame + k * period, e.name) for k in range(count) for e in again]
    return out.with_motion(quat.continuous(rotations), translations, events=tuple(events))


def after_rounds(clip: Clip, travel: int, frame: int, rounds: int) -> Clip:
    """One frame of a loop as it is ``rounds`` cycles later, its travel carried on."""
    turn, move = seam(clip, travel)
    root = clip.skeleton.root_of(travel)
    one = clip.cut(frame, frame)
    q, p = np.array(one.rotations), np.array(one.translations)
    whole, way = np.array(quat.IDENTITY), np.zeros(3)
    for _ in range(rounds % 1000):
        whole, way = quat.multiply(turn, whole), quat.rotate(turn, way) + move
    q[:, root] = quat.multiply(whole, q[:, root])
    p[:, root] = quat.rotate(whole, p[:, root]) + way
    return one.with_motion(q, p)


def _sampled(clip: Clip, at: Array) -> Clip:
    whole = np.round(at)
    if np.abs(at - whole).max() < 1e-9:
        i = whole.astype(np.intp)
        scales = None if clip.scales is None else clip.scales[i]
        return replace(clip, rotations=clip.rotations[i], translations=clip.translations[i], scales=scales)
    return at_frames(clip, at)


def _on_ground(track: tuple[Array, Array], a: int, b: int) -> tuple[Array, Array]:
    """Turn about up ``(4,)`` and move ``(3,)`` (level) that take a place and heading at frame a to those at frame b."""
    change = quat.multiply(track[0][b], quat.conjugate(track[0][a]))
    turn = quat.swing_twist(change, np.array([0.0, 1.0, 0.0]))[1]
    move = track[1][b] - quat.rotate(turn, track[1][a])
    return turn, move * [1.0, 0.0, 1.0]
