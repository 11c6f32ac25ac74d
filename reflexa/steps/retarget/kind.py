"""Retarget as a kind of step, and what it reports."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.rig.match import Match, rename_map
from reflexa.steps.model import Beginning, Context, Given, Outcome, StepKind, known_rigs
from reflexa.steps.retarget.quality import Quality, measured
from reflexa.steps.retarget.step import RetargetSettings, rig_named, run
from reflexa.steps.retarget.transfer import moved_joints


@dataclass(frozen=True, eq=False)
class RetargetReport:
    """What stands for what on both rigs, how good the result is, whether renaming would do (value for value), and joints of the
    source that move from their place without one of the target's that could."""

    match: Match
    quality: Quality
    same_build: bool
    lost: tuple[str, ...]


def measure(clip: Clip, source: Rig, target: Rig, settings: RetargetSettings) -> Quality:
    """Measure a retarget of ``clip``. Raises RecipeError as ``retarget`` does."""
    return measured(clip, run(clip, source, target, settings), settings)


def _run(given: Given, settings: RetargetSettings, context: Context) -> Outcome:
    target = rig_named(settings.rig, context.rigs)
    made = run(given.clip, given.rig, target, settings)
    match = made[1]

    def report(_: Clip) -> RetargetReport:
        same = match.source.key != match.target.key and rename_map(match.source, match.target) is not None
        return RetargetReport(match, measured(given.clip, made, settings), same, moved_joints(given.clip, match)[1])

    return Outcome(made[0], target, reporting=report)


def _begin(at: Beginning) -> dict[str, Any]:
    """With one other rig in the project there is nothing to choose."""
    own = at.given.rig.key if at.given is not None else ""
    others = [name for name, rig in at.context.rigs.items() if rig.key != own]
    return {"rig": others[0]} if len(others) == 1 else {}


KIND = StepKind(
    "retarget",
    "Retarget",
    "Transfer the motion to another rig with other names, proportions, axes, rest pose and joint counts.",
    RetargetSettings,
    _run,
    place=20,
    group="figure",
    changes_rig=True,
    weighed=False,
    reads=lambda _, context: known_rigs(context),
    begin=_begin,
    summary=lambda settings: f"onto {Path(settings.rig).stem}" if settings.rig else "choose a rig",
)
