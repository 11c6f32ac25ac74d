"""Steps that were made on one rig, for another: joints by what they play, changes in that rig's axes and size."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import msgspec
from msgspec.structs import replace

from reflexa.rig.joint_roles import RoleMap
from reflexa.steps import Mask, Settings, Step
from reflexa.steps.references import fields_for
from reflexa.steps.registry import kind_of

# What settings say of themselves where they name joints, alone or among other things.
_JOINTS = ("joint", "ends", "chain")


def carried(step: Step, to: RoleMap) -> Step:
    """The step as it is meant on another rig. What that rig lacks is left out, and noted by the carrier; a step that reaches
    nothing then is off."""
    kind = kind_of(step.kind)
    own = kind.carried or _by_fields
    mask, settings = step.mask, own(step.settings, to)
    if mask is not None:
        mask = _mask(mask, to)
    nothing = mask is not None and mask != step.mask and not (mask.parts or mask.joints)
    return replace(step, settings=settings, mask=mask, on=step.on and not nothing)


def _by_fields(settings: Settings, to: RoleMap) -> Settings:
    changes: dict[str, Any] = {}
    for name in (n for what in _JOINTS for n in fields_for(settings, what)):
        value = getattr(settings, name)
        if isinstance(value, tuple):
            changes[name] = tuple(dict.fromkeys(there for v in value if (there := to.joint(v)) is not None))
        elif value:
            changes[name] = to.joint(value) or value  # the step itself says that it is not there
    return replace(settings, **changes) if changes else settings


def _mask(mask: Mask, to: RoleMap) -> Mask:
    joints: dict[str, float] = {}
    for name, weight in mask.joints.items():
        there = to.joint(name)
        if there is not None:
            joints[there] = max(weight, joints.get(there, 0.0))
    return replace(mask, joints=joints)


def named(steps: Iterable[Step]) -> set[str]:
    """Every text in settings and masks of steps: whatever of it is a joint's name is a joint's name."""
    out: set[str] = set()

    def walk(value: Any) -> None:
        if isinstance(value, str):
            out.add(value)
        elif isinstance(value, dict):
            for k, v in value.items():
                walk(k)
                walk(v)
        elif isinstance(value, list | tuple):
            for v in value:
                walk(v)

    for step in steps:
        walk(msgspec.to_builtins(step.settings))
        walk(msgspec.to_builtins(step.mask))
    return out
