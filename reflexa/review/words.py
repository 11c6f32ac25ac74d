"""Steps in words, for people who do not have the application."""

from __future__ import annotations

from typing import Any

import msgspec

from reflexa.steps import Step, kind_of
from reflexa.words import counted


def step_words(step: Step) -> str:
    """One line: kind, name, what is other than it comes, and how much of it."""
    kind = kind_of(step.kind)
    said = kind.summary(step.settings) if kind.summary is not None else ""
    parts = [said] if said else [f"{title(k)} {shown(v)}" for k, v in changed(step).items()]
    if not step.on:
        parts.append("off")
    elif step.weight < 1:
        parts.append(f"weight {step.weight:g}")
    if step.envelope:
        parts.append(f"envelope of {counted(len(step.envelope), 'point')}")
    if step.mask is not None:
        where = [*step.mask.parts, *step.mask.joints]
        parts.append(f"on {', '.join(where[:4])}{' and more' if len(where) > 4 else ''}")
    name = f"{step.name} ({kind.title})" if step.name and step.name != kind.title else kind.title
    return f"{name}: {', '.join(parts)}" if parts else name


def changed(step: Step) -> dict[str, Any]:
    """Settings that are other than they come, as plain data."""
    default = plain(kind_of(step.kind).settings())
    return {k: v for k, v in plain(step.settings).items() if v != default.get(k)}


def plain(value: Any) -> Any:
    """As it is saved: texts, numbers, lists, objects."""
    return msgspec.json.decode(msgspec.json.encode(value))


def title(field: str) -> str:
    """A setting's name as a word."""
    return field.replace("_", " ")


def shown(value: Any) -> str:
    """A setting's value in a few signs."""
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, float):
        return f"{value:g}"
    if isinstance(value, list):
        if len(value) <= 4 and all(isinstance(v, int | float | str) for v in value):
            return "(" + ", ".join(shown(v) for v in value) + ")"
        return f"{len(value)} entries"
    if isinstance(value, dict):
        return f"{len(value)} entries"
    return str(value) or "nothing"
