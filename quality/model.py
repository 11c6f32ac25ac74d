"""What is measured: a number beside the source's, the bound on it, and where it is worst."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from quality.figure import Figure
from quality.plain import Array


@dataclass(frozen=True)
class Measure:
    """value at its worst (the frame, and the joint or limb there), the source's own worst, and what is allowed."""

    name: str
    unit: str
    value: float
    source: float
    bound: float
    frame: int
    where: str

    @property
    def out(self) -> bool:
        return bool(not np.isfinite(self.value) or self.value > self.bound)


@dataclass(frozen=True)
class Case:
    """One operation on one clip. joints: source joint and result joint that stand for each other, by name of the latter.
    limbs: knees and elbows (as ``left knee``) with their source's names; those that are moved on purpose are left out of
    what must stay calm. floor: are standing feet to be on the floor
    after it? factor: how much larger the result's world is, level and upright."""

    clip: str
    operation: str
    before: Figure
    after: Figure
    joints: tuple[tuple[int, int], ...]
    limbs: tuple[tuple[str, str], ...]
    on_purpose: tuple[str, ...] = ()
    floor: bool = False
    factor: tuple[float, float] = (1.0, 1.0)


def worst(name: str, unit: str, found: list[tuple[str, Array, float, float]]) -> list[Measure]:
    """The entry that exceeds its bound the most. found: where, values over time (-inf: not to be
    measured), the source's largest, the bound."""
    best: Measure | None = None
    for where, values, source, bound in found:
        if values.size == 0:
            continue
        frame = int(np.argmax(np.where(np.isnan(values), np.inf, values)))
        if np.isneginf(values[frame]):
            continue  # nothing there to be measured
        new = Measure(name, unit, float(values[frame]), source, bound, frame, where)
        if best is None or _excess(new) > _excess(best):
            best = new
    return [best] if best else []


def _excess(m: Measure) -> float:
    return np.inf if not np.isfinite(m.value) else m.value - m.bound
