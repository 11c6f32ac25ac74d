"""Two rigs side by side: which joints stand for each other, the aligned rest, and how sizes compare."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.rig.bodymap import FINGERS, MANY, PARTS
from reflexa.rig.foot_rest import alike, leg_length, stand_of, standing
from reflexa.rig.rig import SIDES, UP, Rig
from reflexa.rig.soles import lies_flat, soles

# Limb parts in order, each with the part that its segment leads to.
SEGMENTS = {
    "clavicle": ("upper arm",), "upper arm": ("forearm",), "forearm": ("hand",),
    "hand": ("middle finger", "index finger", "ring finger"),
    "thigh": ("shin",), "shin": ("foot",), "foot": ("toes",),
}  # fmt: skip
# A foot that points down further than this in rest is on tiptoe: its pitch is then part of the pose, not of the build.
_TIPTOE = 45.0


@dataclass(frozen=True)
class Segment:
    """A limb segment that both rigs have: joint indices on the source and the target rig; an end of -1 is the bone's tip."""

    part: str
    source: tuple[int, int]
    target: tuple[int, int]


@dataclass(frozen=True, eq=False)
class Match:
    """source and target rig, and for every mapped target joint the share of two source joints' motion it takes.

    targets ``(n,)``; below, above ``(n,)`` source joints (-1: none, no rotation); share ``(n,)``: 0 takes all from
    ``below``, 1 from ``above``. Lists of parts say what only one of the rigs has.
    """

    source: Rig
    target: Rig
    targets: NDArray[np.intp]
    below: NDArray[np.intp]
    above: NDArray[np.intp]
    share: Array
    segments: tuple[Segment, ...]
    only_source: tuple[str, ...]
    only_target: tuple[str, ...]

    @cached_property
    def turn(self) -> Array:
        """What turns the source's facing into the target's, ``(4,)``."""
        return quat.between(self.source.facing, self.target.facing)

    @cached_property
    def stride(self) -> float:
        """Horizontal scale: the ratio of leg lengths; of heights where one has no legs."""
        a, b = leg_length(self.source), leg_length(self.target)
        return b / a if a > 0 and b > 0 else self.target.height / max(self.source.height, 1e-9)

    @cached_property
    def rise(self) -> float:
        """Vertical scale: the ratio of standing hip heights, the target's with its legs as the source's are.

        Hips are the middle of the hip joints: where a rig has its pelvis joint above them is its own affair.
        """
        a = standing_height(self.source, standing(self.source).rest_model[1])
        b = standing_height(self.target, self.aligned_rest[1])
        return b / a if a > 0 and b > 0 else self.stride

    @cached_property
    def scale(self) -> Array:
        """Scale of places, ``(3,)``."""
        return np.array([self.stride, self.rise, self.stride])

    @cached_property
    def whole(self) -> NDArray[np.bool_]:
        """Which of ``targets`` take all of one source joint's motion."""
        return np.asarray((self.share == 0) & (self.below >= 0))

    @cached_property
    def same_feet(self) -> bool:
        """True if the feet of both rigs have the same shape, apart from size."""
        if soles(self.source).keys() != soles(self.target).keys():
            return False
        for a, b in zip(soles(self.source).values(), soles(self.target).values(), strict=True):
            spans = [np.array([x.heel, x.ball, x.forth]) for x in (a, b)]
            sizes = [np.linalg.norm(s, axis=1) for s in spans]
            if np.abs(sizes[0] * self.stride - sizes[1]).max() > 1e-3 * leg_length(self.target):
                return False
        return True

    @cached_property
    def to_model(self) -> Array:
        """What takes a source joint's model rotation to the target's, for each ``whole`` one: matrices ``(n, 4, 4)`` as
        ``quat.mapped`` has them. W · Q · Q0⁻¹ · W⁻¹ · aligned rest, W being the turn between the facings."""
        to, goal = self.targets[self.whole], quat.multiply(self.aligned, standing(self.target).rest_model[0])
        rest = standing(self.source).rest_model[0][self.below[self.whole]]
        behind = quat.multiply(quat.multiply(quat.conjugate(rest), quat.conjugate(self.turn)), goal[to])
        return np.asarray(quat.left_matrix(self.turn) @ quat.right_matrix(behind))

    def turns(self, joints: NDArray[np.intp]) -> Array:
        """What takes source joints' model rotations to their turns from the neutral pose, in the target's facing:
        matrices ``(n, 4, 4)`` as ``quat.mapped`` has them."""
        rest = standing(self.source).rest_model[0][joints]
        behind = quat.multiply(quat.conjugate(rest), quat.conjugate(self.turn))
        return np.asarray(quat.left_matrix(self.turn) @ quat.right_matrix(behind))

    @cached_property
    def direct(self) -> NDArray[np.bool_]:
        """Which of ``targets`` have a local rotation that comes straight from their source joint's: where their parent
        takes all of that one's parent's motion."""
        own = {
            t: s for t, s, w in zip(self.targets.tolist(), self.below.tolist(), self.whole.tolist(), strict=True) if w
        }
        parents, above = self.target.skeleton.parents, self.source.skeleton.parents
        return np.array(
            [
                t in own and parents[t] >= 0 and own.get(int(parents[t]), -2) == above[own[t]]
                for t in self.targets.tolist()
            ],
            dtype=bool,
        )

    @cached_property
    def to_local(self) -> Array:
        """The same for local rotations of each ``direct`` one ``(n, 4, 4)``."""
        to, of = self.targets[self.direct], self.below[self.direct]
        goal = quat.multiply(self.aligned, standing(self.target).rest_model[0])
        rest = standing(self.source).rest_model[0]
        up = self.source.skeleton.parents[of]
        front = quat.multiply(
            quat.conjugate(goal[self.target.skeleton.parents[to]]), quat.multiply(self.turn, rest[up])
        )
        behind = quat.multiply(quat.multiply(quat.conjugate(rest[of]), quat.conjugate(self.turn)), goal[to])
        return np.asarray(quat.left_matrix(front) @ quat.right_matrix(behind))

    @cached_property
    def aligned(self) -> Array:
        """Per target joint, the model-space turn ``(joints, 4)`` from its neutral pose to the aligned rest.

        Limb segments point as the source's do; unmapped joints ride along; a person's own turns come on top.
        """
        s = self.target.skeleton
        rest_s, rest_t = standing(self.source).rest_model[1], standing(self.target).rest_model[1]
        by_joint = {seg.target[0]: seg for seg in self.segments}
        out = np.tile(quat.IDENTITY, (len(s), 1))
        for j, parent in enumerate(s.parents.tolist()):
            before = out[parent] if parent >= 0 else quat.IDENTITY
            out[j] = before
            seg = by_joint.get(j)
            if seg is None:
                continue
            wanted = quat.rotate(self.turn, _direction(self.source, rest_s, seg.source))
            now = quat.rotate(before, _direction(self.target, rest_t, seg.target))
            if seg.part.endswith("foot") and not any(
                _on_tiptoe(r, seg.part.split()[0], way) for r, way in ((self.source, wanted), (self.target, now))
            ):
                # Soles stay flat, whatever the leg does: a foot's pitch in rest comes from its build, not from its pose.
                before, now = quat.IDENTITY, _direction(self.target, rest_t, seg.target)
                wanted, now = wanted - (wanted @ UP) * UP, now - (now @ UP) * UP
            out[j] = quat.multiply(quat.between(now, wanted), before)
        fit = self.target.fits.get(self.source.key, {})
        if fit:
            total = np.tile(quat.IDENTITY, (len(s), 1))
            for j, parent in enumerate(s.parents.tolist()):
                total[j] = total[parent] if parent >= 0 else quat.IDENTITY
                if s.names[j] in fit:
                    total[j] = quat.multiply(total[j], quat.from_rotvec(np.radians(fit[s.names[j]])))
            out = quat.multiply(total, out)
        return out

    @cached_property
    def aligned_rest(self) -> tuple[Array, Array]:
        """The target's aligned rest pose: model-space rotations ``(joints, 4)`` and positions ``(joints, 3)``."""
        s = standing(self.target)
        rest_q, rest_p = s.rest_model
        placed = np.array(rest_p)
        for j, parent in enumerate(s.parents.tolist()):
            if parent >= 0:
                placed[j] = placed[parent] + quat.rotate(self.aligned[parent], rest_p[j] - rest_p[parent])
        return quat.multiply(self.aligned, rest_q), placed


