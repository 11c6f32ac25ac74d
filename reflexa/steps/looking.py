"""What a kind of step looks at while it runs, held against what it says that it reads: a test double for new kinds."""

from __future__ import annotations

from dataclasses import fields
from typing import Any

from reflexa.steps.model import Context, Given, StepKind


class _Watched(Context):
    """A context that remembers which of its parts were asked for."""

    def __getattribute__(self, name: str) -> Any:
        if name in _PARTS:
            object.__getattribute__(self, "looked").add(name)
        return object.__getattribute__(self, name)


_PARTS = frozenset(f.name for f in fields(Context))


def _watched(context: Context) -> tuple[Context, set[str]]:
    looked: set[str] = set()
    out = object.__new__(_Watched)
    object.__setattr__(out, "looked", looked)
    for name in _PARTS:
        object.__setattr__(out, name, getattr(context, name))
    return out, looked


def unread(kind: StepKind, settings: Any, given: Given, context: Context) -> list[str]:
    """The parts of the context ("rigs", "clips", "stage", "earlier") that the kind looks at while it runs and makes its report,
    and that its ``reads`` leaves out, sorted. A result that is kept would be used although they have changed."""
    running, looked = _watched(context)
    _ = kind.run(given, settings, running).report
    reading, listed = _watched(context)
    if kind.reads is not None:
        kind.reads(settings, reading)
    return sorted(looked - listed)
