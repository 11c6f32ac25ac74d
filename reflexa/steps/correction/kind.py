"""Correction as a kind of step."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from msgspec.structs import replace

from reflexa.steps.correction.copies import carried
from reflexa.steps.correction.layers import turned_into
from reflexa.steps.correction.settings import CorrectionSettings
from reflexa.steps.correction.step import HeldBack, corrected
from reflexa.steps.correction.timing import shifted
from reflexa.steps.model import Context, Given, Outcome, Settings, Step, StepKind


@dataclass(frozen=True)
class CorrectionReport:
    """Body handles that legs held back."""

    held_back: tuple[HeldBack, ...]


def _run(given: Given, settings: CorrectionSettings, context: Context) -> Outcome:
    made = corrected(given, settings)
    return given.changed(made.clip, lambda _: CorrectionReport(made.held_back))


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
    "An additive layer: rotate or move joints at chosen frames. Neutral keys around them keep the rest of the "
    "clip unchanged.",
    CorrectionSettings,
    _run,
    place=60,
    group="layers",
    fixes=60,
    single_pose=True,
    weighs_itself=True,
    most_weight=2.0,
    keyed=True,
    settings_were={"reach": "falloff"},
    adjusted=_adjusted,
    shifted=shifted,
    moments=lambda settings: [float(k.frame) for t in settings.tracks for k in t.keys],
    carried=carried,
    summary=lambda settings: "replaces the motion below" if settings.how == "replace" else "",
)
