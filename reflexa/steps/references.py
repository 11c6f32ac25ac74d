"""What settings refer to: props, steps, takes and files by what the fields say of themselves."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache
from typing import Any

from msgspec.structs import replace

from reflexa.steps.model import Settings, Step
from reflexa.steps.registry import describe_field, fields


def fields_for(settings: Settings, what: str) -> list[str]:
    """The fields of settings that hold the name of a ``what``: "prop", "step", "joint", "clip", "rig" …"""
    return _fields_for(type(settings), what)


@cache  # asked for every step of every take; there are no more kinds than there are
def _fields_for(settings: type[Settings], what: str) -> list[str]:
    described = (describe_field(f) for f in fields(settings))
    return [d["name"] for d in described if what in (d.get("choose"), d.get("file"))]


def renamed(settings: Settings, what: str, old: str, new: str) -> Settings:
    """The settings with every reference to a ``what`` called ``old`` following it to its new name."""
    changes: dict[str, Any] = {}
    for name in fields_for(settings, what):
        value = getattr(settings, name)
        if value == old:
            changes[name] = new
        elif isinstance(value, tuple) and old in value:
            changes[name] = tuple(new if v == old else v for v in value)
    return replace(settings, **changes) if changes else settings


def follow(steps: Sequence[Step], what: str, old: str, new: str) -> tuple[Step, ...]:
    """Steps whose references follow something to its new name."""
    out = []
    for step in steps:
        settings = renamed(step.settings, what, old, new)
        out.append(step if settings is step.settings else replace(step, settings=settings))
    return tuple(out)


def by_id(step: Step, earlier: Sequence[Step]) -> Step:
    """A step whose references to earlier steps are ids, also where they were given by name."""
    ids = {s.id for s in earlier}
    changes: dict[str, Any] = {}
    for name in fields_for(step.settings, "step"):
        value = getattr(step.settings, name)
        found = next((s.id for s in reversed(earlier) if s.name == value), "")
        if value and value not in ids and found:
            changes[name] = found
    return replace(step, settings=replace(step.settings, **changes)) if changes else step
