"""Arms that are to reach somewhere and keep out of the body at once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from reflexa.contacts.bodies import HAND, body_for, hand_offset, trunk_for
from reflexa.motion import kernels, stances, threads
from reflexa.motion.arrays import Array
from reflexa.motion.kernels.parts import Limb, Model
from reflexa.motion.limbs import Posed, hinges, limb_end
from reflexa.motion.smoothing import Timing
from reflexa.rig import Rig
from reflexa.rig.bodies import arm_thicknesses
from reflexa.rig.limbs import limb_of, made_to_bend

# The points of an arm that are kept out of the body: how far down the forearm, and how far along the hand.
_POINTS = np.array([[0.0, 0.0], [0.33, 0.0], [0.67, 0.0], [1.0, 0.0], [1.0, 1.0], [1.0, 2.0]])
# A hand is thinner than it is broad by this share.
_FLAT = 0.5
# What a goal and the body may be off by, metres, and the pose, radians, for each to count alike; over which time a change of the
# pose settles, seconds; how often it is solved anew.
_PLACE, _DEPTH, _POSE, _SETTLES, _ROUNDS = 0.004, 0.001, np.radians(15.0), 0.1, 12
# Frames that far from any at which something is asked for change along, seconds.
_BESIDE = 0.35
# What is off by less than this, metres, is there.
_NOTHING = 1e-6
# Longer stretches of time are solved in pieces of about so many frames, on all cores.
_PIECE = 250


@dataclass(frozen=True, eq=False)
class ArmGoal:
    """What is asked of an arm ("left hand"): where its end is to be ``(frames, 3)``, how much that counts ``(frames,)``, 0 to 1,
    and how deep each of its points may be in the body ``(frames, points)``, metres."""

    end: str
    goal: Array
    pull: Array
    allowed: Array


@dataclass(frozen=True, eq=False)
class Meeting:
    """Two ends are to be so far apart: the way from the first to the second ``(frames, 3)``, and how much that counts
    ``(frames,)``, 0 to 1."""

    way: Array
    pull: Array


def partly_met(ends: Sequence[Array], way: Array, weight: Array) -> Meeting:
    """Two ends ``(frames, 3)`` brought so far apart by a weight ``(frames,)``: on the way there from how they are."""
    now = ends[1] - ends[0]
    return Meeting(now + weight[:, None] * (way - now), weight)


def free_arm(end: str, track: Array, allowed: Array | None = None) -> ArmGoal:
    """An arm whose end is nowhere in particular, now at ``(frames, 3)``; allowed: as of a goal, None: as deep as it likes."""
    n = len(track)
    return ArmGoal(end, track, np.zeros(n), np.full((n, len(_POINTS)), np.inf) if allowed is None else allowed)


def arm_depths(rig: Rig, side: str, model: tuple[Array, Array]) -> Array:
    """How deep the points of an arm, from its elbow to its finger tips, are in the rest of the body, metres
    ``(frames, points)``. Raises AssertionError for a rig without that arm."""
    l = limb_of(rig, f"{side} hand")
    assert l is not None
    middle, end = model[1][:, l.middle], limb_end(model, l)
    hand = hand_offset(model[0], rig, side)
    points = np.stack([middle + a * (end - middle) + b * hand for a, b in _POINTS], axis=1)
    out = np.zeros(points.shape[:2])
    kernels.blocks.entries(body_for(rig, side), _thick(rig, side), Model(*model), points, out)
    return out


def solve(posed: Posed, rig: Rig, goals: list[ArmGoal], meeting: Meeting | None, timing: Timing) -> None:
    """Bring one arm or two as near to their goals as can be without entering the body deeper than allowed, turning them by as
    little as that takes and without haste; hands keep their turns. Frames about which nothing is asked for stay as they are."""
    if not goals:
        return
    asked = _asked(posed, rig, goals, meeting)
    n, beside = len(asked), max(2, round(_BESIDE * timing.rate))
    pad = min(2 * beside, n - 1) if timing.loop and n > 2 else 0  # a loop goes on beyond its ends
    frames = np.concatenate([np.arange(n - 1 - pad, n - 1), np.arange(n), np.arange(1, pad + 1)])
    wide = np.convolve(asked[frames], np.ones(2 * beside + 1), "same") > 0
    if not wide.any():
        return
    limbs = [_limb(rig, g) for g in goals]
    axes = [
        hinges((posed.turned, posed.placed), l, made_to_bend(rig, g.end), timing)
        for l, g in zip(limbs, goals, strict=True)
    ]
    stiff = kernels.solving.Stiffness(_PLACE, _DEPTH, _POSE, (_SETTLES * timing.rate) ** 2, _ROUNDS)
    turned, placed = posed.turned.copy(), posed.placed.copy()

    def one(span: _Piece) -> None:
        first, last = span.first, span.last
        at = frames[first : last + 1]
        arms = [_arm(posed, rig, g, axis, at) for g, axis in zip(goals, axes, strict=True)]
        way = np.zeros((len(at), 3)) if meeting is None else meeting.way[at]
        pull = np.zeros(len(at)) if meeting is None else meeting.pull[at]
        both = kernels.solving.Arms(arms[0], arms[-1], len(arms) > 1, way, pull, first > 0, last < len(frames) - 1)
        model = Model(posed.turned[at], posed.placed[at])
        kernels.solving.arms(both, stiff, model, np.empty((len(at), 4 * len(arms))))
        own = slice(max(pad, span.own_first) - first, max(min(pad + n, span.own_end) - first, 0))
        turned[at[own]], placed[at[own]] = model.turned[own], model.placed[own]

    def several(pieces: list[_Piece]) -> None:
        for piece in pieces:
            one(piece)

    pieces, cores = _pieces(_within(stances.spans(wide), [pad + c for c in timing.cuts]), 2 * beside), threads.cores()
    kernels.compiling.at_once([partial(several, pieces[i::cores]) for i in range(min(cores, len(pieces)))])
    posed.turned[:], posed.placed[:] = turned, placed
    for l in limbs:
        posed.dirty |= {l.root, l.middle} | ({l.end} if l.end >= 0 else set())


class _Piece(NamedTuple):
    """Frames that are solved together, first and last, and those of them that count, first and end."""

    first: int
    last: int
    own_first: int
    own_end: int


def _within(spans: list[tuple[int, int]], cuts: list[int]) -> list[tuple[int, int]]:
    """Stretches of time, parted at cuts."""
    out = []
    for first, last in spans:
        edges = [first, *(c for c in cuts if first < c <= last), last + 1]
        out += [(a, b - 1) for a, b in zip(edges, edges[1:], strict=False)]
    return out


def _pieces(spans: list[tuple[int, int]], beside: int) -> list[_Piece]:
    """Long stretches of time in pieces that reach over each other by so many frames, after which nothing of one is felt in the
    next."""
    out = []
    for first, last in spans:
        count = max(1, round((last - first + 1) / _PIECE))
        edges = [first + (last + 1 - first) * k // count for k in range(count + 1)]
        for a, b in zip(edges, edges[1:], strict=False):
            out.append(_Piece(max(a - beside, first), min(b + beside, last + 1) - 1, a, b))
    return out


def _limb(rig: Rig, goal: ArmGoal) -> Limb:
    l = limb_of(rig, goal.end)
    assert l is not None, goal.end
    return l


def _asked(posed: Posed, rig: Rig, goals: list[ArmGoal], meeting: Meeting | None) -> NDArray[np.bool_]:
    """At which frames something is asked for that is not there already ``(frames,)``."""
    model, ends = (posed.turned, posed.placed), []
    out = np.zeros(len(posed.turned), dtype=bool)
    for g in goals:
        end = limb_end(model, _limb(rig, g))
        out |= (g.pull > 0) & (np.linalg.norm(g.goal - end, axis=1) > _NOTHING)
        out |= np.any(arm_depths(rig, g.end.split(" ")[0], model) > g.allowed + _NOTHING, axis=1)
        ends.append(end)
    if meeting is not None:
        out |= (meeting.pull > 0) & (np.linalg.norm(ends[1] - ends[0] - meeting.way, axis=1) > _NOTHING)
    return out


def _arm(posed: Posed, rig: Rig, g: ArmGoal, axis: Array, at: NDArray[np.intp]) -> kernels.solving.Arm:
    """An arm at some frames, as the kernel is given it."""
    side, body = g.end.split(" ")[0], body_for(rig, g.end.split(" ")[0])
    offset = hand_offset(posed.turned[at], rig, side)
    return kernels.solving.Arm(
        _limb(rig, g),
        axis[at],
        offset,
        _POINTS,
        _thick(rig, side),
        body,
        trunk_for(rig),
        g.goal[at],
        g.pull[at],
        g.allowed[at],
    )


def _thick(rig: Rig, side: str) -> Array:
    """Half of how thick an arm is at its points ``(points,)``, metres."""
    arm = arm_thicknesses(rig, side, tuple(_POINTS[:, 0].tolist()))
    return np.where(_POINTS[:, 1] > 0, _FLAT * HAND * rig.height, arm)
