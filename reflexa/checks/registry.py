"""Every check. A check is a module of this folder that has a ``CHECK``: it is found by being there."""

from __future__ import annotations

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


def findings(clip: Clip, rig: Rig, stage: Stage = EMPTY, steps: tuple[Step, ...] = ()) -> list[Finding]:
    """Everything that the checks find in a clip."""
    subject = Subject(clip, rig, stage, steps)
    return [f for check in CHECKS.values() for f in check.run(subject)]


for _check in plugins.exported("reflexa.checks", "CHECK", Check):
    register(_check)
