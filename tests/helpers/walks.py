"""The demo's walk on rigs of odd axes, and steps on it."""

from __future__ import annotations

from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.steps import Step, make
from reflexa.steps.retarget import RetargetSettings
from reflexa.steps.retarget.step import run as retargeted
from tests.helpers import rigs


def root_motion(operation: str, **said: object) -> Step:
    """A root motion step."""
    return make("root-motion", operation=operation, **said)


def walked(seed: int, walk: Clip, deckhand_rig: Rig) -> tuple[Clip, Rig]:
    """The demo's walk on a rig of odd axes and proportions, with a root joint and helpers."""
    rig = rigs.rig(seed, style=seed, extras=True)
    return retargeted(walk, deckhand_rig, rig, RetargetSettings())[0], rig
