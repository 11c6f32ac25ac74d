"""Follow-through: the links of a chain come after what leads them, by a delay or on springs."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Any, Literal

import numpy as np
from msgspec import Meta

from reflexa.errors import RecipeError
from reflexa.motion import cycle, quat, springs
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.steps.model import Beginning, Context, Given, Outcome, Settings, StepKind


class FollowThroughSettings(Settings, frozen=True):
    chain: Annotated[
        str,
        Meta(
            title="Chain",
            description="A chain of the rig (tail, neck, coat), or a joint and everything below it.",
            extra={"choose": "chain"},
        ),
    ] = ""  # fmt: skip
    way: Annotated[
        Literal["spring", "delay"],
        Meta(title="How", description="spring: each joint swings after its parent. delay: each joint repeats "
                                      "the motion of its parent some frames later."),
    ] = "spring"  # fmt: skip
    frequency: Annotated[
        float,
        Meta(title="Frequency", ge=0.05, le=50, description="The natural frequency of the first joint of the chain.",
             extra={"unit": "Hz", "when": {"way": "spring"}}),
    ] = 2.0  # fmt: skip
    damping: Annotated[
        float,
        Meta(title="Damping", ge=0.0, le=10,
             description="0: never stops swinging (in a loop: nearly never). 1: returns without overshoot.",
             extra={"unit": "of critical damping", "when": {"way": "spring"}}),
    ] = 0.35  # fmt: skip
    softer: Annotated[
        float,
        Meta(title="Softer per joint", ge=0, le=90, description="How much slower each joint swings than its parent.",
             extra={"unit": "%", "when": {"way": "spring"}}),
    ] = 10.0  # fmt: skip
    most: Annotated[
        float,
        Meta(title="Largest swing", ge=1, le=180, description="The largest angle by which a joint may leave its pose.",
             extra={"unit": "°", "when": {"way": "spring"}}),
    ] = 60.0  # fmt: skip
    frames: Annotated[
        float,
        Meta(title="Delay per joint", ge=0, le=1000, description="How much later each joint moves than its parent.",
             extra={"unit": "frames", "when": {"way": "delay"}}),
    ] = 2.0  # fmt: skip
    space: Annotated[
        Literal["world", "parent"],
        Meta(
            title="Measured in",
            description="world: follow the motion in the world. parent: follow the rotation relative to the parent.",
            extra={"when": {"way": "delay"}},
        ),
    ] = "world"  # fmt: skip
    amount: Annotated[
        float, Meta(title="Amount", ge=0, le=300, description="How much of the computed motion is used.", extra={"unit": "%"})
    ] = 100.0  # fmt: skip


def links(rig: Rig, name: str) -> list[int]:
    """The joints of a chain, from the first that follows on. Raises RecipeError where there is none of that name.

    A joint's name, or a body part, stands for the line from it down; where it branches, for the longer branch.
    """
    skeleton = rig.skeleton
    if name in rig.chains:
        return [skeleton.index[n] for n in rig.chains[name]]
    joint = rig.joint_called(name)
    if joint < 0:
        known = ", ".join(rig.chains) or "none"
        raise RecipeError(
            f"the rig has no chain or joint {name!r}" if name else "no chain is chosen",
            advice=f"Chains: {known}. The name of a joint works too.",
        )
    out = [joint]
    depth = [0] * len(skeleton)
    for j in range(len(skeleton) - 1, -1, -1):
        parent = int(skeleton.parents[j])
        if parent >= 0:
            depth[parent] = max(depth[parent], depth[j] + 1)
    while below := [c for c in skeleton.children[out[-1]] if skeleton.names[c] not in rig.helpers]:
        out.append(max(below, key=lambda c: depth[c]))
    return out


def follow_through(clip: Clip, rig: Rig, settings: FollowThroughSettings) -> Clip:
    """The clip with a chain following. A loop is run round until its seam closes. Raises RecipeError where there is no
    such chain."""
    chain = links(rig, settings.chain)
    if clip.frames < 2 or settings.amount == 0:
        return clip
    if settings.way == "delay":
        rotations = _delayed(clip, rig, chain, settings)
    else:
        rotations = _sprung(clip, rig, chain, settings)
    return clip.with_motion(rotations, clip.translations)


# Delay ---------------------------------------------------------------------------------------------------------


def _delayed(clip: Clip, rig: Rig, chain: list[int], s: FollowThroughSettings) -> Array:
    """In the world: each link stands against what its parent was ``frames`` ago. Against the parent: each link is bent,
    beside its own bend, as the one above was."""
    skeleton, rest = clip.skeleton, rig.neutral.rest_model[0]
    rotations = np.array(clip.rotations)
    parent = int(skeleton.parents[chain[0]])
    amount = s.amount / 100
    if s.space == "world":
        lead = clip.model[0][:, parent] if parent >= 0 else np.tile(quat.IDENTITY, (clip.frames, 1))
        now = lead
        on_turn = cycle.seam(clip, rig.travel_joint)[0] if clip.loop else None
        for j in chain:
            late = _earlier(lead, s.frames, on_turn)
            own = quat.multiply(late, clip.rotations[:, j])
            undelayed = quat.multiply(now, clip.rotations[:, j])
            lead = quat.multiply(quat.scaled(_short(quat.multiply(own, quat.conjugate(undelayed))), amount), undelayed)
            rotations[:, j] = quat.multiply(quat.conjugate(now), lead)
            now = lead
    else:
        seam = np.array(quat.IDENTITY) if clip.loop else None
        above = chain[0]
        bend = _bend(rotations[:, above], skeleton.rest_rotations[above], rest[skeleton.parents[above]])
        for j in chain[1:]:
            frame = rest[above]
            late = quat.scaled(_short(_earlier(bend, s.frames, seam)), amount)
            turn = quat.multiply(quat.multiply(quat.conjugate(frame), late), frame)
            rotations[:, j] = quat.multiply(turn, clip.rotations[:, j])
            bend = _bend(rotations[:, j], skeleton.rest_rotations[j], frame)
            above = j
    for j in chain:
        rotations[:, j] = quat.continuous(quat.shortest(quat.normalise(rotations[:, j]), clip.rotations[:, j]))
    return rotations


def _bend(local: Array, rest: Array, frame: Array) -> Array:
    """How a joint is bent against its parent, from rest, in the axes of the model at rest ``(frames, 4)``."""
    change = quat.multiply(local, quat.conjugate(rest))
    return quat.multiply(quat.multiply(frame, change), quat.conjugate(frame))


def _short(q: Array) -> Array:
    return np.where(q[..., 3:] < 0, -q, q)


def _earlier(turns: Array, by: float, on_turn: Array | None) -> Array:
    """Turns ``(frames, 4)`` as they were ``by`` frames earlier; before the start the first, or in a loop (on_turn: what a
    cycle turns by) what came a cycle before."""
    n = len(turns)
    at = np.arange(n) - by
    turns = quat.continuous(turns)
    if on_turn is None:
        at = np.maximum(at, 0)
        low = np.minimum(np.floor(at).astype(np.intp), n - 1)
        return quat.slerp(turns[low], turns[np.minimum(low + 1, n - 1)], at - low)
    period = n - 1
    low = np.floor(at).astype(np.intp)

    def of(frames: Array) -> Array:
        rounds, inside = np.divmod(frames, period)
        out = turns[inside]
        back = quat.conjugate(on_turn)
        for k in range(int(rounds.min()), 0):
            out[rounds <= k] = quat.multiply(back, out[rounds <= k])
        return out

    return quat.slerp(of(low), of(low + 1), at - low)


# Springs ---------------------------------------------------------------------------------------------------------


def _sprung(clip: Clip, rig: Rig, chain: list[int], s: FollowThroughSettings) -> Array:
    """Each link's end is a mass on a spring about where the link above, as it now swings, would have it."""
    skeleton = clip.skeleton
    turned, placed = clip.model
    rotations = np.array(clip.rotations)
    parent = int(skeleton.parents[chain[0]])
    place = placed[:, chain[0]]
    above = turned[:, parent] if parent >= 0 else np.tile(quat.IDENTITY, (clip.frames, 1))
    amount, most = s.amount / 100, np.radians(s.most)
    seam = cycle.seam(clip, rig.travel_joint) if clip.loop and clip.frames > 3 else None
    for i, j in enumerate(chain):
        led = quat.multiply(above, clip.rotations[:, j])
        bone = _bone(rig, chain, i)
        frequency = s.frequency * (1 - s.softer / 100) ** i
        ends = place + quat.rotate(led, bone)
        lag = _lag(ends, clip.rate, frequency, s.damping, seam)
        # The link is stiff: it turns by the arc of what its end is behind across it.
        way = ends - place
        arc = amount * np.cross(way, lag) / np.sum(way * way, axis=-1, keepdims=True)
        angle = np.linalg.norm(arc, axis=-1, keepdims=True)
        soft = most * np.tanh(angle / most)  # nears the limit without reaching it
        turn = quat.from_rotvec(arc * np.where(angle > 1e-12, soft / np.maximum(angle, 1e-12), 1.0))
        now = quat.multiply(turn, led)
        own = quat.multiply(quat.conjugate(above), now)
        rotations[:, j] = quat.continuous(quat.shortest(quat.normalise(own), clip.rotations[:, j]))
        if i + 1 < len(chain):
            place = place + quat.rotate(now, clip.translations[:, chain[i + 1]])
            above = now
    return rotations


