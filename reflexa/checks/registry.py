"""Every check. A check is a module of this folder that has a ``CHECK``: it is found by being there."""

from __future__ import annotations

from typing import Any
from weakref import WeakKeyDictionary

from reflexa import plugins
from reflexa.checks.model import Check, Finding, Subject
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.stage import EMPTY, Stage
from reflexa.steps import Step

CHECKS: dict[str, Check] = {}


def register(check: Check) -> Check:
    """Take a check into the list: its findings appear wherever findings do. Raises ValueError where its name is taken."""
    plugins.put(CHECKS, check.name, check, lambda c: c.place)
    return check


def check_of(kind: str) -> Check | None:
    """What looks for findings of a kind; of several the first."""
    return next((c for c in CHECKS.values() if kind in c.gives), None)


def findings(clip: Clip, rig: Rig, stage: Stage = EMPTY, steps: tuple[Step, ...] = ()) -> list[Finding]:
    """Everything that the checks find in a clip."""
    return look(Subject(clip, rig, stage, steps))


# What was found in a clip by the checks that look at nothing but clip, rig and stage, as long as it is held by anyone.
_known: WeakKeyDictionary[Clip, dict[tuple[Any, ...], list[Finding]]] = WeakKeyDictionary()


def look(subject: Subject) -> list[Finding]:
    """Everything that the checks find in a subject; of an additive clip, which stands nowhere by itself, what is found in any
    curves."""
    kept = _known.setdefault(subject.clip, {})
    told = tuple(sorted(subject.limits.items()))
    out: list[Finding] = []
    for check in CHECKS.values():
        if subject.clip.additive is not None and not check.of_additive:
            continue
        key = check.name, subject.rig, subject.stage, told
        found = None if check.line else kept.get(key)
        if found is None:
            found = _run(check, subject)
            if not check.line:
                kept[key] = found
        out += found
    return out


def _run(check: Check, subject: Subject) -> list[Finding]:
    """What a check finds; nothing where it is an extension's and fails, which is told at the end and in the log."""
    if not plugins.brought_by(check):
        return check.run(subject)
    try:
        return check.run(subject)
    except Exception as e:
        plugins.failed(check, e)
        return []


for _check in plugins.exported("reflexa.checks", "CHECK", Check):
    register(_check)
