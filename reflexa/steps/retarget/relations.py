"""Relations of the source kept on the target: hands that meet still meet, and hands on the body stay on it."""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

import numpy as np

from reflexa.contacts.bodies import (
    HAND,
    carried_over,
    counterpart,
    from_local,
    hand_middle,
    hand_offset,
    local_to,
    nearest,
    trunk,
)
from reflexa.contacts.relations import gate, nearness, of_hands
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.curves import smoothstep
from reflexa.motion.cuts import cuts, timing_of
from reflexa.motion.limbs import Posed, bend, limb_end
from reflexa.motion.smoothing import gaussian
from reflexa.motion.stances import speeds
from reflexa.rig.limbs import limb_of
from reflexa.rig.match import Match
from reflexa.rig.rig import SIDES
from reflexa.solve.arms import ArmGoal, arm_depths, partly_met, solve
from reflexa.steps.retarget.bearing import hand_track

# Hands that are to come together heed what else asks for them by so much less.
_YIELDS = 0.95
# A hand whose surface is no further from the body's than the first lies on it, and from the second on it is near to it only:
# shares of the height. How often its way from the body is looked at anew.
_LIES, _LEAVES, _APPROACHES = 0.012, 0.035, 4
# It lies there while it moves over the body by less than the first, heights a second, and not at all from the second on; that
# comes and goes over so long, seconds.
_STILL, _MOVES, _LED = 0.1, 0.35, 0.08
# What leads a hand settles over so long, seconds; from so far off it counts altogether, as a share of the height.
_CALM, _PUSHED = 0.05, 0.006
# An elbow that is bent by less than the first (degrees) just hangs, and by more than the second has been put there. A hand is
# brought to the same place of another body from no further off than this share of the height.
_HANGS, _PLACED, _FURTHEST = 30.0, 55.0, 0.08
# An arm is led to straighten to this share of its length.
_REACHES = 0.99


class Hands(NamedTuple):
    """What is asked of hands beside relations: how they are kept, and how much each bears ``(frames,)``, by its name."""

    mode: str
    bears: dict[str, Array]


def keep_relations(posed: Posed, clip: Clip, m: Match, hands: Hands, clear: bool) -> Array:
    """Bring hands to where the source's relations want them, and arms out of the body where they are deeper in it than the
    source's, scaled (``clear``). Gives how much the hands are kept as asked ``(frames,)``: less where they bear."""
    timing = timing_of(clip)
    sides = [
        s for s in SIDES if limb_of(m.target, f"{s} hand") is not None and limb_of(m.source, f"{s} hand") is not None
    ]
    deep = {s: arm_depths(m.source, s, clip.model) * m.stride for s in sides}
    allowed = {s: d if clear else np.full(d.shape, np.inf) for s, d in deep.items()}
    tracks = {s: track for s in sides if (track := hand_track(clip, m, f"{s} hand")) is not None}
    if hands.mode == "keep place":
        placed = [ArmGoal(f"{s} hand", tracks[s], np.ones(clip.frames), allowed[s]) for s in sides]
        solve(posed, m.target, placed, None, timing)
        return np.ones(clip.frames)
    goals = [ArmGoal(f"{s} hand", *_on_body(posed, clip, m, s, hands.bears), allowed[s]) for s in sides]
    pair = of_hands(clip, m.source)
    weight = np.zeros(clip.frames) if pair is None else pair.weight
    if hands.mode == "keep distance":  # all the time, but for hands that bear
        weight = np.maximum(weight, 1 - np.max([*hands.bears.values(), np.zeros(clip.frames)], axis=0))
    meeting = None
    if len(sides) == 2 and weight.any():
        meeting = partly_met([_end(posed, m, s) for s in SIDES], tracks["right"] - tracks["left"], weight)
        goals = [replace(g, pull=g.pull * (1 - _YIELDS * weight)) for g in goals]
    solve(posed, m.target, goals, meeting, timing)
    return weight


def _end(posed: Posed, m: Match, side: str) -> Array:
    l = limb_of(m.target, f"{side} hand")
    assert l is not None
    return limb_end((posed.turned, posed.placed), l)


