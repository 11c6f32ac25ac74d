"""A figure in model space while it is being worked on: joints turned, the rest of the body carried along."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import kernels, kinematics, quat
from reflexa.motion.arrays import Array, owned
from reflexa.motion.clip import Clip
from reflexa.motion.kernels.parts import Clock, Limb, Model, Way
from reflexa.motion.skeleton import Skeleton
from reflexa.motion.smoothing import Timing, gaussian, highest

# Over the last of its length, as a share, a limb straightens softly: from a bend of 14°, so that no millimetre more or
# less swings a knee by much more than a degree.
SOFT = 0.0075


def limb(skeleton: Skeleton, root: int, middle: int, end: int, tip: Array | None = None) -> Limb:
    """The limb of three joints that stand above one another; end -1: it ends at ``tip`` on the middle joint."""
    below_root, below_middle = set(skeleton.below(root)), set(skeleton.below(middle))
    beyond = set(skeleton.below(end)) if end >= 0 else set()
    groups = (below_root - below_middle, below_middle - beyond, beyond)
    upper, lower, last = (np.array(sorted(g), dtype=np.intp) for g in groups)
    return Limb(root, middle, end, upper, lower, last, np.zeros(3) if tip is None else np.array(tip))


@dataclass(eq=False)
class Posed:
    """turned ``(frames, joints, 4)`` and placed ``(frames, joints, 3)``, changed in place by the functions below.

    local: rotations against the parent ``(frames, joints, 4)``, right for every joint but those in ``dirty``, whose
    turn (or whose parent's) came about in model space.
    """

    skeleton: Skeleton
    turned: Array
    placed: Array
    local: Array
    dirty: set[int]

    def rotations(self) -> Array:
        """Local rotations of all joints ``(frames, joints, 4)``."""
        joints = np.array(sorted(self.dirty), dtype=np.intp)
        kernels.chains.local_turns(self.skeleton.parents, joints, self.turned, self.local)
        return self.local

    def translation(self, joint: int) -> Array:
        """Local translation of a joint ``(frames, 3)``, as it stands to its parent."""
        model = self.turned, self.placed
        return kinematics.to_local(self.skeleton.parents, model, joint, self.turned[:, joint], self.placed[:, joint])[1]


def posed_clip(clip: Clip, posed: Posed, at: NDArray[np.intp], translations: Array | None = None) -> Clip:
    """A clip with a figure posed at some frames put in: whatever was not moved is as it was, bit for bit.

    translations ``(frames, joints, 3)``: local ones, where those were changed too.
    """
    rotations = np.array(clip.rotations)
    local = posed.rotations()
    kernels.chains.put(np.array(sorted(posed.dirty), dtype=np.intp), at, local, rotations)
    moved = clip.translations if translations is None else owned(translations)
    if clip.scales is not None:
        return clip.with_motion(owned(rotations), moved)
    turned, placed = (np.array(a) for a in clip.model)
    turned[at], placed[at] = posed.turned, posed.placed
    return clip.with_motion(owned(rotations), moved, known_model=(owned(turned), owned(placed)))


def at_frames(skeleton: Skeleton, model: tuple[Array, Array], rotations: Array, at: NDArray[np.intp]) -> Posed:
    """A clip's figure at some frames, ready to be moved."""
    return Posed(skeleton, model[0][at], model[1][at], rotations[at], set())


_USUAL = Timing()

# Reaching --------------------------------------------------------------------------------------------------------


def hinges(model: tuple[Array, Array], l: Limb, made: Array, timing: Timing = _USUAL) -> Array:
    """The axis that a limb bends about, ``(frames, 3)`` unit in its upper bone's own axes, over a whole clip in order.

    model: rotations ``(frames, joints, 4)`` and places ``(frames, joints, 3)``. made ``(3,)``: the axis that the limb is made to
    bend about. Where it is clearly bent its axis is that of the pose, elsewhere that of a smooth course (round the seam of a
    loop).
    """
    out = np.empty((len(model[0]), 3))
    made = np.asarray(made, dtype=np.float64)
    kernels.hinges.hinges(l, made, Clock(float(timing.rate), bool(timing.loop)), *model, out)
    return out


@dataclass(frozen=True, eq=False)
class Bend:
    """How a limb bends over a clip. upper: the direction of its upper bone ``(frames, 3)`` unit; angle: to the lower one, degrees
    ``(frames,)``, 0 where the limb is straight; axis: what it bends about, in the upper bone's own axes ``(frames, 3)``, unit
    where it is bent."""

    limb: Limb
    upper: Array
    angle: Array
    axis: Array


def bend(model: tuple[Array, Array], l: Limb) -> Bend:
    """How a limb bends; model as in ``hinges``."""
    upper, axis, angle = np.empty((len(model[0]), 3)), np.empty((len(model[0]), 3)), np.empty(len(model[0]))
    kernels.changes.bends(l, Model(*model), limb_end(model, l), upper, angle, axis)
    return Bend(l, upper, np.degrees(angle), axis)


def reach(posed: Posed, l: Limb, goal: Array, hinge: Array, soft: float = SOFT) -> Array:
    """Bend a limb so that its end comes to ``goal`` ``(frames, 3)``; the end keeps its rotation. Gives the shortfall
    ``(frames,)`` in metres.

    hinge: as ``hinges`` has it, for these frames; so it never flips. soft: the last share of its length over which it
    straightens softly, and to less than straight; one that was straighter already may stay so.
    """
    n, model = len(posed.turned), Model(posed.turned, posed.placed)
    knee, line, short = np.empty((n, 4)), np.empty((n, 3)), np.empty(n)
    kernels.limbs.bent(l, float(soft), hinge, goal, model, kernels.limbs.Ways(knee, line))
    twist = np.empty(n)
    kernels.limbs.carried(line, goal - posed.placed[:, l.root], twist)
    kernels.limbs.reach(l, hinge, goal, kernels.limbs.Bent(knee, twist), model, short)
    posed.dirty |= {l.root, l.middle} | ({l.end} if l.end >= 0 else set())
    return short


def on_the_way(posed: Posed, l: Limb, way: Way, hinge: Array, soft: float = SOFT) -> Array:
    """Where a limb's end is ``(frames, 3)`` at a share of its way to a place, or to as near to it as the limb reaches.

    The way is straight; where that would lead through the shoulder or hip it leads round, on the side that the limb bends
    to. hinge, soft: as in ``reach``.
    """
    out = np.empty_like(way.to)
    kernels.limbs.ways(l, float(soft), hinge, way, Model(posed.turned, posed.placed), out)
    return out


def limb_end(model: tuple[Array, Array], l: Limb) -> Array:
    """Where a limb ends ``(…, 3)``: at its last joint, or at the end site of the one before.

    model: rotations ``(…, joints, 4)`` and places ``(…, joints, 3)``."""
    turned, placed = model
    if l.end >= 0:
        return placed[..., l.end, :]
    return np.asarray(placed[..., l.middle, :] + quat.rotate(turned[..., l.middle, :], l.tip))


def end_of(posed: Posed, l: Limb) -> Array:
    """Where a limb of a figure that is being worked on ends now ``(frames, 3)``."""
    return np.array(limb_end((posed.turned, posed.placed), l))


def reach_chain(posed: Posed, joints: list[int], goal: Array, rounds: int = 400, near: float = 1e-5) -> Array:
    """Bend a chain of joints, from the one that stays to the end, so that the end comes to ``goal`` ``(frames, 3)``; the
    end keeps its turn. Gives the shortfall ``(frames,)`` in metres.

    Positions are found forward and backward in turn (Aristidou & Lasenby, FABRIK, 2011), beginning with the chain as it
    is, so that it bends where it does already; each joint then turns by the least that takes its bone there.
    """
    p = posed.placed[:, joints].copy()
    lengths = np.linalg.norm(np.diff(p, axis=1), axis=-1)
    base, reachable = p[:, 0].copy(), lengths.sum(axis=1)
    way = goal - base
    away = np.linalg.norm(way, axis=-1)
    # Out of reach the chain is drawn all but straight, which a chain never quite is.
    wanted = base + way * np.minimum(1.0, 0.999 * reachable / np.maximum(away, 1e-9))[:, None]
    for _ in range(rounds):
        if np.linalg.norm(p[:, -1] - wanted, axis=-1).max() < near:
            break
        p[:, -1] = wanted
        for i in range(len(joints) - 2, -1, -1):
            p[:, i] = p[:, i + 1] + _along(p[:, i] - p[:, i + 1], lengths[:, i])
        p[:, 0] = base
        for i in range(1, len(joints)):
            p[:, i] = p[:, i - 1] + _along(p[:, i] - p[:, i - 1], lengths[:, i - 1])
    end = joints[-1]
    beyond = np.array(posed.skeleton.below(end), dtype=np.intp)
    kept = posed.turned[:, beyond].copy()
    arms = posed.placed[:, beyond] - posed.placed[:, end, None]
    for i, joint in enumerate(joints[:-1]):
        now = posed.placed[:, joints[i + 1]] - posed.placed[:, joint]
        turn = quat.between(now, p[:, i + 1] - posed.placed[:, joint])
        below = np.array(posed.skeleton.below(joint), dtype=np.intp)
        turn_about(posed, below, posed.placed[:, joint].copy(), turn)
    posed.turned[:, beyond] = kept
    posed.placed[:, beyond] = posed.placed[:, end, None] + arms
    posed.dirty |= set(joints)
    return np.asarray(np.linalg.norm(goal - posed.placed[:, end], axis=-1))


def _along(v: Array, length: Array) -> Array:
    size = np.linalg.norm(v, axis=-1)
    return np.asarray(v * (length / np.maximum(size, 1e-12))[:, None])


def turn_about(
    posed: Posed, joints: NDArray[np.intp], pivot: Array, turn: Array, at: NDArray[np.intp] | None = None
) -> None:
    """Turn joints about a point ``(frames, 3)`` by model-space rotations ``(frames, 4)``, as one piece; at: at these frames
    alone, for which pivot and turn are."""
    at = np.arange(len(posed.turned)) if at is None else at
    kernels.limbs.turn_about(np.asarray(joints, dtype=np.intp), at, pivot, turn, Model(posed.turned, posed.placed))


def look(posed: Posed, joints: list[int], shares: list[float], ahead: Array, target: Array) -> None:
    """Turn joints, from the lowest up to the head, so that the head's ``ahead`` (in its own axes) points at ``target``
    ``(frames, 3)``: each but the last does its share of what is left, the head the rest."""
    head = joints[-1]
    for joint, share in zip(joints, [*shares, 1.0], strict=True):
        now = quat.rotate(posed.turned[:, head], ahead)
        turn = quat.scaled(quat.between(now, target - posed.placed[:, head]), share)
        below = np.array(posed.skeleton.below(joint), dtype=np.intp)
        turn_about(posed, below, posed.placed[:, joint].copy(), turn)
        posed.dirty.add(joint)


def swing(posed: Posed, l: Limb, angle: Array) -> None:
    """Turn a limb about the line from its root to its end by ``angle`` ``(frames,)`` radians: the middle joint swings,
    both ends stay."""
    root, end = posed.placed[:, l.root], end_of(posed, l)
    line = end - root
    length = np.linalg.norm(line, axis=-1, keepdims=True)
    turn = quat.from_rotvec(np.where(length > 1e-9, line / np.maximum(length, 1e-9), 0.0) * angle[:, None])
    turn_about(posed, np.concatenate([l.upper, l.lower]), root, turn)
    posed.dirty |= {l.root} | ({l.end} if l.end >= 0 else set())


# The pelvis ------------------------------------------------------------------------------------------------------

# The pelvis gives way by at most this share of the leg before a foot is left short of its place.
MOST_SINK = 0.15
# And it rises by at most this share, where what bears would come to lie under the ground.
_MOST_LIFT = 0.35
Wanted = Iterable[tuple[Limb, Array, Array]]


def pelvis_drop(model: tuple[Array, Array], wanted: Wanted, timing: Timing, straight: float = 1 - SOFT) -> Array:
    """How much the pelvis lowers (negative: rises) at each frame so that legs reach their goals, metres ``(frames,)``.

    wanted: limbs with their goals ``(frames, 3)`` and how much each counts ``(frames,)``, 0 to 1. First the pelvis follows
    where a leg is near straight, whose knee would swing for little; the more a leg is bent, the more the knee does it. Then
    it sinks by what a leg still lacks beyond ``straight``, as a share of its length, or as far as it is stretched anyway.
    """
    wanted = list(wanted)
    down = _followed(model, wanted, timing)
    need = np.zeros(len(down))
    for l, goal, weight in wanted:
        need = np.maximum(need, np.where(weight > 0, too_far(model, l, goal, down, straight), 0.0) * weight)
    return np.asarray(down + widened(need, timing) if need.max(initial=0.0) > 1e-9 else down)


# A knee that swings by this much for a metre of the pelvis is half as unwilling as the pelvis, radians a metre.
_UNWILLING = 12.0


def _followed(model: tuple[Array, Array], wanted: list[tuple[Limb, Array, Array]], timing: Timing) -> Array:
    """The way of the pelvis that keeps knees from swinging: the least squares of what the knees and the pelvis do."""
    n = len(model[0])
    above, below = np.zeros(n), np.full(n, _UNWILLING**2)
    for l, goal, weight in wanted:
        root, middle, end = model[1][:, l.root], model[1][:, l.middle], limb_end(model, l)
        upper, lower = (np.linalg.norm(v, axis=-1) for v in (middle - root, end - middle))
        now, then = np.linalg.norm(end - root, axis=-1), np.linalg.norm(goal - root, axis=-1)
        # By the law of cosines: how much the bend changes for a change of the distance.
        cosine = np.clip((now**2 - upper**2 - lower**2) / np.maximum(2 * upper * lower, 1e-12), -1, 1)
        sine = np.maximum(np.sqrt(1 - cosine**2), 0.05)
        swings = now / np.maximum(upper * lower * sine, 1e-9)
        upright = (root - goal)[:, 1] / np.maximum(then, 1e-9)
        above += weight * swings**2 * upright * (then - now)
        below += weight * swings**2 * upright**2
    longest = max((float(np.linalg.norm(limb_end(model, l)[0] - model[1][0, l.root])) for l, *_ in wanted), default=0.0)
    down = np.clip(above / below, -_MOST_LIFT * longest, MOST_SINK * longest)
    return (
        gaussian(down, 0.05 * timing.rate, timing.loop, timing.cuts)
        if np.abs(down).max(initial=0.0) > 1e-9
        else np.zeros(n)
    )


def within_reach(posed: Posed, l: Limb, goal: Array, timing: Timing) -> Array:
    """A limb's goals ``(frames, 3)`` drawn near where it does not reach, and smoothly before and after: it comes to its full
    length and leaves it in time, where else its elbow or knee would snap straight."""
    root, middle, end = posed.placed[:, l.root], posed.placed[:, l.middle], end_of(posed, l)
    longest = np.linalg.norm(middle - root, axis=-1) + np.linalg.norm(end - middle, axis=-1)
    way = goal - root
    away = np.linalg.norm(way, axis=-1)
    over = np.maximum(away - (1 - SOFT) * longest, 0.0)
    if not over.any():
        return goal
    near = widened(over, timing)
    return np.asarray(goal - way * (near / np.maximum(away, 1e-9))[:, None])


def too_far(model: tuple[Array, Array], l: Limb, goal: Array, down: Array, straight: float) -> Array:
    """How much lower still a limb's root must be for its end to reach ``goal`` ``(frames, 3)``, metres ``(frames,)``.

    down ``(frames,)``: how far it has gone already. straight: share of its length to which the limb may stretch; one that is
    stretched further already may stay so.
    """
    root, middle, end = model[1][:, l.root], model[1][:, l.middle], limb_end(model, l)
    longest = float((np.linalg.norm(middle - root, axis=-1) + np.linalg.norm(end - middle, axis=-1)).mean())
    room = np.maximum(straight * longest, np.linalg.norm(end - root, axis=-1))
    away = root - goal
    level2 = away[:, 0] ** 2 + away[:, 2] ** 2
    fits = np.sqrt(np.maximum(room**2 - level2, 0.0))
    drop = np.where(level2 < room**2, away[:, 1] - down - fits, 0.0)
    return np.clip(drop, 0.0, MOST_SINK * longest)


def widened(need: Array, timing: Timing) -> Array:
    """A need ``(frames,)`` spread over a quarter of a second: nowhere less than is needed, nowhere a jump."""
    width = max(3, round(timing.rate * 0.25)) | 1
    out = highest(need, width, timing.loop, timing.cuts)
    return gaussian(out, width / 5, timing.loop, timing.cuts)


def with_lowered_pelvis(clip: Clip, posed: Posed, joint: int, at: NDArray[np.intp], by: Array) -> Array:
    """Move a joint of a posed figure, and everything below it, down by ``by`` ``(frames posed,)`` metres; gives the clip's
    local translations ``(frames, joints, 3)`` with that change."""
    sink(posed, joint, by)
    translations = np.array(clip.translations)
    translations[at, joint] = posed.translation(joint)
    return translations


def sink(posed: Posed, root: int, by: Array) -> None:
    """Move a joint and everything below it down by ``by`` ``(frames,)`` metres."""
    posed.placed[:, posed.skeleton.below(root), 1] -= by[:, None]
