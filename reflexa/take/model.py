"""A take: source, ordered steps, and how it is exported. The unit of work; a value that saves as text."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

import msgspec

from reflexa.stage import EMPTY, Prop, Stage
from reflexa.steps import KINDS, Step
from reflexa.steps.goal import GoalSettings
from reflexa.steps.keep import KeepSettings


@dataclass(frozen=True)
class Source:
    """A clip in a project: the file's name in the project's sources folder, and which clip of it."""

    file: str
    clip: str


@dataclass(frozen=True)
class Export:
    """What is handed to the engine. first, last: the frames (None: to the clip's end); rate None: as the source's.
    cycles: how many times over a loop is written, its travel carried on."""

    name: str = ""
    first: int = 0
    last: int | None = None
    rate: float | None = None
    loop: bool | None = None
    format: str = "glb"
    frame: str = "source"
    cycles: int = 1


@dataclass(frozen=True)
class Take:
    """Source, steps and stage. ``unknown`` keeps fields of a saved take that this version does not know."""

    name: str
    source: Source
    steps: tuple[Step, ...] = ()
    export: Export = Export()
    unknown: dict[str, Any] = field(default_factory=dict)
    stage: Stage = EMPTY


def with_step(take: Take, index: int, step: Step) -> Take:
    """The take with one step replaced."""
    return replace(take, steps=(*take.steps[:index], step, *take.steps[index + 1 :]))


def insert_step(take: Take, index: int, step: Step) -> Take:
    """The take with a step put before position ``index``."""
    return replace(take, steps=(*take.steps[:index], step, *take.steps[index:]))


def without_step(take: Take, index: int) -> Take:
    """The take without a step."""
    return replace(take, steps=(*take.steps[:index], *take.steps[index + 1 :]))


def move_step(take: Take, index: int, to: int) -> Take:
    """The take with a step taken out and put at position ``to`` of the others."""
    step = take.steps[index]
    return insert_step(without_step(take, index), to, step)


def rename_step(take: Take, index: int, name: str) -> Take:
    """The take with a step called otherwise; later steps that keep to it by its name follow."""
    old = take.steps[index].name
    steps = tuple(
        msgspec.structs.replace(s, settings=msgspec.structs.replace(s.settings, since=name))
        if i > index and isinstance(s.settings, KeepSettings) and s.settings.since == old
        else s
        for i, s in enumerate(take.steps)
    )
    return with_step(replace(take, steps=steps), index, msgspec.structs.replace(take.steps[index], name=name))


def alone(take: Take, index: int) -> Take:
    """The take with one step on and all others off; those that change the rig stay, or the step would have none."""
    steps = tuple(
        s if i == index or KINDS[s.kind].carry is not None else msgspec.structs.replace(s, on=False)
        for i, s in enumerate(take.steps)
    )
    steps = (*steps[:index], msgspec.structs.replace(steps[index], on=True), *steps[index + 1 :])
    return replace(take, steps=steps)


def with_prop(take: Take, old: str, prop: Prop) -> Take:
    """The take with a prop of its stage replaced; goals that go to it follow where its name changed."""
    steps = take.steps
    if prop.name != old:
        steps = tuple(_renamed(s, old, prop.name) for s in steps)
    return replace(take, stage=take.stage.with_prop(old, prop), steps=steps)


def _renamed(step: Step, old: str, new: str) -> Step:
    settings = step.settings
    if isinstance(settings, GoalSettings) and settings.prop == old:
        return msgspec.structs.replace(step, settings=msgspec.structs.replace(settings, prop=new))
    return step
