"""A finding: something measured that looks wrong — where, which frames, how much, and what repairs it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.stage import EMPTY, Stage
from reflexa.steps.model import Step


@dataclass(frozen=True)
class Finding:
    """frames: first and last that it concerns; worst: where it is largest. size and threshold in ``unit``.
    step: the kind of step that repairs it, where there is one."""

    kind: str
    joint: str
    text: str
    frames: tuple[int, int]
    worst: int
    size: float
    threshold: float
    unit: str
    step: str = ""


@dataclass(frozen=True, eq=False)
class Subject:
    """What is looked at: a clip on its rig, the stage about it, and the steps that made it (their wishes can be checked)."""

    clip: Clip
    rig: Rig
    stage: Stage = EMPTY
    steps: tuple[Step, ...] = ()


Check = Callable[[Subject], list[Finding]]
