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
    root = travel
    while clip.skeleton.parents[root] >= 0:
        root = int(clip.skeleton.parents[root])
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