def _on_tiptoe(rig: Rig, side: str, direction: Array) -> bool:
    """Does a foot that points so in rest stand on its toes? Not where its skin or its clips say that it lies flat."""
    steep = np.degrees(np.arctan2(-direction[1], np.hypot(direction[0], direction[2]))) > _TIPTOE
    return bool(steep) and side not in rig.stands and not lies_flat(rig, side)


def _direction(rig: Rig, placed: Array, ends: tuple[int, int]) -> Array:
    a, b = ends
    if b >= 0:
        return np.asarray(placed[b] - placed[a])
    return quat.rotate(standing(rig).rest_model[0][a], rig.tips[rig.skeleton.names[a]])


def hips(rig: Rig, placed: Array) -> Array:
    """The middle between the hip joints ``(3,)`` with the joints at ``placed`` ``(joints, 3)``; the pelvis without them."""
    thighs = [j for s in SIDES if (j := rig.joint(f"{s} thigh")) >= 0]
    return np.asarray(placed[thighs].mean(axis=0) if len(thighs) == 2 else placed[rig.joint("pelvis")])


def standing_height(rig: Rig, placed: Array) -> float:
    """Height of the hips over the soles with the joints at ``placed`` ``(joints, 3)``, or 0 without a pelvis."""
    if rig.joint("pelvis") < 0:
        return 0.0
    top = float(hips(rig, placed)[1])
    feet = [j for s in SIDES if (j := rig.joint(f"{s} foot")) >= 0]
    if not feet:
        return top - rig.ground
    heights = [stand_of(rig, s).height for s in SIDES if rig.joint(f"{s} foot") >= 0]
    return top - float(np.mean(placed[feet, 1] - heights))


