"""A figure in model space while it is being worked on: joints turned, the rest of the body carried along."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter1d, uniform_filter1d

from reflexa.motion import ik, kinematics, quat
from reflexa.motion.arrays import Array, owned
from reflexa.motion.clip import Clip
from reflexa.motion.skeleton import Skeleton


@dataclass(eq=False)
class Posed:
    """turned ``(frames, joints, 4)`` and placed ``(frames, joints, 3)``, changed in place by the functions below.

    local: rotations against the parent ``(frames, joints, 4)``, right for every joint but those in ``loose``, whose
    turn (or whose parent's) came about in model space.
    """

    skeleton: Skeleton
    turned: Array
    placed: Array
    local: Array
    loose: set[int]

    def rotations(self) -> Array:
        """Local rotations of all joints ``(frames, joints, 4)``."""
        parents = self.skeleton.parents
        joints = np.array(sorted(self.loose), dtype=np.intp)
        own = self.turned[:, joints]
        has = parents[joints] >= 0
        own[:, has] = quat.multiply(quat.conjugate(self.turned[:, parents[joints[has]]]), own[:, has])
        self.local[:, joints] = own
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
    for j in sorted(posed.loose):
        rotations[at, j] = quat.shortest(quat.normalise(local[:, j]), clip.rotations[at, j])
    moved = clip.translations if translations is None else owned(translations)
    if clip.scales is not None:
        return clip.with_motion(owned(rotations), moved)
    turned, placed = (np.array(a) for a in clip.model)
    turned[at], placed[at] = posed.turned, posed.placed
    return clip.with_motion(owned(rotations), moved, known_model=(owned(turned), owned(placed)))


def at_frames(skeleton: Skeleton, model: tuple[Array, Array], rotations: Array, at: NDArray[np.intp]) -> Posed:
    """A clip's figure at some frames, ready to be moved."""
    return Posed(skeleton, model[0][at], model[1][at], rotations[at], set())


@dataclass(frozen=True)
class Limb:
    """Three joints of a limb, and which joints move with each bone: between root and middle, middle and end, beyond."""

    root: int
    middle: int
    end: int
    upper: NDArray[np.intp]
    lower: NDArray[np.intp]
    beyond: NDArray[np.intp]


def limb(skeleton: Skeleton, root: int, middle: int, end: int) -> Limb:
    """The limb of three joints that stand above one another."""
    below_root, below_middle, beyond = (set(skeleton.below(j)) for j in (root, middle, end))
    groups = (below_root - below_middle, below_middle - beyond, beyond)
    return Limb(root, middle, end, *(np.array(sorted(g), dtype=np.intp) for g in groups))


def bend_side(posed: Posed, l: Limb) -> Array:
    """The way a limb bends in its upper bone's own frame, ``(3,)`` unit: the mean over the clip; zero if it never does."""
    root, middle, end = (posed.placed[:, j] for j in (l.root, l.middle, l.end))
    off = _off_line(root, middle, end)
    own = quat.rotate(quat.conjugate(posed.turned[:, l.root]), off).mean(axis=0)
    length = float(np.linalg.norm(own))
    return np.asarray(own / length) if length > 1e-6 else np.zeros(3)


def _off_line(root: Array, middle: Array, end: Array) -> Array:
    along = end - root
    t = np.sum((middle - root) * along, axis=-1) / np.maximum(np.sum(along * along, axis=-1), 1e-12)
    return np.asarray(middle - root - t[:, None] * along)


def reach(posed: Posed, l: Limb, goal: Array, side: Array, softness: float = 0.01) -> Array:
    """Bend a limb so that its end comes to ``goal`` ``(frames, 3)``; the end keeps its rotation. Gives the shortfall
    ``(frames,)`` in metres.

    The limb bends the way it does already; where it is all but straight, the way that ``side`` (in the upper bone's
    frame) says, so that it can never flip. It straightens softly, but is never bent more than it was only for that.
    """
    root, middle, end = (posed.placed[:, j] for j in (l.root, l.middle, l.end))
    upper = float(np.linalg.norm(middle - root, axis=-1).mean())
    lower = float(np.linalg.norm(end - middle, axis=-1).mean())
    longest = upper + lower
    usual = quat.rotate(posed.turned[:, l.root], np.broadcast_to(side, root.shape))
    off = _off_line(root, middle, end)
    bent = np.linalg.norm(off, axis=-1, keepdims=True)
    # A bend too small to tell a side gives way to the usual one, by as much as the end is moved: unmoved it stays exact.
    little = 0.02 * longest
    moved = np.clip(np.linalg.norm(goal - end, axis=-1, keepdims=True) / little, 0, 1)
    unsure = (1 - np.clip(bent / little, 0, 1)) * np.where(bent < 1e-9, 1.0, moved)
    pole = off + unsure * usual * little
    before = np.linalg.norm(end - root, axis=-1)
    wanted = np.linalg.norm(goal - root, axis=-1)
    distance = ik.softened(wanted, longest, np.maximum(before, longest * (1 - softness)))
    direction = (goal - root) / np.maximum(wanted, 1e-9)[:, None]
    new_middle, new_end = ik.middle(root, root + distance[:, None] * direction, upper, lower, pole, softness=0.0)
    normal = _normal(end - root, off, pole)
    new_normal = np.cross(direction, pole)
    for joints, old, new in (
        (l.upper, middle - root, new_middle - root),
        (l.lower, end - middle, new_end - new_middle),
    ):
        turn = ik.aimed(old, np.cross(normal, old), new, np.cross(new_normal, new))
        posed.turned[:, joints] = quat.multiply(turn[:, None], posed.turned[:, joints])
        origin, at = (root, root) if joints is l.upper else (middle, new_middle)
        arm = posed.placed[:, joints] - origin[:, None]
        posed.placed[:, joints] = at[:, None] + quat.rotate(turn[:, None], arm)
    posed.placed[:, l.beyond] += (new_end - end)[:, None]
    posed.loose |= {l.root, l.middle, l.end}
    return np.asarray(np.linalg.norm(goal - new_end, axis=-1))


def _normal(line: Array, off: Array, pole: Array) -> Array:
    """The normal of the plane that the limb lies in; that of the pole where it is straight."""
    bent = np.sum(off * off, axis=-1, keepdims=True) > 1e-16
    return np.cross(line, np.where(bent, off, pole))


def reach_chain(posed: Posed, joints: list[int], goal: Array, rounds: int = 60, near: float = 1e-5) -> Array:
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
    posed.loose |= set(joints)
    return np.asarray(np.linalg.norm(goal - posed.placed[:, end], axis=-1))


def _along(v: Array, length: Array) -> Array:
    size = np.linalg.norm(v, axis=-1)
    return np.asarray(v * (length / np.maximum(size, 1e-12))[:, None])


def turn_about(posed: Posed, joints: NDArray[np.intp], pivot: Array, turn: Array) -> None:
    """Turn joints about a point ``(frames, 3)`` by model-space rotations ``(frames, 4)``, as one piece."""
    posed.turned[:, joints] = quat.multiply(turn[:, None], posed.turned[:, joints])
    posed.placed[:, joints] = pivot[:, None] + quat.rotate(turn[:, None], posed.placed[:, joints] - pivot[:, None])


def look(posed: Posed, joints: list[int], shares: list[float], ahead: Array, target: Array) -> None:
    """Turn joints, from the lowest up to the head, so that the head's ``ahead`` (in its own axes) points at ``target``
    ``(frames, 3)``: each but the last does its share of what is left, the head the rest."""
    head = joints[-1]
    for joint, share in zip(joints, [*shares, 1.0], strict=True):
        now = quat.rotate(posed.turned[:, head], ahead)
        turn = quat.scaled(quat.between(now, target - posed.placed[:, head]), share)
        below = np.array(posed.skeleton.below(joint), dtype=np.intp)
        turn_about(posed, below, posed.placed[:, joint].copy(), turn)
        posed.loose.add(joint)


def swing(posed: Posed, l: Limb, angle: Array) -> None:
    """Turn a limb about the line from its root to its end by ``angle`` ``(frames,)`` radians: the middle joint swings,
    both ends stay."""
    root, end = posed.placed[:, l.root], posed.placed[:, l.end]
    line = end - root
    length = np.linalg.norm(line, axis=-1, keepdims=True)
    turn = quat.from_rotvec(np.where(length > 1e-9, line / np.maximum(length, 1e-9), 0.0) * angle[:, None])
    turn_about(posed, np.concatenate([l.upper, l.lower]), root, turn)
    posed.loose |= {l.root, l.end}


# The pelvis gives way by at most this share of the leg before a foot is left short of its place.
MOST_SINK = 0.15


def giving_way(placed: Array, wanted: Iterable[tuple[Limb, Array, NDArray[np.bool_]]], straight: float) -> Array:
    """How far the pelvis sinks at each frame so that limbs reach their goals, metres ``(frames,)``, not yet ``widened``.

    wanted: limbs with their goals ``(frames, 3)``, and when they are meant ``(frames,)``; the rest as in ``too_far``.
    """
    needs = [np.where(when, too_far(placed, l, goal, straight), 0.0) for l, goal, when in wanted]
    return np.asarray(np.max(needs, axis=0)) if needs else np.zeros(len(placed))


def too_far(placed: Array, l: Limb, goal: Array, straight: float) -> Array:
    """How much lower a limb's root must be for its end to reach ``goal`` ``(frames, 3)``, metres ``(frames,)``.

    placed ``(frames, joints, 3)``. straight: share of its length to which the limb may stretch; one that is stretched
    further already may stay so.
    """
    root, middle, end = (placed[:, j] for j in (l.root, l.middle, l.end))
    longest = float((np.linalg.norm(middle - root, axis=-1) + np.linalg.norm(end - middle, axis=-1)).mean())
    room = np.maximum(straight * longest, np.linalg.norm(end - root, axis=-1))
    away = root - goal
    level2 = away[:, 0] ** 2 + away[:, 2] ** 2
    fits = np.sqrt(np.maximum(room**2 - level2, 0.0))
    drop = np.where(level2 < room**2, away[:, 1] - fits, 0.0)
    return np.clip(drop, 0.0, MOST_SINK * longest)


def widened(need: Array, rate: float, loop: bool) -> Array:
    """A need ``(frames,)`` spread over a quarter of a second: nowhere less than is needed, nowhere a jump."""
    width = max(3, round(rate * 0.25)) | 1
    mode: Literal["wrap", "nearest"] = "wrap" if loop else "nearest"
    round_ = need[:-1] if loop and len(need) > 1 else need  # a loop's last frame repeats its first
    if loop and len(need) > 1:
        round_ = np.maximum(round_, np.concatenate([need[-1:], np.zeros(len(round_) - 1)]))
    out = maximum_filter1d(round_, width, mode=mode)
    for _ in range(2):
        out = uniform_filter1d(out, width // 2 | 1, mode=mode)
    out[out < 1e-9] = 0.0  # what a running sum leaves behind
    return np.concatenate([out, out[:1]]) if len(out) < len(need) else np.asarray(out)


def sunk_clip(clip: Clip, posed: Posed, joint: int, at: NDArray[np.intp], by: Array) -> Array:
    """Move a joint of a posed figure, and everything below it, down by ``by`` ``(frames posed,)`` metres; gives the clip's
    local translations ``(frames, joints, 3)`` with that change."""
    sink(posed, joint, by)
    translations = np.array(clip.translations)
    translations[at, joint] = posed.translation(joint)
    return translations


def sink(posed: Posed, root: int, by: Array) -> None:
    """Move a joint and everything below it down by ``by`` ``(frames,)`` metres."""
    posed.placed[:, posed.skeleton.below(root), 1] -= by[:, None]