def _on_body(posed: Posed, clip: Clip, m: Match, side: str, bears: dict[str, Array]) -> tuple[Array, Array]:
    """Where the body and the ground want the end of an arm ``(frames, 3)``, and how much ``(frames,)``.

    A hand that touches lies on the same place of the body's surface; one that is near is as far from it as the source's, scaled.
    """
    model, end = (posed.turned, posed.placed), _end(posed, m, side)
    source, offset = hand_middle(clip.model, m.source, side), hand_offset(posed.turned, m.target, side)
    assert source is not None
    still = bears.get(f"{side} hand", np.zeros(len(end)))
    if not trunk(m.source) or not trunk(m.target):
        return end, still
    apart, _, counts = nearest(m.source, source, clip.model)
    apart = apart - HAND * m.source.height
    body = {b.part for b in trunk(m.source)}
    pull = nearness(apart, clip, m.source) * gate(clip, f"{side} hand", *body) * (1 - still)
    if not pull.any():
        return end, still
    goal = end + offset
    lies = _lying(m, clip, side, (source, apart, counts)) * pull
    if lies.any():
        moved, total = np.zeros_like(goal), np.zeros(len(goal))
        for block, count in zip(trunk(m.source), counts, strict=True):
            other = counterpart(block, trunk(m.target))
            if other is not None:
                own = carried_over(local_to(block, source, clip.model), block, other, m.stride)
                moved += count[:, None] * (from_local(other, own, model) - goal)
                total += count
        moved = moved / np.maximum(total, 1e-3)[:, None]
        size = np.maximum(np.linalg.norm(moved, axis=1), 1e-9) / (_FURTHEST * m.target.height)
        goal = goal + (lies * np.tanh(size) / size)[:, None] * moved
    wanted = apart * m.stride + HAND * m.target.height
    for _ in range(_APPROACHES):
        now, way, _ = nearest(m.target, goal, model)
        off = wanted - now
        goal = goal + (np.where(off > 0, pull, lies) * off)[:, None] * way
    goal = _within_reach(posed, m, side, goal - offset, end)
    move = gaussian(goal - end, _CALM * clip.rate, clip.loop, cuts(clip))
    # One that is near and far enough is free to go where the body pushes it.
    pushed = pull * smoothstep(np.linalg.norm(move, axis=1) / (_PUSHED * m.target.height))
    return end + move, 1 - (1 - np.maximum(lies, pushed)) * (1 - still)


def _lying(m: Match, clip: Clip, side: str, near: tuple[Array, Array, Array]) -> Array:
    """How much a hand of the source lies on its body ``(frames,)``: near to it, and with it, and not just hanging. near: its
    track, how far it is from the body, and how much each of that one's volumes counts."""
    track, apart, counts = near
    speed = np.zeros(len(track))
    for block, count in zip(trunk(m.source), counts, strict=True):
        speed += count * speeds(local_to(block, track, clip.model), clip.rate)
    height, l = m.source.height, limb_of(m.source, f"{side} hand")
    assert l is not None
    placed = smoothstep((bend(clip.model, l).angle - _HANGS) / (_PLACED - _HANGS))
    on = 1 - smoothstep((apart / height - _LIES) / (_LEAVES - _LIES))
    still = 1 - smoothstep((speed / height - _STILL) / (_MOVES - _STILL))
    return gaussian(on * still * placed, _LED * clip.rate, clip.loop, cuts(clip))


def _within_reach(posed: Posed, m: Match, side: str, goal: Array, end: Array) -> Array:
    """A goal of an arm's end ``(frames, 3)``, no further from its shoulder than it reaches with its elbow a little bent; or than
    it is already."""
    l = limb_of(m.target, f"{side} hand")
    assert l is not None
    root, middle = posed.placed[:, l.root], posed.placed[:, l.middle]
    longest = np.linalg.norm(middle - root, axis=1) + np.linalg.norm(end - middle, axis=1)
    way, now = goal - root, np.linalg.norm(end - root, axis=1)
    far = np.linalg.norm(way, axis=1)
    most = np.maximum(_REACHES * longest, now)
    return np.asarray(root + way * np.minimum(1.0, most / np.maximum(far, 1e-9))[:, None])