@lru_cache(maxsize=16)
def match(source: Rig, target: Rig) -> Match:
    """Pair the parts of two rigs; kept for the rigs in use, which are values.

    Total: rigs with nothing in common give a match of nothing.
    """
    source, target = alike(source, target)
    rows: list[tuple[int, int, int, float]] = []
    shared = [p for p in PARTS if p in source.body_map and p in target.body_map and p != "root"]
    for part in shared:
        a = [source.skeleton.index[n] for n in source.body_map[part]]
        b = [target.skeleton.index[n] for n in target.body_map[part]]
        if part in MANY:
            rows += _chain(source, a, target, b, _base(source, part, a))
        else:
            rows.append((b[0], a[0], a[0], 0.0))
    for name in source.chains:
        if name in target.chains:
            a = [source.skeleton.index[n] for n in source.chains[name]]
            b = [target.skeleton.index[n] for n in target.chains[name]]
            rows += _chain(source, a, target, b, int(source.skeleton.parents[a[0]]))
    table = {row[0]: row for row in rows}
    order = [table[j] for j in sorted(table)]
    said = {p: set(r.body_map) | set(r.chains) for p, r in (("source", source), ("target", target))}
    return Match(
        source, target,
        np.array([r[0] for r in order], dtype=np.intp), np.array([r[1] for r in order], dtype=np.intp),
        np.array([r[2] for r in order], dtype=np.intp), np.array([r[3] for r in order], dtype=np.float64),
        tuple(_segments(source, target)),
        tuple(p for p in (*PARTS, *source.chains) if p in said["source"] - said["target"]),
        tuple(p for p in (*PARTS, *target.chains) if p in said["target"] - said["source"]),
    )  # fmt: skip


def _base(rig: Rig, part: str, joints: Sequence[int]) -> int:
    """The joint that a chain's rotation is counted from: what carries it on the source rig."""
    if part == "spine":
        return rig.joint("pelvis")
    return int(rig.skeleton.parents[joints[0]])


def _chain(source: Rig, a: list[int], target: Rig, b: list[int], base: int) -> list[tuple[int, int, int, float]]:
    """Rows for a chain: like counts joint by joint, else the rotation that the source has at the same share of length.

    What a joint turns is counted at its segment's end, so that both chains end turned alike, and the base where
    nothing has turned yet.
    """
    if len(a) == len(b):
        return [(t, s, s, 0.0) for t, s in zip(b, a, strict=True)]
    ends_a, ends_b = _shares(source, a), _shares(target, b)
    knots = np.concatenate([[0.0], ends_a])
    joints = [base, *a]
    rows = []
    for t, at in zip(b, ends_b, strict=True):
        i = int(np.clip(np.searchsorted(knots, at, side="left"), 1, len(a)))
        width = knots[i] - knots[i - 1]
        share = float(np.clip((at - knots[i - 1]) / width, 0, 1)) if width > 0 else 1.0
        # All of one joint is no mixture.
        rows.append((t, joints[i], joints[i], 0.0) if share > 1 - 1e-9 else (t, joints[i - 1], joints[i], share))
    return rows


def _shares(rig: Rig, joints: list[int]) -> Array:
    """Where each segment of a chain ends, as a share of the chain's length ``(n,)``; the last one is 1."""
    placed = rig.neutral.rest_model[1]
    bones = np.linalg.norm(np.diff(placed[joints], axis=0), axis=-1)
    last = bones[-1] if len(bones) else 1.0
    below = [c for c in rig.skeleton.children[joints[-1]] if rig.side_of[c] == rig.side_of[joints[-1]]]
    if len(below) == 1:
        last = float(np.linalg.norm(placed[below[0]] - placed[joints[-1]]))
    bones = np.append(bones, last)
    total = bones.sum()
    return np.cumsum(bones) / total if total > 1e-9 else (np.arange(len(joints)) + 1.0) / len(joints)


