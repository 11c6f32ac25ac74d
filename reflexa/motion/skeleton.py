"""The hierarchy of joints and its neutral pose."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import quat
from reflexa.motion.arrays import Array, frozen, frozen_indices
from reflexa.motion.kinematics import forward


@dataclass(frozen=True, eq=False)
class Skeleton:
    """Joints in an order in which every parent stands before its children.

    names: one per joint, unique. parents: ``(joints,)``, -1 for a root (several roots are allowed).
    rest_rotations ``(joints, 4)`` and rest_translations ``(joints, 3)`` are local, in metres.
    rest_scales ``(joints, 3)`` or None where every scale is one.
    """

    names: tuple[str, ...]
    parents: NDArray[np.intp]
    rest_rotations: Array
    rest_translations: Array
    rest_scales: Array | None = None

    def __post_init__(self) -> None:
        n = len(self.names)
        parents = frozen_indices(self.parents)
        if n == 0:
            raise ValueError("a skeleton needs at least one joint")
        if len(set(self.names)) != n:
            raise ValueError("joint names are not unique")
        if parents.shape != (n,) or np.any(parents >= np.arange(n)) or np.any(parents < -1):
            raise ValueError("every parent must stand before its children")
        object.__setattr__(self, "parents", parents)
        object.__setattr__(self, "rest_rotations", frozen(self.rest_rotations, (n, 4), "rest rotations"))
        object.__setattr__(self, "rest_translations", frozen(self.rest_translations, (n, 3), "rest translations"))
        if self.rest_scales is not None:
            object.__setattr__(self, "rest_scales", frozen(self.rest_scales, (n, 3), "rest scales"))

    def __len__(self) -> int:
        return len(self.names)

    @cached_property
    def index(self) -> dict[str, int]:
        """Joint name → position in the arrays."""
        return {name: i for i, name in enumerate(self.names)}

    @cached_property
    def children(self) -> tuple[tuple[int, ...], ...]:
        out: list[list[int]] = [[] for _ in self.names]
        for joint, parent in enumerate(self.parents.tolist()):
            if parent >= 0:
                out[parent].append(joint)
        return tuple(tuple(c) for c in out)

    @cached_property
    def roots(self) -> tuple[int, ...]:
        return tuple(np.flatnonzero(self.parents < 0).tolist())

    def root_of(self, joint: int) -> int:
        """The topmost joint above a joint, or the joint itself."""
        while self.parents[joint] >= 0:
            joint = int(self.parents[joint])
        return joint

    def below(self, joint: int) -> list[int]:
        """``joint`` and everything that hangs on it, parents first."""
        inside = {joint}
        for j in range(joint + 1, len(self)):
            if int(self.parents[j]) in inside:
                inside.add(j)
        return sorted(inside)

    def above(self, joint: int) -> list[int]:
        """What ``joint`` hangs on, from its parent up to the root."""
        out = []
        while (joint := int(self.parents[joint])) >= 0:
            out.append(joint)
        return out

    @cached_property
    def rest_model(self) -> tuple[Array, Array]:
        """Model-space rotations ``(joints, 4)`` and positions ``(joints, 3)`` of the rest pose."""
        scales = None if self.rest_scales is None else self.rest_scales[None]
        turned, placed = forward(self.parents, self.rest_rotations[None], self.rest_translations[None], scales)
        return frozen(turned[0]), frozen(placed[0])


def chain(names: list[str], offsets: list[list[float]]) -> Skeleton:
    """A single chain of joints with identity rest rotations: handy for examples and checks."""
    n = len(names)
    return Skeleton(
        tuple(names),
        np.arange(-1, n - 1),
        np.broadcast_to(quat.IDENTITY, (n, 4)),
        np.asarray(offsets, dtype=np.float64),
    )