def _bone(rig: Rig, chain: list[int], i: int) -> Array:
    """From a link to the next, in its own axes ``(3,)``; of the last as far as the file says, else as the one before."""
    skeleton = rig.skeleton
    if i + 1 < len(chain):
        bone = skeleton.rest_translations[chain[i + 1]]
    else:
        tip = rig.tips.get(skeleton.names[chain[i]])
        bone = tip if tip is not None else skeleton.rest_translations[chain[i]] if i else np.zeros(3)
    size = float(np.linalg.norm(bone))
    return np.asarray(bone if size > 1e-6 else np.array([0.0, 0.1 * max(rig.height, 0.1), 0.0]))


def _lag(ends: Array, rate: float, frequency: float, damping: float, seam: tuple[Array, Array] | None) -> Array:
    """How far the mass is from the point that leads it ``(frames, 3)``; in a loop, once it has settled into it."""
    if seam is None:
        return springs.lag(ends, rate, frequency, damping)
    turn, move = seam
    before = quat.rotate(quat.conjugate(turn), ends[-2] - move)
    long = np.concatenate([before[None], ends, (quat.rotate(turn, ends[1]) + move)[None]])
    return springs.settled_lag(long, rate, frequency, damping, 2 * float(np.arctan2(turn[1], turn[3])))