def _segments(source: Rig, target: Rig) -> list[Segment]:
    out: list[Segment] = []
    for side in SIDES:
        for part, nexts in SEGMENTS.items():
            name = f"{side} {part}"
            a, b = source.joint(name), target.joint(name)
            if a < 0 or b < 0:
                continue
            to = next((n for n in nexts if source.joint(f"{side} {n}") >= 0 and target.joint(f"{side} {n}") >= 0), None)
            if to is not None:
                ends = source.joint(f"{side} {to}"), target.joint(f"{side} {to}")
            elif part == "hand":
                continue  # without fingers on both nothing tells where a hand points
            else:
                ends = _end(source, side, nexts, a), _end(target, side, nexts, b)
            _add(out, source, target, name, (a, ends[0]), (b, ends[1]))
        for finger in FINGERS:
            name = f"{side} {finger}"
            x = [source.skeleton.index[n] for n in source.body_map.get(name, ())]
            y = [target.skeleton.index[n] for n in target.body_map.get(name, ())]
            if len(x) == len(y):
                for i in range(len(x)):
                    a_end = x[i + 1] if i + 1 < len(x) else _end(source, side, (), x[i])
                    b_end = y[i + 1] if i + 1 < len(y) else _end(target, side, (), y[i])
                    _add(out, source, target, name, (x[i], a_end), (y[i], b_end))
            elif len(x) > 1 and len(y) > 1:
                _add(out, source, target, name, (x[0], x[-1]), (y[0], y[-1]))
    return out


def _end(rig: Rig, side: str, nexts: tuple[str, ...], joint: int) -> int:
    """Where a segment ends on a rig by itself: the next part, its tip (-1), or nothing (-2)."""
    for n in nexts:
        if (j := rig.joint(f"{side} {n}")) >= 0:
            return j
    return -1 if rig.skeleton.names[joint] in rig.tips else -2


def _add(out: list[Segment], source: Rig, target: Rig, part: str, a: tuple[int, int], b: tuple[int, int]) -> None:
    if a[1] == -2 or b[1] == -2:
        return
    lengths = (
        np.linalg.norm(_direction(source, standing(source).rest_model[1], a)),
        np.linalg.norm(_direction(target, standing(target).rest_model[1], b)),
    )
    if min(lengths) > 1e-6:  # a bone of no length points nowhere
        out.append(Segment(part, a, b))


def rename_map(source: Rig, target: Rig, tolerance: float = 1e-3) -> dict[str, str] | None:
    """Source joint → target joint where the rigs are the same but for names and order; None where they are not.

    The hierarchies must be alike and every joint rest in the same place and turned alike, within ``tolerance``
    (share of the height, and radians).
    """
    if len(source.skeleton) != len(target.skeleton):
        return None
    (qa, pa), (qb, pb) = source.skeleton.rest_model, target.skeleton.rest_model
    room = tolerance * max(source.height, 1e-9)
    shift = pb[list(target.skeleton.roots)].mean(axis=0) - pa[list(source.skeleton.roots)].mean(axis=0)
    out: dict[int, int] = {}
    used: set[int] = set()
    for j, parent in enumerate(source.skeleton.parents.tolist()):
        choices = target.skeleton.children[out[parent]] if parent >= 0 else target.skeleton.roots
        best = [
            k for k in choices
            if k not in used and np.linalg.norm(pa[j] + shift - pb[k]) < room
            and float(quat.angle(quat.multiply(quat.conjugate(qa[j]), qb[k]))) < tolerance
        ]  # fmt: skip
        if not best:
            return None
        # Joints in one place (a limb of no length on either side) are told apart by what their names share.
        said = set(source.skeleton.names[j].lower())
        k = best[0] if len(best) == 1 else max(best, key=lambda i: _likeness(source, j, target, i, said))
        out[j] = k
        used.add(k)
    return {source.skeleton.names[a]: target.skeleton.names[b] for a, b in out.items()}


def _likeness(source: Rig, j: int, target: Rig, k: int, said: set[str]) -> tuple[int, int, int]:
    a, b = source.skeleton.names[j], target.skeleton.names[k]
    same_size = len(source.skeleton.children[j]) == len(target.skeleton.children[k])
    return int(a == b), int(same_size) + int(source.side_of[j] == target.side_of[k]), len(said & set(b.lower()))
