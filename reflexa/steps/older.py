"""Names that kinds of steps and their settings had in older versions: they are still read, and whoever writes them is told."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from reflexa.steps.registry import KINDS, OLDER


def older_names(steps: Iterable[Any]) -> tuple[str, ...]:
    """One sentence for every older name in steps given as plain data."""
    out: dict[str, None] = {}
    for step in steps:
        if not isinstance(step, dict):
            continue
        name = str(step.get("kind", ""))
        kind = KINDS.get(OLDER.get(name, name))
        if kind is None:
            continue
        if name in OLDER:
            out[f"the step {name!r} is called {kind.kind!r} now; the older name still works"] = None
        settings = step.get("settings")
        for setting in settings if isinstance(settings, dict) else ():
            if setting in kind.settings_were:
                now = kind.settings_were[setting]
                out[f"the setting {setting!r} of {kind.kind} is called {now!r} now; the older name still works"] = None
    return tuple(out)
