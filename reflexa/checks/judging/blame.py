"""Which step brought a finding in, and what each step fixed: findings are looked for at the source and after every step."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType

import numpy as np

from reflexa.checks.judging.groups import limb_of_joint, other_side
from reflexa.checks.model import Finding, Subject
from reflexa.checks.registry import CHECKS, look
from reflexa.formats.imported import Note
from reflexa.motion.arrays import Array
from reflexa.rig import Rig
from reflexa.steps import SOURCE, Outcome
from reflexa.take import Cancelled, Evaluation

# A finding that a step makes so many times as large is the step's.
_GROWN = 1.5
# Findings are the same in two clips when their frames are no further apart than this.
_NEAR = 2
_NO_LIMITS: Mapping[str, float] = MappingProxyType({})


@dataclass(frozen=True, eq=False)
class Judged:
    """found: what stands in the result, each with the step that brought it in. limits: the thresholds that it was looked at by,
    those that are other than they come. brought, fixed: per step (its id) what it
    brought in (found in the result or fixed since) and what it fixed, by the time of the clip after it and before it."""

    found: tuple[Finding, ...] = ()
    brought: Mapping[str, tuple[Finding, ...]] = field(default_factory=dict)
    fixed: Mapping[str, tuple[Finding, ...]] = field(default_factory=dict)
    limits: Mapping[str, float] = field(default_factory=dict)


NOTHING_FOUND = Judged()


def _never() -> bool:
    return False


def judge(
    line: Evaluation, limits: Mapping[str, float] = _NO_LIMITS, notes: tuple[Note, ...] = (),
    cancelled: Callable[[], bool] = _never,
) -> Judged:  # fmt: skip
    """Look at an evaluated take. notes: what the reader of its source noticed. Raises Cancelled when told to stop."""
    take, outcomes = line.take, line.outcomes
    source = outcomes[0]
    at = [0, *(i + 1 for i, s in enumerate(take.steps) if s.acts or i + 1 == len(take.steps))]
    found: list[list[Finding]] = []
    like: Subject | None = None
    for i in at:
        if cancelled():
            raise Cancelled
        out = outcomes[i]
        ranges = take.ranges if i + 1 == len(outcomes) else ()
        like = Subject(
            out.clip, out.rig, take.stage, take.steps[:i], limits, ranges, (source.clip, source.rig), notes, like
        )
        found.append(look(like))
    before = [replace(f, step=SOURCE) for f in found[0]]
    brought: dict[str, tuple[Finding, ...]] = {}
    fixed: dict[str, tuple[Finding, ...]] = {}
    for i, was, now in zip(at[1:], at, found[1:], strict=False):
        step = take.steps[i - 1]
        before, new, gone = _matched(before, now, outcomes[was].rig, outcomes[i], step.id)
        brought[step.id], fixed[step.id] = tuple(new), tuple(gone)
    return Judged(tuple(before), MappingProxyType(brought), MappingProxyType(fixed), limits)


def _matched(
    before: list[Finding], now: list[Finding], rig: Rig, out: Outcome, step: str
) -> tuple[list[Finding], list[Finding], list[Finding]]:
    """Findings after a step with who brought them in; those that the step did; those of before that are no more."""
    pairs, whole = [], {kind for c in CHECKS.values() if c.whole for kind in c.gives}
    ends = [(old.kind, old.frames[0] - _NEAR, old.frames[1] + _NEAR) for old in before]
    for i, f in enumerate(now):
        kind, (a, b) = f.kind, _back(f.frames, out.times)
        near = [k for k, (which, first, last) in enumerate(ends) if which == kind and first <= b and a <= last]
        pairs += [
            (sure, i, k) for k in near if (sure := _alike(f, before[k], (a, b), (out.rig, rig), kind in whole)) > 0
        ]
    of: dict[int, int] = {}
    for _, i, k in sorted(pairs, reverse=True):
        if i not in of and k not in of.values():
            of[i] = k
    done, new = [], []
    for i, f in enumerate(now):
        old = before[of[i]] if i in of else None
        grown = old is not None and f.unit == old.unit and f.size > _GROWN * old.size
        if old is None or grown:
            mine = replace(f, step=step, was=0.0 if old is None else old.size)
            new.append(mine)
        else:
            mine = replace(f, step=old.step, was=old.was)
        done.append(mine)
    left = set(range(len(before))) - set(of.values())
    return done, new, [before[k] for k in sorted(left)]


def _back(frames: tuple[int, int], times: Array | None) -> tuple[float, float]:
    """Frames of the clip after a step in the time of the clip before it."""
    if times is None:
        return frames
    span = times[frames[0] : frames[1] + 1]
    return (float(np.min(span)), float(np.max(span))) if len(span) else frames


def _alike(f: Finding, old: Finding, span: tuple[float, float], rigs: tuple[Rig, Rig], whole: bool) -> float:
    """How sure it is that two findings of a kind, about the same time, are one, by how much of it they share and where they are
    (where that counts: not of what the whole figure has); 0: they are not. rigs: after the step and before it."""
    shared = min(span[1], old.frames[1]) - max(span[0], old.frames[0]) + _NEAR + 1
    all_ = max(span[1], old.frames[1]) - min(span[0], old.frames[0]) + _NEAR + 1
    here, there = limb_of_joint(f.joint, rigs[0]), limb_of_joint(old.joint, rigs[1])
    same = 3 if f.joint == old.joint else 2 if here == there else 1 if here == other_side(there) else 0
    return 0.0 if not same and not whole else min(shared / all_, 1.0) + 0.1 * same