@dataclass(frozen=True)
class FollowReport:
    """The chain's joints, how far its end leaves its way at most in metres, and by how much a loop fails to close in
    degrees (None: it is no loop)."""

    joints: tuple[str, ...]
    away: float
    seam: float | None


def _report(before: Clip, after: Clip, rig: Rig, settings: FollowThroughSettings) -> FollowReport:
    chain = links(rig, settings.chain)
    end = chain[-1]
    away = np.linalg.norm(after.model[1][:, end] - before.model[1][:, end], axis=-1)
    seam = None
    if after.loop:
        turns = quat.multiply(quat.conjugate(after.rotations[0, chain]), after.rotations[-1, chain])
        seam = float(np.degrees(quat.angle(turns)).max())
    return FollowReport(tuple(rig.skeleton.names[j] for j in chain), float(away.max()), seam)


def _run(given: Given, settings: FollowThroughSettings, context: Context) -> Outcome:
    after = follow_through(given.clip, given.rig, settings)
    return given.changed(after, lambda now: _report(given.clip, now, given.rig, settings))


def _begin(at: Beginning) -> dict[str, Any]:
    """The chain that the selected joint is part of; the joint itself; or a tail, or the first chain of more than one link."""
    if at.given is None:
        return {}
    rig = at.given.rig
    found = next((name for name, joints in rig.chains.items() if at.joint in joints), "")
    if found or at.joint in rig.skeleton.index:
        return {"chain": found or at.joint}
    long = [name for name, joints in rig.chains.items() if len(joints) > 1]
    return {"chain": next((n for n in long if "tail" in n), long[0] if long else "")}


KIND = StepKind(
    "follow-through",
    "Follow-through",
    "Let a tail, coat or arm follow what moves it: each joint a few frames late, or swinging on a spring.",
    FollowThroughSettings,
    _run,
    place=100,
    group="layers",
    begin=_begin,
)
