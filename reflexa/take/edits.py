"""Edits of a take: each gives the next take. Steps are told by their ids. What is locked is kept: here, for every road."""

from __future__ import annotations

from dataclasses import replace

from msgspec.structs import replace as with_fields

from reflexa.errors import ReflexaError
from reflexa.names import free_name
from reflexa.stage import Prop
from reflexa.steps import Step, kind_of, new_id
from reflexa.steps.references import follow
from reflexa.take.model import Take


class LockedError(ReflexaError):
    """A locked step was to be changed, moved or removed."""

    def __init__(self, name: str) -> None:
        super().__init__(f"{name} is locked", advice="Right-click its card to unlock it.")

    def __reduce__(self) -> tuple[object, ...]:
        return type(self), (self.reason.removesuffix(" is locked"),)


def keep_locked(old: Take, new: Take) -> None:
    """Raises LockedError where a locked step of one value of a take is missing in the next, or changed otherwise than by
    unlocking it."""
    for step in old.steps:
        now = new.step(step.id)
        if step.locked and now != step and (now is None or now.locked or with_fields(now, locked=True) != step):
            raise LockedError(step.name)


def with_step(take: Take, step: Step) -> Take:
    """The take with the step of that id replaced. Raises LockedError."""
    new = replace(take, steps=tuple(step if s.id == step.id else s for s in take.steps))
    keep_locked(take, new)
    return new


def insert_step(take: Take, index: int, step: Step) -> Take:
    """The take with a step put before position ``index``; one whose id is there already gets another."""
    if take.step(step.id) is not None:
        step = with_fields(step, id=new_id())
    return replace(take, steps=(*take.steps[:index], step, *take.steps[index:]))


def named_step(take: Take, step: Step) -> Step:
    """The step under a name that is free in the take."""
    return with_fields(step, name=free_name(step.name, (s.name for s in take.steps)))


def without_step(take: Take, step_id: str) -> Take:
    """The take without a step. Raises LockedError."""
    new = replace(take, steps=tuple(s for s in take.steps if s.id != step_id))
    keep_locked(take, new)
    return new


def move_step(take: Take, step_id: str, to: int) -> Take:
    """The take with a step taken out and put at position ``to`` of the others. Raises LockedError."""
    step = take.step(step_id)
    if step is None:
        return take
    if step.locked:
        raise LockedError(step.name)
    others = tuple(s for s in take.steps if s.id != step_id)
    return replace(take, steps=(*others[:to], step, *others[to:]))


def replace_steps(take: Take, first: str, last: str, *new: Step) -> Take:
    """The take with the steps from one to another, both included, replaced by others. Raises LockedError."""
    a, b = take.index(first), take.index(last)
    if a < 0 or b < a:
        return take
    for step in take.steps[a : b + 1]:
        if step.locked:
            raise LockedError(step.name)
    return replace(take, steps=(*take.steps[:a], *new, *take.steps[b + 1 :]))


def duplicate_step(take: Take, step_id: str) -> tuple[Take, Step]:
    """The take with a copy of a step behind it, and the copy; it is not locked."""
    step = take.steps[take.index(step_id)]
    copy = named_step(take, with_fields(step, id=new_id(), locked=False))
    return insert_step(take, take.index(step_id) + 1, copy), copy


def alone(take: Take, step_id: str) -> Take:
    """The take with one step on and all others off; those that change the rig or the time stay, or the step would have
    nothing to stand on. For looking at only."""

    def seen(s: Step) -> Step:
        if s.id == step_id:
            return with_fields(s, on=True)
        kind = kind_of(s.kind)
        return s if kind.changes_rig or kind.changes_time else with_fields(s, on=False)

    return replace(take, steps=tuple(seen(s) for s in take.steps))


def with_prop(take: Take, old: str, prop: Prop) -> Take:
    """The take with a prop of its stage replaced; steps that refer to it follow where its name changed. Raises LockedError."""
    steps = take.steps if prop.name == old else follow(take.steps, "prop", old, prop.name)
    new = replace(take, stage=take.stage.with_prop(old, prop), steps=steps)
    keep_locked(take, new)
    return new
