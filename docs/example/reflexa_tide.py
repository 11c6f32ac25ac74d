"""A step and a finding of our own: the figure rises and sinks as if it stood in a boat, and is told when it drifts off."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated

import numpy as np
from msgspec import Meta

from reflexa.checks.model import Check, Finding, Limit, Subject
from reflexa.motion.arrays import owned
from reflexa.steps.model import Context, Given, Outcome, Settings, StepKind


class BobSettings(Settings, frozen=True):
    height: Annotated[
        float, Meta(title="Height", ge=0, le=100, description="From lowest to highest.", extra={"unit": "cm"})
    ] = 4.0
    seconds: Annotated[
        float, Meta(title="Every", ge=0.1, le=60, description="From wave to wave.", extra={"unit": "s"})
    ] = 2.0


def _run(given: Given, settings: BobSettings, context: Context) -> Outcome:
    clip = given.clip
    wave = np.sin(2 * np.pi * np.arange(clip.frames) / clip.rate / settings.seconds)
    translations = np.array(clip.translations)
    for root in clip.skeleton.roots:
        translations[:, root, 1] += 0.5 * settings.height / 100 * wave
    return given.changed(replace(clip, translations=owned(translations)))


KIND = StepKind("bob", "Bob", "The figure rises and sinks as if it stood in a boat.", BobSettings, _run)

FAR = Limit("adrift", 50.0, "m", "Further than this a figure leaves the ferry.")


def _look(subject: Subject) -> list[Finding]:
    placed = subject.clip.model[1][:, subject.rig.travel_joint]
    far = np.linalg.norm(placed - placed[0], axis=1)
    at = int(np.argmax(far))
    if far[at] <= subject.limit(FAR):
        return []
    name = subject.rig.skeleton.names[subject.rig.travel_joint]
    text = f"{name} drifts {far[at]:.1f} m away"
    return [Finding("adrift", name, text, subject.whole, at, float(far[at]), subject.limit(FAR), "m")]


CHECK = Check("adrift", "Adrift", "The figure goes further than the ferry is long.", _look, limits=(FAR,))
