"""Correction as a kind of step."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from reflexa.steps.correction.layers import turned_into
from reflexa.steps.correction.settings import CorrectionSettings
from reflexa.steps.correction.step import correct
from reflexa.steps.model import Context, Given, Outcome, Settings, Step, StepKind


def _run(given: Given, settings: CorrectionSettings, context: Context) -> Outcome:
    return given.changed(correct(given.clip, given.rig, settings, given.first))


def _adjusted(settings: CorrectionSettings, name: str, value: Any, given: Given) -> Settings:
    """A layer switched between adding and replacing keeps the pose on its keys."""
    if name != "how":
        return replace(settings, **{name: value})
    return turned_into(settings, value, given.clip, given.rig)


def layer_of(step: Step | None) -> CorrectionSettings | None:
    """The settings of a step that is a layer of keys; None of any other."""
    settings = step.settings if step is not None else None
    return settings if isinstance(settings, CorrectionSettings) else None


KIND = StepKind(
    "correction",
    "Correction",
    "Add keyed changes on top of the motion, or replace it: rotate or move joints at some frames, neutral around them.",
    CorrectionSettings,
    _run,
    place=60,
    single_pose=True,
    keyed=True,
    adjusted=_adjusted,
    summary=lambda settings: "replaces what is below" if settings.how == "replace" else "",
)
